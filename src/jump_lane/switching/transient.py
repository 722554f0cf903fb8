"""A circuit over time: from a state, through changes at any instant, period after period.

What is kept is bounded however long the run: of every watched row the extremes and the average of each period (of several
together where there are very many), and where to start from to see any part again with every edge.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np

from jump_lane.circuit.circuit import Circuit
from jump_lane.circuit.law import Row
from jump_lane.switching import propagators, watching
from jump_lane.switching.changes import Change, Clocked
from jump_lane.switching.clock import PERIOD, parted
from jump_lane.switching.cursor import Cursor
from jump_lane.switching.engine import Engine
from jump_lane.switching.network import Array
from jump_lane.switching.runs import Trace
from jump_lane.switching.strip import Strip, joined
from jump_lane.switching.watching import Courses

AT_ONCE, CLOSELY = 500, 100
"""Periods between two places that a run can be taken up again from; where a controller is called once a period, which takes
longer, so many."""

FINE = 4000
"""Samples in a period where an instant is looked for."""

KEPT, PLACES = 20_000, 2_000
"""Parts of a run whose extremes are kept, and places that it can be taken up again from; with twice as many, every two parts are
put together, and every second place is forgotten."""


class _Place(NamedTuple):
    """A run as it was, and whether something had just changed."""

    run: Cursor
    changed: bool


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
    """

    circuit: Circuit
    watched: Mapping[str, Row]
    inputs: tuple[str, ...] = ()
    moving: tuple[str, ...] = ()
    states: Mapping[str, float] = field(default_factory=dict)
    combo: int = 0
    clocked: Clocked | None = None

    def __post_init__(self) -> None:
        engine = self._engine(self.circuit)
        edges = engine.schedule(self.circuit.control)
        z = engine.start(dict(self.states))
        control, mark = self.circuit.control, engine.mark(z, self.combo, edges)
        self.here = Cursor(engine, self.clocked, control, control, 0.0, edges, mark)
        self.here.begin(z, self.combo, True)
        watching.empty(engine.record.course)
        self._spans: list[list[Strip]] = [[]]
        self._parts = 0
        self._places: list[_Place] = []
        self._changed, self._stride = True, 1

    def _engine(self, circuit: Circuit) -> Engine:
        return Engine(circuit, (), self.watched, self.inputs, self.moving)

    # --- going on ------------------------------------------------------------------------------------------

    @property
    def time(self) -> float:
        """Where the run is [s]."""
        return self.here.time

    @property
    def state(self) -> dict[str, float]:
        """States of the circuit and of the law there, by name."""
        return self.here.engine.named(self.here.mark.state)

    def advance(self, until: float, step: Callable[[float], None] | None = None) -> None:
        """Run on to an instant [s]; `step` is told where the run is from time to time.

        Raises
        ------
        NoResultError
            If no consistent combination of valves exists, or the states grow beyond all bounds.
        """
        here = self.here
        while (left := here.left(until)) > here.tick:
            self._remember()
            whole = left // here.edges.length
            if here.tick == 0 and whole > 0 and here.clocked is None:
                begun = here.origin
                self._keep(self._of_many(begun, here.whole(min(whole, AT_ONCE))))
            else:
                self._keep(self._of_one(left))
            if step is not None:
                step(here.time)

    def _of_many(self, begun: float, courses: Courses) -> Strip:
        """Return what whole periods showed, the first of which began at an instant [s]."""
        here, count = self.here, len(courses.met)
        tick = here.engine.tick
        ends = np.asarray(begun + tick * np.cumsum(courses.lengths), dtype=np.float64)
        start = np.append(begun, ends[:-1])
        at = start[:, None]
        return Strip(
            tuple(self.watched), start, ends, courses.low, courses.high,
            courses.mean, at + tick * courses.low_at, at + tick * courses.high_at, np.full(count, here.control), courses.met,
        )  # fmt: skip

    def _of_one(self, left: int) -> Strip:
        """Run on to a tick of the period, or to its end and over; return what that part showed."""
        here = self.here
        begun, used, control = here.time, here.used, here.control
        here.to(left)
        engine = here.engine
        course, met = engine.record.course, 0
        for c in engine.part(used, here.used, here.tick).configurations.tolist():
            met |= 1 << min(c, 62)
        span = max(here.time - begun, 1e-300)
        part = Strip(
            tuple(self.watched), np.array([begun]), np.array([here.time]), course.low[None].copy(), course.high[None].copy(),
            course.area[None] / span, here.origin + engine.tick * course.low_at[None],
            here.origin + engine.tick * course.high_at[None], np.array([control]), np.array([met]),
        )  # fmt: skip
        watching.empty(course)
        if here.ended:
            here.turn()
        return part

    def _keep(self, part: Strip) -> None:
        self._spans[-1].append(part)
        self._parts += len(part.start)
        if self._parts > 2 * KEPT:
            self._spans = [[joined(tuple(self.watched), span).halved()] for span in self._spans]
            self._parts = sum(len(span[0].start) for span in self._spans)

    def _remember(self) -> None:
        """Keep a place that the run can be taken up again from: behind every change, and from time to time."""
        here = self.here
        every = self._stride * (AT_ONCE if here.clocked is None else CLOSELY) * self.circuit.period
        if not self._changed and here.time - self._places[-1].run.time < 0.999 * every:
            return
        self._places.append(_Place(here.copied(), self._changed))
        self._changed = False
        if len(self._places) > 2 * PLACES:
            self._stride *= 2
            self._places = [p for k, p in enumerate(self._places) if k % 2 == 0 or p.changed]

    # --- changes -------------------------------------------------------------------------------------------

    def change(self, what: Change) -> None:
        """Carry out a change where the run is."""
        here = self.here
        self._changed = True
        self._spans.append([])
        if what.circuit is not None:
            here.swap(self._engine(what.circuit))
            watching.empty(here.engine.record.course)
        if what.reference is not None and here.clocked is not None:
            here.clocked.aim(what.reference, what.slope * self.circuit.period)
        if what.control is not None:
            here.coming = what.control
            if here.tick == 0:
                here.begin(here.mark.state, here.combo, True)
        if what.name:
            layout = here.engine.layout
            here.mark.state[layout.at[what.name]] = what.value
            if what.name in layout.slope:
                here.mark.state[layout.slope[what.name]] = what.slope

    # --- what was seen -------------------------------------------------------------------------------------

    @property
    def strip(self) -> Strip:
        """What has been seen up to here."""
        names = tuple(self.watched)
        self._spans = [[joined(names, span)] for span in self._spans]
        return joined(names, [part for span in self._spans for part in span])

    def again(self, start: float, end: float) -> list[tuple[Engine, Trace, float]]:
        """Return every stretch of the periods from `start` to `end` [s]: engine, stretches, and where their period starts [s].

        The run is taken up again from the last place before, and stays where it is.
        """
        runs = [place.run for place in self._places]
        first = max((k for k, run in enumerate(runs) if run.time <= start), default=0)
        stops = [*(run.time for run in runs[first + 1 :]), self.time]
        found: list[tuple[Engine, Trace, float]] = []
        for run, stop in zip(runs[first:], stops, strict=True):
            if run.time >= end:
                break
            found += _seen_again(run.copied(), start, min(end, stop), stop)
        return found

    def samples(self, start: float, end: float, per_period: int = 200) -> tuple[Array, Array]:
        """Return instants [s], (s,), and watched rows there, (s, w), both sides of every jump included."""
        times, values = [np.zeros(0)], [np.zeros((0, len(self.watched)))]
        for engine, trace, origin in self.again(start, end):
            for k, c in enumerate(trace.configurations.tolist()):
                span = int(trace.durations[k])
                count = max(int(np.ceil(per_period * span / PERIOD)), 2)
                ticks = np.unique(parted(span, count))
                states = np.empty((len(ticks), engine.nz))
                propagators.sample(engine.tables.phi, c, trace.states[k], ticks, states)
                times.append(origin + (trace.ticks[k] - trace.rests[k] + ticks) * engine.tick)
                values.append(states @ engine.shown(c).T)
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
        k, within = strip.names.index(name), strip.within(since, until)
        outside = within[(strip.low[within, k] < low) | (strip.high[within, k] > high)]
        if len(outside) == 0:
            return since
        last = int(outside[-1])
        begin, end = max(float(strip.start[last]), since), min(float(strip.end[last]), until)
        time, values = self.samples(begin, end, FINE)
        beyond = np.maximum(values[:, k] - high, low - values[:, k])
        at = np.flatnonzero(beyond > 0.0)
        if len(at) == 0:
            return begin
        i = int(at[-1])
        if i + 1 == len(time):
            return None if last == within[-1] else end
        part = beyond[i] / (beyond[i] - beyond[i + 1])
        return float(time[i] + part * (time[i + 1] - time[i]))


def _seen_again(run: Cursor, start: float, end: float, stop: float) -> list[tuple[Engine, Trace, float]]:
    """Run on to an instant [s], at the latest to where the next change comes; return the stretches from `start` on."""
    found = []
    while run.time < end - 0.5 * run.engine.tick:
        before = int((start - run.origin) / run.length) - 1
        if run.tick == 0 and before > 0 and run.clocked is None:
            run.whole(min(before, AT_ONCE))
            continue
        used = run.used
        run.to(run.left(stop))
        if run.time > start:
            found.append((run.engine, run.engine.part(used, run.used, run.tick), run.origin))
        if not run.ended:
            break
        run.turn()
    return found


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
