"""A loop designed: network or gains from the exact response of the power stage, until the exact loop has what is asked."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from jump_lane.control.analogue import (
    Analogue,
    derived,
    falling_slope,
    network_of,
    preferred,
    require_reference,
    require_values,
    values_of,
)
from jump_lane.control.digital import Gains, Sampled, gains_for
from jump_lane.control.loops import AnyLoop, Closed, Proof, close, prove
from jump_lane.control.margins import margins
from jump_lane.control.stage import Stage, corners, degrees, nominal, require_duty
from jump_lane.equations.sheet import Sheet
from jump_lane.errors import InputError, NoResultError
from jump_lane.quantities import show
from jump_lane.spec.loop import Loop
from jump_lane.topologies.design import Design

ROUNDS = 8
"""How often aims are moved by what the exact loop missed."""

CORNER_ROUNDS, EXTRA, HIGHEST_MARGIN = 4, 1.0, 85.0
"""How often the margin at nominal input and full load is raised for that of the worst corner, by how much more, and up to
what [°]."""

NEAR_CROSSOVER, NEAR_PHASE = 2e-3, 0.1
"""How closely crossover (relative) and phase margin [°] are met."""

HIGHEST, LOWEST = 0.25, 2e-4
"""Range of crossovers that are tried, over the switching frequency."""

TRIED = 14
"""Crossovers tried on the way down, and then halvings between the last two."""

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
    aim
        Crossover aimed at [Hz].
    hinders
        What stands against what is asked, in words.
    exact
        The derived values, before those of a series replaced them.
    """

    design: Design
    loop: AnyLoop
    sheet: Sheet | None
    aim: float
    hinders: tuple[str, ...]
    exact: AnyLoop
    proofs: tuple[Proof, ...] = ()

    @property
    def nominal(self) -> Stage:
        """Where it was designed: nominal input, full load."""
        return nominal(self.design)


@dataclass(frozen=True)
class _Try:
    loop: AnyLoop
    sheet: Sheet | None
    crossover: float
    phase: float
    gain: float
    stable: bool
    hinder: str = ""


def loop_of(design: Design) -> Loop:
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
    half = 0.5 / nominal(design).circuit.period
    if loop.crossover is not None and loop.crossover >= half:
        raise InputError(
            f"control.crossover: {show(loop.crossover, 'Hz')} is not below half the switching frequency, {show(half, 'Hz')}; "
            "a loop that acts once a period cannot have it"
        )
    if loop.kind == "digital":
        if loop.digital.sample > 0.0 and loop.digital.delay == 0:
            raise InputError(
                "control.digital.delay: 0 with a sample within the period; expected at least 1, as the pulse has begun by then"
            )
        return loop
    require_duty(design)
    network = network_of(loop)
    require_values(loop, network)
    require_reference(loop, nominal(design))
    return loop


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
    loop = loop_of(design)
    stage = nominal(design)
    maker = _maker(loop, design, stage)
    found = maker.everywhere(loop.crossover) if loop.crossover is not None else maker.fastest()
    used = found.loop
    if fitted and isinstance(used, Analogue):
        chosen = preferred(used.values, used.network, SERIES)
        chosen = {s: v for s, v in chosen.items() if s not in loop.values}
        used = used.with_values(chosen)
    proofs = tuple(prove(used, s) for s in corners(design))
    hinders = (found.hinder,) if found.hinder else ()
    return LoopDesign(design, used, found.sheet, found.crossover, hinders, found.loop, proofs)


class _Maker:
    """Makes loops for a crossover at one stage."""

    def __init__(
        self, loop: Loop, design: Design, stage: Stage, make: Callable[[float, float, float], _Try]
    ) -> None:
        self.loop, self.design, self.stage, self._make = loop, design, stage, make
        self.sampling = 1.0 / stage.responses.period

    def everywhere(self, crossover: float) -> _Try:
        """Return the loop with a crossover at nominal input and full load whose phase margin holds at every corner, if one does;
        else the one that has it where it was designed."""
        first = found = self.at(crossover, self.loop.phase_margin)
        asked = self.loop.phase_margin
        for _ in range(CORNER_ROUNDS):
            if found.hinder or self._fixed:
                return first
            short = self.loop.phase_margin - self._least(found.loop)
            if short <= 0.0:
                return found
            asked = min(asked + 1.5 * short + EXTRA, HIGHEST_MARGIN)
            found = self.at(crossover, asked)
        return first

    def _least(self, loop: AnyLoop) -> float:
        """Return the least phase margin at any corner; none where one is unstable."""
        proofs = [prove(loop, stage) for stage in corners(self.design)]
        return min(p.margins.phase if p.stable else -180.0 for p in proofs)

    def at(self, crossover: float, phase: float) -> _Try:
        """Return the loop with a crossover and a phase margin, its aims moved until the exact loop meets them."""
        aim, margin = crossover, phase
        best: _Try | None = None
        for _ in range(ROUNDS):
            found = self._make(aim, margin, 1.0)
            best = (
                found
                if best is None or _off(found, crossover, phase) < _off(best, crossover, phase)
                else best
            )
            if found.hinder or not math.isfinite(found.crossover):
                break
            missed = phase - found.phase
            if abs(found.crossover / crossover - 1.0) < NEAR_CROSSOVER and (
                abs(missed) < NEAR_PHASE or self._fixed
            ):
                break
            aim *= min(max(crossover / found.crossover, 0.5), 2.0)
            aim = min(aim, 0.45 * self.sampling)
            margin = min(max(margin + missed, 5.0), 150.0)
        assert best is not None
        return best

    @property
    def _fixed(self) -> bool:
        return self.loop.network == "integral" or self.loop.digital.gains == "integral"

    def fastest(self) -> _Try:
        """Return the loop with the highest crossover whose margins hold at all corners."""
        grid = np.geomspace(HIGHEST, LOWEST, TRIED) * self.sampling
        above, good = None, None
        for f in grid:
            found = self.everywhere(float(f))
            if self._holds(found):
                good = found
                break
            above = float(f)
        if good is None:
            return self.at(float(grid[-1]), self.loop.phase_margin)
        if above is None:
            return good
        low, high = good.crossover, above
        for _ in range(5):
            middle = math.sqrt(low * high)
            found = self.everywhere(middle)
            if self._holds(found):
                good, low = found, middle
            else:
                high = middle
        return good

    def _holds(self, found: _Try) -> bool:
        if found.hinder or not found.stable or found.phase < self.loop.phase_margin - NEAR_PHASE:
            return False
        for stage in corners(self.design):
            proof = prove(found.loop, stage)
            if not proof.stable or proof.margins.phase < self.loop.phase_margin:
                return False
            if proof.margins.gain < self.loop.gain_margin:
                return False
        return True


