"""The map of conduction modes as table, columns and figure."""

from __future__ import annotations

from typing import Any

from jump_lane.quantities import show
from jump_lane.report.export import Columns
from jump_lane.report.figures import Curve, curves_figure
from jump_lane.report.table import Table, View
from jump_lane.study.modes import ModeMap

MARKERS = {"continuous": "o", "boundary": "D", "discontinuous": "x", "reversed": "v"}
SHORT = {"continuous": "C", "boundary": "B", "discontinuous": "d", "reversed": "r", "": "–"}


def modes_view(found: ModeMap, complete: bool) -> View:
    """Show the boundary and the simulated mode at every point of the map."""
    at = {row.at: row for row in found.rows}
    edge = dict(found.boundary)
    heads = ("input>", "boundary load>", *(f"{show(i, 'A')}>" for i in found.loads))
    rows = []
    for v in found.inputs:
        cells = [SHORT[at[(v, i)].mode] if (v, i) in at else "" for i in found.loads]
        rows.append((show(v, "V"), show(edge[v], "A") if v in edge else "–", *cells))
    table = Table("Conduction mode, simulated with the output held", heads, tuple(rows))
    notes = ["C continuous, B boundary, d discontinuous, r reversed, – no result"]
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
    edge = dict(found.boundary)
    return {
        "input.voltage [V]": [r.at[0] for r in found.rows],
        "output.current [A]": [r.at[1] for r in found.rows],
        "boundary load [A]": [edge.get(r.at[0], float("nan")) for r in found.rows],
        "D [1]": [r.control for r in found.rows],
        "mode": [r.mode for r in found.rows],
        "reason": [r.failure for r in found.rows],
    }


def modes_figure(found: ModeMap) -> Any:
    """Draw the boundary with the simulated points, and the duty ratio over load."""
    edge = Curve("boundary, derived", [i for _, i in found.fine], [v for v, _ in found.fine], "V")
    points = [
        Curve(
            f"{mode}, simulated",
            [r.at[1] for r in found.rows if r.mode == mode],
            [r.at[0] for r in found.rows if r.mode == mode],
            "V",
            marker,
        )
        for mode, marker in MARKERS.items()
        if any(r.mode == mode for r in found.rows)
    ]
    duty = [
        Curve(f"{show(v, 'V')} in, derived", [x for x, _ in c], [y for _, y in c], "")
        for v, c in found.control
    ]
    for k, (v, _) in enumerate(found.control):
        line = [(r.at[1], r.control) for r in found.rows if r.at[0] == v]
        label = "simulated" if k == 0 else ""
        duty.append(Curve(label, [x for x, _ in line], [y for _, y in line], "", "o", k))
    panels = {"input voltage [V]": [edge, *points]}
    if duty:
        panels[found.design.page.control.symbol] = duty
    title = f"{found.design.spec.title or found.design.page.title}: conduction modes"
    return curves_figure(title, panels, ("load current", "A"), True)
