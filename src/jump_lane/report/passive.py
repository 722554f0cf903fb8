"""Filters and banks of capacitors as tables."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from typing import TYPE_CHECKING

import numpy as np

from jump_lane.judge.verdict import Verdict
from jump_lane.quantities import brief, show
from jump_lane.report.around import Section, lines_table
from jump_lane.report.export import Columns
from jump_lane.report.table import Table
from jump_lane.spec.around import BankType, Filter

if TYPE_CHECKING:
    from jump_lane.study.around import Compared
    from jump_lane.supply.bank import Bank
    from jump_lane.supply.filter import Designed
    from jump_lane.supply.net import Draw, Real


# --- filter ------------------------------------------------------------------------------------------------


def filter_section(
    key: str,
    made: Designed,
    draws: Sequence[Draw],
    limits: tuple[Real, Real] | None,
    compared: Sequence[Compared] = (),
    loop: str = "",
    surge: float | None = None,
) -> Section:
    """Show the values of a filter, what it does to the current, its impedance beside that of the converter, what parts carry.

    Parameters
    ----------
    key
        Of the file: ``input.filter`` or ``output.filter``.
    loop
        Whether that of the converter is open or closed.
    surge
        Inrush peak [A]; None where the filter is not at the source.
    """
    from jump_lane.report.around_figure import filter_figure
    from jump_lane.supply.filter import carried, largest, level, ripple

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
    if surge is not None:
        rows.append(("inrush peak, switched on from 0 V", show(surge, "A")))
    what = Table(f"Filter: what it does ({key})", ("", "value>"), tuple(rows))
    parts = carried(found, draws)
    bare_parts = ", ".join(
        b.name for b in found.branches(0.0) if b.resistance == 0.0 and b.name != "far side"
    )
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
    notes = []
    if compared:
        notes.append(
            "the converter is stable with any filter whose output impedance stays far below its input impedance (Middlebrook 1976); the "
            "multipliers tell whether it is with this one"
        )
    if bare_parts:
        notes.append(f"{key}: no resistance is known of {bare_parts}: what they lose is left out")
    written = (
        {(*key.split("."), "inductance"): brief(found.values["L_f"], "H")} if key.startswith("input") else {}
    )
    return Section(
        key, key.replace(".", " "), (lines_table("Filter: values of each stage", found.sheet, True), what, loads, impedances), data, tuple(verdicts),
        tuple(notes), columns, lambda: filter_figure(found, compared, draws, limits), written,
    )  # fmt: skip


def _compared(c: Compared) -> tuple[str, ...]:
    largest = c.why.splitlines()[0] if c.largest is None else f"{c.largest:.4f}"
    return c.words, f"{c.margin:.1f} dB", show(c.at, "Hz"), largest


def _limit(asked: Filter) -> tuple[str, str] | None:
    """Return what is asked of the current behind a filter, and how much; None if nothing is."""
    if asked.attenuation is not None:
        return "attenuation", f"{asked.attenuation:.4g} dB"
    if asked.ripple is not None:
        return "ripple on the far side", f"≤ {show(asked.ripple, 'V')}"
    return None if asked.limits is None else ("limit line", asked.limits)


def _filter_verdicts(made: Designed, compared: Sequence[Compared]) -> Iterable[Verdict]:
    asked = made.found.asked
    limit = _limit(asked)
    if limit is not None:
        what, words = limit
        holds, given = made.missing <= 0.0, asked.inductance is not None
        missed = f"missed by {made.missing:.1f} dB" + ("" if given else " whatever the inductance")
        advice = (
            "more inductance, more capacitance or two stages mend that" if given
            else "parasitics of the parts stand against it: more capacitance, two stages, smaller winding capacitance"
        )  # fmt: skip
        yield Verdict(
            f"{what}, {asked.margin:.3g} dB in reserve",
            words,
            "kept" if holds else missed,
            holds,
            "" if holds else advice,
        )
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
    from jump_lane.supply.bank import LIFE, impedances

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
    unknown = [s.name for s in found.shares if s.type.life is not None and s.life is None]
    notes = [f"{name}: life {LIFE}"] if any(s.life is not None for s in found.shares) else []
    notes += [f"{name}: the life of {n} is not known without its thermal_resistance" for n in unknown]
    notes += [
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
        f"bank.{name}", f"bank {name}", (shares, resonances), data, tuple(found.verdicts()), tuple(notes), columns,
        lambda: bank_figure(name, found, types),
    )  # fmt: skip
