"""Efficiency over load, input, frequency or temperature: table, columns, figures."""

from __future__ import annotations

from typing import Any

import numpy as np

from jump_lane.quantities import show
from jump_lane.report.curves import Curve, curves_figure
from jump_lane.report.export import Columns
from jump_lane.report.gaps import gaps_note
from jump_lane.report.losses import percent
from jump_lane.report.maps import map_figure
from jump_lane.report.sweep import heading
from jump_lane.report.table import Table, View
from jump_lane.study.efficiency import Measured, Work, best, weighted

WIDEST = 6
"""Most curves that the table shows; the columns for export have them all."""


def efficiency_view(work: Work, points: list[Measured], complete: bool) -> View:
    """Show the efficiency at every point; the exit status is 1 if the mission's is below what is asked."""
    found = [p for p in points if not p.mission]
    notes, status = _notes(work, points, complete)
    tables = [_table(work, found)]
    mission = [p for p in points if p.mission]
    if mission:
        tables.append(_mission_table(mission))
    return View("efficiency", _data(work, points, complete), tuple(tables), tuple(notes), status)


def _table(work: Work, points: list[Measured]) -> Table:
    curves = _thinned(sorted({p.at[0] for p in points}))
    abscissae = sorted({p.at[1] for p in points})
    by_place = {p.at: p for p in points}
    rows: list[tuple[str, ...]] = []
    marks = []
    for x in abscissae:
        here = [by_place[(c, x)] for c in curves if (c, x) in by_place]
        known = [p for p in here if not p.failure]
        wrong = [p.failure for p in here if p.failure] + [text for p in known for text in p.broken]
        cells = [percent(p.efficiency) if not p.failure else "–" for p in here] + [""] * (
            len(curves) - len(here)
        )
        loss = max((p.loss for p in known), default=float("nan"))
        hottest = max((p.hottest for p in known), default=float("nan"))
        more = f" (and {len(wrong) - 1} more)" if len(wrong) > 1 else ""
        rows.append(
            (
                show(x, work.abscissa[1]),
                *cells,
                show(loss, "W"),
                show(hottest, "°C"),
                *[w + more for w in wrong[:1]],
            )
        )
        marks.append("bad" if wrong else "")
    rows = [(*r, *("",) * (len(curves) + 4 - len(r))) for r in rows]
    heads = (f"{work.abscissa[0]}>", *(f"{show(c, work.curve[1])}>" for c in curves))
    title = f"Efficiency over {work.abscissa[0]}, for each {work.curve[0]}"
    return Table(title, (*heads, "most lost>", "hottest>", "not kept"), tuple(rows), tuple(marks))


def _thinned(values: list[float]) -> list[float]:
    if len(values) <= WIDEST:
        return values
    return [values[int(k)] for k in np.round(np.linspace(0, len(values) - 1, WIDEST))]


def _mission_table(mission: list[Measured]) -> Table:
    rows = tuple((show(p.at[1], "A"), show(p.mission), percent(p.efficiency)) for p in mission)
    return Table("Mission, at nominal input", ("load>", "weight>", "efficiency>"), rows)


def _notes(work: Work, points: list[Measured], complete: bool) -> tuple[list[str], int]:
    status = 0
    notes: list[str] = []
    failed = [p for p in points if p.failure]
    known = [p for p in points if not p.failure]
    notes.append(f"{len(points)} of {work.count} points, {len(failed)} without a result")
    notes += [f"no result: {text}" for text in sorted({p.failure for p in failed})[:3]]
    notes += gaps_note(g for p in known for g in p.gaps)
    if known and all(p.efficiency != p.efficiency for p in known):
        notes.append("no part has any figure, so that no efficiency is known: name parts under [parts]")
    bad = [p for p in known if p.broken]
    if bad:
        notes.append(f"{len(bad)} points do not keep everything")
    top = best(points)
    if work.over == "frequency":
        notes.append(
            "no frequency keeps everything that is asked"
            if top is None
            else f"best frequency for these parts at {show(top.at[0], 'A')}: {show(top.at[1], 'Hz')}, "
            f"{percent(top.efficiency)}, everything kept at all loads shown, at nominal input"
        )
    mission = weighted(points)
    if mission is not None:
        least = work.design.spec.efficiency.least
        asked = "" if least is None else f", {percent(least)} asked"
        notes.append(f"weighted efficiency {percent(mission)}{asked}")
        status = 1 if least is not None and mission < least else 0
    if failed:
        status = 3
    if not complete:
        notes.append("interrupted: what was finished is kept")
    return notes, status


def _data(work: Work, points: list[Measured], complete: bool) -> dict[str, Any]:
    return {
        "over": work.over,
        "curve": {"name": work.curve[0], "unit": work.curve[1]},
        "abscissa": {"name": work.abscissa[0], "unit": work.abscissa[1]},
        "complete": complete,
        "weighted": weighted(points),
        "best_frequency": _best_frequency(work, points),
        "points": [
            {
                "curve": p.at[0],
                "at": p.at[1],
                "mission_weight": p.mission or None,
                "efficiency": p.efficiency,
                "loss": p.loss,
                "hottest": p.hottest,
                "not_kept": list(p.broken),
                "gaps": [g.text() for g in p.gaps],
                "reason": p.failure or None,
            }
            for p in points
        ],
    }


def _best_frequency(work: Work, points: list[Measured]) -> dict[str, float] | None:
    top = best(points) if work.over == "frequency" else None
    return None if top is None else {"frequency": top.at[1], "load": top.at[0], "efficiency": top.efficiency}


def efficiency_columns(work: Work, points: list[Measured]) -> Columns:
    """Return all points as columns for export."""
    return {
        heading(*work.curve): [p.at[0] for p in points],
        heading(*work.abscissa): [p.at[1] for p in points],
        "efficiency [1]": [p.efficiency for p in points],
        "loss [W]": [p.loss for p in points],
        "hottest [°C]": [p.hottest for p in points],
        "mission weight [1]": [p.mission for p in points],
        "not kept": ["; ".join(p.broken) for p in points],
        "reason": [p.failure for p in points],
    }


def efficiency_figure(work: Work, points: list[Measured]) -> Any:
    """Draw curves of efficiency, loss and highest temperature, or a map."""
    found = [p for p in points if not p.mission]
    title = f"{work.design.title}: efficiency"
    if work.over == "map":
        table = {(p.at[1], p.at[0]): 100.0 * p.efficiency for p in found}
        crossed = [(p.at[1], p.at[0]) for p in found if p.broken or p.failure]
        return map_figure(title, work.abscissa, work.curve, table, ("efficiency", "%"), crossed)
    curves = sorted({p.at[0] for p in found})
    panels: dict[str, list[Curve]] = {}
    for name, unit, scale in (("efficiency", "%", 100.0), ("loss", "W", 1.0), ("hottest", "°C", 1.0)):
        panels[name] = [Curve(show(c, work.curve[1]), *_line(found, c, name, scale), unit) for c in curves]
    wrong = [p for p in found if p.broken]
    if wrong:
        x, y = [p.at[1] for p in wrong], [100.0 * p.efficiency for p in wrong]
        panels["efficiency"].append(Curve("not all kept", x, y, "%", "x"))
    return curves_figure(title, panels, work.abscissa, work.over == "frequency")


def _line(points: list[Measured], curve: float, name: str, scale: float) -> tuple[list[float], list[float]]:
    line = sorted((p.at[1], scale * float(getattr(p, name))) for p in points if p.at[0] == curve)
    return [x for x, _ in line], [y for _, y in line]
