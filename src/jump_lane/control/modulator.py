"""How the output of an amplifier ends a pulse: against a ramp, or against the current of a switch."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from jump_lane.circuit.law import Law, Peak
from jump_lane.control.average import Inner
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
    inner
        Amplifier between the command and the ramp that holds the average of a current at the command.
    """

    ramp: float = 1.0
    feed: tuple[str, float] | None = None
    sensed: Mapping[str, str] = field(default_factory=dict)
    sense: float = 0.0
    slope: float = 0.0
    blanking: float = 0.0
    most: float = 1.0
    inner: Inner | None = None

    def law(self, dynamics: Dynamics, held: Mapping[str, float]) -> Law:
        """Return the law of a network in front of it."""
        outputs = {COMMAND: dynamics.command}
        if not self.sensed:
            rates, ending = dynamics.rates, dynamics.command
            if self.inner is not None:
                current = self.inner.dynamics(dynamics.command)
                rates, ending = {**rates, **current.rates}, current.command
            level = times(ending, 1.0 / self.ramp)
            return Law(rates, level=level, held=held, most=self.most, outputs=outputs, feed=self.feed)
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
        if self.inner is not None:
            return self.inner.sense * recording.measures(self.inner.signal).average
        if not self.sensed:
            return self._level(state)
        largest = max(recording.measures(signal).maximum for signal in self.sensed.values())
        return self.sense * largest + self.slope * state.control * state.engine.circuit.period

    def rest(self, dynamics: Dynamics, state: SteadyState, target: float) -> dict[str, float]:
        """Return where the states of a law rest, about, that holds a steady state in open loop."""
        command = self.command(state)
        found = dict(dynamics.rest(command, target))
        return found if self.inner is None else {**found, **self.inner.rest(self._level(state), command)}

    def _level(self, state: SteadyState) -> float:
        """Return what the ramp has to be compared with [V]."""
        if self.feed is None:
            return state.control * self.ramp
        return state.control * self.ramp * self.feed[1] * record(state).measures(self.feed[0]).average
