"""How the output of an amplifier ends a pulse: against a ramp, or against the current of a switch."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from jump_lane.circuit.law import Law, Peak
from jump_lane.control.network import Dynamics, add, times
from jump_lane.switching.record import record
from jump_lane.switching.steady import SteadyState

COMMAND = "command"
"""Name of the output of the amplifier among what a law shows."""

FIXED = Dynamics({}, {"v_c": 1.0}, lambda command, _: {"v_c": command})
"""No network at all: the command is held as it is set."""


@dataclass(frozen=True)
class Modulator:
    """What the output of the amplifier is compared with.

    Attributes
    ----------
    ramp
        Peak of a ramp [V], if no current is sensed.
    feed
        Signal whose integral makes the ramp, and what the ramp reaches per average of it, over ``ramp`` (`Law`).
    sensed
        For each switch the signal whose peak ends its pulse.
    sense, slope, blanking
        Volts per ampere, slope compensation [V/s], and how long after turn-on nothing ends the pulse [s].
    most
        Longest pulse, part of the period.
    """

    ramp: float = 1.0
    feed: tuple[str, float] | None = None
    sensed: Mapping[str, str] = field(default_factory=dict)
    sense: float = 0.0
    slope: float = 0.0
    blanking: float = 0.0
    most: float = 1.0

    def law(self, dynamics: Dynamics, held: Mapping[str, float]) -> Law:
        """Return the law of a network in front of it."""
        outputs = {COMMAND: dynamics.command}
        if not self.sensed:
            level = times(dynamics.command, 1.0 / self.ramp)
            return Law(
                dynamics.rates, level=level, held=held, most=self.most, outputs=outputs, feed=self.feed
            )
        peaks = {
            switch: Peak(add(dynamics.command, {signal: -self.sense}), self.slope, self.blanking)
            for switch, signal in self.sensed.items()
        }
        return Law(
            dynamics.rates, peaks=peaks, held=held, command=dynamics.command, most=self.most, outputs=outputs
        )

    def command(self, state: SteadyState) -> float:
        """Return the output of the amplifier that the pulses of a steady state in open loop need, about [V]."""
        recording = record(state)
        if not self.sensed:
            share = 1.0
            if self.feed is not None:
                share = self.feed[1] * recording.measures(self.feed[0]).average
            return state.control * self.ramp * share
        largest = max(recording.measures(signal).maximum for signal in self.sensed.values())
        return self.sense * largest + self.slope * state.control * state.engine.circuit.period
