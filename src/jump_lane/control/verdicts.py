"""Everything that a file asks of a loop, judged at the corner where it is worst."""

from __future__ import annotations

import math
from collections.abc import Iterator

from jump_lane.control.aiming import REACHED
from jump_lane.control.analogue import Analogue
from jump_lane.control.design import LoopDesign
from jump_lane.control.digital import Sampled, wanders
from jump_lane.control.journey import Journey
from jump_lane.control.loops import Proof
from jump_lane.control.ripple import Ripple
from jump_lane.judge.verdict import ROUNDING, Verdict
from jump_lane.quantities import show, show_percent
from jump_lane.spec.loop import RIPPLE

ROUNDED = "values that can be bought miss it; --exact keeps those derived"


def verdicts(found: LoopDesign, step: Journey | None = None) -> Iterator[Verdict]:
    """Yield the verdict on everything asked; corners without a result come first.

    Parameters
    ----------
    step
        The load step that the file asks a deviation of, if it does.
    """
    yield from _failures(found)
    proofs = [p for p in found.proofs if not p.failure]
    if not proofs:
        return
    loop, middle = found.loop.loop, found.middle
    if loop.crossover is not None and middle is not None:
        got = middle.margins.crossover
        holds = abs(got / loop.crossover - 1.0) <= REACHED
        yield Verdict(
            "crossover at nominal input, full load", show(loop.crossover, "Hz"), hertz_or_none(got), holds,
            "" if holds else found.hinder or ROUNDED,
        )  # fmt: skip
    yield from _at_corners(found, proofs)
    if loop.deviation is not None:
        yield _deviation(loop.deviation, step)


def held(found: LoopDesign) -> Iterator[Verdict]:
    """Yield whether a loop holds its converter: what is asked at every corner, and of the output."""
    yield from _failures(found)
    proofs = [p for p in found.proofs if not p.failure]
    if proofs:
        yield from _at_corners(found, proofs)
        yield from _band(found)


def _failures(found: LoopDesign) -> Iterator[Verdict]:
    """Yield why corners have no result, each reason once."""
    for reason in dict.fromkeys(p.failure for p in found.proofs if p.failure):
        where = [p.words for p in found.proofs if p.failure == reason]
        more = f" and {len(where) - 1} more" if len(where) > 1 else ""
        yield Verdict("a result at every corner", "", f"none at {where[0]}{more}", False, reason)


def _at_corners(found: LoopDesign, proofs: list[Proof]) -> Iterator[Verdict]:
    """Yield stability, margins, and whether a digital loop comes to rest."""
    yield _stability(proofs)
    if not isinstance(found.loop, Ripple):  # without a clock there is no gain that could have margins
        yield _phase(found, proofs)
        yield _gain(found, proofs)
    yield from _steps(found)


def _band(found: LoopDesign) -> Iterator[Verdict]:
    """Yield whether what is held stays in the band that the file asks of the first output, if it asks one."""
    output, (average, spread) = found.design.spec.output[0], accuracy(found)
    if "voltage_band" not in output.model_fields_set or not output.voltage:
        return
    off = max(abs(average * (1.0 + sign * spread) / output.voltage - 1.0) for sign in (-1.0, 1.0))
    holds = off <= output.voltage_band * (1.0 + ROUNDING)
    yield Verdict(
        "output with reference and divider at their worst", f"{show(output.voltage, 'V')} ± {show_percent(output.voltage_band)}",
        f"off by up to {show_percent(off)}", holds, "" if holds else "a closer divider or reference mends that",
    )  # fmt: skip


def hertz_or_none(frequency: float) -> str:
    """Return a crossover frequency as it is read."""
    return show(frequency, "Hz") if math.isfinite(frequency) else "none"


def _deviation(asked: float, step: Journey | None) -> Verdict:
    """Judge the largest deviation of the output on the load step."""
    what, words = "deviation on the load step", f"≤ {show(asked, 'V')}"
    if step is None:
        return Verdict(what, words, "none", False, "the load step has no result")
    swing = max(step.swings(), key=lambda s: s.deviation)
    holds = swing.deviation <= asked * (1.0 + ROUNDING)
    advice = "" if holds else "more output capacitance or a higher crossover mends that"
    return Verdict(what, words, f"{show(swing.deviation, 'V')}: {swing.words}", holds, advice)


