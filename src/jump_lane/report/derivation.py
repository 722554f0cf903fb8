"""A derivation on one screen; all of it, or the formulas behind it, on request."""

from __future__ import annotations

import math
import re
from collections.abc import Iterable, Sequence
from typing import Any

import numpy as np

from jump_lane.design.caveats import caveats
from jump_lane.design.derive import Design
from jump_lane.design.named import count
from jump_lane.equations.formula import pretty
from jump_lane.equations.sheet import BOUNDARY, CONTINUOUS, DISCONTINUOUS, REVERSED, Sheet, Value
from jump_lane.errors import InputError, nearest
from jump_lane.judge.derived import derived_ratings, overloads, sized_by
from jump_lane.judge.stress import derived_stresses
from jump_lane.quantities import brief, show
from jump_lane.report.export import Columns
from jump_lane.report.stress import stress_data, stress_table
from jump_lane.report.table import Table, View

SHORT = {CONTINUOUS: "cont.", BOUNDARY: "bound.", DISCONTINUOUS: "dis.", REVERSED: "rev."}
"""Conduction modes in few letters."""

MOST_ASSUMED = 12
"""Assumptions named on one screen; the others are counted."""


def derivation_view(
    design: Design,
    name: str,
    every: bool = False,
    formulas: Sequence[str] | None = None,
    before: Design | None = None,
) -> View:
    """Show what a derivation comes to.

    The exit status is 1 where a named part is not rated for it.

    Parameters
    ----------
    name
        What to call the file in what it says to run next.
    every
        Whether all values are shown, in groups.
    formulas
        Symbols whose derivation is shown; none of them means all, None no formulas.
    before
        The same without what was set.
    """
    sheet = design.sheet
    if formulas is not None:
        tables = [_formula_table(sheet, _wanted(sheet, formulas))]
    else:
        tables = [
            *_line_side(design.line),
            _component_table(design, before),
            stress_table(design, derived_stresses(design), derived_ratings(design)),
            _grid(design),
        ]
        if every:
            tables += _groups(design)
    broken = overloads(design)
    notes = [] if formulas else [_ripples(design), *_turns(design), *caveats(design), _assumed(sheet)]
    notes += [f"not kept: {text}" for text in broken]
    if formulas is None and not every:
        count = sum(v.line is not None for v in sheet)
        notes.append(
            f"derived, not yet simulated: jumplane check {name}   {count} values: --all   formulas: --formulas [SYMBOL …]"
        )
    data = _data(design) | {"overloads": list(broken)}
    return View(
        "derive", data, tuple(tables), tuple(n for n in notes if n), 1 if broken else 0, heading(design)
    )


def heading(design: Design) -> str:
    """Return in one line which converter this is, and what is asked of it."""
    spec, page = design.spec, design.page
    words = [page.name.replace("-", " ")]
    if spec.transformer.secondary:
        words.append(spec.transformer.secondary)
    if not page.returns:
        words.append(f"{spec.switching.rectifier} rectifier")
    outputs = " + ".join(_output(design, k) for k in range(len(spec.output)))
    fields = [
        spec.title or page.title,
        ", ".join(words),
        f"{_span(design.inputs, 'V')} to {outputs}",
        brief(spec.switching.frequency, "Hz"),
        brief(design.sheet["P_o"].worst, "W"),
    ]
    return "   ".join(fields)


def _output(design: Design, k: int) -> str:
    output = design.spec.output[k]
    voltages = output.voltages_at((output.current.max,))
    return f"{brief(voltages[0], 'V')}, {_span((output.current.min, output.current.max), 'A')}"


def _span(values: Iterable[float], unit: str) -> str:
    found = sorted(set(values))
    return " … ".join(brief(v, unit) for v in ((found[0], found[-1]) if len(found) > 1 else found))


def _components(design: Design) -> list[Value]:
    return [v for v in design.sheet if v.line is not None and v.line.component]


def _component_table(design: Design, before: Design | None) -> Table:
    known = before.components() if before is not None else {}
    rows = [_component_row(design, v, known) for v in _components(design)]
    columns = ["Components", "", "derived>", "in use>", "origin", "set by"]
    if known:
        columns.insert(3, "before>")
    else:
        rows = [row[:3] + row[4:] for row in rows]
    return Table("", tuple(columns), tuple(rows))


