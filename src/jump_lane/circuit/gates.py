"""Gate patterns: on-intervals in fractions of the switching period, as functions of the control variable."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass


@dataclass(frozen=True)
class Instant:
    """An instant of the period that may move with the control variable.

    Attributes
    ----------
    fraction
        Position in the period [1]; 0.25 is a quarter of the period.
    slope
        Its derivative with respect to the control variable.
    """

    fraction: float
    slope: float = 0.0

    def __add__(self, other: Instant | float) -> Instant:
        other = instant(other)
        return Instant(self.fraction + other.fraction, self.slope + other.slope)

    def __sub__(self, other: Instant | float) -> Instant:
        return self + -instant(other)

    def __mul__(self, factor: Instant | float) -> Instant:
        f = instant(factor)
        return Instant(self.fraction * f.fraction, self.slope * f.fraction + self.fraction * f.slope)

    def __truediv__(self, divisor: Instant | float) -> Instant:
        return self * instant(divisor).inverse()

    def __rtruediv__(self, dividend: float) -> Instant:
        return self.inverse() * dividend

    def __rsub__(self, other: float) -> Instant:
        return -self + other

    def __neg__(self) -> Instant:
        return Instant(-self.fraction, -self.slope)

    def inverse(self) -> Instant:
        """Return 1 over it."""
        return Instant(1.0 / self.fraction, -self.slope / self.fraction**2)

    __radd__ = __add__
    __rmul__ = __mul__


def instant(value: Instant | float) -> Instant:
    """Return `value` as an `Instant`; a plain number is one that does not move."""
    return value if isinstance(value, Instant) else Instant(float(value))


Interval = tuple[Instant, Instant]
"""From one instant to a later one; fractions outside [0, 1) wrap around the period."""

Gates = Mapping[str, tuple[Interval, ...]]
"""Switch name to its on-intervals."""

GatePattern = Callable[[Instant], Gates]
"""The gates as a function of the control variable (duty ratio, phase or frequency)."""

Span = Callable[[Instant], Instant]
"""How long the period is, in the unit of instants, as a function of the control variable."""


def on(start: Instant | float, end: Instant | float) -> tuple[Interval, ...]:
    """Return one on-interval from `start` to `end`, both in fractions of the period."""
    return ((instant(start), instant(end)),)


def shifted(intervals: Iterable[Interval], by: Instant | float) -> tuple[Interval, ...]:
    """Return `intervals` delayed by the fraction `by` of the period."""
    return tuple((start + by, end + by) for start, end in intervals)


def complement(intervals: Iterable[Interval], dead: float = 0.0) -> tuple[Interval, ...]:
    """Return the gaps between `intervals`, each shortened by the fraction `dead` at both ends.

    `intervals` must be in order and must not overlap.  A gap that the dead time swallows whole is left out.
    """
    spans = list(intervals)
    if not spans:
        return on(0.0, 1.0)
    gaps = []
    for (_, end), (following, _) in zip(spans, [*spans[1:], spans[0]], strict=True):
        start = end + dead
        stop = following - dead
        while stop.fraction < end.fraction - dead:
            stop = stop + 1.0
        if stop.fraction > start.fraction:
            gaps.append((start, stop))
    return tuple(gaps)
