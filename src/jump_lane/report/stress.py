"""What every component bears, which ratings that needs, and whether its part has them."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from typing import Any

from jump_lane.design.derive import Design
from jump_lane.equations.formula import pretty
from jump_lane.judge.rating import Rating
from jump_lane.judge.stress import VALVES, Stress
from jump_lane.quantities import show
from jump_lane.report.table import Table


def made_alike(design: Design, name: str) -> str:
    """Return a component's name with those made alike that its circuit has: ``S1 … S4``, ``D1, D2``, ``L (2)``."""
    role = next((r for r in design.page.roles if r.name == name), None)
    if role is None:
        return name
    there = {branch for branch, _, _ in design.circuit(0, 0).branches}
    also = [e for e in role.also if e in there]
    if not also:
        return name
    if role.element:
        return f"{name} ({len(also) + 1})"
    return f"{name}, {also[0]}" if len(also) == 1 else f"{name} … {also[-1]}"


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
    for s in _by_role(design, stresses):
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
        shown = pretty(made_alike(design, s.component))
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


def _by_role(design: Design, stresses: Sequence[Stress]) -> list[Stress]:
    """Return one stress for all components made alike, the largest of each; capacitances of switches are left to them."""
    owners = design.page.owners
    found: dict[str, Stress] = {}
    for stress in stresses:
        if stress.component.removeprefix("C_") in owners and stress.component not in owners:
            continue
        name = owners.get(stress.component, stress.component)
        known = found.get(name, replace(stress, component=name))
        pairs = {
            f: max(getattr(known, f), getattr(stress, f), key=_size)
            for f in ("average", "rms", "peak", "blocked")
        }
        found[name] = replace(known, **pairs)
    return list(found.values())


def _size(value: float) -> float:
    return value if math.isfinite(value) else -1.0


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
