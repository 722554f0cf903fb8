"""Whether what is derived keeps what is asked, and the named parts bear it with margins."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from jump_lane.catalogue.kinds import Part
from jump_lane.design.asked import bias_of
from jump_lane.design.derive import Design
from jump_lane.design.named import count, part_of
from jump_lane.equations.formula import pretty
from jump_lane.equations.sheet import BOUNDARY, CONTINUOUS, Value
from jump_lane.judge.asked import limits
from jump_lane.judge.limit import ROUNDING
from jump_lane.judge.rating import AVERAGE, BLOCKED, EFFECTIVE, GATED, PEAK, Rated, Rating, ratings_of
from jump_lane.quantities import brief, show
from jump_lane.topologies.role import Role

NEARLY = 0.97
"""A ripple that the derived inductance brings to this part of what is asked is what sizes it."""


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
            yield f"{pretty(ask.symbol)} of {show(value, unit)} where {show(limit, unit)} is asked"


def sized_by(design: Design, value: Value) -> str:
    """Return in words which limit sizes a component, where, and with which margin; empty where its formula alone does."""
    line = value.line
    if line is None or value.required is None:
        return ""
    i, j = design.sheet.worst_of(value)
    i, j = min(i, len(design.inputs) - 1), min(j, len(design.loads) - 1)
    margins = {"H": design.spec.margin.inductance, "F": design.spec.margin.capacitance}
    margin = margins.get(value.unit, 0.0)
    end = f"; +{100.0 * margin:.3g} %" if margin else ""
    mode = design.spec.switching.mode
    if value.symbol in design.page.sized_by_mode and _by_mode(design, value, margin):
        where = (
            f"from {brief(min(design.loads), 'A')} on"
            if mode == CONTINUOUS
            else f"at {brief(max(design.loads), 'A')}"
        )
        words = f"{mode} conduction" if mode != BOUNDARY else "the boundary of continuous conduction"
        return f"{words} {where}{end}"
    for limit in limits(design, i, j):
        if limit.mend is not None and value.symbol in limit.mend.components:
            return (
                f"{pretty(limit.symbol)} ≤ {brief(limit.asked, limit.unit)} at {_briefly(design, i, j)}{end}"
            )
    if "D_lim" in design.sheet and value.symbol == "n":
        whole = " and whole turns" if design.sheet["N_p"].worst else ""
        return f"{pretty(design.page.control.symbol)} ≤ {show(design.sheet['D_lim'].worst)} at {_briefly(design, i, j)}{whole}"
    return ""


def _briefly(design: Design, i: int, j: int) -> str:
    return f"{brief(design.inputs[i], 'V')}, {brief(design.loads[j], 'A')}"


def _by_mode(design: Design, value: Value, margin: float) -> bool:
    """Tell whether the conduction mode asked for sizes an inductance, rather than its ripple."""
    mode = design.spec.switching.mode
    if mode == "either":
        return False
    asks = [a for a in design.asks if a.remedy == value.symbol and design.sheet[a.symbol].unit == "A"]
    if mode != CONTINUOUS or not asks or value.required is None:
        return True
    scale = value.worst / value.required * (1.0 + margin)
    ratios = (np.nanmax(design.sheet[a.symbol].values * scale / design.sheet[a.limit].values) for a in asks)
    return max(float(r) for r in ratios) < NEARLY
