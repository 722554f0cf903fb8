"""What was seen of watched rows over time, period after period."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, fields
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from jump_lane.switching.network import Array

Kind = TypeVar("Kind", np.float64, np.int64)


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

    def within(self, start: float, end: float) -> NDArray[np.int64]:
        """Return the parts whose middle lies between two instants [s]; if none does, those that touch them."""
        middle = 0.5 * (self.start + self.end)
        inside = np.flatnonzero((middle > start) & (middle < end))
        return inside if len(inside) else np.flatnonzero((self.end > start) & (self.start < end))

    def extremes(self, name: str, start: float, end: float) -> tuple[float, float, float, float]:
        """Return the least value of a row and when it was, the largest and when, in the parts from `start` to `end` [s]."""
        k, at = self.names.index(name), self.within(start, end)
        low, high = at[np.argmin(self.low[at, k])], at[np.argmax(self.high[at, k])]
        return (
            float(self.low[low, k]), float(self.low_at[low, k]), float(self.high[high, k]), float(self.high_at[high, k]),
        )  # fmt: skip

    def halved(self) -> Strip:
        """Return every two parts put together: extremes of the extremes, the average of the averages."""
        whole = len(self.start) // 2 * 2
        one, two, rest = slice(0, whole, 2), slice(1, whole, 2), slice(whole, None)
        lower, higher = self.low[two] < self.low[one], self.high[two] > self.high[one]
        length = self.end - self.start
        share = (length[two] / (length[one] + length[two]))[:, None]

        def joined(pairs: NDArray[Kind], alone: NDArray[Kind]) -> NDArray[Kind]:
            return np.concatenate([pairs, alone[rest]])

        return Strip(
            self.names,
            joined(self.start[one], self.start),
            joined(self.end[two], self.end),
            joined(np.minimum(self.low[one], self.low[two]), self.low),
            joined(np.maximum(self.high[one], self.high[two]), self.high),
            joined((1.0 - share) * self.mean[one] + share * self.mean[two], self.mean),
            joined(np.where(lower, self.low_at[two], self.low_at[one]), self.low_at),
            joined(np.where(higher, self.high_at[two], self.high_at[one]), self.high_at),
            joined(self.control[one], self.control),
            joined(self.met[one] | self.met[two], self.met),
        )


def joined(names: tuple[str, ...], parts: Sequence[Strip]) -> Strip:
    """Return strips of the same rows one behind the other."""
    if not parts:
        width = (0, len(names))
        none, wide = np.zeros(0), np.zeros(width)
        return Strip(names, none, none, wide, wide, wide, wide, wide, none, np.zeros(0, dtype=np.int64))
    columns = [f.name for f in fields(Strip)[1:]]
    return Strip(names, *(np.concatenate([getattr(p, c) for p in parts]) for c in columns))