def _component_row(design: Design, value: Value, known: dict[str, float]) -> tuple[str, ...]:
    wanted = value.required if value.required is not None else value.worst
    what, *rest = re.split("(?<! ):|[;,]", value.meaning, maxsplit=1)
    more = rest[0].strip() if rest else ""
    origin = {"chosen": "[chosen]"}.get(value.origin, value.origin)
    pieces = count(design.spec, value.symbol)
    if pieces > 1 and value.origin not in ("derived", "chosen"):
        origin = f"{pieces} × {origin}"
    return (
        pretty(value.symbol),
        what,
        show(wanted, value.unit),
        show(known.get(value.symbol, math.nan), value.unit),
        "same" if math.isclose(wanted, value.worst, rel_tol=1e-9) else show(value.worst, value.unit),
        origin,
        sized_by(design, value) or more,
    )


def _grid(design: Design) -> Table:
    """Return control, first inductor ripple and conduction mode over the corners."""
    page, sheet = design.page, design.sheet
    ripple = next((a.symbol for a in page.asks if a.symbol in sheet and sheet[a.symbol].unit == "A"), None)
    own = "conduction" if page.naming is None else "mode"
    heads = [f"{page.control.symbol}"] + ([pretty(ripple)] if ripple else []) + [own]
    control = sheet[page.control.symbol]
    rows = []
    for j, load in enumerate(design.loads):
        cells = []
        for i in range(len(design.inputs)):
            ripples = f"{show(sheet[ripple].corner(i, j), 'A'):>9s}  " if ripple else ""
            cells.append(
                f"{show(control.corner(i, j), control.unit):>7s}  {ripples}{SHORT.get(design.mode(i, j), design.mode(i, j))}"
            )
        rows.append((show(load, "A"), *cells))
    last = len(design.loads) - 1
    if "I_B" in sheet and page.naming is None:
        rows.append(
            ("boundary at", *(show(sheet["I_B"].corner(i, last), "A") for i in range(len(design.inputs))))
        )
    columns = (", ".join(heads), *(show(v, "V") for v in design.inputs))
    return Table("", columns, tuple(rows))


def _ripples(design: Design) -> str:
    """Return derived ripples against what is asked, each at its worst corner."""
    found = []
    for ask in dict.fromkeys(design.asks):
        value, limit = design.sheet[ask.symbol], design.sheet[ask.limit]
        ratio = np.broadcast_to(value.values / limit.values, design.shape)
        i, j = (int(k) for k in np.unravel_index(int(np.nanargmax(ratio)), design.shape))
        found.append(
            f"{pretty(ask.symbol)} {show(value.corner(i, j), value.unit)} of {show(limit.corner(i, j), limit.unit)} "
            f"({design.corner_name((i, j))})"
        )
    return "Ripple, of what is asked: " + ", ".join(found) if found else ""


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
    return ["; ".join(found)] if found else []


def _assumed(sheet: Sheet) -> str:
    """Return what no key of the file says and formulas use, with the key that would; figures of parts that are zero last."""
    used = {name for v in sheet if v.line is not None for name in v.line.names}
    every = [v for v in sheet if v.line is None and v.origin == "default" and v.symbol in used and v.key]
    named = [v for v in every if not (v.key.startswith("parts.") and v.worst == 0.0)]
    ideal = [v.key.removeprefix("parts.") for v in every if v not in named]
    texts = [f"{v.key} = {_typed(v)}" for v in named]
    if ideal:
        shown, more = ideal[:MOST_ASSUMED], len(ideal) - MOST_ASSUMED
        texts.append("[parts] without " + ", ".join(shown) + (f" and {more} more" if more > 0 else ""))
    return "Assumed (key to change): " + " · ".join(texts) if texts else ""


def _typed(value: Value) -> str:
    return (
        f"{100.0 * value.worst:.4g} %"
        if value.unit == "" and 0.0 < abs(value.worst) < 1.0
        else brief(value.worst, value.unit)
    )


def _range(value: Value) -> str:
    if value.constant:
        return show(value.worst, value.unit)
    low, high = float(np.nanmin(value.values)), float(np.nanmax(value.values))
    return f"{show(low, value.unit)} … {show(high, value.unit)}"


