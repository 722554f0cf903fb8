"""Equal currents of N phases, shifted by equal parts of the period, added up.

Every phase carries the same current, piecewise linear: from ``a`` to ``b`` during the part ``d1`` of the period, then
from ``c`` to ``d`` during the part ``d2``, and nothing in the rest.  Their sum repeats N times a period and is linear
between at most three instants, so that all that is asked of it has an exact value.  Arguments are numbers [1], or
arrays of them that are broadcast.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
Shape = tuple[float, float, float, float, float, float, float]


def _current(at: Array, shape: Shape) -> Array:
    """Return the current of one phase at instants of the period [1]."""
    _, d1, a, b, d2, c, d = shape
    at = at % 1.0
    first = a + (b - a) * at / max(d1, 1e-12)
    second = c + (d - c) * (at - d1) / max(d2, 1e-12)
    return np.where(at < d1, first, np.where(at < d1 + d2, second, 0.0))


def _pieces(shape: Shape) -> tuple[Array, Array, Array]:
    """Return durations [1], first and last values of the linear pieces of the sum, over one of its periods."""
    count = round(shape[0])
    part = 1.0 / count
    ends = np.array(sorted({0.0, shape[1] % part, (shape[1] + shape[4]) % part, part}))
    ends = ends[np.r_[True, np.diff(ends) > 1e-12]]
    start, length = ends[:-1], np.diff(ends)
    shifts = np.arange(count)[:, None] * part
    one, two = (_current(start + length * share - shifts, shape).sum(axis=0) for share in (0.25, 0.75))
    return length, one - (two - one) / 2.0, two + (two - one) / 2.0


def _peak_to_peak(*shape: float) -> float:
    _, first, last = _pieces(shape)  # type: ignore[arg-type]
    both = np.concatenate([first, last])
    return float(both.max() - both.min())


def _ac_rms(*shape: float) -> float:
    length, first, last = _pieces(shape)  # type: ignore[arg-type]
    count = round(shape[0])
    average = count * float(np.sum(length * (first + last))) / 2.0
    square = count * float(np.sum(length * (first**2 + first * last + last**2))) / 3.0
    return float(np.sqrt(max(square - average**2, 0.0)))


def _ripple(x: float, *shape: float) -> float:
    length, first, last = _pieces(shape)  # type: ignore[arg-type]
    average = round(shape[0]) * float(np.sum(length * (first + last))) / 2.0
    charge, seen = 0.0, []
    for h, s, e in zip(length, first - average, last - average, strict=True):
        slope = (e - s) / h
        turn = (-x * slope - s) / slope if slope else 0.0
        for t in (0.0, h, min(max(turn, 0.0), h)):
            seen.append(charge + s * t + slope * t * t / 2.0 + x * (s + slope * t))
        charge += (s + e) / 2.0 * h
    return float(max(seen) - min(seen))


def _over(one: Callable[..., float]) -> Callable[..., Array]:
    spread = np.vectorize(one, otypes=[float])

    def over(*values: object) -> Array:
        arrays = np.broadcast_arrays(*(np.asarray(v, dtype=float) for v in values))
        valid = np.all([np.isfinite(a) for a in arrays], axis=0)
        safe = [np.where(valid, a, 1.0) for a in arrays]
        return np.where(valid, spread(*safe), np.nan)

    return over


sum_pp = _over(_peak_to_peak)
"""sum_pp(N, d1, a, b, d2, c, d): peak-to-peak value of the sum [1]."""

sum_rms = _over(_ac_rms)
"""sum_rms(N, d1, a, b, d2, c, d): rms value of the sum without its average [1]."""

sum_ripple = _over(_ripple)
"""sum_ripple(x, N, d1, a, b, d2, c, d): peak-to-peak voltage that the sum without its average makes on a capacitor with
series resistance, relative to (unit of current)/(f·C), with x = R·C·f [1]."""
