"""What stands around a power stage, as tables: divider, adjustable output, feedback, filter, bank, gate drive, protection."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

import numpy as np

from jump_lane.equations.divider import Resistor
from jump_lane.equations.formula import pretty
from jump_lane.equations.sheet import Sheet
from jump_lane.judge.verdict import Verdict
from jump_lane.quantities import brief, show, show_percent
from jump_lane.report.export import Columns
from jump_lane.report.table import Table, View
from jump_lane.spec.around import BankType
from jump_lane.spec.loop import Loop

if TYPE_CHECKING:
    from jump_lane.study.around import Compared
    from jump_lane.supply.adjust import Adjusted
    from jump_lane.supply.bank import Bank
    from jump_lane.supply.feedback import Barrier
    from jump_lane.supply.filter import Designed, Draw
    from jump_lane.supply.gate import Driven
    from jump_lane.supply.net import Real
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
    written
        Keys of the file that `--write` sets, with their values.
    draw
        Makes its figure; None if there is none.
    """

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
        "sections": {
            s.name: {**s.data, "verdicts": [_verdict_data(v) for v in s.verdicts]} for s in sections
        },
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
        "adjustment", (lines_table(f"Adjusted by {found.asked.by}", found.sheet, True), table), data, verdicts
    )


# --- feedback ----------------------------------------------------------------------------------------------


def feedback_section(found: Barrier) -> Section:
    """Show bias, transfer ratio and dynamic range of a network across a barrier."""
    return Section(
        "feedback",
        (lines_table("Feedback across the barrier", found.sheet),),
        {"values": _values(found.sheet)},
        tuple(found.verdicts()),
    )


# --- filter ------------------------------------------------------------------------------------------------


def filter_section(
    key: str,
    made: Designed,
    draws: Sequence[Draw],
    compared: Sequence[Compared],
    limits: tuple[Real, Real] | None,
    voltage: float,
    loop: str,
) -> Section:
    """Show the values of a filter, what it does to the current, its impedance beside that of the converter, what parts carry."""
    from jump_lane.report.around_figure import filter_figure
    from jump_lane.supply.filter import carried, inrush, largest, level, ripple

    found, asked = made.found, made.found.asked
    spread = np.geomspace(1e2, 1e7, 1200)
    peak, bare = largest(found), largest(found.undamped())
    base = min(d.frequency for d in draws)
    at = asked.at or base
    rows = [
        (f"attenuation at {show(at, 'Hz')}", f"{float(found.attenuation(np.array([at]))[0]):.1f} dB"),
        ("ripple on the far side", show(max(ripple(found, d) for d in draws), "V")),
        ("highest level", f"{max(float(level(found, d).max()) for d in draws):.1f} dBµV"),
        ("output impedance, peak", f"{show(peak, 'Ω')} damped, {show(bare, 'Ω')} undamped"),
        ("peaking over R_0", f"{20.0 * math.log10(peak / found.values['R_0']):.1f} dB"),
    ]
    if voltage > 0.0:
        rows.append(("inrush peak, switched on from 0 V", show(inrush(found, voltage, 0.0), "A")))
    what = Table(f"Filter: what it does ({key})", ("", "value>"), tuple(rows))
    parts = carried(found, draws)
    loads = Table(
        "What its parts carry, at their worst corners",
        ("part", "rms>", "loss>"),
        tuple((p.name, show(p.current, "A"), show(p.loss, "W")) for p in parts),
    )
    impedances = Table(
        f"Beside the converter's input impedance, loop {loop}",
        ("corner", "least distance>", "at>", "largest |λ| with the filter>"),
        tuple(_compared(c) for c in compared),
        tuple("" if c.stable and c.margin >= asked.impedance_margin else "bad" for c in compared),
    )
    verdicts = list(_filter_verdicts(made, compared))
    data = {
        "values": found.values, "attenuation": float(found.attenuation(np.array([at]))[0]), "peak": peak, "undamped_peak": bare,
        "parts": [{"name": p.name, "rms": p.current, "loss": p.loss} for p in parts],
        "corners": [
            {"corner": c.words, "margin": c.margin, "at": c.at, "largest": c.largest, "reason": c.why or None} for c in compared
        ],
    }  # fmt: skip
    columns: Columns = {
        "frequency [Hz]": spread.tolist(),
        "attenuation [dB]": found.attenuation(spread).tolist(),
        "output impedance [Ω]": np.abs(found.impedance(spread)).tolist(),
        "output impedance, undamped [Ω]": np.abs(found.undamped().impedance(spread)).tolist(),
    }
    notes = () if not compared else (
        "the converter is stable with any filter whose output impedance stays far below its input impedance (Middlebrook 1976); the "
        "multipliers tell whether it is with this one",
    )  # fmt: skip
    written = (
        {(*key.split("."), "inductance"): brief(found.values["L_f"], "H")} if key.startswith("input") else {}
    )
    return Section(
        "filter", (lines_table("Filter: values of each stage", found.sheet, True), what, loads, impedances), data, tuple(verdicts),
        notes, columns, lambda: filter_figure(found, compared, draws, limits), written,
    )  # fmt: skip


def _compared(c: Compared) -> tuple[str, ...]:
    largest = c.why.splitlines()[0] if c.largest is None else f"{c.largest:.4f}"
    return c.words, f"{c.margin:.1f} dB", show(c.at, "Hz"), largest


