"""A loop as tables, columns and figures."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from jump_lane.control.analogue import Analogue
from jump_lane.control.averaged import CLOSE_GAIN, CLOSE_PHASE, UP_TO, apart, averaged
from jump_lane.control.design import LoopDesign
from jump_lane.control.digital import Sampled
from jump_lane.control.loops import Closed, Proof
from jump_lane.control.surroundings import Answers
from jump_lane.control.verdicts import Verdict, accuracy, verdicts
from jump_lane.equations.formula import pretty
from jump_lane.quantities import show
from jump_lane.report.export import Columns
from jump_lane.report.figures import COLOURS, INK, dress, hertz, sheet
from jump_lane.report.table import Table, View


def loop_view(found: LoopDesign, name: str, poles: list[tuple[str, complex]]) -> View:
    """Show the values, the loop at every corner, and verdicts.  The exit status is 1 where something asked is not met."""
    judged = list(verdicts(found))
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


def _values(found: LoopDesign) -> Table:
    if isinstance(found.loop, Sampled):
        gains = found.loop.gains
        rows = (
            ("K_p", f"{gains.proportional:.4g}", "proportional gain, control per unit of error"),
            ("K_i", f"{gains.integral:.4g}", "integral gain, per period"),
        )
        return Table("Digital controller", ("symbol", "value>", "meaning"), rows)
    assert found.sheet is not None
    rows_ = []
    for value in found.sheet:
        if value.line is None:
            continue
        formula, numbers = found.sheet.written(value)
        used = found.loop.values.get(value.symbol, value.worst)
        shown = show(used, value.unit) if abs(used - value.worst) > 1e-9 * abs(used) else ""
        derived = show(value.required if value.required is not None else value.worst, value.unit)
        rows_.append((pretty(value.symbol), derived, shown, formula, value.line.source))
        _ = numbers
    title = f"{found.loop.network.title[0].upper()}{found.loop.network.title[1:]}"
    return Table(title, ("symbol", "derived>", "used>", "formula", "source"), tuple(rows_))


def _corners(found: LoopDesign) -> Table:
    control = found.design.control.symbol
    peak = isinstance(found.loop, Analogue) and found.loop.peak
    heads = (
        "input>",
        "load>",
        "mode",
        f"{control}>",
        "crossover>",
        "phase margin>",
        "gain margin>",
        "largest |λ|>",
    )
    rows, marks = [], []
    for p in found.proofs:
        rows.append(_row(p, found) + ((_hz(p.whole.crossover),) if peak else ()))
        marks.append("" if p.stable else "bad")
    return Table(
        "The loop at every corner, exact",
        heads + (("current loop>",) if peak else ()),
        tuple(rows),
        tuple(marks),
    )


def _row(p: Proof, found: LoopDesign) -> tuple[str, ...]:
    ends = (show(p.stage.v_in, "V"), show(p.stage.i_o, "A"))
    if p.failure:
        return (*ends, p.failure.splitlines()[0], "–", "–", "–", "–", "–")
    gain = f"{p.margins.gain:.1f} dB" if math.isfinite(p.margins.gain) else "none"
    phase = f"{p.margins.phase:.1f}°" if math.isfinite(p.margins.phase) else "–"
    return (
        *ends, p.mode, found.design.control.shown(p.control, p.stage.circuit.period), _hz(p.margins.crossover), phase, gain,
        f"{p.largest:.4f}",
    )  # fmt: skip


def _hz(value: float) -> str:
    return show(value, "Hz") if math.isfinite(value) else "none"


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
    notes += [f"in the way: {h}" for h in found.hinders]
    notes += _about_average(found)
    if isinstance(found.loop, Analogue) and found.loop.peak:
        notes.append(f"slope compensation {show(found.loop.slope, 'V/s')}, at the comparator")
    step = "transient" if found.design.spec.event else "transient (with [[event]] tables)"
    notes.append(
        f"jumplane {step} {name} simulates steps; --figure draws the loop, --responses impedances and line"
    )
    return notes


def _about_average(found: LoopDesign) -> list[str]:
    """Say how the averaged model of the page compares with the exact response."""
    stage = found.nominal
    proof = next(
        (
            p
            for p in found.proofs
            if p.stage.v_in == stage.v_in and p.stage.i_o == stage.i_o and not p.failure
        ),
        None,
    )
    if proof is None:
        return []
    model = averaged(stage, proof.mode)
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
        else "it leaves out leakage, clamps and dead time, or a resonance so sharp that small losses move it"
    )
    return [f"the averaged model misses the exact response by {said}: {why}"]


def _data(found: LoopDesign, judged: list[Verdict], poles: list[tuple[str, complex]]) -> dict[str, Any]:
    average, spread = accuracy(found)
    values: dict[str, Any] = {}
    if isinstance(found.loop, Sampled):
        values = {"K_p": found.loop.gains.proportional, "K_i": found.loop.gains.integral}
    elif found.sheet is not None:
        values = {v.symbol: found.loop.values[v.symbol] for v in found.sheet}
        values["slope"] = found.loop.slope
    return {
        "title": found.design.spec.title,
        "topology": found.design.page.name,
        "kind": found.loop.loop.kind,
        "values": values,
        "holds": all(v.holds for v in judged),
        "held": {"average": average, "tolerance": spread},
        "corners": [_corner_data(p) for p in found.proofs],
        "verdicts": [
            {"what": v.what, "asked": v.asked, "found": v.found, "holds": v.holds, "advice": v.advice or None}
            for v in judged
        ],
        "poles": [{"kind": k, "real": v.real, "imaginary": v.imag} for k, v in poles],
        "hinders": list(found.hinders),
    }


def _corner_data(p: Proof) -> dict[str, Any]:
    return {
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
        "reason": p.failure or None,
    }


def loop_columns(found: LoopDesign, closed: Closed, frequencies: NDArray[np.float64]) -> Columns:
    """Return the loop at nominal input and full load over frequency."""
    gain, whole = closed.gain(frequencies), closed.whole(frequencies)
    plant = found.nominal.plant(frequencies)
    out: Columns = {"frequency [Hz]": frequencies.tolist()}
    for name, values in (("loop", gain), ("loop at the comparator", whole), ("power stage", plant)):
        out[f"{name}, gain [dB]"] = (20.0 * np.log10(np.abs(values))).tolist()
        out[f"{name}, phase [°]"] = _unwound(values).tolist()
    return out


def _unwound(values: NDArray[np.complex128]) -> NDArray[np.float64]:
    return np.asarray(np.degrees(np.unwrap(np.angle(values))))


def loop_figure(
    found: LoopDesign, closed: Closed, step: tuple[NDArray[np.float64], NDArray[np.float64]] | None
) -> Any:
    """Draw gain and phase with crossover, margins and what is asked; Nyquist plot, multipliers, and a load step."""
    stage, sampling = found.nominal, 1.0 / closed.responses.period
    figure = sheet(f"{found.design.spec.title or found.design.page.title}: the loop at {stage.words}")
    f = np.geomspace(max(1e-4 * sampling, 1.0), 0.499 * sampling, 500)
    gain = closed.gain(f)
    _bode(figure, found, closed, f, gain)
    _nyquist(figure.add_axes((0.655, 0.59, 0.2, 0.32)), gain)
    _circle(figure.add_axes((0.655, 0.345, 0.13, 0.18)), closed)
    if step is not None:
        _step(figure.add_axes((0.655, 0.08, 0.32, 0.19)), *step, "A" if stage.string else "V")
    return figure


def _bode(
    figure: Any, found: LoopDesign, closed: Closed, f: NDArray[np.float64], gain: NDArray[np.complex128]
) -> None:
    upper, lower = figure.add_axes((0.075, 0.53, 0.505, 0.38)), figure.add_axes((0.075, 0.08, 0.505, 0.38))
    loop, proof = found.loop.loop, next(p for p in found.proofs if p.stage.words == found.nominal.words)
    size, phase = 20.0 * np.log10(np.abs(gain)), _unwound(gain)
    phase -= 360.0 * math.ceil((phase[0] - 90.0) / 360.0)
    stage = found.nominal
    plant = found.loop.plant(stage, f)
    upper.plot(f, size, color=COLOURS[0], lw=1.7, label="loop, exact")
    upper.plot(f, 20.0 * np.log10(np.abs(plant)), color=COLOURS[1], lw=1.2, label="power stage, exact")
    turned = _unwound(plant)
    lower.plot(f, phase, color=COLOURS[0], lw=1.7)
    lower.plot(f, turned - 360.0 * round(turned[0] / 360.0), color=COLOURS[1], lw=1.2)
    model = averaged(stage, proof.mode)
    if model is not None and isinstance(found.loop, Analogue) and not found.loop.peak:
        other = model.gain(f) / found.loop.ramp(stage.v_in)
        upper.plot(
            f, 20.0 * np.log10(np.abs(other)), color=INK, lw=0.9, ls="--", label="power stage, averaged model"
        )
        lower.plot(f, _unwound(other), color=INK, lw=0.9, ls="--")
    if math.isfinite(proof.margins.crossover):
        f_c, margin = proof.margins.crossovers[-1]
        upper.axvline(f_c, color=INK, lw=0.7, ls=":")
        lower.axvline(f_c, color=INK, lw=0.7, ls=":")
        upper.annotate(
            f"crossover {show(f_c, 'Hz')}",
            (f_c, 0.0),
            xytext=(6, 8),
            textcoords="offset points",
            fontsize=9,
            color=INK,
        )
        lower.annotate(
            f"phase margin {margin:.1f}°",
            (f_c, -180.0 + margin),
            xytext=(6, 8),
            textcoords="offset points",
            fontsize=9,
            color=INK,
        )
        lower.plot([f_c, f_c], [-180.0, -180.0 + margin], color=COLOURS[2], lw=2.4)
    for f_x, margin in proof.margins.crossings[:1]:
        upper.plot([f_x, f_x], [-margin, 0.0], color=COLOURS[2], lw=2.4)
        upper.annotate(
            f"gain margin {margin:.1f} dB",
            (f_x, -margin),
            xytext=(-6, -18),
            textcoords="offset points",
            fontsize=9,
            color=INK,
            ha="right",
        )
    upper.axhline(0.0, color=INK, lw=0.8)
    upper.axhspan(
        -loop.gain_margin, 0.0, xmin=0.0, xmax=1.0, color="#f2ddd3", zorder=0, lw=0, label="gain margin asked"
    )
    lower.axhspan(
        -180.0, -180.0 + loop.phase_margin, color="#f2ddd3", zorder=0, lw=0, label="phase margin asked"
    )
    for axes, words in ((upper, "gain [dB]"), (lower, "phase [°]")):
        dress(axes)
        axes.set_xscale("log")
        hertz(axes)
        axes.set_xlim(f[0], f[-1])
        axes.set_ylabel(words, color=INK, fontsize=9)
        axes.legend(loc="lower left", fontsize=8, frameon=False)
    lower.set_xlabel("frequency [Hz]", color=INK, fontsize=9)


def _nyquist(axes: Any, gain: NDArray[np.complex128]) -> None:
    dress(axes)
    axes.plot(gain.real, gain.imag, color=COLOURS[0], lw=1.4)
    turn = np.linspace(0.0, 2.0 * math.pi, 200)
    axes.plot(np.cos(turn), np.sin(turn), color=INK, lw=0.6, ls=":")
    axes.plot([-1.0], [0.0], "+", color=COLOURS[2], ms=10, mew=2)
    axes.set_xlim(-2.2, 1.2)
    axes.set_ylim(-2.2, 1.2)
    axes.set_aspect("equal")
    axes.set_title("loop gain in the plane; −1 marked", fontsize=9, color=INK, loc="left")


def _circle(axes: Any, closed: Closed) -> None:
    dress(axes)
    turn = np.linspace(0.0, 2.0 * math.pi, 200)
    axes.plot(np.cos(turn), np.sin(turn), color=INK, lw=0.8)
    values = closed.multipliers
    inside = np.abs(values) < 1.0
    axes.plot(values[inside].real, values[inside].imag, "o", color=COLOURS[0], ms=5, mfc="none")
    axes.plot(values[~inside].real, values[~inside].imag, "x", color=COLOURS[2], ms=7)
    axes.set_xlim(-1.25, 1.25)
    axes.set_ylim(-1.25, 1.25)
    axes.set_aspect("equal")
    axes.set_title("multipliers of the closed loop", fontsize=9, color=INK, loc="left")


def _step(axes: Any, time: NDArray[np.float64], value: NDArray[np.float64], unit: str) -> None:
    dress(axes)
    axes.plot(time * 1e6, value, color=COLOURS[0], lw=0.9)
    axes.set_xlabel("time [µs]", fontsize=8, color=INK)
    axes.set_title(f"output [{unit}] at the load step and back", fontsize=9, color=INK, loc="left")


def answers_view(found: Answers) -> View:
    """Show responses in open and closed loop at some frequencies."""
    groups = (
        ("To the control", [n for n in found.names if n.startswith("control")]),
        ("In open loop", [n for n in found.names if n.endswith("open")]),
        ("Under the loop", [n for n in found.names if n.endswith("closed")]),
    )
    tables = [_answers(found, title, names) for title, names in groups if names]
    notes = (
        f"at {found.words}; a sine for all time, exact: what comes out at the same frequency",
        "worst output impedance: " + found.worst,
    )
    data = {
        "frequencies": found.frequencies.tolist(),
        "responses": {n: [[v.real, v.imag] for v in found.values[n].tolist()] for n in found.names},
    }
    return View("responses", data, tuple(tables), notes)


def _answers(found: Answers, title: str, names: list[str]) -> Table:
    heads = ("frequency>", *(f"{n.partition(', ')[0]}>" for n in names))
    rows = [
        (show(f, "Hz"), *(_polar(found.values[n][k], found.units[n]) for n in names))
        for k, f in enumerate(found.frequencies.tolist())
    ]
    return Table(title, heads, tuple(rows))


def _polar(value: complex, unit: str) -> str:
    return f"{show(abs(value), unit)} ∠ {math.degrees(math.atan2(value.imag, value.real)):.1f}°"


def answers_columns(found: Answers) -> Columns:
    """Return every response over frequency."""
    out: Columns = {"frequency [Hz]": found.frequencies.tolist()}
    for n in found.names:
        out[f"{n}, magnitude [{found.units[n] or '1'}]"] = np.abs(found.values[n]).tolist()
        out[f"{n}, phase [°]"] = np.degrees(np.angle(found.values[n])).tolist()
    return out


def answers_figure(found: Answers, title: str) -> Any:
    """Draw responses: control and line above, impedances below, open loop thin."""
    figure = sheet(f"{title}: responses at {found.words}")
    groups = (
        ("control", [n for n in found.names if n.startswith("control")]),
        ("input to output [dB]", [n for n in found.names if n.startswith("line")]),
        ("impedance", [n for n in found.names if "impedance" in n]),
    )
    for k, (words, names) in enumerate(groups):
        axes = figure.add_axes((0.085, 0.69 - 0.3 * k, 0.68, 0.24))
        for i, n in enumerate(names):
            size = 20.0 * np.log10(np.maximum(np.abs(found.values[n]), 1e-12))
            thin = n.endswith("open")
            axes.plot(
                found.frequencies,
                size,
                color=COLOURS[i % len(COLOURS)],
                lw=1.0 if thin else 1.7,
                ls="--" if thin else "-",
                label=n,
            )
        dress(axes)
        axes.set_xscale("log")
        hertz(axes)
        axes.set_xlim(found.frequencies[0], found.frequencies[-1])
        axes.set_ylabel(
            words if "dB" in words else f"{words} [dB{'Ω' if 'imp' in words else ''}]", color=INK, fontsize=9
        )
        axes.legend(loc="upper left", bbox_to_anchor=(1.01, 1.0), fontsize=8, frameon=False)
    axes.set_xlabel("frequency [Hz]", color=INK, fontsize=9)
    return figure