def _stability(proofs: list[Proof]) -> Verdict:
    worst = max(proofs, key=lambda p: p.largest)
    got = f"largest multiplier {worst.largest:.4f} at {worst.words}"
    if worst.stable:
        return Verdict("every small deviation dies out", "|λ| < 1", got, True)
    f = worst.oscillation
    kind = (
        "at half the switching frequency"
        if f > 0.499
        else f"at {show(f * worst.stage.circuit.frequency, 'Hz')}"
    )
    cure = _cure(worst) if f > 0.499 else "less gain mends that"
    advice = f"it oscillates {kind}; {cure}"
    return Verdict("every small deviation dies out", "|λ| < 1", got, False, advice)


def _cure(proof: Proof) -> str:
    """Say what slope compensation cures a subharmonic oscillation: half the falling slope does at any duty ratio."""
    control = proof.stage.design.spec.control
    if control is not None and control.kind in RIPPLE:
        return "more series resistance or less of the capacitance of C_o mends that"
    if control is None or control.peak is None:
        return "less gain or less ripple on the amplifier's output mends that"
    return f"peak.slope is {100.0 * control.peak.slope:.3g} % of the falling slope; 50 % and more damp it at any duty ratio, 100 % in one period"


def _phase(found: LoopDesign, proofs: list[Proof]) -> Verdict:
    asked = found.loop.loop.phase_margin
    worst = min(proofs, key=lambda p: p.margins.phase if p.stable else -180.0)
    got = worst.margins.phase
    holds = worst.stable and got >= asked * (1.0 - ROUNDING)
    where = f"{got:.1f}° at {worst.words}" if math.isfinite(got) else "the gain never crosses 1"
    if not holds and worst.stable:
        mends = f"this corner is {worst.mode}; a lower crossover or a network with more boost mends that"
        advice = found.hinder or mends
    else:
        advice = "" if holds else "the loop is unstable there"
    return Verdict("phase margin at every corner", f"≥ {asked:.4g}°", where, holds, advice)


def _gain(found: LoopDesign, proofs: list[Proof]) -> Verdict:
    asked = found.loop.loop.gain_margin
    worst = min(proofs, key=lambda p: p.margins.gain if p.stable else -math.inf)
    got = worst.margins.gain
    holds = worst.stable and got >= asked * (1.0 - ROUNDING)
    where = f"{got:.1f} dB at {worst.words}" if math.isfinite(got) else "no phase crossing"
    advice = "" if holds else "a lower crossover mends that" if worst.stable else "the loop is unstable there"
    return Verdict("gain margin at every corner", f"≥ {asked:.4g} dB", where, holds, advice)


def _steps(found: LoopDesign) -> Iterator[Verdict]:
    """Yield whether a reading exists at which a digital loop comes to rest."""
    digital = found.loop.loop.digital
    if not isinstance(found.loop, Sampled) or digital.duty_step is None or digital.voltage_step is None:
        return
    bad = wanders(digital.duty_step, digital.voltage_step, found.nominal.responses)
    yield Verdict(
        "a code at which it rests", "step of the control < step of the reading",
        "none: it wanders between two codes" if bad else "there is one", not bad,
        "a finer step of the pulse width, or a coarser one of the reading, mends that (Peterchev/Sanders 2003)" if bad else "",
    )  # fmt: skip


def accuracy(found: LoopDesign) -> tuple[float, float]:
    """Return the average that is held at nominal input and full load, and how far tolerances may move it [1].

    Reference and both resistors of the divider at their worst: δ_ref + 2·δ_R·(1 − V_ref/V_o).  With a threshold diode, which has no
    integrator behind it, its tolerance and what corners and transfer ratio move.
    """
    loop = found.loop.loop
    average = math.nan if found.middle is None else found.middle.average
    if isinstance(found.loop, Sampled):
        return average, loop.reference_tolerance
    if isinstance(found.loop, Analogue) and not found.loop.network.divided:
        averages = [p.average for p in found.proofs if not p.failure]
        moved = max((abs(v / average - 1.0) for v in averages), default=0.0)
        return average, loop.reference_tolerance * found.loop.values["V_Z"] / found.nominal.target + moved
    share = 1.0 - loop.reference / found.nominal.target
    return average, loop.reference_tolerance + 2.0 * loop.divider_tolerance * share
