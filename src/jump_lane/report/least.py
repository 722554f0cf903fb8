"""The least output capacitance for a load step, as tables."""

from __future__ import annotations

import math

from jump_lane.control.least import LINES, Least, Tried
from jump_lane.control.verdicts import verdicts
from jump_lane.equations.formula import pretty
from jump_lane.quantities import show
from jump_lane.report.export import Columns
from jump_lane.report.table import Table, View


def least_view(found: Least, name: str) -> View:
    """Show what closed forms and the simulation say, and every capacitance that was tried."""
    rows = []
    for line in LINES.values():
        if line.symbol in found.sheet:
            value = found.sheet[line.symbol]
            rows.append(
                (
                    pretty(line.symbol),
                    show(value.worst, "F"),
                    value.meaning,
                    found.sheet.written(value)[0],
                    line.source,
                )
            )
    best = found.best
    exact = "–" if best is None else show(best.capacitance, "F")
    rows.append(("C_o", exact, "exact, the loop designed anew", "", "simulation, worst of eight instants"))
    rows.append(("C_o", show(found.now.capacitance, "F"), "as it is", "", ""))
    tables = (
        Table(
            f"Least output capacitance for {show(found.asked, 'V')} on a step of {show(found.size, 'A')}",
            ("", "capacitance>", "", "formula", "source"),
            tuple(rows),
        ),
        Table(
            "Tried",
            ("C_o>", "crossover>", "deviation>", ""),
            tuple(_row(t, found.asked) for t in sorted(found.tried, key=lambda t: t.capacitance)),
        ),
    )
    return View("least", _data(found), tables, tuple(_notes(found, name)), 1 if best is None else 0)


def _row(one: Tried, asked: float) -> tuple[str, ...]:
    middle = None if one.found is None else one.found.middle
    crossover = "–" if middle is None else show(middle.margins.crossover, "Hz")
    if not math.isfinite(one.deviation):
        return show(one.capacitance, "F"), crossover, "–", "no stable loop"
    words = "holds" if one.deviation <= asked * 1.001 else "too far"
    return show(one.capacitance, "F"), crossover, show(one.deviation, "V"), words


def _notes(found: Least, name: str) -> list[str]:
    if found.best is None:
        largest = max(found.tried, key=lambda t: t.capacitance)
        return [
            f"no capacitance up to {show(largest.capacitance, 'F')} is enough: it stays at "
            f"{show(largest.deviation, 'V')}; a smaller ESR or a faster loop mends that"
        ]
    notes = []
    if found.best.found is not None:
        broken = [v for v in verdicts(found.best.found, found.best.step) if not v.holds]
        notes += [f"with it not met: {v.what}: {v.found}" for v in broken]
    value = f"{found.best.capacitance * 1e6:.4g}u"
    notes.append(f"jumplane check {name} --set C_o={value} tells whether the ripple holds with it")
    return notes


def _data(found: Least) -> dict[str, object]:
    return {
        "asked": found.asked,
        "step": found.size,
        "closed_forms": {
            line.meaning: found.sheet[line.symbol].worst
            for line in LINES.values()
            if line.symbol in found.sheet
        },
        "exact": None if found.best is None else found.best.capacitance,
        "now": found.now.capacitance,
        "tried": [{"capacitance": t.capacitance, "deviation": t.deviation} for t in found.tried],
    }


def least_columns(found: Least) -> Columns:
    """Return a row for each capacitance that was tried."""
    every = sorted(found.tried, key=lambda t: t.capacitance)
    return {"C_o [F]": [t.capacitance for t in every], "deviation [V]": [t.deviation for t in every]}
