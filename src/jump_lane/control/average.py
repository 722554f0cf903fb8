"""Average current control: an inner amplifier holds the average of an inductor's current at what the outer one commands.

        R_s·i_L ──R_1i──┬──R_2i──C_1i──┐
                        ├─────C_2i─────┤
                        │   ┌──\\      │
                        └───│ >────────┴── against the ramp
                        v_c ┘

The power stage answers the duty ratio with a current that falls like an integrator above its resonance, so that zero and pole
about the crossover of the inner loop, as far apart as its phase margin asks, make it a current source up to there.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from jump_lane.control.margins import Gain
from jump_lane.control.network import K_FACTOR, REFERENCE, Dynamics, in_place, operational
from jump_lane.control.stage import Stage, degrees
from jump_lane.equations.sheet import Line, Sheet
from jump_lane.errors import InputError, nearest
from jump_lane.quantities.preferred import closest
from jump_lane.spec.loop import Average, Loop
from jump_lane.switching.response import CONTROL

LINES = (
    Line("k_i", "tan(b_i*pi/360 + pi/4)", "", "distance of zero and pole from the crossover", K_FACTOR),
    Line("C_2i", "1/(2*pi*f_i*G_i*k_i*R_1i)", "F", "capacitor that makes the pole", K_FACTOR),
    Line("C_1i", "C_2i*(k_i**2 - 1)", "F", "capacitor in series with R_2i", K_FACTOR),
    Line("R_2i", "k_i/(2*pi*f_i*C_1i)", "Ω", "resistor that makes the zero", K_FACTOR),
)
"""How the values of the current amplifier follow from gain and boost at its crossover."""

BOOST = (5.0, 80.0)
"""Boost that its network is asked for at least and at most [°]."""

SENSED = "sensed current"


@dataclass(frozen=True)
class Inner:
    """The current amplifier with its values.

    Attributes
    ----------
    signal, sense
        Current that is sensed, and volts for each ampere of it.
    values
        Its components, called as those of any network around an operational amplifier.
    sheet
        How they follow.
    plants
        At each corner, by its numbers, the response of what is held to the command, as far as it is known.
    """

    signal: str
    sense: float
    values: Mapping[str, float]
    sheet: Sheet
    plants: dict[tuple[int, int], Gain] = field(default_factory=dict, compare=False)

    def dynamics(self, command: Mapping[str, float]) -> Dynamics:
        """Return its states, called w_…, where the row `command` says what current is wanted."""
        plain = operational(self.values, SENSED)
        names = {name: {_own(name): 1.0} for name in plain.rates}
        rows = {**names, REFERENCE: command, SENSED: {self.signal: self.sense}}
        rates = {_own(name): in_place(row, rows) for name, row in plain.rates.items()}
        return Dynamics(rates, in_place(plain.command, rows), plain.rest)

    def rest(self, level: float, command: float) -> dict[str, float]:
        """Return where its states rest, for its output and for what it is commanded [V]."""
        found = operational({**self.values, REFERENCE: command}, SENSED).rest(level, command)
        return {_own(name): value for name, value in found.items()}


def _own(state: str) -> str:
    return f"w{state[1:]}"


def sensed_inductor(asked: Average, stage: Stage) -> str:
    """Return the inductor whose current is held.

    Raises
    ------
    InputError
        If the converter has none, or not that one.
    """
    known = stage.inductors
    if not known:
        raise InputError(
            f"control.kind: {stage.design.page.name} has no inductor whose current could be held; expected kind = "
            "'voltage' or 'peak-current'"
        )
    if asked.inductor is None:
        return known[0]
    if asked.inductor not in known:
        raise InputError(f"control.average.inductor: no {asked.inductor!r}; {nearest(asked.inductor, known)}")
    return asked.inductor


def designed(loop: Loop, stage: Stage, amplifier: Mapping[str, float], fitted: bool) -> Inner:
    """Return the current amplifier for the exact response of the current to the duty ratio.

    Parameters
    ----------
    amplifier
        ``A_0`` and ``f_u`` of either amplifier.
    fitted
        Whether its components get values of E96 and E24.

    Raises
    ------
    InputError
        If no such current is there.
    """
    asked = loop.average
    assert asked is not None
    name = sensed_inductor(asked, stage)
    crossover = asked.crossover if asked.crossover is not None else asked.share * stage.circuit.frequency
    plant = stage.responses.analyser(CONTROL, (name,), np.array([crossover]))[name][0]
    there = complex(plant) * asked.sense / loop.ramp
    boost = min(max(asked.phase_margin - degrees(there) - 90.0, BOOST[0]), BOOST[1])
    sheet = Sheet((1, 1))
    sheet.give(
        "f_i", crossover, "Hz", "crossover of the current loop aimed at", "file", "control.average.crossover"
    )
    sheet.give(
        "G_i", 1.0 / abs(there), "", "gain that the current amplifier has to have there", "derived", ""
    )
    sheet.give("b_i", boost, "°", "boost of the phase that it has to give there", "derived", "")
    sheet.give(
        "R_1i", asked.resistor, "Ω", "resistor into the current amplifier", "file", "control.average.resistor"
    )
    for line in LINES:
        sheet.derive(line)
        if fitted and line.symbol[0] in "RC":
            sheet.prefer(
                line.symbol, closest(sheet[line.symbol].worst, "E96" if line.symbol[0] == "R" else "E24")
            )
    values = {s[:-1]: sheet[s].worst for s in ("R_1i", "R_2i", "C_1i", "C_2i")}
    return Inner(f"{name}.i", asked.sense, {**amplifier, **values, "R_b": math.inf}, sheet)
