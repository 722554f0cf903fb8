"""What a topology is controlled by: a duty ratio, a phase, a frequency."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from jump_lane.errors import InputError
from jump_lane.quantities import FREQUENCY, PHASE, RATIO, Dimension, parse, show

MIDDLE = 0.3
"""Where a duty ratio or phase starts from, of its highest value, if no formula gives it."""


@dataclass(frozen=True)
class Control:
    """A quantity that holds the output, is swept, or is fixed.

    Attributes
    ----------
    symbol, words
        How it is called.
    lowest, highest
        Its range, in SI units.
    dimension
        What it is read as.
    low, high
        Symbols of a design that narrow its range; empty where nothing does.
    sure
        Whether a corner that its formula gives no value for cannot be reached; where formulas are rough, only simulation tells.
    """

    symbol: str = "D"
    words: str = "duty ratio"
    lowest: float = 0.0
    highest: float = 1.0
    dimension: Dimension = RATIO
    low: str = ""
    high: str = ""
    sure: bool = True

    @property
    def start(self) -> float:
        """Where to start from if no formula gives it."""
        return self.highest if self.dimension is FREQUENCY else MIDDLE * self.highest

    @property
    def unit(self) -> str:
        """Its SI unit."""
        return self.dimension.unit

    @property
    def span(self) -> str:
        """Its range in words."""
        return f"{show(self.lowest, self.unit)} to {show(self.highest, self.unit)}"

    def at(self, values: Mapping[str, float]) -> Control:
        """Return it with the range that the symbols of a design leave."""
        lowest = values[self.low] if self.low else self.lowest
        highest = values[self.high] if self.high else self.highest
        return replace(self, lowest=lowest, highest=highest)

    def shown(self, value: float, period: float) -> str:
        """Return a value as it is read: a phase in parts of the period [s], degrees and seconds."""
        if self.dimension is not PHASE:
            return show(value, self.unit)
        return f"{show(value)} ({show(360.0 * value, '°')}, {show(value * period, 's')})"

    def read(self, text: str, option: str) -> float:
        """Read a value, such as ``D=0.3`` or just ``0.3``.

        Raises
        ------
        InputError
            If another quantity is named, or the value is out of range.
        """
        name, equals, value = text.rpartition("=")
        if equals and name.strip() != self.symbol:
            raise InputError(
                f"{option}: read {name.strip()!r}; the control is {self.symbol}, the {self.words} ({self.span})"
            )
        try:
            found = parse(value, self.dimension)
        except InputError as error:
            raise InputError(f"{option}: {error}") from None
        return self.within(found, option)

    def within(self, value: float, where: str) -> float:
        """Return a value that lies in the range.

        Raises
        ------
        InputError
            If it does not.
        """
        if not self.lowest <= value <= self.highest:
            raise InputError(
                f"{where}: {show(value, self.unit)}; the {self.words} {self.symbol} goes from {self.span}"
            )
        return value


DUTY = Control()
HALF = Control(words="duty ratio of a switch", highest=0.5)
"""Of switches that take turns."""
