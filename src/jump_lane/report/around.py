"""What stands around a power stage, as tables: divider, adjustable output, feedback, filter, bank, gate drive, protection."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from jump_lane.equations.divider import Resistor
from jump_lane.equations.formula import pretty
from jump_lane.equations.sheet import Sheet
from jump_lane.judge.verdict import Verdict
from jump_lane.quantities import brief, show, show_percent
from jump_lane.report.export import Columns
from jump_lane.report.table import Table, View
from jump_lane.spec.loop import Loop

if TYPE_CHECKING:
    from jump_lane.supply.adjust import Adjusted
    from jump_lane.supply.feedback import Barrier
    from jump_lane.supply.gate import Driven
    from jump_lane.supply.protect import Protected
    from jump_lane.supply.setting import Setting


@dataclass(frozen=True)
class Checked:
    """Whether a converter holds at a setting, and the verdict in words."""

    holds: bool
    words: str


@dataclass(frozen=True)
class Section:
    """What is said of one thing around the power stage.

    Attributes
    ----------
    key
        By which it may be asked for alone, such as ``input.filter``.
    written
        Keys of the file that `--write` sets, with their values.
    draw
        Makes its figure; None if there is none.
    """

    key: str
    name: str
    tables: tuple[Table, ...]
    data: dict[str, Any]
    verdicts: tuple[Verdict, ...] = ()
    notes: tuple[str, ...] = ()
    columns: Columns = field(default_factory=dict)
    draw: Callable[[], Any] | None = None
    written: dict[tuple[str, ...], str] = field(default_factory=dict)


def around_view(title: str, sections: Sequence[Section]) -> View:
    """Show sections one below the other, verdicts behind the tables of each."""
    tables: list[Table] = []
    for section in sections:
        tables += [t for t in section.tables if t.rows]
        if section.verdicts:
            tables.append(_verdicts(section.name, section.verdicts))
    data = {
        "title": title,
        "sections": {s.key: {**s.data, "verdicts": [_verdict_data(v) for v in s.verdicts]} for s in sections},
        "holds": all(v.holds for s in sections for v in s.verdicts),
    }
    notes = tuple(n for s in sections for n in s.notes)
    return View("around", data, tuple(tables), notes, 0 if data["holds"] else 1, heading=title)


def _verdicts(name: str, verdicts: Sequence[Verdict]) -> Table:
    rows = tuple((v.what, v.asked, v.found, "holds" if v.holds else "NOT MET", v.advice) for v in verdicts)
    marks = tuple("good" if v.holds else "bad" for v in verdicts)
    return Table(f"Asked of the {name}", ("what", "asked", "found", "", "what mends it"), rows, marks)


def _verdict_data(v: Verdict) -> dict[str, Any]:
    return {"what": v.what, "asked": v.asked, "found": v.found, "holds": v.holds, "advice": v.advice or None}


def lines_table(title: str, sheet: Sheet, given: bool = False) -> Table:
    """Return derived values with formulas and sources; with ``given`` also those that are not derived."""
    rows = []
    for value in sheet:
        if value.line is None and not given:
            continue
        formula, source = (
            ("", value.key or value.origin)
            if value.line is None
            else (sheet.written(value)[0], value.line.source)
        )
        exact = "" if value.required is None else show(value.required, value.unit)
        rows.append(
            (pretty(value.symbol), show(value.worst, value.unit), exact, value.meaning, formula, source)
        )
    return Table(title, ("symbol", "value>", "derived>", "meaning", "formula", "source"), tuple(rows))


def _values(sheet: Sheet) -> dict[str, float]:
    return {v.symbol: v.worst for v in sheet}


# --- divider -----------------------------------------------------------------------------------------------


def _resistor(one: Resistor) -> str:
    pieces = " + ".join(brief(p, "Ω") for p in one.pieces)
    return pieces if not one.words else f"{pieces} in {one.words}: {show(one.value, 'Ω')}"


def divider_section(found: Setting, loop: Loop | None) -> Section:
    """Show the pair, the output with tolerances, what each resistor takes."""
    s = found.spread
    outputs = Table(
        "Output that the divider sets",
        ("", "output>", "of what is asked>"),
        tuple(
            (what, show(v, "V"), f"{100.0 * (v / found.wanted - 1.0):+.3g} %")
            for what, v in (
                ("nominal", s.nominal), ("worst case, low", s.low), ("worst case, high", s.high),
                ("statistical, low", s.nominal - s.sigmas), ("statistical, high", s.nominal + s.sigmas),
            )
        ),
    )  # fmt: skip
    pair = Table(
        "Divider",
        ("", "resistor", ""),
        (
            ("R_1", _resistor(found.pair.upper), "upper, from the output"),
            ("R_b", _resistor(found.pair.lower), "lower, to ground"),
        ),
    )
    kind = "operational" if loop is None else loop.amplifier.kind
    part = found.sheet["k_d"].worst
    notes = ["statistical: every tolerance stands for three standard deviations, independent of each other"]
    if kind == "transconductance":
        notes.append(
            f"the loop's gain is {20.0 * math.log10(part):.2f} dB by the divider, in front of the transconductance amplifier"
        )
    else:
        notes.append(
            f"around an amplifier with feedback R_1 alone sets the loop's gain; R_b costs {-20.0 * math.log10(part):.2f} dB of its bandwidth"
        )
    data = {
        "R_1": found.pair.upper.value, "R_b": found.pair.lower.value, "pieces": {
            "R_1": list(found.pair.upper.pieces), "R_b": list(found.pair.lower.pieces)
        }, "wanted": found.wanted, "nominal": s.nominal, "low": s.low, "high": s.high, "three_sigma": s.sigmas,
        "values": _values(found.sheet),
    }  # fmt: skip
    return Section(
        "divider",
        "divider",
        (pair, outputs, lines_table("What it takes", found.sheet)),
        data,
        tuple(found.verdicts()),
        tuple(notes),
    )


# --- adjustable output -------------------------------------------------------------------------------------


def adjust_section(found: Adjusted, checks: Sequence[Checked]) -> Section:
    """Show resistors, and for every setting the output with tolerances and whether the converter holds there."""
    heads = {
        "voltage": "control voltage>",
        "pulse-width": "pulse width>",
        "resistors": "code",
        "potentiometer": "turned>",
    }
    rows = tuple(
        (
            s.words,
            show(s.spread.nominal, "V"),
            show(s.spread.low, "V"),
            show(s.spread.high, "V"),
            show(s.spread.sigmas, "V"),
            c.words,
        )
        for s, c in zip(found.steps, checks, strict=True)
    )
    table = Table(
        "Settings",
        (
            heads[found.asked.by],
            "output>",
            "lowest>",
            "highest>",
            "± statistical>",
            "check of the converter there",
        ),
        rows,
        tuple("" if c.holds else "bad" for c in checks),
    )
    verdicts = tuple(
        Verdict(
            f"the converter at {s.words}",
            "everything asked",
            "holds" if c.holds else "not met",
            c.holds,
            "" if c.holds else c.words,
        )
        for s, c in zip(found.steps, checks, strict=True)
        if not c.holds
    ) or (Verdict("the converter at every setting", "everything asked", "holds", True),)
    data = {
        "values": _values(found.sheet),
        "settings": [
            {"setting": s.words, "nominal": s.spread.nominal, "low": s.spread.low, "high": s.spread.high, "three_sigma": s.spread.sigmas,
             "holds": c.holds, "check": c.words}
            for s, c in zip(found.steps, checks, strict=True)
        ],
    }  # fmt: skip
    return Section(
        "adjust",
        "adjustment",
        (lines_table(f"Adjusted by {found.asked.by}", found.sheet, True), table),
        data,
        verdicts,
    )


# --- feedback ----------------------------------------------------------------------------------------------


def feedback_section(found: Barrier) -> Section:
    """Show bias, transfer ratio and dynamic range of a network across a barrier."""
    return Section(
        "feedback",
        "feedback",
        (lines_table("Feedback across the barrier", found.sheet),),
        {"values": _values(found.sheet)},
        tuple(found.verdicts()),
    )


# --- gate drive --------------------------------------------------------------------------------------------


def gate_section(found: Sequence[Driven]) -> Section:
    """Show charge, currents, losses and bootstrap of every gate."""
    tables = tuple(lines_table(f"Gate of {d.name}", d.sheet) for d in found)
    data = {"gates": {d.name: _values(d.sheet) for d in found}}
    verdicts = tuple(v for d in found for v in d.verdicts())
    notes = tuple(m for d in found for m in d.missing)
    return Section("gate", "gate drive", tables, data, verdicts, notes)


# --- protection --------------------------------------------------------------------------------------------


def protection_section(found: Protected) -> Section:
    """Show fuse, inrush, overload curve."""
    from jump_lane.report.around_figure import overload_figure

    chosen = "none" if found.fuse is None else show(found.fuse, "A")
    curve = Table(
        "Overload curve: the voltage is held up to the limit, the current beyond it",
        ("load resistance>", "output>", "current>"),
        tuple((show_percent(r), show(v, "V"), show(i, "A")) for r, v, i in found.curve),
    )
    notes = [f"fuse: {chosen}"]
    if found.hiccup is not None:
        notes.append(f"shorted, the converter pauses: {show(found.hiccup, 'A')} on average")
    data = {
        "values": _values(found.sheet), "fuse": found.fuse, "hiccup": found.hiccup,
        "overload": [{"resistance": r, "voltage": v, "current": i} for r, v, i in found.curve],
    }  # fmt: skip
    columns: Columns = {
        "load resistance [1]": [r for r, _, _ in found.curve],
        "output [V]": [v for _, v, _ in found.curve],
        "current [A]": [i for _, _, i in found.curve],
    }
    return Section(
        "protection", "protection", (lines_table("Fuse and inrush", found.sheet), curve), data, tuple(found.verdicts()), tuple(notes), columns,
        lambda: overload_figure(found),
    )  # fmt: skip
