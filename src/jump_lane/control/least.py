"""The least output capacitance with which a load step keeps what is asked: by closed forms, and exactly.

While the duty ratio is at a limit the current of an inductor that feeds the output rises or falls at a slope m however fast the
loop is, and the charge ½·ΔI²/m that it is late by comes from the capacitor (Redl, Erisman and Zansky 1998).  A linear loop that
never meets its limits makes an output impedance of about 1/(2π·f_c·C) at its crossover (Yao, Meng and Lee 2002).  What the
circuit does, ESR and instant of the step included, is found by simulation, the loop designed anew for every capacitance.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

from jump_lane.control.design import LoopDesign
from jump_lane.control.journey import Journey, load_step
from jump_lane.control.stage import Stage
from jump_lane.equations.sheet import Line, Sheet
from jump_lane.errors import JumpLaneError
from jump_lane.judge.verdict import ROUNDING
from jump_lane.switching.record import record

SLEW = "Redl/Erisman/Zansky 1998, APEC: charge while the current follows"

LINES = {
    "f_c": Line(
        "C_c",
        "dI/(2*pi*f_c*dV)",
        "F",
        "with a linear loop of this crossover",
        "Yao/Meng/Lee 2002, PESC: 1/(2π·f_c·C)",
    ),
    "m_f": Line("C_f", "dI**2/(2*dV*m_f)", "F", "load taken away, the pulses left out", SLEW),
    "m_r": Line("C_r", "dI**2/(2*dV*m_r)", "F", "load put on, the pulses as long as they may be", SLEW),
}
"""Closed forms, by the figure that each needs besides the step."""

NEAR, SPREADS, ROUNDS = 0.01, 10, 12
"""How closely the capacitance is found (relative), how often its range is doubled, how often narrowed."""

FEEDS = 0.02
"""An inductor whose average current differs by less than this part from that of the load feeds the output."""


@dataclass(frozen=True)
class Tried:
    """A capacitance [F] with the loop designed for it and the worst deviation on the load step [V]; infinite if none."""

    capacitance: float
    found: LoopDesign | None
    step: Journey | None
    deviation: float


@dataclass(frozen=True)
class Least:
    """What a load step needs of the output capacitor.

    Attributes
    ----------
    asked, size
        Largest deviation [V] and load step [A].
    sheet
        Closed forms and what they follow from.
    now, best
        The capacitance of the file, and the least one; None if none that was tried is enough.
    tried
        Every one, in order.
    """

    asked: float
    size: float
    sheet: Sheet
    now: Tried
    best: Tried | None
    tried: tuple[Tried, ...]


def least_capacitance(
    asked: float,
    now: float,
    design: Callable[[float], LoopDesign],
    watch: Callable[[int, int], None] | None = None,
) -> Least:
    """Return the least output capacitance that keeps a deviation.

    Parameters
    ----------
    asked
        Largest deviation [V].
    now
        Where to start [F].
    design
        Makes the loop for a capacitance.
    watch
        Told of progress.

    Raises
    ------
    InputError, NoResultError
        If the loop cannot be designed with the capacitance of the file.
    """
    tried: list[Tried] = []
    most = 1 + SPREADS + ROUNDS

    def at(capacitance: float) -> Tried:
        found = _tried(capacitance, design)
        tried.append(found)
        if watch is not None:
            watch(len(tried), most)
        return found

    found = design(now)
    first = _stepped(now, found)
    tried.append(first)
    stage = found.nominal
    size = min(0.5 * stage.i_o if found.loop.loop.step is None else found.loop.loop.step, stage.i_o)
    good, bad = _bracket(first, asked, at)
    if good is not None and bad is not None:
        good = _narrowed(good, bad, asked, at)
    if watch is not None:
        watch(most, most)
    return Least(asked, size, closed_forms(found, asked, size), first, good, tuple(tried))


def _tried(capacitance: float, design: Callable[[float], LoopDesign]) -> Tried:
    try:
        return _stepped(capacitance, design(capacitance))
    except JumpLaneError:
        return Tried(capacitance, None, None, math.inf)


def _stepped(capacitance: float, found: LoopDesign) -> Tried:
    step = load_step(found) if all(p.stable for p in found.proofs) else None
    deviation = math.inf if step is None else max(s.deviation for s in step.swings())
    return Tried(capacitance, found, step, deviation)


def _enough(one: Tried, asked: float) -> bool:
    return one.deviation <= asked * (1.0 + ROUNDING)


def _bracket(first: Tried, asked: float, at: Callable[[float], Tried]) -> tuple[Tried | None, Tried | None]:
    """Return a capacitance that is enough and one that is not, as close as doubling or halving finds them."""
    enough, here = _enough(first, asked), first
    for _ in range(SPREADS):
        there = at(here.capacitance * (0.5 if enough else 2.0))
        if _enough(there, asked) != enough:
            return (here, there) if enough else (there, here)
        here = there
    return (here, None) if enough else (None, here)


def _narrowed(good: Tried, bad: Tried, asked: float, at: Callable[[float], Tried]) -> Tried:
    """Return the least capacitance between one that is enough and one that is not; its deviation goes about as its inverse."""
    for k in range(ROUNDS):
        if good.capacitance <= bad.capacitance * (1.0 + NEAR):
            break
        low, high = math.log(bad.capacitance), math.log(good.capacitance)
        part = 0.5
        if math.isfinite(bad.deviation) and k % 3 < 2 and bad.deviation > good.deviation > 0.0:
            part = math.log(bad.deviation / asked) / math.log(bad.deviation / good.deviation)
            # a little beyond where the line crosses, from either side in turn
            part += (0.3 if k % 3 == 0 else -0.3) * NEAR / (high - low)
        there = at(math.exp(low + min(max(part, 0.02), 0.98) * (high - low)))
        if _enough(there, asked):
            good = there
        else:
            bad = there
    return good


def closed_forms(found: LoopDesign, asked: float, size: float) -> Sheet:
    """Return the closed forms for a load step of a size [A], as far as they hold for the converter."""
    sheet = Sheet((1, 1))
    sheet.give("dV", asked, "V", "largest deviation", "file", "control.deviation")
    sheet.give("dI", size, "A", "load step", "file", "control.step")
    crossover = found.middle.margins.crossover if found.middle is not None else math.nan
    figures = {"f_c": (crossover, "Hz", "crossover")}
    rise, fall = slopes(found.nominal, found.loop.loop.longest)
    figures["m_f"] = (fall, "A/s", "slope at which the inductor's current falls")
    figures["m_r"] = (rise, "A/s", "slope at which it rises on average with the longest pulses")
    for symbol, (value, unit, meaning) in figures.items():
        if value > 0.0:
            sheet.give(symbol, value, unit, meaning, "derived")
            sheet.derive(LINES[symbol])
    return sheet


def slopes(stage: Stage, longest: float) -> tuple[float, float]:
    """Return how fast the current that feeds the output can rise, on average over periods, and fall [A/s].

    Zero where no inductor feeds the output, as in a boost: there these closed forms do not hold.
    """
    recording = record(stage.open)
    feeding = [
        n for n in stage.inductors if abs(recording.measures(f"{n}.i").average / stage.i_o - 1.0) <= FEEDS
    ]
    if not feeding:
        return 0.0, 0.0
    seen = []
    for k, stretch in enumerate(recording.stretches):
        span = stretch.end - stretch.start
        if span > 0.0:
            begin, end = recording.ends(k, f"{feeding[0]}.i")
            seen.append((end - begin) / span)
    rise, fall = max(seen), -min(seen)
    return max(longest * rise - (1.0 - longest) * fall, 0.0), max(fall, 0.0)
