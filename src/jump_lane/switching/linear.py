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
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from jump_lane.errors import ConvergenceError
from jump_lane.switching import journey
from jump_lane.switching.clock import Schedule
from jump_lane.switching.commutation import size_of
from jump_lane.switching.engine import Engine
from jump_lane.switching.network import Array
from jump_lane.switching.runs import Trace
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
        Configurations.
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
    """The events of a period, each followed by the stretch of its configuration, and the length of the period [s].

    A deviation is carried through it in columns, one for each thing that it may come from, (nz, c).
    """

    engine: Engine
    events: tuple[Event, ...]
    durations: tuple[float, ...]
    period: float

    @property
    def unknown(self) -> NDArray[np.int64]:
        """Entries of z whose deviation goes on from period to period."""
        return self.engine.unknown

    @cached_property
    def still(self) -> NDArray[np.bool_]:
        """Which entries of z do not deviate: the constant, meters, what is held."""
        out = np.ones(self.engine.nz, dtype=bool)
        out[self.unknown] = False
        return out

    def start(self, further: int, kind: type = float) -> NDArray[Any]:
        """Return the columns at the start of a period: a unit for every unknown, and so many further ones, zero."""
        size = len(self.unknown)
        out: NDArray[Any] = np.zeros((self.engine.nz, size + further), dtype=kind)
        out[self.unknown, np.arange(size)] = 1.0
        return out

    def rate(self, k: int) -> Array:
        """Return the rate matrix over z in the stretch behind event k."""
        return np.asarray(self.engine.tables.rate[self.events[k].after])

    def shift(
        self, k: int, course: NDArray[Any], shifts: list[NDArray[Any]], omega: Array | None = None
    ) -> NDArray[Any]:
        """Return by how much event k moves [s], for every column, (…, c): its guard tells, or the event that it follows.

        In a frame that turns with ``omega`` [rad/s], (…), what follows so much later is turned back by as much.
        """
        event = self.events[k]
        if event.guard is not None:
            return np.asarray(-(event.guard @ course) / event.slope)
        if event.anchor < 0:
            return np.zeros((*course.shape[:-2], course.shape[-1]), dtype=course.dtype)
        if omega is None:
            return np.asarray(shifts[event.anchor].copy())
        late = event.time - self.events[event.anchor].time
        return np.asarray(shifts[event.anchor] * np.exp(-1j * omega * late)[..., None])

    def across(self, k: int, course: NDArray[Any], shift: NDArray[Any]) -> NDArray[Any]:
        """Return the columns just behind event k, (…, nz, c), which moves by ``shift``, (…, c)."""
        out = self.events[k].onto @ course + self.events[k].kick[:, None] * shift[..., None, :]
        out[..., self.still, :] = 0.0
        return np.asarray(out)


def exponential(matrix: NDArray[Any]) -> NDArray[Any]:
    """Return the exponential of a matrix."""
    from scipy.linalg import expm

    return np.asarray(expm(matrix))


def linearise(state: SteadyState) -> Linear:
    """Take a steady state apart.

    Raises
    ------
    ConvergenceError
        If an event cannot be taken apart: a chain of jumps in one instant.
    """
    engine = state.engine
    if engine.schedule(state.control).free:
        raise ConvergenceError(
            "there is no clock: what a sine does to it is not worked out; its multipliers are"
        )
    run = engine.run(state.start, state.combo, state.control, tangents=False, every=True)
    trace = engine.trace(run)
    ticks = trace.ticks - trace.rests
    durations = np.diff(np.append(ticks, trace.length)) * engine.tick
    before = int(trace.configurations[-1])
    arriving = _start(engine, state.start)
    events: list[Event] = []
    latest: dict[int, int] = {}
    edges = engine.schedule(state.control)
    for k, c in enumerate(trace.configurations.tolist()):
        events.append(_event(engine, edges, trace, k, before, arriving, latest))
        arriving = exponential(engine.tables.rate[c] * durations[k]) @ trace.states[k]
        before = c
    return Linear(engine, tuple(events), tuple(durations.tolist()), trace.length * engine.tick)


def _start(engine: Engine, z: Array) -> Array:
    out = z.copy()
    out[engine.n + 1 : engine.layout.first] = 0.0
    return out


def _event(
    engine: Engine,
    edges: Schedule,
    trace: Trace,
    k: int,
    before: int,
    arriving: Array,
    latest: dict[int, int],
) -> Event:
    """Return the event at the start of the k-th stretch; ``latest`` holds which event each edge was, and is kept up to date."""
    tables, nz, cause = engine.tables, engine.nz, int(trace.causes[k])
    after, state, tick = int(trace.configurations[k]), trace.states[k], float(trace.ticks[k] - trace.rests[k])
    onto = np.eye(nz)
    if tables.info[after, 2] != FREE:
        onto[: engine.n] = tables.projection[after]
    off = np.linalg.norm((onto @ arriving - state)[: engine.n])
    if off > CLOSE * size_of(state, engine.n, engine.layout.energy):
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
    elif cause <= journey.EDGE:
        edge = journey.EDGE - cause
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
    return Event(tick * engine.tick, before, after, onto, kick, guard, slope, shift, anchor, trip, arriving)
