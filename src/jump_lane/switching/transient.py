"""A circuit over time: from a state, through changes at any instant, period after period.

What is kept is bounded however long the run: of every watched row the extremes and the average of each period (of several
together where there are very many), and where to start from to see any part again with every edge.
"""

from __future__ import annotations

import copy
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from jump_lane.circuit.circuit import Circuit
from jump_lane.circuit.law import Row
from jump_lane.switching import propagators, stepping, watching
from jump_lane.switching.changes import Change, Clocked
from jump_lane.switching.clock import Schedule
from jump_lane.switching.engine import Engine
from jump_lane.switching.network import Array
from jump_lane.switching.runs import Trace
from jump_lane.switching.strip import Strip, grouped

AT_ONCE = 500
"""Periods between two places that a run can be taken up again from."""

FINE = 4000
"""Samples in a period where an instant is looked for."""

CLOSELY = 100
"""The same where a controller is called once a period, which takes longer."""

KEPT = 20_000
"""Periods (or groups of them) whose extremes are kept."""


@dataclass
class _Place:
    """Where a run can be taken up again: start of its period [s], engine, edges, mark, control, controller."""

    origin: float
    engine: Engine
    edges: Schedule
    mark: stepping.Mark
    control: float
    clocked: Clocked | None


@dataclass
class Passage:
    """A run over time.

    Parameters
    ----------
    circuit
        What runs; if it has no law, at its value of the control variable.
    watched
        Rows that are followed, by name.
    inputs, moving
        Sources whose value changes; those of them, and of the references of the law, that may move.
    states, combo
        Where to start from; zero if not named.
    clocked
        A controller that is called once a period.
    engine
        One of the same circuit that is known already.
    """

    circuit: Circuit
    watched: Mapping[str, Row]
    inputs: tuple[str, ...] = ()
    moving: tuple[str, ...] = ()
    states: Mapping[str, float] = field(default_factory=dict)
    combo: int = 0
    clocked: Clocked | None = None
    group: int = 1

    def __post_init__(self) -> None:
        self.engine = self._engine(self.circuit)
        self.control = self.circuit.control
        self.origin = 0.0
        self._parts: list[tuple[Any, ...]] = []
        self._places: list[_Place] = []
        z = self.engine.start(dict(self.states))
        self._ask(z, self.combo)
        self.edges = self._scheduled()
        self.mark = self._begun(z, self.combo)
        watching.empty(self.engine.record.course)

    def _engine(self, circuit: Circuit) -> Engine:
        return Engine(circuit, (), self.watched, self.inputs, self.moving)

    def _scheduled(self) -> Schedule:
        return self.engine.fresh_schedule(self.control)

    def _begun(self, z: Array, combo: int) -> stepping.Mark:
        mark = self.engine.mark(z, combo, self.edges)
        mark.place[12] = 1
        return mark

    # --- going on ------------------------------------------------------------------------------------------

    @property
    def time(self) -> float:
        """Where the run is [s]."""
        return self.origin + int(self.mark.place[1]) * self.engine.tick

    @property
    def state(self) -> dict[str, float]:
        """States of the circuit and of the law there, by name."""
        return self.engine.named(self.mark.state)

    def advance(self, until: float, step: Callable[[float], None] | None = None) -> None:
        """Run on to an instant [s]; `step` is told where the run is from time to time.

        Raises
        ------
        NoResultError
            If no consistent combination of valves exists, or the states grow beyond all bounds.
        """
        while True:
            here, tick = int(self.mark.place[1]), self.engine.tick
            left = round((until - self.origin) / tick)
            if left <= here:
                return
            self._remember()
            if here == 0 and left >= self.edges.length and self.clocked is None:
                self._whole(min(left // self.edges.length, AT_ONCE))
            elif left >= self.edges.length:
                self._rest()
            else:
                self._pause(left)
            if step is not None:
                step(self.time)

    def _remember(self) -> None:
        last = self._places[-1].origin if self._places else -np.inf
        if self.clocked is not None and self.origin - last < CLOSELY * self.circuit.period:
            return
        self._places.append(self._here())

    def _here(self) -> _Place:
        mark = _copied(self.mark)
        return _Place(self.origin, self.engine, self.edges, mark, self.control, copy.deepcopy(self.clocked))

    def _whole(self, periods: int) -> None:
        """Run whole periods under the same edges."""
        courses = self.engine.courses(periods)
        self.engine.follow(self.mark, self.edges, courses, 0)
        length = self.edges.length * self.engine.tick
        start = np.asarray(self.origin + length * np.arange(periods), dtype=np.float64)
        self._keep(start, np.asarray(start + length, dtype=np.float64), courses, start)
        self.origin += periods * length

    def _rest(self) -> None:
        """Run to the end of the period, the controller looking where it does."""
        self._look()
        begun = self.time
        courses = self.engine.courses(1)
        length = self.edges.length * self.engine.tick
        courses.mean[:] = 0.0
        self.engine.follow(self.mark, self.edges, courses, 0)
        courses.mean[:] *= length / (self.origin + length - begun)
        self._keep(np.array([begun]), np.array([self.origin + length]), courses, np.array([self.origin]))
        self.origin += length
        if self.clocked is not None:
            self._next()

    def _look(self) -> None:
        """Let a controller read that does so in the middle of a period; the run goes on to there first."""
        if self.clocked is None or self.clocked.sample == 0.0:
            return
        at = round(self.clocked.sample * self.edges.length)
        if int(self.mark.place[1]) < at:
            self.engine.onward(self.mark, self.edges, at)
            self.clocked.read(self._readings(self.mark.state, int(self.mark.place[3])))

    def _readings(self, z: Array, combo: int) -> tuple[float, ...]:
        assert self.clocked is not None
        rows, names = self.engine.tables.sense[self.engine.index(combo)], tuple(self.watched)
        return tuple(float(rows[names.index(name)] @ z) for name in self.clocked.rows)

    def _ask(self, z: Array, combo: int) -> None:
        """Ask the controller, at the clock, for the control variable."""
        if self.clocked is None:
            return
        if self.clocked.sample == 0.0:
            self.clocked.read(self._readings(z, combo))
        self.control = self.clocked.control()

    def _next(self) -> None:
        """Start the next period with the control variable of the controller."""
        self._ask(self.mark.state, int(self.mark.place[3]))
        self.edges = self._scheduled()
        self.mark = self._begun(self.mark.state, int(self.mark.place[3]))

    def _pause(self, at: int) -> None:
        """Run on to a tick within the period."""
        if self.clocked is not None and at > round(self.clocked.sample * self.edges.length):
            self._look()
        begun = self.time
        self.engine.onward(self.mark, self.edges, at)
        course = self.engine.record.course
        now = self.time
        mean = course.area / max(now - begun, 1e-300)
        tick = self.engine.tick
        self._parts.append((
            np.array([begun]), np.array([now]), course.low[None].copy(), course.high[None].copy(), mean[None],
            self.origin + tick * course.low_at[None], self.origin + tick * course.high_at[None],
            np.array([self.control]), np.zeros(1, dtype=np.int64),
        ))  # fmt: skip
        watching.empty(course)

    def _keep(self, start: Array, end: Array, courses: Any, origin: Array) -> None:
        tick = self.engine.tick
        found = (
            start, end, courses.low, courses.high, courses.mean,
            origin[:, None] + tick * courses.low_at, origin[:, None] + tick * courses.high_at,
            np.full(len(start), self.control), courses.met,
        )  # fmt: skip
        self._parts.append(grouped(found, self.group) if self.group > 1 else found)

    # --- changes -------------------------------------------------------------------------------------------

    def change(self, what: Change) -> None:
        """Carry out a change where the run is."""
        if what.circuit is not None:
            self._swap(what.circuit)
        if what.reference is not None and self.clocked is not None:
            self.clocked.reference = what.reference
        if what.control is not None:
            self.control = what.control
            if int(self.mark.place[1]) == 0:
                self.edges = self._scheduled()
                self.mark = self._begun(self.mark.state, int(self.mark.place[3]))
        if what.name:
            layout = self.engine.layout
            self.mark.state[layout.at[what.name]] = what.value
            if what.name in layout.slope:
                self.mark.state[layout.slope[what.name]] = what.slope

    def value(self, name: str) -> float:
        """Return a reference or an increment of a source as it is."""
        return float(self.mark.state[self.engine.layout.at[name]])

    def _swap(self, circuit: Circuit) -> None:
        """Go on in another circuit; currents of inductors and voltages of capacitors stay."""
        known, before = self.engine.named(self.mark.state), self.engine
        held = {n: float(self.mark.state[k]) for n, k in before.layout.slope.items()}
        self.engine = self._engine(circuit)
        z = self.engine.start(known)
        for name, value in held.items():
            z[self.engine.layout.slope[name]] = value
        mark = self._begun(z, int(self.mark.place[3]))
        mark.place[:5] = self.mark.place[:5]
        mark.place[4] = -1
        mark.place[9] = self.mark.place[9]
        mark.fired[:] = self.mark.fired
        mark.state[self.engine.n + 1 : self.engine.layout.first] = self.mark.state[
            before.n + 1 : before.layout.first
        ]
        mark.rest[0] = self.mark.rest[0]
        self.mark = mark
        self.edges = self._scheduled()
        watching.empty(self.engine.record.course)

    # --- what was seen -------------------------------------------------------------------------------------

    @property
    def strip(self) -> Strip:
        """What has been seen up to here."""
        if len(self._parts) > 1:
            self._parts = [tuple(np.concatenate([part[k] for part in self._parts]) for k in range(9))]
        return Strip(tuple(self.watched), *self._parts[0])

    def again(self, start: float, end: float) -> list[tuple[Engine, Trace, float]]:
        """Return every stretch of the periods from `start` to `end` [s]: engine, stretches, and where their period starts [s].

        The run is taken up again from the last place before, and stays where it is.
        """
        kept = (
            self.engine,
            self.edges,
            self.mark,
            self.control,
            self.origin,
            self.clocked,
            self._parts,
            self._places,
        )
        places, found = self._places, []
        self._parts, self._places = [], []
        try:
            first = max((k for k, p in enumerate(places) if _time(p) <= start), default=0)
            for k in range(first, len(places)):
                if _time(places[k]) >= end:
                    break
                stop = (
                    _time(places[k + 1])
                    if k + 1 < len(places)
                    else kept[4] + int(kept[2].place[1]) * kept[0].tick
                )
                found += self._replayed(places[k], start, min(end, stop), stop)
        finally:
            (
                self.engine,
                self.edges,
                self.mark,
                self.control,
                self.origin,
                self.clocked,
                self._parts,
                self._places,
            ) = kept
        return found

    def _replayed(
        self, place: _Place, start: float, end: float, stop: float
    ) -> list[tuple[Engine, Trace, float]]:
        self.engine, self.edges, self.control, self.origin = (
            place.engine,
            place.edges,
            place.control,
            place.origin,
        )
        self.mark = _copied(place.mark)
        self.clocked = copy.deepcopy(place.clocked)
        found = []
        while self.time < end - 0.5 * self.engine.tick:
            length = self.edges.length * self.engine.tick
            before = int((start - self.origin) / length)
            if int(self.mark.place[1]) == 0 and before > 1 and self.clocked is None:
                self._whole(min(before - 1, AT_ONCE))
                continue
            used, origin, begun = int(self.mark.place[5]), self.origin, int(self.mark.place[1])
            at = min(round((stop - origin) / self.engine.tick), self.edges.length)
            self._look()
            self.engine.onward(self.mark, self.edges, at if at < self.edges.length else stepping.NEVER)
            last = int(self.mark.place[1])
            if origin + last * self.engine.tick > start:
                found.append((self.engine, self.engine.part(used, int(self.mark.place[5]), last), origin))
            if last < self.edges.length:
                break
            self.origin += length
            if self.clocked is not None:
                self._next()
            else:
                self.mark = self._begun(self.mark.state, int(self.mark.place[3]))
            if begun == last:
                break
        return found

    def samples(self, start: float, end: float, per_period: int = 200) -> tuple[Array, Array]:
        """Return instants [s], (s,), and watched rows there, (s, w), both sides of every jump included."""
        times, values = [], []
        for engine, trace, origin in self.again(start, end):
            for k, c in enumerate(trace.configurations.tolist()):
                span = int(trace.durations[k])
                count = max(int(np.ceil(per_period * span / self.edges.length)), 2)
                ticks = np.unique(np.round(np.linspace(0, span, count + 1)).astype(np.int64))
                states = np.empty((len(ticks), engine.nz))
                propagators.sample(engine.tables.phi, c, trace.states[k], ticks, states)
                times.append(origin + (trace.ticks[k] - trace.rests[k] + ticks) * engine.tick)
                values.append(states @ engine.tables.sense[c, : len(self.watched)].T)
        if not times:
            return np.zeros(0), np.zeros((0, len(self.watched)))
        time, table = np.maximum.accumulate(np.concatenate(times)), np.concatenate(values)
        inside = (time >= start) & (time <= end)
        return time[inside], table[inside]

    def last_outside(
        self, name: str, low: float, high: float, since: float, until: float = np.inf
    ) -> float | None:
        """Return the last instant up to another one at which a row was outside a band [s].

        That is `since` if it never was after that, and None if it still is at the end.
        """
        strip = self.strip
        k = strip.names.index(name)
        middle = 0.5 * (strip.start + strip.end)
        span = (middle > since) & (middle < until)
        outside = np.flatnonzero(((strip.low[:, k] < low) | (strip.high[:, k] > high)) & span)
        if len(outside) == 0:
            return since
        last = int(outside[-1])
        begin, end = max(float(strip.start[last]), since), min(float(strip.end[last]), until)
        time, values = self.samples(begin, end, FINE)
        beyond = np.maximum(values[:, k] - high, low - values[:, k])
        at = np.flatnonzero(beyond > 0.0)
        if len(at) == 0:
            return max(begin, since)
        i = int(at[-1])
        if i + 1 == len(time):
            return None if last + 1 == len(strip.end) or strip.start[last + 1] >= until else end
        part = beyond[i] / (beyond[i] - beyond[i + 1])
        return float(time[i] + part * (time[i + 1] - time[i]))


def _copied(mark: stepping.Mark) -> stepping.Mark:
    return stepping.Mark(
        mark.place.copy(),
        mark.rest.copy(),
        mark.state.copy(),
        mark.tangent.copy(),
        mark.fired.copy(),
        mark.moved.copy(),
    )


def _time(place: _Place) -> float:
    return place.origin + int(place.mark.place[1]) * place.engine.tick


def travel(
    passage: Passage, changes: Iterable[Change], end: float, step: Callable[[float], None] | None = None
) -> None:
    """Run a passage through changes, in order of time, to its end [s].

    Raises
    ------
    NoResultError
        As `Passage.advance` does.
    """
    for change in sorted(changes, key=lambda c: c.time):
        passage.advance(change.time, step)
        passage.change(change)
    passage.advance(end, step)
