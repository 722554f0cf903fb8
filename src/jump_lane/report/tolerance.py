"""Worst case and yield of every asked limit."""

from __future__ import annotations

from jump_lane.equations.formula import pretty
from jump_lane.quantities import show, show_change, show_percent
from jump_lane.report.table import Table, View
from jump_lane.study.sweep import Row
from jump_lane.study.tolerance import Deviations, Study, Worst


def tolerance_view(work: Study, found: list[Worst], failed: list[Row], complete: bool) -> View:
    """Show every asked limit with its worst case and its yield."""
    draws = len(work.variants) - 1 - work.extremes
    rows = tuple(_row(work, w) for w in found)
    marks = tuple("good" if w.holds else "bad" for w in found)
    columns = (
        "symbol", "asked>", "nominal>", "worst case>", "at", "values off by", "verdict", "yield>",
    )  # fmt: skip
    title = f"Tolerance: {work.extremes} extremes and {draws} random draws at {len(work.samples) // len(work.variants)} corners each"
    notes = [f"no result at {len(failed)} points, such as: {failed[0].failure}"] if failed else []
    notes += [] if complete else ["interrupted: what was finished is kept"]
    status = 3 if failed else 0 if all(w.holds for w in found) else 1
    data = {
        "draws": draws,
        "complete": complete,
        "limits": [
            {
                "symbol": w.ask.symbol,
                "limit": w.limit,
                "nominal": w.nominal,
                "worst": w.value,
                "holds": w.holds,
                "deviations": w.variant,
                "corner": {"V_in": work.design.inputs[w.corner[0]], "I_o": work.design.loads[w.corner[1]]},
                "yield": w.kept,
            }
            for w in found
        ],
        "failures": len(failed),
    }
    return View("tolerance", data, (Table(title, columns, rows, marks),), tuple(notes), status)


def _row(work: Study, w: Worst) -> tuple[str, ...]:
    verdict = "holds" if w.holds else f"over by {show_percent(w.value / w.limit - 1.0)}"
    return (
        pretty(w.ask.symbol),
        f"≤ {show(w.limit, w.unit)}",
        show(w.nominal, w.unit),
        show(w.value, w.unit),
        work.design.corner_name(w.corner),
        _deviations(w.variant),
        verdict,
        "–" if w.kept != w.kept else show_percent(w.kept),
    )


def _deviations(variant: Deviations) -> str:
    return ", ".join(f"{name} {show_change(size)}" for name, size in variant.items()) or "nothing"