def _off(found: _Try, crossover: float, phase: float) -> float:
    if not math.isfinite(found.crossover):
        return math.inf
    unstable = 0.0 if found.stable else 10.0
    return unstable + abs(math.log(found.crossover / crossover)) + max(phase - found.phase, 0.0) / 30.0


def _maker(loop: Loop, design: Design, stage: Stage) -> _Maker:
    if loop.kind == "digital":
        return _Maker(loop, design, stage, lambda f, m, _: _digital(loop, stage, f, m))
    network = network_of(loop)
    slope = loop.peak.slope * falling_slope(design, loop.peak.sense) if loop.peak is not None else 0.0
    start = Analogue(loop, network, {}, slope, design.at().inputs[0])
    return _Maker(loop, design, stage, lambda f, m, _: _analogue(start, stage, f, m))


def _analogue(start: Analogue, stage: Stage, crossover: float, margin: float) -> _Try:
    """Return a network for a crossover and a phase margin [°] by the exact plant, and what the exact loop then has."""
    loop, network = start.loop, start.network
    plant = complex(start.plant(stage, np.array([crossover]))[0])
    low, high = network.boost
    needed = margin - degrees(plant) - 90.0
    boost = min(max(needed, low), high)
    hinder = ""
    if needed > high + 0.5:
        hinder = (
            f"a phase margin of {margin:.4g}° at {show(crossover, 'Hz')} needs {needed:.0f}° of boost, as the power stage lags by "
            f"{-degrees(plant):.0f}° there; {network.title} gives at most {high:.0f}°"
        )
    aims = {"f_c": crossover, "G_c": 1.0 / abs(plant), "b_c": boost}
    sheet = derived(loop, stage.design, network, stage.target, aims)
    found = Analogue(loop, network, values_of(sheet, loop, stage.design), start.slope, start.nominal)
    return _judged(found, sheet, stage, hinder)


def _digital(loop: Loop, stage: Stage, crossover: float, margin: float) -> _Try:
    d = loop.digital
    plain = Sampled(loop, Gains(0.0, 0.0))
    plant = complex(plain.plant(stage, np.array([crossover]))[0])
    still = float(plain.plant(stage, np.array([1e-6 / stage.responses.period]))[0].real)
    gains = gains_for(loop, stage.responses.period, plant, still, crossover, margin)
    hinder = ""
    if gains.integral * still <= 0.0:
        hinder = (
            f"no gains give a phase margin of {margin:.4g}° at {show(crossover, 'Hz')}: the power stage and the delay lag by "
            f"{-degrees(plant * np.exp(-2j * math.pi * crossover * stage.responses.period * d.delay)):.0f}° there"
        )
        gains = Gains(gains.proportional, math.copysign(1e-12, still))
    gains = Gains(
        gains.proportional if d.proportional is None else d.proportional,
        gains.integral if d.integral is None else d.integral,
    )
    return _judged(Sampled(loop, gains), None, stage, hinder)


def _judged(loop: AnyLoop, sheet: Sheet | None, stage: Stage, hinder: str) -> _Try:
    try:
        closed = close(loop, stage)
        seen = margins(closed.gain, 1.0 / closed.responses.period)
        stable = bool(np.abs(closed.multipliers).max(initial=0.0) < 1.0)
    except NoResultError as error:
        return _Try(loop, sheet, math.nan, -180.0, 0.0, False, hinder or str(error))
    return _Try(loop, sheet, seen.crossover, seen.phase, seen.gain, stable, hinder)


__all__ = ["Closed", "LoopDesign", "design_loop", "loop_of"]
