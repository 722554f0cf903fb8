"""A loop designed: network or gains from the exact response of the power stage, until the exact loop has what is asked."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from jump_lane.control import ripple
from jump_lane.control.aiming import Aiming, Try
from jump_lane.control.analogue import (
    Analogue,
    derived,
    falling_slope,
    given,
    network_of,
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
    maker = Aiming(loop, places, _making(loop, places, fitted), fitted)
    found, proofs = maker.everywhere(loop.crossover) if loop.crossover is not None else maker.fastest()
    hinder = found.hinder or maker.missed(found.crossover)
    return LoopDesign(design, places, maker.bought(found.loop), found.sheet, hinder, proofs)


def _making(loop: Loop, places: Corners, fitted: bool) -> Callable[[float, float], Try]:
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


def _analogue(start: Analogue, plant: Gain, stage: Stage, crossover: float, margin: float) -> Try:
    """Return a network for a crossover and a phase margin [°] by the exact plant, and what the exact loop then has."""
    loop, network = start.loop, start.network
    there = complex(plant(np.array([crossover]))[0])
    if there == 0.0:
        signal = "" if start.inner is None else f": {start.inner.signal} is not what carries the load"
        raise InputError(
            f"control: the output does not answer the amplifier at {show(crossover, 'Hz')}{signal}"
        )
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


def _digital(loop: Loop, stage: Stage, crossover: float, margin: float) -> Try:
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


LESS = "less gain mends that: a lower control.crossover, or less of control.phase_margin"
"""What helps where a converter under its loop has no steady state."""


def _judged(loop: AnyLoop, sheet: Sheet | None, stage: Stage, hinder: str) -> Try:
    try:
        closed = close(loop, stage)
        seen = margins(closed.gain, closed.sampling)
        stable = bool(np.abs(closed.multipliers).max(initial=0.0) < 1.0)
    except NoResultError as error:
        return Try(loop, sheet, math.nan, -180.0, False, hinder or f"{error}; {LESS}")
    return Try(loop, sheet, seen.crossover, seen.phase, stable, hinder)
