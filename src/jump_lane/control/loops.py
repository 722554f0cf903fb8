"""A loop of either kind at a corner: its gain, margins and multipliers, exact."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from jump_lane.circuit.law import Law
from jump_lane.control.analogue import Analogue
from jump_lane.control.digital import Controller, Sampled
from jump_lane.control.margins import Margins, margins
from jump_lane.control.stage import Complex, Stage
from jump_lane.errors import NoResultError
from jump_lane.quantities import show
from jump_lane.switching.record import record
from jump_lane.switching.response import Responses
from jump_lane.switching.steady import SteadyState

AnyLoop = Analogue | Sampled

UNSTABLE = 1.0
"""A multiplier of this magnitude neither grows nor decays."""

FREE = 1e-9
"""A multiplier this near to one belongs to a state that nothing else sees."""


@dataclass(frozen=True)
class Proof:
    """A loop proven at a corner.

    Attributes
    ----------
    margins
        Of the loop opened at the output of the amplifier (or of the controller).
    whole
        Of the loop opened at the comparator, where peak current closes an inner one; the same otherwise.
    multipliers
        Of the closed loop, the largest first.
    average
        Of what is held.
    failure
        Why there is none.
    """

    stage: Stage
    mode: str
    control: float
    margins: Margins
    whole: Margins
    multipliers: Complex
    average: float
    failure: str = ""

    @property
    def largest(self) -> float:
        """Magnitude of the largest multiplier."""
        return float(np.abs(self.multipliers).max(initial=0.0))

    @property
    def stable(self) -> bool:
        """Whether every multiplier is inside the unit circle."""
        return not self.failure and self.largest < UNSTABLE

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

    def gain(self, frequencies: NDArray[np.float64]) -> Complex:
        """Return the loop gain, opened at the output of the amplifier or of the controller, (f,)."""
        if isinstance(self.loop, Sampled):
            return self.loop.loop_gain(self.stage, frequencies)
        return self.responses.opened.outer_gain(frequencies)

    def whole(self, frequencies: NDArray[np.float64]) -> Complex:
        """Return the loop gain as the comparators see it, (f,)."""
        if isinstance(self.loop, Sampled):
            return self.loop.loop_gain(self.stage, frequencies)
        return self.responses.opened.loop_gain(frequencies)

    @property
    def multipliers(self) -> Complex:
        """Floquet multipliers of the closed loop."""
        if isinstance(self.loop, Sampled):
            return self.loop.multipliers(self.stage)
        return self.responses.multipliers


def close(loop: AnyLoop, stage: Stage) -> Closed:
    """Close a loop at a corner.

    Raises
    ------
    NoResultError
        If no steady state is found.
    """
    if isinstance(loop, Sampled):
        return Closed(stage, stage.open, stage.responses, loop)
    state = stage.closed(loop.law(stage), loop.rest(stage))
    return Closed(stage, state, Responses(state), loop)


def prove(loop: AnyLoop, stage: Stage) -> Proof:
    """Return margins and multipliers of a loop at a corner; a corner without a result says why."""
    from jump_lane.operating.mode import simulated_mode

    nothing = Margins((), ())
    try:
        closed = close(loop, stage)
        frequency = 1.0 / closed.responses.period
        outer = margins(closed.gain, frequency)
        inner = margins(closed.whole, frequency) if isinstance(loop, Analogue) and loop.peak else outer
        recording = record(closed.state)
        mode = simulated_mode(stage.design.page, stage.point, recording)
        average = recording.measures(stage.held).average
        return Proof(stage, mode, _control(closed), outer, inner, closed.multipliers, average)
    except NoResultError as error:
        return Proof(stage, "", math.nan, nothing, nothing, np.zeros(0, complex), math.nan, str(error))


def _control(closed: Closed) -> float:
    """Return the control variable: where a comparator brings the edge, its part of the period over how far it moves."""
    engine, events = closed.state.engine, closed.responses.linear.events
    if engine.circuit.law is None:
        return closed.state.control
    edges = engine.schedule(closed.state.control)
    plain = engine.plain_schedule(closed.state.control)
    for event in events:
        if event.trip < 0:
            continue
        k = int(np.flatnonzero(edges.trips == event.trip)[0])
        moving = np.flatnonzero(plain.slopes != 0.0)
        j = int(moving[np.argmin(np.abs(moving - k))])
        at = float(plain.ticks[j]) / plain.length
        return closed.state.control + (event.time / closed.responses.period - at) / float(plain.slopes[j])
    return closed.state.control


def controller(loop: Sampled, stage: Stage) -> Controller:
    """Return a digital controller at rest at a corner."""
    return Controller(loop.loop, loop.gains, stage.design.control, stage.target, stage.open.control)


def law_of(loop: AnyLoop, stage: Stage) -> tuple[Law | None, Mapping[str, float]]:
    """Return the law of an analogue loop with the states where it rests; None for a digital one."""
    if isinstance(loop, Sampled):
        return None, {}
    state = stage.closed(loop.law(stage), loop.rest(stage))
    return loop.law(stage), state.engine.named(state.start)


def told(margin: float, unit: str) -> str:
    """Return a margin as it is read."""
    return (
        "none"
        if not math.isfinite(margin)
        else show(margin, unit)
        if unit == "Hz"
        else f"{margin:.1f} {unit}"
    )
