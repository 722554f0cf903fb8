"""Results of a sweep: table or map, columns for export, figure."""

from __future__ import annotations

from typing import Any

import numpy as np

from jump_lane.equations.formula import pretty
from jump_lane.quantities import show
from jump_lane.report.curves import Curve, curves_figure
from jump_lane.report.export import Columns
from jump_lane.report.gaps import gaps_note, named
from jump_lane.report.maps import map_figure
from jump_lane.report.table import Table, View
from jump_lane.study.axes import Axis, Setting
from jump_lane.study.circuit_sweep import CircuitSweep
from jump_lane.study.sweep import Column, Row, Sweep

Swept = Sweep | CircuitSweep

MOST_ROWS = 20
"""Rows of a table on one screen; the file has them all."""

MOST_ACROSS = 9
"""Values of the second axis across a map of text."""

LONG = 5
"""An axis of at least so many values is long enough to be one of a map."""

NONE = float("nan")


def heading(name: str, unit: str) -> str:
    """Return a column heading with its unit."""
    return f"{name} [{unit or '1'}]"


def sweep_columns(sweep: Swept, rows: list[Row]) -> Columns:
    """Return the rows as columns for export."""
    out: Columns = {
        _headed(a.key, a.unit, a.values): [r.axes[k] for r in rows] for k, a in enumerate(sweep.axes)
    }
    if heading(sweep.symbol, "") not in out:
        out[heading(sweep.symbol, "")] = [r.control for r in rows]
    if any(r.mode for r in rows):
        out["mode"] = [r.mode for r in rows]
    for k, column in enumerate(sweep.columns):
        seen = [r.measures[k] for r in rows if r.measures]
        blank: Setting = "" if seen and isinstance(seen[0], str) else NONE
        out[_headed(column.name, column.unit, seen)] = [r.measures[k] if r.measures else blank for r in rows]
    if any(r.gaps for r in rows):
        out["figures not known"] = [len(r.gaps) for r in rows]
    if any(r.failure for r in rows):
        out["reason"] = [r.failure for r in rows]
    return out


def _headed(name: str, unit: str, values: Any) -> str:
    return name if len(values) and isinstance(values[0], str) else heading(name, unit)


def sweep_view(sweep: Swept, rows: list[Row], complete: bool, every: bool = False) -> View:
    """Show the rows of a sweep, at most a screen of them; two axes as a map of the first measure (or the control)."""
    failed = [r for r in rows if r.failure]
    notes = [f"{len(rows)} of {sweep.count} points, {len(failed)} without a result"]
    notes += [f"no result: {text}" for text in dict.fromkeys(r.failure for r in failed[:3])]
    notes += gaps_note(g for r in rows for g in r.gaps)
    if not complete:
        notes.append("interrupted: what was finished is kept")
    if len(sweep.axes) == 2 and not sweep.zipped and not every and min(len(a.values) for a in sweep.axes) > 1:
        table = _map(sweep, rows)
        more = f"shown: {table.title.partition(' over')[0]}; " if len(sweep.columns) > 1 else ""
        notes.append(f"{more}all points: --all, or --table FILE")
    else:
        shown = rows if every or len(rows) <= MOST_ROWS else _thinned(rows)
        table = _table(sweep, shown)
        if len(shown) < len(rows):
            notes.append(f"{len(shown)} of {len(rows)} rows shown: --all, or --table FILE has them all")
    status = 3 if rows and all(r.failure for r in rows) else 0
    return View("sweep", _data(sweep, rows, complete), (table,), tuple(notes), status)


def _thinned(rows: list[Row]) -> list[Row]:
    return [rows[int(k)] for k in np.round(np.linspace(0, len(rows) - 1, MOST_ROWS))]


def _table(sweep: Swept, rows: list[Row]) -> Table:
    modes = any(r.mode for r in rows)
    free = any(a.key == sweep.symbol for a in sweep.axes)
    heads = (
        *(f"{a.key}>" for a in sweep.axes),
        *(() if free else (f"{pretty(sweep.symbol)}>",)),
        *(("mode",) if modes else ()),
        *(f"{pretty(c.name)}>" if c.name != "verdict" else c.name for c in sweep.columns),
        *(("reason",) if any(r.failure for r in rows) else ()),
    )
    body, marks = [], []
    for row in rows:
        at = tuple(a.show(v) for v, a in zip(row.axes, sweep.axes, strict=True))
        mode = (row.mode,) if modes else ()
        values = (
            tuple(c.show(v) for v, c in zip(row.measures, sweep.columns, strict=True))
            if row.measures
            else ("–",) * len(sweep.columns)
        )
        why = (row.failure,) if heads[-1] == "reason" else ()
        body.append((*at, *(() if free else (show(row.control),)), *mode, *values, *why))
        marks.append("bad" if row.failure else "")
    return Table(f"Sweep of {sweep.title}", heads, tuple(body), tuple(marks))


