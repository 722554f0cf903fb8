"""What was seen of watched rows over time, period after period."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from jump_lane.switching.network import Array


@dataclass(frozen=True)
class Strip:
    """What was seen of the watched rows, period after period; one cut by a change is in two parts.

    Attributes
    ----------
    start, end
        Of each part [s], (p,).
    low, high, mean
        Of each row in each part, (p, w).
    low_at, high_at
        When the extremes were [s], (p, w).
    control
        The control variable, (p,).
    met
        Configurations that were met, as bits, (p,).
    """

    names: tuple[str, ...]
    start: Array
    end: Array
    low: Array
    high: Array
    mean: Array
    low_at: Array
    high_at: Array
    control: Array
    met: NDArray[np.int64]

    def extremes(self, name: str, start: float, end: float) -> tuple[float, float, float, float]:
        """Return the least value of a row and when it was, the largest and when, in the parts from `start` to `end` [s]."""
        k = self.names.index(name)
        slack = 1e-9 * (self.end[0] - self.start[0])
        inside = (self.start >= start - slack) & (self.end <= end + slack)
        at = np.flatnonzero(inside)
        if len(at) == 0:
            at = np.flatnonzero((self.end > start) & (self.start < end))
        low, high = at[np.argmin(self.low[at, k])], at[np.argmax(self.high[at, k])]
        return (
            float(self.low[low, k]), float(self.low_at[low, k]), float(self.high[high, k]), float(self.high_at[high, k]),
        )  # fmt: skip


def grouped(found: tuple[Array, ...], size: int) -> tuple[Array, ...]:
    """Return parts put together in groups: extremes of the extremes, averages of the averages."""
    start, end, low, high, mean, low_at, high_at, control, met = found
    first = np.arange(0, len(start), size)
    last = np.append(first[1:], len(start)) - 1
    lows, highs, low_when, high_when = [], [], [], []
    for a, b in zip(first, last, strict=True):
        part = slice(a, b + 1)
        i, j = low[part].argmin(axis=0), high[part].argmax(axis=0)
        k = np.arange(low.shape[1])
        lows.append(low[part][i, k])
        highs.append(high[part][j, k])
        low_when.append(low_at[part][i, k])
        high_when.append(high_at[part][j, k])
    shape = (len(first), low.shape[1])
    return (
        start[first], end[last], np.reshape(lows, shape), np.reshape(highs, shape),
        np.add.reduceat(mean, first, axis=0) / (last - first + 1)[:, None] if len(mean) else mean,
        np.reshape(low_when, shape), np.reshape(high_when, shape), control[first],
        np.bitwise_or.reduceat(met, first) if len(met) else met,
    )  # fmt: skip
