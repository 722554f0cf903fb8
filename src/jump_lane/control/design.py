"""A loop designed: network or gains from the exact response of the power stage, until the exact loop has what is asked."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from jump_lane.control import ripple
from jump_lane.control.analogue import (
    Analogue,
    derived,
    falling_slope,
    given,
    network_of,
    preferred,
    require_reference,
    require_values,
    values_of,
)
from jump_lane.control.average import designed
from jump_lane.control.digital import Gains, Sampled, gains_for, slowly
from jump_lane.control.loops import AnyLoop, Proof, close, prove
from jump_lane.control.margins import Gain, margins
from jump_lane.control.stage import Corners, Stage, corners, degrees, require_duty
from jump_lane.design.derive import Design
from jump_lane.equations.divider import pair
from jump_lane.equations.sheet import Sheet
from jump_lane.errors import InputError, NoResultError
from jump_lane.quantities import exact, show
from jump_lane.spec.loop import RIPPLE, Loop

ROUNDS = 8
"""How often aims are moved by what the exact loop missed."""

CORNER_ROUNDS, EXTRA, HIGHEST_MARGIN = 4, 1.0, 85.0
"""How often the margin at nominal input and full load is raised for that of the worst corner, by how much more, and up to
what [°]."""

NEAR_CROSSOVER, NEAR_PHASE = 2e-3, 0.1
"""How closely crossover (relative) and phase margin [°] are met."""

HIGHEST, LOWEST, NYQUIST = 0.25, 2e-4, 0.45
"""Range of crossovers that are tried, and the highest that is aimed at, over the switching frequency."""

TRIED, HALVINGS = 14, 5
"""Crossovers tried on the way down, and then between the last two."""

ACROSS = ("optocoupler", "threshold-diode")
"""Amplifiers whose output crosses an isolation barrier."""

SERIES = ("E96", "E24")
"""Series of resistors and of capacitors."""


@dataclass(frozen=True)
class LoopDesign:
    """A loop with how it came about.

    Attributes
    ----------
    loop
        With values that can be bought, if they were asked for.
    sheet
        Derivation of the network; None for a digital loop.
    hinder
        What stands against what is asked, in words; nothing if nothing does.
    proofs
        Of every corner, and of an optocoupler at the ends of its transfer ratio.
    variants
        How many variants with parts off by their tolerances were proven, the worst of which are among the proofs.
    """

    design: Design
    corners: Corners
    loop: AnyLoop
    sheet: Sheet | None
    hinder: str
    proofs: tuple[Proof, ...]
    variants: int = 0

    @property
    def nominal(self) -> Stage:
        """Where it was designed: nominal input, full load."""
        return self.corners.nominal

    @property
    def middle(self) -> Proof | None:
        """What is proven there; None if that failed."""
        found = (p for p in self.proofs if p.words == self.nominal.words and not p.failure)
        return next(found, None)


@dataclass(frozen=True)
class _Try:
    """A loop with exact values: its crossover [Hz] and phase margin [°] where it was designed."""

    loop: AnyLoop
    sheet: Sheet | None
    crossover: float
    phase: float
    stable: bool
    hinder: str = ""


def loop_of(design: Design, stage: Stage) -> Loop:
    """Return the loop of a file.

    Raises
    ------
    InputError
        If it has none, or asks for what no loop can have.
    """
    loop = design.spec.control
    if loop is None:
        raise InputError(
            "control: there is no such table in the file; expected [control] with kind, network and crossover, such as\n"
            '[control]\nkind = "voltage"\nnetwork = "type III"\ncrossover = "20 kHz"'
        )
    loop = _set_by_divider(loop, design, stage)
    half = 0.5 / stage.circuit.period
    if loop.crossover is not None and loop.crossover >= half:
        raise InputError(
            f"control.crossover: {show(loop.crossover, 'Hz')} is not below half the switching frequency, {show(half, 'Hz')}; "
            "a loop that acts once a period cannot have it"
        )
    if loop.deviation is not None and stage.string:
        raise InputError(
            "control.deviation: the load is a string of LEDs, which takes no load step; expected none"
        )
    if loop.kind in RIPPLE:
        require_duty(design)
    elif loop.kind != "digital":
        require_duty(design)
        require_values(loop, network_of(loop))
        require_reference(loop, stage)
    return loop


def _set_by_divider(loop: Loop, design: Design, stage: Stage) -> Loop:
    """Return the loop with the resistors of the divider that the file asks for, unless it gives the lower one itself."""
    asked = design.spec.divider
    if asked is None or loop.kind == "digital" or "R_b" in loop.values or stage.string:
        return loop
    found = pair(stage.target, loop.reference, **asked.search(stage.target, loop.reference, loop.divider))
    if loop.kind in RIPPLE:  # the lower one follows from the valley that is held
        return loop.model_copy(update={"divider": found.upper.value})
    values = {**loop.values, "R_b": exact(found.lower.value, "Ω")}
    return loop.model_copy(update={"divider": found.upper.value, "values": values})


def design_loop(design: Design, fitted: bool = True) -> LoopDesign:
    """Design the loop of a file and prove it at every corner.

    Parameters
    ----------
    fitted
        Whether components get values of a series (resistors E96, capacitors E24).

    Raises
    ------
    InputError
        If the file has no loop, or asks for what cannot be.
    NoResultError
        If the power stage has no steady state at nominal input and full load.
    """
    places = corners(design)
    loop = loop_of(design, places.nominal)
    if loop.kind in RIPPLE:
        made, sheet = ripple.designed(loop, places.nominal, fitted)
        return LoopDesign(
            design, places, made, sheet, "", tuple(prove(made, stage) for stage in places.every)
        )
    maker = _Maker(loop, places, _maker(loop, places, fitted), fitted)
    found, proofs = maker.everywhere(loop.crossover) if loop.crossover is not None else maker.fastest()
    return LoopDesign(design, places, maker.bought(found.loop), found.sheet, found.hinder, proofs)


Proven = tuple[_Try, tuple[Proof, ...]]


class _Maker:
    """Makes loops for a crossover and a phase margin at nominal input and full load, and proves them everywhere."""

    def __init__(
        self, loop: Loop, places: Corners, make: Callable[[float, float], _Try], fitted: bool
    ) -> None:
        self.loop, self.places, self._make, self._fitted = loop, places, make, fitted
        self.sampling = 1.0 / places.nominal.responses.period
        kind = loop.digital.gains if loop.kind == "digital" else loop.network
        self._fixed = kind in ("integral", "proportional")
        """Whether the margin follows from the crossover."""

    def bought(self, loop: AnyLoop) -> AnyLoop:
        """Return a loop with values of components that can be bought, if such are wanted."""
        if not self._fitted or not isinstance(loop, Analogue):
            return loop
        chosen = preferred(loop.values, loop.network, SERIES)
        return loop.with_values({s: v for s, v in chosen.items() if s not in self.loop.values})

    def proven(self, loop: AnyLoop) -> tuple[Proof, ...]:
        """Prove a loop, with values that can be bought, at every corner."""
        variants = _variants(self.bought(loop))
        return tuple(prove(one, stage, words) for words, one in variants for stage in self.places.every)

    def everywhere(self, crossover: float) -> Proven:
        """Return the loop with a crossover at nominal input and full load whose phase margin holds at every corner, if one does;
        else the one that has it where it was designed."""
        asked = self.loop.phase_margin
        first = found = self.at(crossover, asked)
        at_first = proofs = self.proven(found.loop)
        aim = asked
        for _ in range(CORNER_ROUNDS):
            short = asked - min(p.margins.phase if p.stable else -180.0 for p in proofs)
            if found.hinder or self._fixed or short <= 0.0:
                break
            aim = min(aim + 1.5 * short + EXTRA, HIGHEST_MARGIN)
            found = self.at(crossover, aim)
            proofs = self.proven(found.loop)
        else:
            return first, at_first
        return (first, at_first) if found.hinder else (found, proofs)

    def at(self, crossover: float, phase: float) -> _Try:
        """Return the loop with a crossover and a phase margin, its aims moved until the exact loop meets them."""
        aim, margin = crossover, phase
        tried: list[_Try] = []
        below: tuple[float, float] | None = None
        above: tuple[float, float] | None = None
        for _ in range(ROUNDS):
            found = self._make(aim, margin)
            tried.append(found)
            if found.hinder or not math.isfinite(found.crossover):
                break
            missed = phase - found.phase
            reached = abs(found.crossover / crossover - 1.0) < NEAR_CROSSOVER
            if reached and (abs(missed) < NEAR_PHASE or self._fixed):
                break
            if found.crossover < crossover:
                below = aim, found.crossover
            else:
                above = aim, found.crossover
            aim = min(_next_aim(aim, found.crossover, crossover, below, above), NYQUIST * self.sampling)
            margin = min(max(margin + missed, 5.0), 150.0)
        return min(tried, key=lambda t: _off(t, crossover, phase))

    def fastest(self) -> Proven:
        """Return the loop with the highest crossover whose margins hold at all corners; that with the most phase if none does."""
        above, tried = math.nan, []
        for f in np.geomspace(HIGHEST, LOWEST, TRIED) * self.sampling:
            good = self.everywhere(float(f))
            if self._holds(good):
                break
            tried.append(good)
            above = float(f)
        else:
            return max(tried, key=lambda t: min(p.margins.phase if p.stable else -180.0 for p in t[1]))
        if not math.isfinite(above):
            return good
        low, high = good[0].crossover, above
        for _ in range(HALVINGS):
            middle = math.sqrt(low * high)
            found = self.everywhere(middle)
            if self._holds(found):
                good, low = found, middle
            else:
                high = middle
        return good

    def _holds(self, found: Proven) -> bool:
        asked, least = self.loop.phase_margin, self.loop.gain_margin
        return not found[0].hinder and all(
            p.stable and p.margins.phase >= asked and p.margins.gain >= least for p in found[1]
        )


def _next_aim(
    aim: float,
    found: float,
    wanted: float,
    below: tuple[float, float] | None,
    above: tuple[float, float] | None,
) -> float:
    """Return the crossover to aim at next: between an aim that came out too low and one too high, if there are both.

    Parameters
    ----------
    aim, found, wanted
        The last aim, the crossover that came of it, and the one wanted [Hz].
    below, above
        The last aim that came out below, and above, with what came of it [Hz].
    """
    if below is None or above is None or not below[0] < above[0]:
        return aim * min(max(wanted / found, 0.5), 2.0)
    part = math.log(wanted / below[1]) / math.log(above[1] / below[1])
    return float(below[0] * (above[0] / below[0]) ** min(max(part, 0.1), 0.9))


def _variants(loop: AnyLoop) -> list[tuple[str, AnyLoop]]:
    """Return a loop, and with an optocoupler the same at the ends of its transfer ratio, in words."""
    out: list[tuple[str, AnyLoop]] = [("", loop)]
    if not isinstance(loop, Analogue) or loop.loop.amplifier.kind not in ACROSS:
        return out
    amplifier = loop.loop.amplifier
    for off in (-amplifier.spread, amplifier.spread):
        if off:
            ratio = amplifier.transfer * (1.0 + off)
            out.append((f"CTR {100.0 * ratio:.3g} %", loop.with_values({"r_t": ratio})))
    return out


def _off(found: _Try, crossover: float, phase: float) -> float:
    """Return how far a loop is from what was wanted: a factor e of the crossover counts as 30° do."""
    if not math.isfinite(found.crossover):
        return math.inf
    unstable = 0.0 if found.stable else 10.0
    return unstable + abs(math.log(found.crossover / crossover)) + max(phase - found.phase, 0.0) / 30.0


def _maker(loop: Loop, places: Corners, fitted: bool) -> Callable[[float, float], _Try]:
    stage = places.nominal
    if loop.kind == "digital":
        return lambda crossover, margin: _digital(loop, stage, crossover, margin)
    peak = loop.peak
    slope = 0.0 if peak is None else peak.slope * falling_slope(places.every, peak.sense)
    known = given(loop)
    inner = (
        None if loop.average is None else designed(loop, stage, {s: known[s] for s in ("A_0", "f_u")}, fitted)
    )
    start = Analogue(loop, network_of(loop), {}, slope, stage.v_in, inner)
    plant = start.plant(stage)
    return lambda crossover, margin: _analogue(start, plant, stage, crossover, margin)


def _analogue(start: Analogue, plant: Gain, stage: Stage, crossover: float, margin: float) -> _Try:
    """Return a network for a crossover and a phase margin [°] by the exact plant, and what the exact loop then has."""
    loop, network = start.loop, start.network
    there = complex(plant(np.array([crossover]))[0])
    low, high = network.boost
    needed = margin - degrees(there) - 90.0
    hinder = ""
    if needed > high + 0.5:
        hinder = (
            f"a phase margin of {margin:.4g}° at {show(crossover, 'Hz')} needs {needed:.0f}° of boost, as the power stage lags by "
            f"{-degrees(there):.0f}° there; {network.title} gives at most {high:.0f}°"
        )
    aims = {"f_c": crossover, "G_c": 1.0 / abs(there), "b_c": min(max(needed, low), high)}
    if "V_c" in network.needs:
        aims["V_c"] = start.modulator(stage).command(stage.open)
    sheet = derived(loop, network, stage.target, aims)
    if "V_Z" in sheet and sheet["V_Z"].worst <= 0.0:
        hinder = (
            f"no threshold diode makes this gain: R_d of {show(sheet['R_d'].worst, 'Ω')} drops more than the output is; a higher "
            "crossover, a higher output or more volts for each ampere (peak.sense) or a larger ramp mends that"
        )
    return _judged(start.with_values(values_of(sheet, loop)), sheet, stage, hinder)


def _digital(loop: Loop, stage: Stage, crossover: float, margin: float) -> _Try:
    """Return gains for a crossover and a phase margin [°], those of the file in their place, and what the loop then has."""
    d, responses = loop.digital, stage.responses
    plant = complex(responses.sampled("held", np.array([crossover]), d.sample)[0])
    still = slowly(responses)
    gains = gains_for(loop, responses.period, plant, still, crossover, margin)
    hinder = ""
    if gains.integral * still <= 0.0:
        late = np.exp(-2j * math.pi * crossover * responses.period * d.delay)
        hinder = (
            f"no gains give a phase margin of {margin:.4g}° at {show(crossover, 'Hz')}: the power stage and the delay lag by "
            f"{-degrees(plant * late):.0f}° there"
        )
        gains = Gains(gains.proportional, 0.0)
    gains = Gains(
        gains.proportional if d.proportional is None else d.proportional,
        gains.integral if d.integral is None else d.integral,
    )
    return _judged(Sampled(loop, gains), None, stage, hinder)


def _judged(loop: AnyLoop, sheet: Sheet | None, stage: Stage, hinder: str) -> _Try:
    try:
        closed = close(loop, stage)
        seen = margins(closed.gain, closed.sampling)
        stable = bool(np.abs(closed.multipliers).max(initial=0.0) < 1.0)
    except NoResultError as error:
        return _Try(loop, sheet, math.nan, -180.0, False, hinder or str(error))
    return _Try(loop, sheet, seen.crossover, seen.phase, stable, hinder)
