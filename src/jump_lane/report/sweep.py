"""Results of a sweep: table, columns for export, figure."""

from __future__ import annotations

from typing import Any

import numpy as np

from jump_lane.equations.formula import pretty
from jump_lane.quantities import show
from jump_lane.report.export import Columns
from jump_lane.report.figures import Curve, curves_figure
from jump_lane.report.table import Table, View
from jump_lane.study.sweep import Row, Sweep


def heading(name: str, unit: str) -> str:
    """Return a column heading with its unit."""
    return f"{name} [{unit or '1'}]"


def sweep_columns(sweep: Sweep, rows: list[Row]) -> Columns:
    """Return the rows as columns for export."""
    out: Columns = {heading(a.key, a.unit): [r.axes[k] for r in rows] for k, a in enumerate(sweep.axes)}
    out[heading(sweep.design.page.control.symbol, "")] = [r.control for r in rows]
    out["mode"] = [r.mode for r in rows]
    for k, column in enumerate(sweep.columns):
        out[heading(column.name, column.unit)] = [r.measures[k] if r.measures else float("nan") for r in rows]
    out["reason"] = [r.failure for r in rows]
    return out


def sweep_view(sweep: Sweep, rows: list[Row], complete: bool) -> View:
    """Show the rows of a sweep; a point without a result is marked with its reason."""
    heads = (
        *(f"{a.key}>" for a in sweep.axes),
        f"{pretty(sweep.design.page.control.symbol)}>",
        "mode",
        *(f"{pretty(c.name)}>" for c in sweep.columns),
    )
    body, marks = [], []
    for row in rows:
        at = tuple(show(v, a.unit) for v, a in zip(row.axes, sweep.axes, strict=True))
        if row.failure:
            body.append((*at, "–", f"no result: {row.failure}", *("–" for _ in sweep.columns)))
        else:
            values = tuple(show(v, c.unit) for v, c in zip(row.measures, sweep.columns, strict=True))
            body.append((*at, show(row.control), row.mode, *values))
        marks.append("bad" if row.failure else "")
    failed = sum(bool(r.failure) for r in rows)
    notes = [f"{len(rows)} of {sweep.count} points, {failed} without a result"]
    if not complete:
        notes.append("interrupted: what was finished is kept")
    table = Table("Sweep", heads, tuple(body), tuple(marks))
    status = 3 if rows and all(r.failure for r in rows) else 0
    return View("sweep", _data(sweep, rows, complete), (table,), tuple(notes), status)


def _data(sweep: Sweep, rows: list[Row], complete: bool) -> dict[str, Any]:
    return {
        "axes": [{"key": a.key, "unit": a.unit, "values": list(a.values)} for a in sweep.axes],
        "measures": [{"name": c.name, "unit": c.unit} for c in sweep.columns],
        "complete": complete,
        "rows": [
            {
                "at": list(r.axes),
                "control": r.control,
                "mode": r.mode or None,
                "values": list(r.measures) or None,
                "reason": r.failure or None,
            }
            for r in rows
        ],
    }


def sweep_figure(sweep: Sweep, rows: list[Row], kind: str) -> bytes:
    """Draw every measure over the first axis, one curve for each value of the second."""
    first = sweep.axes[0]
    groups: dict[tuple[float, ...], list[Row]] = {}
    for row in rows:
        groups.setdefault(row.axes[1:], []).append(row)
    panels: dict[str, list[Curve]] = {}
    wanted = [(pretty(sweep.design.page.control.symbol), "", -1)]
    wanted += [(pretty(c.name), c.unit, k) for k, c in enumerate(sweep.columns)]
    for name, unit, k in wanted[:5]:
        title = f"{name} [{unit}]" if unit else name
        panels[title] = [_curve(sweep, at, members, k, unit) for at, members in groups.items()]
    title = sweep.design.spec.title or sweep.design.page.title
    logarithmic = len(first.values) > 2 and _is_geometric(first.values)
    return curves_figure(f"{title}: sweep", panels, (first.key, first.unit), logarithmic, kind)


def _curve(sweep: Sweep, at: tuple[float, ...], members: list[Row], k: int, unit: str) -> Curve:
    label = ", ".join(f"{a.key} {show(v, a.unit)}" for a, v in zip(sweep.axes[1:], at, strict=True))
    values = [r.control if k < 0 else r.measures[k] if r.measures else float("nan") for r in members]
    return Curve(label, [r.axes[0] for r in members], values, unit)


def _is_geometric(values: tuple[float, ...]) -> bool:
    if min(values) <= 0.0:
        return False
    ratios = np.diff(np.log(values))
    return bool(np.ptp(ratios) < 1e-6 * abs(ratios[0]) and max(values) > 4.0 * min(values))
