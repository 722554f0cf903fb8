"""Ratings of parts: what each kind is rated for, with which margin, and whether it bears what it has to."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from jump_lane.catalogue.kinds import Capacitor, Diode, Igbt, Inductor, Mosfet, Part
from jump_lane.judge.limit import ROUNDING
from jump_lane.quantities import show
from jump_lane.spec import Margin


@dataclass(frozen=True)
class Rating:
    """One rating of one component.

    Attributes
    ----------
    what
        Which rating, in words.
    load, margin, limit
        What it bears, the margin to be kept (part of the load; kelvins for a temperature), and what it is rated for.
    """

    component: str
    what: str
    load: float
    margin: float
    limit: float
    unit: str

    @property
    def needed(self) -> float:
        """The rating that would do."""
        return self.load + self.margin if self.unit == "°C" else self.load * (1.0 + self.margin)

    @property
    def holds(self) -> bool:
        """Whether the part is rated for it."""
        return self.needed <= self.limit * (1.0 + ROUNDING)

    def text(self) -> str:
        """Return what is broken, and by how much."""
        reserve = f"{self.margin:g} K" if self.unit == "°C" else f"{100.0 * self.margin:g} %"
        return (
            f"{self.component}: {self.what} of {show(self.load, self.unit)} with a margin of {reserve} needs "
            f"{show(self.needed, self.unit)}, it is rated for {show(self.limit, self.unit)}"
        )


def merged(every: Iterable[Rating]) -> tuple[Rating, ...]:
    """Return each rating of each component once, with the largest load."""
    found: dict[tuple[str, str], Rating] = {}
    for rating in every:
        key = rating.component, rating.what
        if key not in found or rating.load > found[key].load:
            found[key] = rating
    return tuple(found.values())


BLOCKED, AVERAGE, EFFECTIVE, PEAK, GATED = "blocked", "average", "effective", "peak", "gated"
"""Quantities that are rated: voltage blocked or across, average, rms and peak current, gate voltage."""


@dataclass(frozen=True)
class Rated:
    """What a part is rated for: in words, which quantity, the limit (None: not known), the margin to be kept."""

    what: str
    quantity: str
    limit: float | None
    margin: float
    unit: str = "A"


def ratings_of(part: Part, pieces: int, margin: Margin) -> tuple[Rated, ...]:
    """Return what a part is rated for; several capacitors in parallel share their current."""
    if isinstance(part, Mosfet | Igbt | Diode):
        current = AVERAGE if isinstance(part, Diode) else EFFECTIVE
        found: tuple[Rated, ...] = (
            Rated("voltage", BLOCKED, part.voltage, margin.voltage, "V"),
            Rated("current", current, part.current, margin.current),
        )
        if part.peak_current is not None:
            found = (*found, Rated("peak current", PEAK, part.peak_current, margin.current))
        if isinstance(part, Mosfet | Igbt) and part.max_gate_voltage is not None:
            found = (*found, Rated("gate voltage", GATED, part.max_gate_voltage, 0.0, "V"))
        return found
    if isinstance(part, Capacitor):
        limit = None if part.rms_current is None else part.rms_current * pieces
        return (
            Rated("voltage", BLOCKED, part.voltage, margin.voltage, "V"),
            Rated("ripple current", EFFECTIVE, limit, 0.0),
        )
    if isinstance(part, Inductor):
        return (
            Rated("saturation current", PEAK, part.saturation_current, margin.current),
            Rated("rms current", EFFECTIVE, part.rms_current, 0.0),
        )
    return ()
