"""Equal currents of N phases, shifted by equal parts of the period, added up.

Every phase carries the same current, piecewise linear: from ``a`` to ``b`` during the part ``d`` of the period, one such
piece after the other, and nothing in the rest.  Their sum repeats N times a period and is linear between a few
instants, so that all that is asked of it has an exact value; it has none where the pieces exceed the period.
Arguments are the number of phases and, for each piece, d, a and b: numbers [1], or arrays of them that are broadcast.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
Shape = tuple[float, ...]

WHOLE = 1e-9
"""By how much pieces may exceed the period for rounding [1]."""


def _current(at: Array, shape: Shape) -> Array:
    """Return the current of one phase at instants of the period [1]."""
    at = at % 1.0
    found, begin = np.zeros_like(at), 0.0
    for d, a, b in zip(shape[1::3], shape[2::3], shape[3::3], strict=True):
        inside = (at >= begin) & (at < begin + d)
        found = np.where(inside, a + (b - a) * (at - begin) / max(d, 1e-12), found)
        begin += d
    return found


def _pieces(shape: Shape) -> tuple[Array, Array, Array]:
    """Return durations [1], first and last values of the linear pieces of the sum, over one of its periods."""
    count = round(shape[0])
    part = 1.0 / count
    ends = np.array(sorted({0.0, part, *(np.cumsum(shape[1::3]) % part)}))
    ends = ends[np.r_[True, np.diff(ends) > 1e-12]]
    start, length = ends[:-1], np.diff(ends)
    shifts = np.arange(count)[:, None] * part
    one, two = (_current(start + length * share - shifts, shape).sum(axis=0) for share in (0.25, 0.75))
    return length, one - (two - one) / 2.0, two + (two - one) / 2.0


def _peak_to_peak(*shape: float) -> float:
    _, first, last = _pieces(shape)
    both = np.concatenate([first, last])
    return float(both.max() - both.min())


def _ac_rms(*shape: float) -> float:
    length, first, last = _pieces(shape)
    count = round(shape[0])
    average = count * float(np.sum(length * (first + last))) / 2.0
    square = count * float(np.sum(length * (first**2 + first * last + last**2))) / 3.0
    return float(np.sqrt(max(square - average**2, 0.0)))


def _ripple(x: float, *shape: float) -> float:
    length, first, last = _pieces(shape)
    average = round(shape[0]) * float(np.sum(length * (first + last))) / 2.0
    charge, seen = 0.0, []
    for h, s, e in zip(length, first - average, last - average, strict=True):
        slope = (e - s) / h
        turn = (-x * slope - s) / slope if slope else 0.0
        for t in (0.0, h, min(max(turn, 0.0), h)):
            seen.append(charge + s * t + slope * t * t / 2.0 + x * (s + slope * t))
        charge += (s + e) / 2.0 * h
    return float(max(seen) - min(seen))


def _over(one: Callable[..., float], before: int = 0) -> Callable[..., Array]:
    """Return a sum over arrays; ``before`` arguments stand in front of the shape. No number where it cannot be."""
    spread = np.vectorize(one, otypes=[float])

    def over(*values: object) -> Array:
        arrays = np.broadcast_arrays(*(np.asarray(v, dtype=float) for v in values))
        valid = np.all([np.isfinite(a) for a in arrays], axis=0)
        valid &= sum(arrays[before + 1 :: 3]) <= 1.0 + WHOLE
        safe = [np.where(valid, a, 1.0) for a in arrays]
        return np.where(valid, spread(*safe), np.nan)

    return over


sum_pp = _over(_peak_to_peak)
"""sum_pp(N, d, a, b, …): peak-to-peak value of the sum [1]."""

sum_rms = _over(_ac_rms)
"""sum_rms(N, d, a, b, …): rms value of the sum without its average [1]."""

sum_ripple = _over(_ripple, 1)
"""sum_ripple(x, N, d, a, b, …): peak-to-peak voltage that the sum without its average makes on a capacitor with
series resistance, relative to (unit of current)/(f·C), with x = R·C·f [1]."""
