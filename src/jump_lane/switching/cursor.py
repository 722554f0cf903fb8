"""Where a run over time is, and how it goes on: to the end of the period, to a tick within it, through many periods."""

from __future__ import annotations

import copy
from dataclasses import dataclass, replace

from jump_lane.switching import journey
from jump_lane.switching.changes import Clocked
from jump_lane.switching.clock import Schedule
from jump_lane.switching.engine import Engine
from jump_lane.switching.network import Array
from jump_lane.switching.watching import Courses


@dataclass
class Cursor:
    """A run at some instant.

    Attributes
    ----------
    engine, clocked
        What runs, and the controller that is called once a period.
    control, coming
        The control variable of the period under way, and of the one that begins next.
    origin
        Where the period starts [s].
    edges, mark
        Of the period under way.
    """

    engine: Engine
    clocked: Clocked | None
    control: float
    coming: float
    origin: float
    edges: Schedule
    mark: journey.Mark

    def copied(self) -> Cursor:
        """Return one that goes on from here by itself, and notes nothing of the course of what is watched."""
        mark = copy.deepcopy(self.mark)
        mark.place[journey.FOLLOW] = 0
        return replace(self, clocked=copy.deepcopy(self.clocked), mark=mark)

    @property
    def tick(self) -> int:
        """Tick of the period."""
        return int(self.mark.place[journey.TICK])

    @property
    def combo(self) -> int:
        """Valves that conduct, as a bit pattern."""
        return int(self.mark.place[journey.COMBO])

    @property
    def used(self) -> int:
        """Stretches of the period that are recorded."""
        return int(self.mark.place[journey.USED])

    @property
    def time(self) -> float:
        """Instant [s]."""
        return self.origin + self.tick * self.engine.tick

    @property
    def ended(self) -> bool:
        """Whether the period is over."""
        if not self.edges.free:
            return self.tick == self.edges.length
        last, now, end = (int(v) for v in self.mark.place[:3])
        return last == len(self.edges.masks) - 1 and now == end and float(self.mark.rest[0]) == 0.0

    @property
    def length(self) -> float:
        """Length of the period [s], at most where there is no clock."""
        return self.edges.length * self.engine.tick

    def left(self, until: float) -> int:
        """Return the tick of the period that an instant [s] is."""
        return round((until - self.origin) / self.engine.tick)

    def whole(self, periods: int) -> Courses:
        """Run whole periods under the same edges; return what they show."""
        courses = self.engine.courses(periods)
        self.engine.follow(self.mark, self.edges, courses)
        self.origin += int(courses.lengths.sum()) * self.engine.tick
        return courses

    def to(self, tick: int) -> None:
        """Run on to a tick, or to the end of the period; a controller that looks on the way does."""
        end = min(tick, self.edges.length)
        if self.clocked is not None and self.clocked.sample > 0.0:
            look = round(self.clocked.sample * self.edges.length)
            if self.tick < look <= end:
                self.engine.onward(self.mark, self.edges, look)
                self._read(self.clocked, self.mark.state, self.combo)
        if self.tick < end:
            self.engine.onward(self.mark, self.edges, end if end < self.edges.length else journey.NEVER)

    def turn(self) -> None:
        """Go over into the next period, with the control variable that holds from there on."""
        self.origin += self.tick * self.engine.tick
        self.begin(self.mark.state, self.combo, bool(self.mark.place[journey.FOLLOW]))

    def begin(self, z: Array, combo: int, follow: bool) -> None:
        """Begin a period at z; a controller is asked at its clock."""
        if self.clocked is not None:
            if self.clocked.sample == 0.0:
                self._read(self.clocked, z, combo)
            self.coming = self.clocked.control()
        self.control = self.coming
        self.edges = self.engine.schedule(self.control)
        self.mark = self.engine.mark(z, combo, self.edges)
        self.mark.place[journey.FOLLOW] = follow

    def _read(self, clocked: Clocked, z: Array, combo: int) -> None:
        rows, names = self.engine.shown(self.engine.index(combo)), tuple(self.engine.watched)
        clocked.read(tuple(float(rows[names.index(name)] @ z) for name in clocked.rows))

    def swap(self, engine: Engine) -> None:
        """Go on in another circuit with the same gates; currents of inductors, voltages of capacitors and everything that a law
        holds stay."""
        z, old = engine.start(self.engine.named(self.mark.state)), self.mark
        for name, at in self.engine.layout.slope.items():
            z[engine.layout.slope[name]] = old.state[at]
        self.engine = engine
        self.mark = engine.mark(z, self.combo, self.edges)
        self.mark.state[:] = z  # the clock goes on, which a period that begins would reset
        self.mark.place[: journey.USED] = old.place[: journey.USED]
        self.mark.place[journey.ARMED :] = old.place[journey.ARMED :]
        self.mark.place[journey.CONFIGURATION] = -1
        self.mark.fired[:] = old.fired
        self.mark.rest[0] = old.rest[0]