def _filter_verdicts(made: Designed, compared: Sequence[Compared]) -> Iterable[Verdict]:
    asked = made.found.asked
    what = (
        f"attenuation, {asked.margin:.3g} dB in reserve" if asked.attenuation is not None
        else f"ripple on the far side, {asked.margin:.3g} dB in reserve" if asked.ripple is not None
        else f"limit line, {asked.margin:.3g} dB in reserve"
    )  # fmt: skip
    if asked.inductance is None:
        limit = (
            f"{asked.attenuation:.4g} dB" if asked.attenuation is not None
            else f"≤ {show(asked.ripple, 'V')}" if asked.ripple is not None else str(asked.limits)
        )  # fmt: skip
        holds = made.missing <= 0.0
        yield Verdict(
            what, limit, "kept" if holds else f"missed by {made.missing:.1f} dB whatever the inductance", holds,
            "" if holds else "parasitics of the parts stand against it: more capacitance, two stages, smaller winding capacitance",
        )  # fmt: skip
    if not compared:
        return
    worst = min(compared, key=lambda c: c.margin)
    holds = worst.margin >= asked.impedance_margin
    yield Verdict(
        "its output impedance below the converter's input impedance", f"by {asked.impedance_margin:.3g} dB",
        f"{worst.margin:.1f} dB at {show(worst.at, 'Hz')}, {worst.words}", holds,
        "" if holds else "more capacitance, less inductance or more damping mends that",
    )  # fmt: skip
    grown = max(compared, key=lambda c: math.inf if c.largest is None else c.largest)
    shown = (
        "no result" if grown.largest is None else f"largest multiplier {grown.largest:.4f} at {grown.words}"
    )
    yield Verdict(
        "stable with the filter in place", "|λ| < 1", shown, grown.stable,
        "" if grown.stable else grown.why or "a small deviation grows; more damping or capacitance mends that",
    )  # fmt: skip


# --- bank --------------------------------------------------------------------------------------------------

YEAR = 8766.0 * 3600.0


def bank_section(name: str, found: Bank, types: Sequence[BankType], needed: float | None) -> Section:
    """Show what each type carries, resonances, and the sum of rms values beside the total."""
    from jump_lane.report.around_figure import bank_figure
    from jump_lane.supply.bank import impedances

    rows = []
    for s in found.shares:
        life = "" if s.life is None else f"{s.life / 3600.0:.0f} h ({s.life / YEAR:.1f} a)"
        temperature = "" if s.temperature is None else show(s.temperature, "°C")
        rating = "" if s.type.current is None else show(s.type.current, "A")
        rows.append(
            (f"{s.type.count}× {s.name}", show(s.type.capacitance, "F"), show(s.current, "A"), rating, show(s.total, "A"),
             show(s.loss, "W"), temperature, life)
        )  # fmt: skip
    shares = Table(
        f"{name}: what each capacitor carries at {found.words}",
        (
            "type",
            "each>",
            "rms of each>",
            "rated>",
            "rms of the type>",
            "loss of each>",
            "temperature>",
            "life>",
        ),
        tuple(rows),
    )
    resonances = Table(
        "Parallel resonances",
        ("frequency>", "impedance>"),
        tuple((show(f, "Hz"), show(z, "Ω")) for f, z in found.resonances),
    )
    together = sum(s.total for s in found.shares)
    notes = [
        f"{name}: {show(found.total, 'A')} in all, {show(together, 'A')} as the sum of the types' rms values: "
        + (
            "currents go back and forth between them"
            if together > 1.05 * found.total
            else "they carry it together"
        ),
        f"{name}: ripple across the bank {show(found.ripple, 'V')}, {show(found.capacitance, 'F')} in all",
    ]
    if needed is not None and found.capacitance < needed * (1.0 - 1e-3):
        notes.append(
            f"{name}: the design has {show(needed, 'F')}; --set {name}={found.capacitance * 1e6:.4g}u tells whether the bank is enough"
        )
    data = {
        "corner": found.words, "total": found.total, "ripple": found.ripple, "capacitance": found.capacitance,
        "types": [
            {"name": s.name, "count": s.type.count, "rms_each": s.current, "rms": s.total, "loss_each": s.loss,
             "temperature": s.temperature, "life": s.life}
            for s in found.shares
        ],
        "resonances": [{"frequency": f, "impedance": z} for f, z in found.resonances],
    }  # fmt: skip
    f = np.geomspace(1e3, 1e8, 500)
    whole, each = impedances(types, f)
    columns: Columns = {"frequency [Hz]": f.tolist(), "bank [Ω]": np.abs(whole).tolist()}
    for s, z in zip(found.shares, each, strict=True):
        columns[f"{s.name} [Ω]"] = np.abs(z).tolist()
    return Section(
        f"bank {name}", (shares, resonances), data, tuple(found.verdicts()), tuple(notes), columns,
        lambda: bank_figure(name, found, types),
    )  # fmt: skip


# --- gate drive --------------------------------------------------------------------------------------------


def gate_section(found: Sequence[Driven]) -> Section:
    """Show charge, currents, losses and bootstrap of every gate."""
    tables = tuple(lines_table(f"Gate of {d.name}", d.sheet) for d in found)
    data = {"gates": {d.name: _values(d.sheet) for d in found}}
    verdicts = tuple(v for d in found for v in d.verdicts())
    notes = tuple(m for d in found for m in d.missing)
    return Section("gate drive", tables, data, verdicts, notes)


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
        "protection", (lines_table("Fuse and inrush", found.sheet), curve), data, tuple(found.verdicts()), tuple(notes), columns,
        lambda: overload_figure(found),
    )  # fmt: skip
