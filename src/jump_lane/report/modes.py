"""The map of conduction modes as table, columns and figure."""

from __future__ import annotations

import itertools
from typing import Any

from jump_lane.quantities import show
from jump_lane.report.curves import Curve, curves_figure
from jump_lane.report.export import Columns
from jump_lane.report.table import Table, View
from jump_lane.study.modes import ModeMap

MARKERS = {"continuous": "o", "boundary": "D", "discontinuous": "x", "reversed": "v"}
SHORT = {"continuous": "C", "boundary": "B", "discontinuous": "d", "reversed": "r", "": "–"}


def _short(mode: str) -> str:
    """Return a mode in few letters; one that its topology names by the first letters of its words."""
    return SHORT[mode] if mode in SHORT else "".join(word[0] for word in mode.replace("/", " ").split())


def modes_view(found: ModeMap, complete: bool) -> View:
    """Show the boundary and the simulated mode at every point of the map."""
    at = {row.at: row for row in found.rows}
    edge = dict(found.boundary)
    heads = ("input>", "boundary load>", *(f"{show(i, 'A')}>" for i in found.loads))
    rows = []
    for v in found.inputs:
        cells = [_short(at[(v, i)].mode) if (v, i) in at else "" for i in found.loads]
        rows.append((show(v, "V"), show(edge[v], "A") if v in edge else "–", *cells))
    table = Table("Conduction mode, simulated with the output held", heads, tuple(rows))
    met = sorted({_short(r.mode): r.mode for r in found.rows if r.mode and r.mode not in SHORT}.items())
    notes = ["C continuous, B boundary, d discontinuous, r reversed, – no result"]
    if found.design.page.naming is not None:
        notes = [", ".join(f"{short} {mode}" for short, mode in (*met, ("–", "no result")))]
    notes += [] if complete else ["interrupted: what was finished is kept"]
    data = {
        "boundary": [{"V_in": v, "I_B": i} for v, i in found.boundary],
        "points": [
            {
                "V_in": r.axes[0],
                "I_o": r.axes[1],
                "mode": r.mode or None,
                "control": r.control,
                "reason": r.failure or None,
            }
            for r in found.rows
        ],
    }
    return View("modes", data, (table,), tuple(notes))


def modes_columns(found: ModeMap) -> Columns:
    """Return the points as columns for export, the derived boundary beside them."""
    edge, control = dict(found.boundary), found.design.control
    return {
        "input.voltage [V]": [r.at[0] for r in found.rows],
        "output.current [A]": [r.at[1] for r in found.rows],
        "boundary load [A]": [edge.get(r.at[0], float("nan")) for r in found.rows],
        f"{control.symbol} [{control.unit or '1'}]": [r.control for r in found.rows],
        "mode": [r.mode for r in found.rows],
        "reason": [r.failure for r in found.rows],
    }


def _markers(found: ModeMap) -> dict[str, str]:
    """Return the marker of every mode that was met."""
    met = sorted({r.mode for r in found.rows if r.mode})
    others = dict(zip((m for m in met if m not in MARKERS), itertools.cycle("osx^D*v"), strict=False))
    return {m: MARKERS.get(m) or others[m] for m in met}


def modes_figure(found: ModeMap) -> Any:
    """Draw the boundary with the simulated points, and the duty ratio over load."""
    fine, control = found.fine, found.design.control
    edges = [Curve("boundary, derived", [i for _, i in fine], [v for v, _ in fine], "V")] if fine else []
    points = [
        Curve(
            f"{mode}, simulated",
            [r.at[1] for r in found.rows if r.mode == mode],
            [r.at[0] for r in found.rows if r.mode == mode],
            "V",
            marker,
        )
        for mode, marker in _markers(found).items()
    ]
    duty = [
        Curve(f"{show(v, 'V')} in, derived", [x for x, _ in c], [y for _, y in c], control.unit)
        for v, c in found.control
    ]
    for k, (v, _) in enumerate(found.control):
        line = [(r.at[1], r.control) for r in found.rows if r.at[0] == v]
        label = "simulated" if k == 0 else ""
        duty.append(Curve(label, [x for x, _ in line], [y for _, y in line], control.unit, "o", k))
    panels = {"input voltage [V]": [*edges, *points]}
    if duty:
        panels[f"{control.symbol} [{control.unit}]" if control.unit else control.symbol] = duty
    title = f"{found.design.title}: conduction modes"
    return curves_figure(title, panels, ("load current", "A"), True)
