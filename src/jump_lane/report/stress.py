"""What every component bears, which ratings that needs, and whether its part has them."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from jump_lane.equations.formula import pretty
from jump_lane.judge.rating import Rating
from jump_lane.judge.stress import VALVES, Stress
from jump_lane.quantities import show
from jump_lane.report.table import Table
from jump_lane.topologies.design import Design
from jump_lane.topologies.page import Page


def made_alike(page: Page, name: str) -> str:
    """Return a component's name with those made alike: ``S1 … S4``, ``D1, D2``."""
    role = next((r for r in page.roles if r.name == name), None)
    if role is None or not role.also:
        return name
    return f"{name}, {role.also[0]}" if len(role.also) == 1 else f"{name} … {role.also[-1]}"


def rating_words(stress: Stress, design: Design) -> str:
    """Return which ratings a stress needs, margins in."""
    margin = design.spec.margin
    if stress.kind in ("inductor", "magnetising"):
        return f"{show(stress.current_needed(margin), 'A')} before it saturates" if stress.peak > 0.0 else ""
    found = []
    if stress.blocked > 0.0:
        found.append(show(stress.voltage_needed(margin), "V") + (" with spike" if stress.spike > 1.0 else ""))
    if stress.kind in VALVES and stress.peak > 0.0:
        found.append(f"{show(stress.current_needed(margin), 'A')} peak")
    return ", ".join(found)


def stress_table(
    design: Design,
    stresses: Sequence[Stress],
    ratings: Iterable[Rating],
    hottest: Mapping[str, float] | None = None,
) -> Table:
    """Return a row for each device and winding: what it bears, what that needs, and whether its part is rated for it.

    Parameters
    ----------
    hottest
        Temperature of each component [°C], where known.
    """
    every = list(ratings)
    known = {r.component for r in every}
    broken = {r.component: r.what for r in every if not r.holds}
    rows, marks = [], []
    for s in stresses:
        name = s.component.split(":")[0]
        part = part_words(design, name)
        rated = "holds" if name in known else "no rating given" if part else ""
        rated = f"not rated: {broken[name]}" if name in broken else rated
        quantities = ((s.average, "A"), (s.rms, "A"), (s.peak, "A"), (s.blocked, "V"))
        values = [show(v, u) if math.isfinite(v) and v else "" for v, u in quantities]
        if s.kind == "capacitor":
            values[0] = values[2] = ""
        hot = show(hottest[name], "°C") if hottest and name in hottest else ""
        needed = rating_words(s, design)
        shown = pretty(made_alike(design.page, s.component))
        rows.append((shown, *values, *((hot,) if hottest else ()), needed, part, rated))
        marks.append("bad" if name in broken else "")
    heat = ("temperature>",) if hottest else ()
    columns = (
        "Stress",
        "average>",
        "rms>",
        "peak>",
        "blocks>",
        *heat,
        "rating needed, margins in",
        "part<",
        "rated",
    )
    return Table("", columns, tuple(rows), tuple(marks))


def part_words(design: Design, component: str) -> str:
    """Return what the file says of the part of a component."""
    given = design.spec.data(component)
    return str(given["part"]) if "part" in given else "(data in the file)" if given else ""


def stress_data(stress: Stress) -> dict[str, Any]:
    """Return a stress as numbers."""
    return {
        "component": stress.component,
        "kind": stress.kind,
        "average": stress.average,
        "rms": stress.rms,
        "peak": stress.peak,
        "blocked": stress.blocked,
    }
