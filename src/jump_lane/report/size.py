"""Solved component values: where the textbook started, what decides each, and what that saves."""

from __future__ import annotations

import math
from typing import Any

from jump_lane.equations.formula import pretty
from jump_lane.equations.sheet import Value
from jump_lane.quantities import show, show_change
from jump_lane.report.table import Table, View
from jump_lane.sizing.case import Case
from jump_lane.sizing.readings import Reading
from jump_lane.sizing.rounds import JUMPED
from jump_lane.sizing.solve import Sizing
from jump_lane.study.check import Check

FIXED = "the file fixes every component value that a limit asks for; --anew looks for them all the same"


def size_view(found: Sizing, check: Check) -> View:
    """Show every value solved with its limit, what no value keeps, and the verdict of all corners."""
    notes = [f"not kept: {_unkept(r, found)}" for r in found.unkept]
    if not found.values:
        notes.append(FIXED)
    broken = sorted(
        {f"{pretty(f.symbol)} {f.advice}" for c in check.corners for f in c.findings if not f.holds}
        | {f"mode: {c.mode_advice}" for c in check.corners if not c.mode_holds}
        | {c.failure for c in check.corners if c.failure}
        | set(check.overloads)
    )
    notes += [f"not kept with these values: {text}" for text in broken]
    if not notes:
        notes = ["simulated with these values at all corners: all that is asked holds"]
    where = (
        "with all values at the ends of their tolerances" if found.tolerances else "between the corners too"
    )
    notes += [_jumping(s, found) for s in sorted(found.jumping)]
    notes.append(f"looked over {where}; {found.solves} steady states in {_rounds(found.rounds)}")
    status = check.exit_status or (1 if found.unkept else 0)
    return View("size", _data(found, status), (_table(found),), tuple(notes), status)


def _jumping(symbol: str, found: Sizing) -> str:
    limit = pretty(found.deciding[symbol].limit.symbol)
    return f"{pretty(symbol)} stands where {limit} jumps from broken to kept: less than {100 * JUMPED:.0f} % away it is broken"


def _rounds(count: int) -> str:
    return "one round" if count == 1 else f"{count} rounds"


def _table(found: Sizing) -> Table:
    title = f"Component values that just keep every limit: {found.design.page.title}"
    margin = () if found.tolerances else ("with margin>",)
    columns = (
        "component",
        "textbook>",
        "just kept>",
        *margin,
        "against textbook>",
        "decided by",
        "where",
        "kept to>",
    )
    given = [v for v in found.design.sheet if v.required is not None and v.symbol not in found.values]
    rows = [*(_row(found, s) for s in found.values), *(_given_row(found, v) for v in given)]
    return Table(title, columns, tuple(rows), (*("" for _ in found.values), *("faint" for _ in given)))


def _given_row(found: Sizing, value: Value) -> tuple[str, ...]:
    """Return a component that is not solved: what is in use, and who says so."""
    origin = {"chosen": "the file chooses it", "derived": "its formula; no limit asks for it"}
    blank = () if found.tolerances else ("",)
    said = origin.get(value.origin, f"the part {value.origin} brings it")
    return (pretty(value.symbol), show(value.worst, value.unit), "", *blank, "", said, "", "")


def _row(found: Sizing, symbol: str) -> tuple[str, ...]:
    known = found.design.sheet[symbol]
    value, reading = found.values[symbol], found.deciding.get(symbol)
    change = 100.0 * (value / known.worst - 1.0)
    decided = ("its formula; no limit asks for it", "", "")
    if reading is not None:
        decided = (
            f"{pretty(reading.limit.symbol)}: {reading.limit.meaning}",
            place(reading.case),
            "never" if math.isinf(reading.ratio) else f"{100.0 * reading.ratio:.2f} %",
        )
    return (
        pretty(symbol),
        show(known.worst, known.unit),
        show(found.exact[symbol], known.unit),
        *(() if found.tolerances else (show(value, known.unit),)),
        f"{change:+.1f} %",
        *decided,
    )


def place(case: Case) -> str:
    """Return a case in words."""
    loads = " + ".join(show(i, "A") for i in (case.i_o, *case.others))
    off = "".join(f", {name} {show_change(amount)}" for name, amount in case.off)
    return f"{show(case.v_in, 'V')}, {loads}{off}"


def _unkept(reading: Reading, found: Sizing) -> str:
    limit = reading.limit
    against = ", ".join(reading.mend.components)
    fixed = not any(c in found.values for c in reading.mend.components)
    if math.isinf(reading.value):
        reason = f"the file fixes {against}, with which" if fixed else f"no {against} keeps it, as"
        return f"{pretty(limit.symbol)} ({limit.meaning}) is not reached at {place(reading.case)}: {reason} {limit.otherwise}"
    if math.isnan(reading.factor):
        reason = f"no {against} keeps it: what the resistance of {against} makes is left"
    elif fixed:
        reason = f"the file fixes {against}"
    else:
        reason = f"no {against} keeps it: other values do not let it come nearer"
    unit = limit.unit
    return (
        f"{pretty(limit.symbol)} ({limit.meaning}) is {show(reading.value, unit)} where {show(limit.highest, unit)} is "
        f"allowed, at {place(reading.case)}: {reason}"
    )


def _data(found: Sizing, status: int) -> dict[str, Any]:
    return {
        "holds": status == 0,
        "tolerances": found.tolerances,
        "rounds": found.rounds,
        "solves": found.solves,
        "values": [_value(found, s) for s in found.values],
        "unkept": [_reading(r) for r in found.unkept],
        "jumping": sorted(found.jumping),
    }


def _value(found: Sizing, symbol: str) -> dict[str, Any]:
    known, reading = found.design.sheet[symbol], found.deciding.get(symbol)
    return {
        "symbol": symbol,
        "unit": known.unit,
        "textbook": known.worst,
        "exact": found.exact[symbol],
        "value": found.values[symbol],
        "decided_by": None if reading is None else _reading(reading),
    }


def _reading(reading: Reading) -> dict[str, Any]:
    case = reading.case
    return {
        "limit": reading.limit.symbol,
        "key": reading.limit.key,
        "value": reading.value,
        "allowed": reading.limit.highest,
        "ratio": reading.ratio,
        "input_voltage": case.v_in,
        "load": case.i_o,
        "other_loads": list(case.others),
        "off": dict(case.off),
        "components": list(reading.mend.components),
    }
