"""Tables of topologies and derivations."""

from __future__ import annotations

from typing import Any

import numpy as np

from jump_lane.equations.formula import pretty
from jump_lane.equations.sheet import Sheet, Value
from jump_lane.judge.derived import overloads
from jump_lane.quantities import show
from jump_lane.report.table import Table, View
from jump_lane.topologies.design import Design
from jump_lane.topologies.page import Page


def topologies_view(pages: list[Page]) -> View:
    """List the topologies."""
    rows = tuple((p.name, p.title, p.conversion, _isolation(p), p.good_for) for p in pages)
    data = {
        "topologies": [
            {
                "name": p.name,
                "title": p.title,
                "conversion": p.conversion,
                "isolated": p.isolated,
                "secondaries": list(p.secondaries),
                "good_for": p.good_for,
            }
            for p in pages
        ]
    }
    columns = ("topology", "what it is", "conversion range", "isolated", "good for")
    return View("topologies", data, (Table("Topologies", columns, rows),))


def _isolation(page: Page) -> str:
    """Return whether a topology isolates, and what may rectify then."""
    return "yes: " + ", ".join(page.secondaries) if page.secondaries else "yes" if page.isolated else "no"


def derivation_view(design: Design, formulas: bool) -> View:
    """Show every value of a derivation, with formula, numbers and source on request.

    The exit status is 1 where a named part is not rated for it.
    """
    sheet = design.sheet
    asked = [v for v in sheet if v.line is None and v.origin != "default"]
    used = {name for v in sheet if v.line is not None for f in v.line.formulas for name in f.names}
    assumed = [v for v in sheet if v.line is None and v.origin == "default" and v.symbol in used]
    components = [v for v in sheet if v.line is not None and v.line.component]
    derived = [v for v in sheet if v.line is not None and not v.line.component]
    tables = [
        *(_line_tables(design.line) if design.line is not None else ()),
        _given_table("Asked and given", asked),
        _component_table(design, components),
        _mode_table(design),
        _value_table(design, derived),
    ]
    if formulas:
        tables.append(_formula_table(sheet, [v for v in sheet if v.line is not None]))
    broken = overloads(design)
    notes = (
        f"{design.page.title}; worst case over {len(design.inputs)} input voltages × {len(design.loads)} loads",
        "Assumed: " + ", ".join(f"{pretty(v.symbol)} = {show(v.worst, v.unit)}" for v in assumed),
        *_turns(design),
        *design.caveats(),
        *(f"not kept: {text}" for text in broken),
    )
    data = _derivation_data(design) | {"overloads": list(broken)}
    return View("derive", data, tuple(tables), notes, 1 if broken else 0)


def _turns(design: Design) -> list[str]:
    """Say how windings are wound, and what rounding to whole turns does to the duty ratio."""
    sheet, found = design.sheet, []
    for label, symbol in design.page.turns:
        if symbol not in sheet:
            continue
        ratio, primary = sheet[symbol].worst, sheet["N_p"].worst
        ends = f"{primary:g} : {primary / ratio:.4g}" if primary else f"{show(ratio)} : 1"
        found.append(f"{label} = {ends}")
    if found and "D_i" in sheet:
        limit, exact = sheet["D_lim"].worst, show(sheet["n_d"].worst)
        found[0] += (
            f" ({exact} : 1 brings the duty ratio to its limit of {show(limit)}; "
            f"so it reaches {show(sheet['D_i'].worst)} with ideal parts)"
        )
    return found


def _line_tables(sheet: Sheet) -> tuple[Table, ...]:
    """Show line rectifier and bulk capacitor: the DC range of the converter follows from them."""
    rows = tuple(
        (pretty(v.symbol), v.meaning, show(v.worst, v.unit), _range(v), v.line.source if v.line else "given")
        for v in sheet
    )
    columns = ("symbol", "meaning", "worst case>", "range over the line>", "source")
    return (Table("Line rectifier and bulk capacitor", columns, rows),)


def _given_table(title: str, values: list[Value]) -> Table:
    rows = tuple((pretty(v.symbol), v.meaning, _range(v)) for v in values)
    return Table(title, ("symbol", "meaning", "value>"), rows)


def _range(value: Value) -> str:
    if value.constant:
        return show(value.worst, value.unit)
    low, high = float(np.nanmin(value.values)), float(np.nanmax(value.values))
    return f"{show(low, value.unit)} … {show(high, value.unit)}"


def _component_table(design: Design, values: list[Value]) -> Table:
    rows = []
    for v in values:
        wanted = v.required if v.required is not None else v.worst
        use = show(v.worst, v.unit)
        rows.append((pretty(v.symbol), v.meaning, show(wanted, v.unit), use, v.origin))
    columns = ("symbol", "meaning", "derived>", "in use>", "origin")
    return Table("Components", columns, tuple(rows))


def _mode_table(design: Design) -> Table:
    heads = tuple(f"{show(load, 'A')}" for load in design.loads)
    rows = tuple(
        (show(v, "V"), *(design.mode(i, j) for j in range(len(design.loads))))
        for i, v in enumerate(design.inputs)
    )
    return Table("Conduction mode by input voltage and load", ("input", *heads), rows)


def _value_table(design: Design, values: list[Value]) -> Table:
    rows = tuple(
        (
            pretty(v.symbol),
            v.meaning,
            show(v.worst, v.unit),
            "" if v.constant else _range(v),
            "" if v.constant else design.corner_name(v.at),
        )
        for v in values
    )
    return Table(
        "Derived", ("symbol", "meaning", "worst case>", "range over the corners>", "worst at>"), rows
    )


def _formula_table(sheet: Sheet, values: list[Value]) -> Table:
    rows = []
    for v in values:
        text, numbers = sheet.written(v)
        result = show(v.required if v.required is not None else v.worst, v.unit)
        name = pretty(v.symbol)
        if v.line is not None and v.line.within:
            shown = f"{name} from {text}\n  : {numbers}\n  {name} = {result}"
        else:
            shown = f"{name} = {text}\n  = {numbers}\n  = {result}"
        rows.append((shown, v.line.source if v.line else ""))
    return Table("Formulas, each with the numbers of its worst corner", ("formula", "source"), tuple(rows))


def _derivation_data(design: Design) -> dict[str, Any]:
    values = []
    for v in design.sheet:
        text, numbers = design.sheet.written(v)
        entry: dict[str, Any] = {
            "symbol": v.symbol,
            "meaning": v.meaning,
            "unit": v.unit,
            "value": v.worst,
            "origin": v.origin,
            "values": v.values.tolist(),
        }
        if v.line is not None:
            entry |= {"formula": text, "substituted": numbers, "source": v.line.source}
            entry |= {"worst_at": {"V_in": design.inputs[min(v.at[0], len(design.inputs) - 1)],
                                   "I_o": design.loads[min(v.at[1], len(design.loads) - 1)]}}  # fmt: skip
        if v.required is not None:
            entry["derived"] = v.required
        values.append(entry)
    modes = [[design.mode(i, j) for j in range(len(design.loads))] for i in range(len(design.inputs))]
    return {
        "title": design.spec.title,
        "topology": design.page.name,
        "inputs": list(design.inputs),
        "loads": list(design.loads),
        "modes": modes,
        "values": values,
        "line": {v.symbol: {"value": v.worst, "unit": v.unit} for v in design.line or ()},
    }
