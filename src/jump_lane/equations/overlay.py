"""Equal currents of N phases, shifted by equal parts of the period, added up.

Every phase carries the same current, piecewise linear: from ``a`` to ``b`` during the part ``d`` of the period, one such
piece after the other, and nothing in the rest.  Their sum repeats N times a period and is linear between a few
instants, so that all that is asked of it has an exact value; it has none where the pieces exceed the period.
Arguments are the number of phases and, for each piece, d, a and b: numbers [1], or arrays of them that are broadcast.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from typing import Any

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


@lru_cache(maxsize=1024)
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


Parts = tuple[Array, Array, Array]

SHORT = 1e-12
"""A piece shorter than this part of the period is none."""


def _alone(shape: Array) -> Parts:
    """Return durations, first and last values of the pieces of a single phase, the rest of the period behind them."""
    d, a, b = shape[1::3], shape[2::3], shape[3::3]
    nothing = np.zeros_like(d[:1])
    rest = np.maximum(1.0 - d.sum(axis=0, keepdims=True), 0.0)
    return np.concatenate([d, rest]), np.concatenate([a, nothing]), np.concatenate([b, nothing])


def _mean(d: Array, a: Array, b: Array) -> Array:
    return np.asarray((d * (a + b)).sum(axis=0) / 2.0)


def _peaks_alone(shape: Array) -> Array:
    d, a, b = _alone(shape)
    there = d > SHORT
    highest = np.where(there, np.maximum(a, b), -np.inf).max(axis=0)
    return np.asarray(highest - np.where(there, np.minimum(a, b), np.inf).min(axis=0))


def _rms_alone(shape: Array) -> Array:
    d, a, b = _alone(shape)
    square = (d * (a * a + a * b + b * b)).sum(axis=0) / 3.0
    return np.asarray(np.sqrt(np.maximum(square - _mean(d, a, b) ** 2, 0.0)))


def _ripple_alone(values: Array) -> Array:
    x, (d, a, b) = values[0], _alone(values[1:])
    average, there = _mean(d, a, b), d > SHORT
    s, e = a - average, b - average
    slope = np.divide(e - s, d, out=np.zeros_like(d), where=there)
    turn = np.divide(-x * slope - s, slope, out=np.zeros_like(d), where=slope != 0.0)
    gained = (s + e) / 2.0 * d
    t = np.stack([np.zeros_like(d), d, np.clip(turn, 0.0, d)])
    seen = np.cumsum(gained, axis=0) - gained + s * t + slope * t * t / 2.0 + x * (s + slope * t)
    highest = np.where(there, seen, -np.inf).max(axis=(0, 1))
    return np.asarray(highest - np.where(there, seen, np.inf).min(axis=(0, 1)))


def _over(one: Callable[..., float], alone: Callable[..., Array], before: int = 0) -> Callable[..., Array]:
    """Return a sum over arrays; ``before`` arguments stand in front of the shape. No number where it cannot be.

    A single phase is worked out for all of them at once.
    """
    spread = np.vectorize(one, otypes=[float])

    def over(*values: Any) -> Array:
        arrays = np.empty((len(values), *np.broadcast_shapes(*(np.shape(v) for v in values))))
        for k, value in enumerate(values):
            arrays[k] = value
        valid = np.isfinite(arrays).all(axis=0) & (arrays[before + 1 :: 3].sum(axis=0) <= 1.0 + WHOLE)
        nothing = np.where(np.arange(len(arrays)) <= before, 1.0, 0.0)
        safe = np.where(valid, arrays, nothing.reshape(-1, *(1,) * valid.ndim))
        single = bool(np.all(safe[before] == 1.0))
        return np.where(valid, alone(safe) if single else spread(*safe), np.nan)

    return over


sum_pp = _over(_peak_to_peak, _peaks_alone)
"""sum_pp(N, d, a, b, …): peak-to-peak value of the sum [1]."""

sum_rms = _over(_ac_rms, _rms_alone)
"""sum_rms(N, d, a, b, …): rms value of the sum without its average [1]."""

sum_ripple = _over(_ripple, _ripple_alone, 1)
"""sum_ripple(x, N, d, a, b, …): peak-to-peak voltage that the sum without its average makes on a capacitor with
series resistance, relative to (unit of current)/(f·C), with x = R·C·f [1]."""
