"""A loop of either kind at a corner: its gain, margins and multipliers, exact."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from jump_lane.control.analogue import Analogue
from jump_lane.control.digital import Controller, Sampled
from jump_lane.control.margins import Gain, Margins, margins
from jump_lane.control.ripple import Ripple
from jump_lane.control.stage import Complex, Stage
from jump_lane.errors import NoResultError
from jump_lane.operating.mode import simulated_mode
from jump_lane.switching.record import record
from jump_lane.switching.response import Responses
from jump_lane.switching.steady import SteadyState

AnyLoop = Analogue | Sampled | Ripple


@dataclass(frozen=True)
class Proof:
    """A loop proven at a corner.

    Attributes
    ----------
    words
        The corner, and what else is special about it.
    margins
        Of the loop opened at the output of the amplifier (or of the controller).
    whole
        Of the loop opened at the comparator, where a current closes an inner one; the same otherwise.
    multipliers
        Of the closed loop, the largest first.
    average
        Of what is held.
    frequency
        At which it switches [Hz].
    failure
        Why there is none.
    """

    stage: Stage
    words: str
    mode: str
    control: float
    margins: Margins
    whole: Margins
    multipliers: Complex
    average: float
    frequency: float
    failure: str = ""

    @property
    def largest(self) -> float:
        """Magnitude of the largest multiplier."""
        return float(np.abs(self.multipliers).max(initial=0.0))

    @property
    def stable(self) -> bool:
        """Whether every multiplier is inside the unit circle."""
        return not self.failure and self.largest < 1.0

    @property
    def oscillation(self) -> float:
        """Frequency at which the largest multiplier oscillates, over the switching frequency."""
        return abs(math.atan2(self.multipliers[0].imag, self.multipliers[0].real)) / (2.0 * math.pi)


@dataclass(frozen=True)
class Closed:
    """A loop closed at a corner: its steady state and the gain of the loop."""

    stage: Stage
    state: SteadyState
    responses: Responses
    loop: AnyLoop

    @property
    def sampling(self) -> float:
        """How often the loop acts [Hz]."""
        return 1.0 / self.responses.period

    def gain(self, frequencies: NDArray[np.float64]) -> Complex:
        """Return the loop gain, opened at the output of the amplifier or of the controller, (f,)."""
        if isinstance(self.loop, Sampled):
            return self.loop.gain(self.responses, frequencies)
        if isinstance(self.loop, Analogue) and self.loop.inner is not None:
            return self._outer(frequencies)
        return self.responses.opened.outer_gain(frequencies)

    def whole(self, frequencies: NDArray[np.float64]) -> Complex:
        """Return the loop gain as the comparators see it, (f,)."""
        if isinstance(self.loop, Sampled):
            return self.gain(frequencies)
        return self.responses.opened.loop_gain(frequencies)

    @property
    def clocked(self) -> bool:
        """Whether there is a clock; the gain of a loop without one is not worked out."""
        return not isinstance(self.loop, Ripple)

    @cached_property
    def _outer(self) -> Gain:
        assert isinstance(self.loop, Analogue)
        return self.loop.outer(self.stage)

    @property
    def multipliers(self) -> Complex:
        """Floquet multipliers of the closed loop."""
        if isinstance(self.loop, Sampled):
            return self.loop.multipliers(self.responses)
        return self.responses.multipliers

    @property
    def control(self) -> float:
        """The control variable: where a comparator brings an edge, how far it has moved it."""
        engine = self.state.engine
        if not self.clocked:
            return self.state.control
        trip = next((e for e in self.responses.linear.events if e.trip >= 0), None)
        if trip is None:
            return self.state.control
        _, at, slope = engine.layout.trips[trip.trip]
        return self.state.control + (trip.time / engine.circuit.period - at) / slope


def close(loop: AnyLoop, stage: Stage) -> Closed:
    """Close a loop at a corner.

    Raises
    ------
    NoResultError
        If no steady state is found.
    """
    if isinstance(loop, Sampled):
        return Closed(stage, stage.open, stage.responses, loop)
    state = loop.close(stage)
    return Closed(stage, state, Responses(state), loop)


def prove(loop: AnyLoop, stage: Stage, special: str = "") -> Proof:
    """Return margins and multipliers of a loop at a corner; a corner without a result says why."""
    words = f"{stage.words}, {special}" if special else stage.words
    try:
        closed = close(loop, stage)
        outer = margins(closed.gain, closed.sampling) if closed.clocked else Margins((), ())
        inner = (
            margins(closed.whole, closed.sampling) if isinstance(loop, Analogue) and loop.nested else outer
        )
        recording = record(closed.state)
        mode = simulated_mode(stage.design.page, stage.point, recording)
        average = recording.measures(stage.held).average
        return Proof(
            stage, words, mode, closed.control, outer, inner, closed.multipliers, average, closed.sampling
        )
    except NoResultError as error:
        none = Margins((), ())
        return Proof(
            stage, words, "", math.nan, none, none, np.zeros(0, complex), math.nan, math.nan, str(error)
        )


def controller(loop: Sampled, stage: Stage) -> Controller:
    """Return a digital controller at rest at a corner."""
    return Controller(loop.loop, loop.gains, stage.design.control, stage.target, stage.open.control)