def _groups(design: Design) -> list[Table]:
    """Return every value that is not a component, in groups: given, towards components, operation, devices and windings."""
    sheet, page = design.sheet, design.page
    given = [v for v in sheet if v.line is None and v.origin != "default"]
    derived = [v for v in sheet if v.line is not None and not v.line.component]
    proven = set(design.proofs)
    rated = {
        f"{letter}_{r.tag}{end}"
        for r in page.roles
        for letter, end in (("V", ""), ("V", "r"), ("V", "s"), ("I", "r"), ("I", "sat"))
    }
    last = list(sheet).index(sheet["I_B"]) if "I_B" in sheet and page.naming is None else len(derived)
    early = {v.symbol for v in list(sheet)[: last + 1]}
    groups: dict[str, list[Value]] = {
        "Towards the components": [],
        "Operation": [],
        "Currents, voltages and ratings": [],
    }
    for v in derived:
        measured = v.symbol in proven or v.symbol in rated
        title = (
            "Currents, voltages and ratings"
            if measured
            else "Towards the components"
            if v.symbol in early
            else "Operation"
        )
        groups[title].append(v)
    tables = []
    tables.append(
        Table(
            "Asked and given",
            ("symbol", "meaning", "value>", "key"),
            tuple((pretty(v.symbol), v.meaning, _range(v), v.key) for v in given),
        )
    )
    return [*tables, *(_value_table(design, title, values) for title, values in groups.items())]


def _line_side(sheet: Sheet | None) -> list[Table]:
    """Show line rectifier and bulk capacitor, where there are any: the DC range of the converter follows from them."""
    if sheet is None:
        return []
    rows = tuple((pretty(v.symbol), v.meaning, _range(v)) for v in sheet if v.line is not None)
    return [Table("", ("Line rectifier and bulk capacitor", "", "over the line>"), rows)]


def _value_table(design: Design, title: str, values: list[Value]) -> Table:
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
    return Table(title, ("symbol", "meaning", "worst case>", "over the corners>", "worst at>"), rows)


def _wanted(sheet: Sheet, symbols: Sequence[str]) -> list[Value]:
    """Return the derived values that lead to some symbols, or all.

    Raises
    ------
    InputError
        If there is no such symbol, or it is not derived.
    """
    if not symbols:
        return [v for v in sheet if v.line is not None]
    names = {pretty(v.symbol): v.symbol for v in sheet} | {v.symbol: v.symbol for v in sheet}
    for symbol in symbols:
        if symbol not in names:
            raise InputError(f"--formulas {symbol}: no such symbol; {nearest(symbol, names)}")
        found = sheet[names[symbol]]
        if found.line is None:
            raise InputError(
                f"--formulas {symbol}: not derived; {found.key or 'the file'} gives {show(found.worst, found.unit)}"
            )
    return list(sheet.leading_to(names[s] for s in symbols))


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


def _data(design: Design) -> dict[str, Any]:
    modes = [[design.mode(i, j) for j in range(len(design.loads))] for i in range(len(design.inputs))]
    return {
        "title": design.spec.title,
        "topology": design.page.name,
        "inputs": list(design.inputs),
        "loads": list(design.loads),
        "modes": modes,
        "values": [_value_data(design, v) for v in design.sheet],
        "stresses": [stress_data(s) for s in derived_stresses(design)],
        "line": {v.symbol: {"value": v.worst, "unit": v.unit} for v in design.line or ()},
    }


def _value_data(design: Design, v: Value) -> dict[str, Any]:
    text, numbers = design.sheet.written(v)
    entry: dict[str, Any] = {
        "symbol": v.symbol,
        "meaning": v.meaning,
        "unit": v.unit,
        "value": v.worst,
        "origin": v.origin,
        "values": v.values.tolist(),
    }
    if v.key:
        entry["key"] = v.key
    if v.line is not None:
        at = {
            "V_in": design.inputs[min(v.at[0], len(design.inputs) - 1)],
            "I_o": design.loads[min(v.at[1], len(design.loads) - 1)],
        }
        entry |= {"formula": text, "substituted": numbers, "source": v.line.source, "worst_at": at}
    if v.required is not None:
        entry |= {"derived": v.required, "set_by": sized_by(design, v)}
    return entry


def derivation_columns(design: Design) -> Columns:
    """Return a row for each value, in SI units."""
    values = list(design.sheet)
    return {
        "symbol": [v.symbol for v in values],
        "meaning": [v.meaning for v in values],
        "unit": [v.unit for v in values],
        "worst": [v.worst for v in values],
        "smallest": [float(np.nanmin(v.values)) if np.isfinite(v.values).any() else math.nan for v in values],
        "largest": [float(np.nanmax(v.values)) if np.isfinite(v.values).any() else math.nan for v in values],
        "origin": [v.origin for v in values],
        "key": [v.key for v in values],
        "source": [v.line.source if v.line else "" for v in values],
    }
