"""Loops aimed at a crossover and a phase margin, the aims moved until the exact loop has what is asked, at every corner."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from jump_lane.control.analogue import Analogue, preferred
from jump_lane.control.loops import AnyLoop, Proof, prove
from jump_lane.control.stage import Corners
from jump_lane.equations.sheet import Sheet
from jump_lane.quantities import show
from jump_lane.spec.loop import Loop

ROUNDS = 8
"""How often aims are moved by what the exact loop missed."""

CORNER_ROUNDS, EXTRA, HIGHEST_MARGIN = 4, 1.0, 85.0
"""How often the margin at nominal input and full load is raised for that of the worst corner, by how much more, and up to
what [°]."""

REACHED = 0.05
"""How far the crossover may be from the one asked for."""

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
class Try:
    """A loop with exact values: its crossover [Hz] and phase margin [°] where it was designed."""

    loop: AnyLoop
    sheet: Sheet | None
    crossover: float
    phase: float
    stable: bool
    hinder: str = ""


Proven = tuple[Try, tuple[Proof, ...]]

Aimed = tuple[float, float]
"""A crossover aimed at, and the one that came of it [Hz]."""


class Aiming:
    """Makes loops for a crossover and a phase margin at nominal input and full load, and proves them everywhere."""

    def __init__(
        self, loop: Loop, places: Corners, make: Callable[[float, float], Try], fitted: bool
    ) -> None:
        self.loop, self.places, self._make, self._fitted = loop, places, make, fitted
        self.sampling = 1.0 / places.nominal.responses.period
        kind = loop.digital.gains if loop.kind == "digital" else loop.network
        self._fixed = kind in ("integral", "proportional")
        """Whether the margin follows from the crossover."""
        self._seen: list[Aimed] = []

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
                return (first, at_first) if found.hinder else (found, proofs)
            if aim >= HIGHEST_MARGIN:
                break
            aim = min(aim + 1.5 * short + EXTRA, HIGHEST_MARGIN)
            found = self.at(crossover, aim)
            proofs = self.proven(found.loop)
        return first, at_first

    def at(self, crossover: float, phase: float) -> Try:
        """Return the loop with a crossover and a phase margin, its aims moved until the exact loop meets them."""
        aim, margin = crossover, phase
        tried: list[Try] = []
        seen: list[Aimed] = []
        for _ in range(ROUNDS):
            found = self._make(aim, margin)
            tried.append(found)
            seen.append((aim, found.crossover))
            if found.hinder or not math.isfinite(found.crossover):
                break
            missed = phase - found.phase
            reached = abs(found.crossover / crossover - 1.0) < NEAR_CROSSOVER
            if reached and (abs(missed) < NEAR_PHASE or self._fixed):
                break
            aim = min(_next_aim(seen, crossover), NYQUIST * self.sampling)
            margin = min(max(margin + missed, 5.0), 150.0)
        self._seen += seen
        return min(tried, key=lambda t: _off(t, crossover, phase))

    def missed(self, got: float) -> str:
        """Return why a loop does not have the crossover asked for [Hz], in words; nothing if it has, or none is asked for."""
        wanted = self.loop.crossover
        if wanted is None or abs(got / wanted - 1.0) <= REACHED:
            return ""
        below = max((f for _, f in self._seen if f < wanted), default=None)
        above = min((f for _, f in self._seen if f > wanted), default=None)
        if below is None or above is None:
            aims = [aim for aim, _ in self._seen]
            ends = f"{show(min(aims), 'Hz')} to {show(max(aims), 'Hz')}"
            return f"no crossover near {show(wanted, 'Hz')}: the exact loop has none there for aims of {ends}"
        low, high = show(below, "Hz"), show(above, "Hz")
        return (
            f"no crossover near {show(wanted, 'Hz')}: that of the exact loop leaps from {low} to {high}, where a resonance of the "
            f"power stage lifts its gain; one below {low}, or more damping, mends that"
        )

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


def _next_aim(seen: Sequence[Aimed], wanted: float) -> float:
    """Return the crossover to aim at next [Hz]: between an aim that came out too low and one too high, once there are both."""
    latest = seen[::-1]
    below = next((s for s in latest if s[1] <= wanted), None)
    above = next((s for s in latest if s[1] > wanted), None)
    if below is None or above is None or not below[0] < above[0]:
        aim, found = latest[0]
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


def _off(found: Try, crossover: float, phase: float) -> float:
    """Return how far a loop is from what was wanted: a factor e of the crossover counts as 30° do."""
    if not math.isfinite(found.crossover):
        return math.inf
    unstable = 0.0 if found.stable else 10.0
    return unstable + abs(math.log(found.crossover / crossover)) + max(phase - found.phase, 0.0) / 30.0
