"""Whether what is derived keeps what is asked, and the named parts bear it with margins."""

from __future__ import annotations

from collections.abc import Iterator

from jump_lane.catalogue.kinds import Part
from jump_lane.judge.limit import ROUNDING
from jump_lane.judge.rating import AVERAGE, BLOCKED, EFFECTIVE, GATED, PEAK, Rated, Rating, ratings_of
from jump_lane.quantities import show
from jump_lane.topologies.asked import bias_of
from jump_lane.topologies.design import Design
from jump_lane.topologies.named import count, part_of
from jump_lane.topologies.role import Role


def needs(design: Design, role: Role, part: Part, pieces: int = 1) -> Iterator[Rating | Rated]:
    """Yield every rating of a part in a role as derived at its worst corner; a `Rated` where its limit is unknown.

    What the page derives nothing for is left out.
    """
    for rated in ratings_of(part, pieces, design.spec.margin):
        load = _load(design, role, rated.quantity)
        if rated.limit is None:
            yield rated
        elif load is not None:
            yield Rating(role.name, rated.what, load, rated.margin, rated.limit, rated.unit)


def _load(design: Design, role: Role, quantity: str) -> float | None:
    """Return what a component bears at its worst corner, spikes of leakage included."""
    if quantity == GATED:
        return design.spec.driver.voltage
    if quantity == BLOCKED:
        if role.kind == "capacitor":
            return bias_of(role.name, design.sheet) or None
        symbol = f"V_{role.tag}"
    else:
        symbol = {AVERAGE: f"I_{role.tag}", EFFECTIVE: f"I_{role.tag}rms", PEAK: f"I_{role.tag}pk"}[quantity]
    if symbol not in design.sheet:
        return None
    return float(design.sheet[symbol].values.max()) * (design.spike(role.tag) if quantity == BLOCKED else 1.0)


def derived_ratings(design: Design) -> Iterator[Rating]:
    """Yield every rating of the named parts as derived."""
    for role in design.page.roles:
        part = part_of(design.spec, role.name, role.kind)
        if part is not None:
            every = needs(design, role, part, count(design.spec, role.name))
            yield from (r for r in every if isinstance(r, Rating))


def overloads(design: Design) -> tuple[str, ...]:
    """Return what the named parts cannot bear as derived, in words."""
    return tuple(r.text() for r in derived_ratings(design) if not r.holds)


def unkept(design: Design, i: int, j: int) -> Iterator[str]:
    """Yield what is asked and not kept at a corner as derived, in words."""
    for ask in design.asks:
        value, limit = design.sheet[ask.symbol].corner(i, j), design.sheet[ask.limit].corner(i, j)
        if value > limit * (1.0 + ROUNDING):
            unit = design.sheet[ask.symbol].unit
            yield f"{ask.symbol} of {show(value, unit)} where {show(limit, unit)} is asked"