def _shown(sweep: Swept) -> tuple[str, str, int]:
    """Return name, unit and place of what a map shows: the first measure, or the control."""
    if not sweep.columns:
        return pretty(sweep.symbol), "", -1
    return pretty(sweep.columns[0].name), sweep.columns[0].unit, 0


def _value(row: Row, k: int) -> Setting:
    return row.control if k < 0 else row.measures[k] if row.measures else NONE


def _map(sweep: Swept, rows: list[Row]) -> Table:
    """Return two axes as a map: the longer one down."""
    first, second = sweep.axes
    down, across = (0, 1) if len(first.values) >= len(second.values) else (1, 0)
    name, unit, k = _shown(sweep)
    values = {(r.axes[down], r.axes[across]): _value(r, k) for r in rows}
    lines, heads = _some(sweep.axes[down], MOST_ROWS), _some(sweep.axes[across], MOST_ACROSS)
    column = Column(name, "", "", unit)
    body = tuple(
        (sweep.axes[down].show(v), *(column.show(values.get((v, w), NONE)) for w in heads)) for v in lines
    )
    title = f"{name} over {sweep.axes[down].key} (down) and {sweep.axes[across].key} (across)"
    return Table(title, ("", *(f"{sweep.axes[across].show(w)}>" for w in heads)), body)


def _some(axis: Axis, most: int) -> list[Setting]:
    if len(axis.values) <= most:
        return list(axis.values)
    return [axis.values[int(k)] for k in np.round(np.linspace(0, len(axis.values) - 1, most))]


def _data(sweep: Swept, rows: list[Row], complete: bool) -> dict[str, Any]:
    return {
        "axes": [{"key": a.key, "unit": a.unit, "values": list(a.values)} for a in sweep.axes],
        "measures": [{"name": c.name, "unit": c.unit} for c in sweep.columns],
        "complete": complete,
        "gaps": named(g for r in rows for g in r.gaps),
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


def sweep_figure(sweep: Swept, rows: list[Row]) -> Any:
    """Draw every measure over the first axis, one curve for each value of the others; two long axes as a map."""
    title = f"{sweep.title}: sweep"
    numbers = [a for a in sweep.axes if not isinstance(a.values[0], str)]
    if (
        len(sweep.axes) == 2
        and len(numbers) == 2
        and not sweep.zipped
        and min(len(a.values) for a in numbers) >= LONG
    ):
        name, unit, k = _shown(sweep)
        table = {(float(r.axes[0]), float(r.axes[1])): _number(_value(r, k)) for r in rows}
        x, y = numbers
        return map_figure(title, (x.key, x.unit), (y.key, y.unit), table, (name, unit), [])
    first = sweep.axes[0]
    groups: dict[tuple[Setting, ...], list[Row]] = {}
    for row in rows:
        groups.setdefault(() if sweep.zipped else row.axes[1:], []).append(row)
    panels: dict[str, list[Curve]] = {}
    wanted = [(pretty(sweep.symbol), "", -1)]
    wanted += [(pretty(c.name), c.unit, k) for k, c in enumerate(sweep.columns) if _is_number(rows, k)]
    for name, unit, k in wanted[:5]:
        panel = f"{name} [{unit}]" if unit else name
        panels[panel] = [_curve(sweep, at, members, k, unit) for at, members in groups.items()]
    names = isinstance(first.values[0], str)
    logarithmic = not names and len(first.values) > 2 and _is_geometric(tuple(float(v) for v in first.values))
    ticks = [str(v) for v in first.values] if names else None
    return curves_figure(title, panels, (first.key, first.unit), logarithmic, ticks)


def _is_number(rows: list[Row], k: int) -> bool:
    return any(r.measures and isinstance(r.measures[k], float) for r in rows)


def _number(value: Setting) -> float:
    return NONE if isinstance(value, str) else value


def _curve(sweep: Swept, at: tuple[Setting, ...], members: list[Row], k: int, unit: str) -> Curve:
    label = ", ".join(f"{a.key} {a.show(v)}" for a, v in zip(sweep.axes[1:], at, strict=False))
    values = [_number(_value(r, k)) for r in members]
    first = sweep.axes[0].values
    x = [float(first.index(r.axes[0])) if isinstance(r.axes[0], str) else float(r.axes[0]) for r in members]
    return Curve(label, x, values, unit)


def _is_geometric(values: tuple[float, ...]) -> bool:
    if min(values) <= 0.0:
        return False
    ratios = np.diff(np.log(values))
    return bool(np.ptp(ratios) < 1e-6 * abs(ratios[0]) and max(values) > 4.0 * min(values))
