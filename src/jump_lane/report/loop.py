"""A loop as tables and columns."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from jump_lane.control.analogue import Analogue
from jump_lane.control.averaged import CLOSE_GAIN, CLOSE_PHASE, UP_TO, apart, averaged
from jump_lane.control.design import LoopDesign
from jump_lane.control.digital import Sampled
from jump_lane.control.journey import Journey
from jump_lane.control.loops import Closed, Proof
from jump_lane.control.ripple import Ripple
from jump_lane.control.verdicts import accuracy, held, hertz_or_none, verdicts
from jump_lane.equations.formula import pretty
from jump_lane.equations.sheet import Sheet
from jump_lane.errors import InputError
from jump_lane.judge.verdict import Verdict
from jump_lane.quantities import show
from jump_lane.report.bode import decibels, unwound
from jump_lane.report.export import Columns
from jump_lane.report.table import Table, View


def loop_view(found: LoopDesign, name: str, poles: list[tuple[str, complex]], step: Journey | None) -> View:
    """Show the values, the loop at every corner, and verdicts.  The exit status is 1 where something asked is not met."""
    judged = list(verdicts(found, step))
    failed = [p for p in found.proofs if p.failure]
    tables = [_values(found), _corners(found), _verdicts(judged)]
    tables += [_poles(poles)] if poles else []
    status = 3 if len(failed) == len(found.proofs) else 0 if all(v.holds for v in judged) else 1
    return View(
        "loop",
        _data(found, judged, poles),
        tuple(t for t in tables if t.rows),
        tuple(_notes(found, name)),
        status,
    )


def with_loop(view: View, found: LoopDesign) -> View:
    """Return what a check shows with verdicts on the loop that holds the output; its exit status is the worse of both."""
    asked, (average, spread) = list(held(found)), accuracy(found)
    notes = [
        f"held by its loop at {show(average, 'V')} ± {100.0 * spread:.2g} % (reference and divider at their worst)"
    ]
    if found.loop.loop.deviation is not None:
        notes.append("the load step that control.deviation asks is judged by `jumplane loop`")
    table = replace(_verdicts(asked), title="Asked of the loop")
    data = {
        "held": {"average": average, "tolerance": spread},
        "corners": [_corner_data(p) for p in found.proofs],
        "verdicts": [_verdict_data(v) for v in asked],
    }
    status = max(view.exit_status, 0 if all(v.holds for v in asked) else 1)
    return replace(
        view,
        data={**view.data, "loop": data},
        tables=(view.tables[0], table, *view.tables[1:]),
        notes=(*notes, *view.notes),
        exit_status=status,
    )


def _values(found: LoopDesign) -> Table:
    if isinstance(found.loop, Sampled):
        gains = found.loop.gains
        rows = (
            ("K_p", f"{gains.proportional:.4g}", "proportional gain, control per unit of error"),
            ("K_i", f"{gains.integral:.4g}", "integral gain, per period"),
        )
        return Table("Digital controller", ("symbol", "value>", "meaning"), rows)
    assert found.sheet is not None
    if isinstance(found.loop, Ripple):
        written, title = (
            list(_written(found.sheet, {})),
            f"{found.loop.loop.kind[0].upper()}{found.loop.loop.kind[1:]}, no clock",
        )
    else:
        written = list(_written(found.sheet, found.loop.values))
        if found.loop.inner is not None:
            written += _written(found.loop.inner.sheet, {})
        title = f"{found.loop.network.title[0].upper()}{found.loop.network.title[1:]}"
    return Table(title, ("symbol", "derived>", "used>", "formula", "source"), tuple(written))


def _written(sheet: Sheet, values: Mapping[str, float]) -> Iterator[tuple[str, ...]]:
    """Yield the lines of a derivation, with the values that are used where these differ."""
    for value in sheet:
        if value.line is None:
            continue
        formula, _ = sheet.written(value)
        derived = value.required if value.required is not None else value.worst
        used = values.get(value.symbol, value.worst)
        shown = show(used, value.unit) if abs(used - derived) > 1e-9 * abs(used) else ""
        yield pretty(value.symbol), show(derived, value.unit), shown, formula, value.line.source


def _unclocked(found: LoopDesign) -> Table:
    """Return what comes of a loop without a clock at every corner."""
    rows = []
    for p in found.proofs:
        ends = (show(p.stage.v_in, "V"), show(p.stage.i_o, "A"))
        shown = ("no result", "–", "–", "–")
        if not p.failure:
            shown = (p.mode, show(p.frequency, "Hz"), show(p.average, "V"), f"{p.largest:.4f}")
        rows.append((*ends, *shown))
    return Table(
        "Without a clock at every corner, exact",
        ("input>", "load>", "mode<", "frequency>", "average of the output>", "largest |λ|>"),
        tuple(rows),
        tuple("" if p.stable else "bad" for p in found.proofs),
    )


def _corners(found: LoopDesign) -> Table:
    if isinstance(found.loop, Ripple):
        return _unclocked(found)
    special = [p.words[len(p.stage.words) :].lstrip(", ") for p in found.proofs]
    nested = isinstance(found.loop, Analogue) and found.loop.nested
    more = [("current loop>", [hertz_or_none(p.whole.crossover) for p in found.proofs])] if nested else []
    more += [("with", special)] if any(special) else []
    heads = (
        "input>", "load>", "mode<", f"{found.design.control.symbol}>", "crossover>", "phase margin>", "gain margin>", "largest |λ|>",
    )  # fmt: skip
    rows = ((*_row(p, found), *(column[k] for _, column in more)) for k, p in enumerate(found.proofs))
    return Table(
        "The loop at every corner, exact",
        (*heads, *(head for head, _ in more)),
        tuple(rows),
        tuple("" if p.stable else "bad" for p in found.proofs),
    )


def _row(p: Proof, found: LoopDesign) -> tuple[str, ...]:
    ends = (show(p.stage.v_in, "V"), show(p.stage.i_o, "A"))
    if p.failure:
        return (*ends, "no result", "–", "–", "–", "–", "–")
    gain = f"{p.margins.gain:.1f} dB" if math.isfinite(p.margins.gain) else "none"
    phase = f"{p.margins.phase:.1f}°" if math.isfinite(p.margins.phase) else "–"
    control = found.design.control.shown(p.control, p.stage.circuit.period)
    return (*ends, p.mode, control, hertz_or_none(p.margins.crossover), phase, gain, f"{p.largest:.4f}")


def _verdicts(judged: list[Verdict]) -> Table:
    rows = tuple((v.what, v.asked, v.found, "holds" if v.holds else "NOT MET", v.advice) for v in judged)
    return Table(
        "Asked",
        ("what", "asked", "found", "", "what mends it"),
        rows,
        tuple("good" if v.holds else "bad" for v in judged),
    )


def _poles(poles: list[tuple[str, complex]]) -> Table:
    rows = []
    for kind, value in poles:
        f = abs(value) / (2.0 * math.pi)
        half = "right half-plane" if value.real > 0.0 else ""
        quality = (
            f"Q = {abs(value) / (2.0 * abs(value.real)):.3g}"
            if abs(value.imag) > 1e-9 * abs(value)
            else "real"
        )
        rows.append((kind, show(f, "Hz"), quality, half))
    return Table(
        "Power stage at nominal input, full load: exact poles and zeros, sampled",
        ("", "frequency>", "", ""),
        tuple(rows),
    )


def _notes(found: LoopDesign, name: str) -> list[str]:
    average, spread = accuracy(found)
    unit = "A" if found.nominal.string else "V"
    notes = [
        f"held at {show(average, unit)} ± {100.0 * spread:.2g} % (reference and divider at their worst); asked {show(found.nominal.target, unit)}"
    ]
    notes += [f"in the way: {found.hinder}"] if found.hinder else []
    if found.variants:
        notes.append(
            f"{found.variants} variants with parts off by their tolerances proven; the worst stand above"
        )
    notes += _about_average(found)
    if found.loop.loop.peak is not None and isinstance(found.loop, Analogue):
        notes.append(f"slope compensation {show(found.loop.slope, 'V/s')}, at the comparator")
    step = "transient" if found.design.spec.event else "transient (with [[event]] tables)"
    notes.append(
        f"jumplane {step} {name} simulates steps; --figure draws the loop, --responses impedances and line"
    )
    return notes


def _about_average(found: LoopDesign) -> list[str]:
    """Say how the averaged model of the page compares with the exact response."""
    stage = found.nominal
    if found.middle is None:
        return []
    model = averaged(stage, found.middle.mode)
    if model is None:
        return [
            f"{found.design.page.name}: no averaged model stands on its page for this load; the exact one is used throughout"
        ]
    sampling = stage.circuit.frequency
    gain, phase = apart(model, stage, np.geomspace(1e-3, UP_TO, 12) * sampling)
    worst, turned = float(np.abs(gain).max()), float(np.abs(phase).max())
    said = f"{100.0 * worst:.2g} % and {turned:.2g}° up to {show(UP_TO * sampling, 'Hz')}"
    if worst <= CLOSE_GAIN and turned <= CLOSE_PHASE:
        return [
            f"the averaged model ({model.values[0].line.source if model.values[0].line else ''}) agrees within {said}"
        ]
    why = (
        "in discontinuous conduction the inductor current is no state of it, though it delays the answer within the period"
        if model.discontinuous
        else "it leaves out saturation, leakage, clamps and dead time, or a resonance so sharp that small losses move it"
    )
    return [f"the averaged model misses the exact response by {said}: {why}"]


def _data(found: LoopDesign, judged: list[Verdict], poles: list[tuple[str, complex]]) -> dict[str, Any]:
    average, spread = accuracy(found)
    values: dict[str, Any] = {}
    if isinstance(found.loop, Sampled):
        values = {"K_p": found.loop.gains.proportional, "K_i": found.loop.gains.integral}
    elif isinstance(found.loop, Ripple) and found.sheet is not None:
        values = {v.symbol: v.worst for v in found.sheet}
    elif isinstance(found.loop, Analogue) and found.sheet is not None:
        values = {v.symbol: found.loop.values[v.symbol] for v in found.sheet}
        values["slope"] = found.loop.slope
        inner = found.loop.inner
        values |= {} if inner is None else {v.symbol: v.worst for v in inner.sheet}
    return {
        "title": found.design.spec.title,
        "topology": found.design.page.name,
        "kind": found.loop.loop.kind,
        "values": values,
        "holds": all(v.holds for v in judged),
        "held": {"average": average, "tolerance": spread},
        "corners": [_corner_data(p) for p in found.proofs],
        "verdicts": [_verdict_data(v) for v in judged],
        "poles": [{"kind": k, "real": v.real, "imaginary": v.imag} for k, v in poles],
        "hinder": found.hinder or None,
    }


def _verdict_data(v: Verdict) -> dict[str, Any]:
    return {"what": v.what, "asked": v.asked, "found": v.found, "holds": v.holds, "advice": v.advice or None}


def _corner_data(p: Proof) -> dict[str, Any]:
    return {
        "corner": p.words,
        "V_in": p.stage.v_in,
        "I_o": p.stage.i_o,
        "mode": p.mode or None,
        "control": p.control,
        "crossover": p.margins.crossover,
        "phase_margin": p.margins.phase,
        "gain_margin": p.margins.gain,
        "crossovers": [list(c) for c in p.margins.crossovers],
        "whole_crossover": p.whole.crossover,
        "whole_phase_margin": p.whole.phase,
        "whole_gain_margin": p.whole.gain,
        "multipliers": [[m.real, m.imag] for m in p.multipliers.tolist()],
        "average": p.average,
        "frequency": p.frequency,
        "reason": p.failure or None,
    }


def loop_columns(found: LoopDesign, closed: Closed, frequencies: NDArray[np.float64]) -> Columns:
    """Return the loop at nominal input and full load over frequency."""
    if not closed.clocked:
        raise InputError("--table: a loop without a clock has no gain over frequency")
    gain, whole = closed.gain(frequencies), closed.whole(frequencies)
    plant = found.nominal.plant(frequencies)
    out: Columns = {"frequency [Hz]": frequencies.tolist()}
    for name, values in (("loop", gain), ("loop at the comparator", whole), ("power stage", plant)):
        out[f"{name}, gain [dB]"] = decibels(values).tolist()
        out[f"{name}, phase [°]"] = unwound(values).tolist()
    return out
