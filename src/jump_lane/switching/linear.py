"""A periodic steady state taken apart: what a small deviation from it meets on its way through the period.

Between events a deviation obeys the linear equations of the configuration; at an event it is carried onto the constraints of
the next one, and where the instant moves by δt, (f₋ carried over − f₊)·δt is added, with the rates f before and after.

References
----------
M. A. Aizerman and F. R. Gantmakher, "On the stability of periodic motions", J. Appl. Math. Mech. 22 (1958)
1065-1078 (deviations across an event).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from jump_lane.errors import ConvergenceError
from jump_lane.switching import stepping
from jump_lane.switching.clock import Schedule
from jump_lane.switching.commutation import size_of
from jump_lane.switching.engine import Engine
from jump_lane.switching.network import Array
from jump_lane.switching.solving import FREE
from jump_lane.switching.steady import SteadyState

CLOSE = 1e-6
"""How far the state after an event may be from what its projection makes of that before, of the largest state."""

Complex = NDArray[np.complex128]


@dataclass(frozen=True)
class Event:
    """What happens at an instant.

    Attributes
    ----------
    time
        When [s].
    before, after
        Configurations; before is −1 where it is not known.
    onto
        Map of a deviation, (nz, nz).
    kick
        What a later instant adds to the deviation, per second, (nz,).
    guard, slope
        Row that brings the event and its slope there; None for the clock.
    shift
        How far the control moves it [s per unit].
    anchor, trip
        The event that it follows, and the comparator that brings it; −1 for none.
    """

    time: float
    before: int
    after: int
    onto: Array
    kick: Array
    guard: Array | None
    slope: float
    shift: float
    anchor: int
    trip: int
    state: Array
    """State just before."""


@dataclass(frozen=True)
class Linear:
    """The events of a period, each followed by the stretch of its configuration, and the length of the period [s]."""

    engine: Engine
    events: tuple[Event, ...]
    durations: tuple[float, ...]
    period: float
    end: Array
    """State at the end of the period."""

    @property
    def unknown(self) -> NDArray[np.int64]:
        """Entries of z whose deviation goes on from period to period."""
        return self.engine.unknown

    def rate(self, k: int) -> Array:
        """Return the rate matrix over z in the stretch behind event k."""
        return np.asarray(self.engine.tables.rate[self.events[k].after])


def linearise(state: SteadyState) -> Linear:
    """Take a steady state apart.

    Raises
    ------
    ConvergenceError
        If an event cannot be taken apart: a chain of jumps in one instant.
    """
    from scipy.linalg import expm

    engine = state.engine
    run = engine.run(state.start, state.combo, state.control, tangents=False, every=True)
    trace = engine.trace(run)
    edges = engine.schedule(state.control)
    ticks = trace.ticks - trace.rests
    ends = np.append(ticks[1:], trace.length)
    durations = (ends - ticks) * engine.tick
    before = int(trace.configurations[-1])
    arriving = _start(engine, state.start)
    events: list[Event] = []
    latest: dict[int, int] = {}
    for k, c in enumerate(trace.configurations.tolist()):
        events.append(
            _event(
                engine,
                edges,
                k,
                int(trace.causes[k]),
                (before, c),
                arriving,
                trace.states[k],
                float(ticks[k]),
                latest,
            )
        )
        arriving = expm(engine.tables.rate[c] * durations[k]) @ trace.states[k]
        before = c
    return Linear(engine, tuple(events), tuple(durations.tolist()), trace.length * engine.tick, arriving)


def _start(engine: Engine, z: Array) -> Array:
    out = z.copy()
    out[engine.n + 1 : engine.layout.first] = 0.0
    return out


def _event(
    engine: Engine,
    edges: Schedule,
    k: int,
    cause: int,
    configurations: tuple[int, int],
    arriving: Array,
    state: Array,
    tick: float,
    latest: dict[int, int],
) -> Event:
    """Return the k-th event of a run; ``latest`` holds which event each edge was, and is kept up to date."""
    tables, nz = engine.tables, engine.nz
    before, after = configurations
    onto = np.eye(nz)
    if tables.info[after, 2] != FREE:
        onto[: engine.n] = tables.projection[after]
    off = np.linalg.norm((onto @ arriving - state)[: engine.n])
    if off > CLOSE * size_of(state, engine.n):
        raise ConvergenceError(
            f"the states jump through several combinations of valves at once at {tick * engine.tick:.4g} s: how the circuit "
            "answers a small change there is not known"
        )
    rate = tables.rate[before] @ arriving
    kick = onto @ rate - tables.rate[after] @ state
    guard, slope, shift, anchor, trip = None, 0.0, 0.0, -1, -1
    natural = engine.sizes.natural
    if cause >= 0:
        guard = tables.watch[before, :, cause]
    elif cause <= stepping.EDGE:
        edge = stepping.EDGE - cause
        latest[edge] = k
        trip = int(edges.trips[edge])
        if trip >= 0:
            guard = tables.watch[before, :, natural + trip]
        elif edges.anchors[edge] >= 0:
            anchor = latest.get(int(edges.anchors[edge]), -1)
        else:
            shift = float(edges.slopes[edge]) * engine.circuit.period
    if guard is not None:
        slope = float(guard @ rate)
        if abs(float(guard @ arriving)) > CLOSE * np.abs(guard * arriving).sum() or slope >= 0.0:
            guard = None  # the edge came at its limit, or at once
    return Event(
        float(tick * engine.tick), before, after, onto, kick, guard, slope, shift, anchor, trip, arriving
    )
