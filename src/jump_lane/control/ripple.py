"""Loops without a clock: the ripple of the output itself makes the pulses.

Constant on-time: a pulse of a given length begins whenever the divided output falls to the reference.  Hysteretic: the pulse begins
there too and ends when the output has risen by a band.  Both hold the valley of the output, and the period is what comes of it.
With a pulse of constant length the valley repeats only if the ripple of the resistance outweighs that of the charge:
R_C > T_on/(2·C) (Redl and Sun 2009); what the circuit does is told by its multipliers.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from jump_lane.circuit.law import Law, Peak
from jump_lane.control.network import REFERENCE
from jump_lane.control.stage import Stage
from jump_lane.equations.divider import pair
from jump_lane.equations.sheet import Line, Sheet
from jump_lane.errors import InputError
from jump_lane.quantities import show
from jump_lane.spec.loop import Loop
from jump_lane.switching.record import record
from jump_lane.switching.steady import SteadyState

VALLEY = "Redl/Sun 2009: ripple of the resistance above that of the charge"

DIVIDER = Line("R_b", "R_1*V_ref/(V_v - V_ref)", "Ω", "lower resistor of the divider", "voltage divider")
PULSE = Line("T_on", "D/f_s", "s", "length of the pulse at nominal input", "frequency wanted there")
LEAST = Line("R_C", "T_on/(2*C_o)", "Ω", "least series resistance of C_o, about", VALLEY)

ROUNDS, NEAR = 4, 1e-5
"""How often the valley is moved until the average is right, and how closely (relative)."""

SMALLEST = 0.02
"""Shortest time between pulses, over the usual period, where the file does not say."""


@dataclass(frozen=True)
class Ripple:
    """A loop without a clock, with its values.

    Attributes
    ----------
    level
        Valley of the output that it holds [V].
    pulse
        Length of the pulse at nominal input [s]; 0 where a band ends it.
    band
        How far the output rises before a pulse ends [V].
    nominal
        Nominal input voltage, at which the pulse is as given [V].
    """

    loop: Loop
    level: float
    pulse: float = 0.0
    band: float = 0.0
    nominal: float = 0.0

    def close(self, stage: Stage) -> SteadyState:
        """Return the steady state of a stage under it.

        Raises
        ------
        NoResultError
            If none is found.
        """
        share, period = self.loop.reference / self.level, stage.circuit.period
        waiting = {stage.held: share, REFERENCE: -1.0}
        rest = self.loop.off_time if self.loop.off_time is not None else SMALLEST * period
        peaks, control = {}, stage.open.control
        if self.band > 0.0:
            row = {REFERENCE: 1.0 + self.band / self.level, stage.held: -share}
            peaks = {name: Peak(row) for name in stage.ended}
        else:
            length = self.pulse * (self.nominal / stage.v_in if self.loop.adaptive else 1.0)
            control = length / period
        law = Law({}, peaks=peaks, held={REFERENCE: self.loop.reference}, restart=waiting, rest=rest)
        return stage.closed(law, {}, control)


def designed(loop: Loop, stage: Stage, fitted: bool) -> tuple[Ripple, Sheet]:
    """Return the loop that holds the average of the output at nominal input and full load.

    Parameters
    ----------
    fitted
        Whether the divider is of E96.

    Raises
    ------
    InputError
        If its reference is not below the output, or several pulses make a period.
    NoResultError
        If there is no steady state.
    """
    period, target = stage.circuit.period, stage.target
    if not loop.reference < target:
        raise InputError(
            f"control.reference: {show(loop.reference, 'V')} is not below the output of {show(target, 'V')}; expected a lower one"
        )
    sheet = Sheet((1, 1))
    sheet.give("f_s", 1.0 / period, "Hz", "frequency wanted at nominal input", "file", "switching.frequency")
    sheet.give("D", stage.open.control, "", "duty ratio there", "derived")
    band = 0.0
    if loop.kind == "hysteretic":
        assert loop.band is not None
        band = loop.band
        made = Ripple(loop, target - 0.5 * band, 0.0, band, stage.v_in)
    else:
        sheet.derive(PULSE)
        size = stage.design.components().get("C_o")
        if size is not None:
            sheet.give("C_o", size, "F", "output capacitance", "derived")
            sheet.derive(LEAST)
        made = Ripple(loop, target, sheet["T_on"].worst, 0.0, stage.v_in)
    level = _levelled(lambda v: replace(made, level=v), stage, made.level)
    sheet.give("V_v", level, "V", "valley of the output that is held", "simulated")
    found = pair(level, loop.reference, upper=loop.divider) if fitted else None
    sheet.give("V_ref", loop.reference, "V", "reference", "file", "control.reference")
    sheet.give("R_1", loop.divider, "Ω", "upper resistor of the divider", "file", "control.divider")
    sheet.derive(DIVIDER)
    if found is not None:
        sheet.prefer("R_b", found.lower.value)
        level = loop.reference * (1.0 + loop.divider / found.lower.value)
    return replace(made, level=level), sheet


def _levelled(made: Callable[[float], Ripple], stage: Stage, level: float) -> float:
    """Return the valley with which the average of the output is what is asked."""
    for _ in range(ROUNDS):
        average = record(made(level).close(stage)).measures(stage.held).average
        level += stage.target - average
        if abs(average / stage.target - 1.0) < NEAR:
            break
    return level
