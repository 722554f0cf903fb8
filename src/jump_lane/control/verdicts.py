"""Everything that a file asks of a loop, judged at the corner where it is worst."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

from jump_lane.control.design import LoopDesign
from jump_lane.control.digital import Sampled, wanders
from jump_lane.control.loops import Proof
from jump_lane.quantities import show

ROUNDING = 1e-3
"""At a limit within this part it holds."""

REACHED = 0.05
"""How far the crossover may be from what is asked, with values that can be bought."""

NEAR_DEGREES = 0.5
"""How far a phase margin may be below what is asked [°]: what rounding to a series brings at the nominal corner is told, less
than this is not."""


@dataclass(frozen=True)
class Verdict:
    """One thing asked, what there is, and whether it holds; in words."""

    what: str
    asked: str
    found: str
    holds: bool
    advice: str = ""


def verdicts(found: LoopDesign) -> Iterator[Verdict]:
    """Yield the verdict on everything asked; corners without a result come first."""
    failed = [p for p in found.proofs if p.failure]
    for proof in failed:
        yield Verdict(f"a result at {proof.stage.words}", "", "none", False, proof.failure)
    proofs = [p for p in found.proofs if not p.failure]
    if not proofs:
        return
    loop = found.loop.loop
    nominal = next((p for p in proofs if _is_nominal(p, found)), None)
    if loop.crossover is not None and nominal is not None:
        got = nominal.margins.crossover
        holds = abs(got / loop.crossover - 1.0) <= REACHED
        yield Verdict(
            "crossover at nominal input, full load", show(loop.crossover, "Hz"), _hertz(got), holds,
            "" if holds else _why(found, "no values of this network have it"),
        )  # fmt: skip
    yield _stability(proofs)
    yield _phase(found, proofs)
    yield _gain(found, proofs)
    yield from _steps(found)


def _is_nominal(proof: Proof, found: LoopDesign) -> bool:
    stage = found.nominal
    return abs(proof.stage.v_in / stage.v_in - 1.0) < 1e-9 and abs(proof.stage.i_o / stage.i_o - 1.0) < 1e-9


def _why(found: LoopDesign, otherwise: str) -> str:
    return "; ".join(found.hinders) or otherwise


def _stability(proofs: list[Proof]) -> Verdict:
    worst = max(proofs, key=lambda p: p.largest)
    got = f"largest multiplier {worst.largest:.4f} at {worst.stage.words}"
    if worst.stable:
        return Verdict("every small deviation dies out", "|λ| < 1", got, True)
    f = worst.oscillation
    kind = (
        "at half the switching frequency"
        if f > 0.499
        else f"at {show(f * worst.stage.circuit.frequency, 'Hz')}"
    )
    advice = f"it oscillates {kind}"
    advice += (
        f"; {_cure(worst)}"
        if f > 0.499 and worst.stage.design.spec.control is not None
        else "; less gain mends that"
    )
    return Verdict("every small deviation dies out", "|λ| < 1", got, False, advice)


def _cure(proof: Proof) -> str:
    """Say what slope compensation cures a subharmonic oscillation: half the falling slope does at any duty ratio."""
    control = proof.stage.design.spec.control
    if control is None or control.peak is None:
        return "less gain or less ripple on the amplifier's output mends that"
    return f"peak.slope is {100.0 * control.peak.slope:.3g} % of the falling slope; 50 % and more damp it at any duty ratio, 100 % in one period"


def _phase(found: LoopDesign, proofs: list[Proof]) -> Verdict:
    asked = found.loop.loop.phase_margin
    worst = min(proofs, key=lambda p: p.margins.phase if p.stable else -180.0)
    got = worst.margins.phase
    holds = worst.stable and got >= asked - NEAR_DEGREES
    where = f"{got:.1f}° at {worst.stage.words}" if math.isfinite(got) else "the gain never crosses 1"
    if not holds and worst.stable:
        advice = _why(
            found, f"this corner is {worst.mode}; a lower crossover or a network with more boost mends that"
        )
    else:
        advice = "" if holds else "the loop is unstable there"
    return Verdict("phase margin at every corner", f"≥ {asked:.4g}°", where, holds, advice)


def _gain(found: LoopDesign, proofs: list[Proof]) -> Verdict:
    asked = found.loop.loop.gain_margin
    worst = min(proofs, key=lambda p: p.margins.gain if p.stable else -math.inf)
    got = worst.margins.gain
    holds = worst.stable and got >= asked * (1.0 - ROUNDING)
    where = f"{got:.1f} dB at {worst.stage.words}" if math.isfinite(got) else "no phase crossing"
    advice = "" if holds else "a lower crossover mends that" if worst.stable else "the loop is unstable there"
    return Verdict("gain margin at every corner", f"≥ {asked:.4g} dB", where, holds, advice)


def _steps(found: LoopDesign) -> Iterator[Verdict]:
    """Yield whether a reading exists at which a digital loop comes to rest."""
    if not isinstance(found.loop, Sampled) or found.loop.loop.digital.duty_step is None:
        return
    if found.loop.loop.digital.voltage_step is None:
        return
    bad = wanders(found.loop.loop, found.nominal)
    yield Verdict(
        "a code at which it rests", "step of the control < step of the reading",
        "none: it wanders between two codes" if bad else "there is one", not bad,
        "a finer step of the pulse width, or a coarser one of the reading, mends that (Peterchev/Sanders 2003)" if bad else "",
    )  # fmt: skip


def _hertz(value: float) -> str:
    return show(value, "Hz") if math.isfinite(value) else "none"


def accuracy(found: LoopDesign) -> tuple[float, float]:
    """Return the average that is held at nominal input and full load, and how far tolerances may move it [1].

    Reference and both resistors of the divider at their worst: δ_ref + 2·δ_R·(1 − V_ref/V_o).
    """
    proofs = [p for p in found.proofs if not p.failure]
    average = next(
        (p.average for p in proofs if _is_nominal(p, found)), proofs[0].average if proofs else math.nan
    )
    loop = found.loop.loop
    if isinstance(found.loop, Sampled):
        return average, loop.reference_tolerance
    share = 1.0 - loop.reference / found.nominal.target
    return average, loop.reference_tolerance + 2.0 * loop.divider_tolerance * share
