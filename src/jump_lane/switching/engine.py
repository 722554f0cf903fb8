"""Runs one circuit: keeps what the compiled loop knows of it, and calls that loop."""

from __future__ import annotations

import copy
import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, ClassVar

import numpy as np

from jump_lane.circuit.circuit import Circuit
from jump_lane.circuit.law import Row
from jump_lane.errors import ConvergenceError
from jump_lane.switching import commutation, journey, shooting, stepping
from jump_lane.switching.clock import PERIOD, Schedule, schedule
from jump_lane.switching.layout import Layout, Meter
from jump_lane.switching.learning import LEARNING, Lesson, learn
from jump_lane.switching.network import Array, Network, assemble
from jump_lane.switching.runs import Pieces, Run, Shot, Statistics, Trace, failure
from jump_lane.switching.tables import Tables, allocate
from jump_lane.switching.watching import Courses

REMEMBERED = 1000
"""Schedules of values of the control that are kept."""


FIRST = 32
"""Configurations that there is room for at first."""


@dataclass
class Engine:
    """A circuit made ready to run; configurations are worked out once and kept.  `Layout` tells what z holds.

    Attributes
    ----------
    circuit, meters
        What runs, and what is integrated over each period.
    watched
        Rows whose course `follow` keeps, by name.
    inputs, moving
        Sources whose value may be changed while it runs; those of them, and of the references of the law, that may move.
    """

    circuit: Circuit
    meters: tuple[Meter, ...] = ()
    watched: Mapping[str, Row] = field(default_factory=dict)
    inputs: tuple[str, ...] = ()
    moving: tuple[str, ...] = ()
    layout: Layout = field(init=False)
    network: Network = field(init=False)
    statistics: Statistics = field(init=False, default_factory=Statistics)
    _code: ClassVar[tuple[int, int] | None] = None

    def __post_init__(self) -> None:
        self.network = assemble(self.circuit)
        self.n = self.network.size
        self.layout = Layout(self.circuit, self.network, self.meters, self.watched, self.inputs, self.moving)
        self.nz = self.layout.nz
        self.unknown = self.layout.unknown
        self.tick = self.circuit.period / PERIOD
        self.switches = tuple(v.name for v in self.network.valves[: self.network.gated])
        self._schedules: dict[float, Schedule] = {}
        self._latest: Array | None = None
        plain = None if self.circuit.law is None else self.plain_schedule(self.circuit.control)
        self._law_edges = None if plain is None else self.layout.tripped(plain, self.switches)
        self._model = self.layout.model()
        self._sizes = tuple(self.layout.sizes(columns) for columns in (0, len(self.unknown) + 1))
        self._rooms = tuple(journey.room(s, len(self.watched)) for s in self._sizes)
        self.tables = self._allocate(FIRST)
        self.record = journey.blank_record(64, self.nz, len(self.watched))
        self._single = self.courses(0)
        self._find_code()

    def gated(self, circuit: Circuit) -> Engine:
        """Return an engine of a circuit with the same elements and period, other gates: what is known of these is kept.

        Neither may have a law.
        """
        other = copy.copy(self)
        other.circuit, other._schedules, other._latest = circuit, {}, None
        other.statistics = Statistics()
        return other

    def _allocate(self, capacity: int) -> Tables:
        s = self._sizes[False]
        return allocate(
            capacity, self.n, self.nz, s.natural, s.trips, len(self.network.signals), len(self.watched)
        )

    def _grow(self) -> None:
        old, self.tables = self.tables, self._allocate(2 * len(self.tables.info))
        for fresh, known in zip(self.tables, old, strict=True):
            fresh[: len(known)] = known

    def index(self, combo: int) -> int:
        """Return the number of the configuration of a combination of valves, worked out if it has not been yet."""
        known = np.flatnonzero(self.tables.info[:, 0] == combo)
        if len(known):
            return int(known[0])
        free = np.flatnonzero(self.tables.info[:, 0] < 0)
        if len(free) == 0:
            self._grow()
            return self.index(combo)
        learn(self._model, self.tables, self.sizes, int(free[0]), combo, self.tick)
        return int(free[0])

    def rate(self, index: int) -> Array:
        """Return the rate matrix of a configuration over [y; 1], (n+1, n+1)."""
        return np.ascontiguousarray(self.tables.rate[index, : self.n + 1, : self.n + 1])

    def shown(self, index: int) -> Array:
        """Return the watched rows in a configuration, over z, (w, nz)."""
        return np.asarray(self.tables.sense[index, :, : len(self.watched)].T)

    def combo(self, index: int) -> int:
        """Return the bit pattern of the valves that conduct in a configuration."""
        return int(self.tables.info[index, 0])

    @property
    def known(self) -> int:
        """Return how many configurations have been worked out."""
        return int(np.count_nonzero(self.tables.info[:, 0] >= 0))

    def signals(self, index: int) -> Array:
        """Return every signal as a row over [y; 1] in a configuration: voltages, currents, node potentials, gates."""
        rows: Array = self.tables.signals[index]
        return rows

    def schedule(self, control: float) -> Schedule:
        """Return the gate edges at a value of the control variable; under a law those that its comparators bring."""
        if self._law_edges is not None:
            return self._law_edges
        if control not in self._schedules:
            if len(self._schedules) >= REMEMBERED:
                self._schedules.clear()
            self._schedules[control] = self.plain_schedule(control)
        return self._schedules[control]

    def plain_schedule(self, control: float) -> Schedule:
        """Return the gate edges at a value of the control variable, whatever law there is."""
        return schedule(self.circuit.pattern(control), self.switches, self.circuit.spans(control))

    def start(self, known: dict[str, float]) -> Array:
        """Return a state from known inductor currents [A], capacitor voltages [V] and states of the law, zero if not named."""
        z, law = np.zeros(self.nz), self.layout.law
        z[self.n] = 1.0
        z[: self.n] = self.network.to_energy @ np.array([known.get(s, 0.0) for s in self.network.states])
        for name, value in {**law.held, **law.initial, **known}.items():
            if name in self.layout.at and name not in self.network.states:
                z[self.layout.at[name]] = value
        return z

    @property
    def sizes(self) -> commutation.Sizes:
        """The numbers that the compiled code goes by."""
        return self._sizes[False]

    def run(self, z: Array, combo: int, control: float, tangents: bool, every: bool = False) -> Run:
        """Run one period from z.

        Parameters
        ----------
        z
            State at the start, (nz,); the meters start from zero.
        combo
            Valves that conducted just before.
        control
            Value of the control variable.
        tangents
            Whether the derivatives of the end state are wanted, with respect to every state at the start
            and, last, to the control variable.
        every
            Whether events that fall together are recorded one by one, with stretches of no length between them.

        Raises
        ------
        NoResultError
            If no consistent combination of valves exists, or there is no end to the events.
        """
        edges = self.schedule(control)
        mark = self.mark(z, combo, edges, tangents)
        mark.place[journey.EVERY] = every
        combo = self.go_on(mark, edges, tangents)
        return Run(mark.state, combo, mark.tangent, *mark.place[[journey.USED, journey.TICK]].tolist())

    def go_on(self, mark: journey.Mark, edges: Schedule, tangents: bool) -> int:
        """Run from a mark through the edges of a schedule, working out what is met on the way; return the combination."""
        kit, (_, at) = self._tried(shooting.run_on, mark, tangents, edges)
        self._count(kit)
        return int(at)

    def _tried(
        self, compiled: Callable[..., Any], mark: journey.Mark, tangents: bool, *arguments: Any
    ) -> tuple[journey.Kit, Any]:
        """Call compiled code, more room made for what it wants to keep, until it has a result; return what it used too.

        Raises
        ------
        NoResultError
            If there is none.
        """
        kit = self._kit(mark, tangents)
        while True:
            found = compiled(self._model, kit, *arguments)
            status, at = found[:2]
            if status in (commutation.OK, commutation.PAUSED):
                return kit, found
            self._remedy(status, at)
            kit = kit._replace(tables=self.tables, record=self.record)

    def _kit(self, mark: journey.Mark, tangents: bool, courses: Courses | None = None) -> journey.Kit:
        """Return what a run from a mark needs, of one period or of those that `courses` have room for."""
        return journey.Kit(
            self.tables, self._sizes[tangents], self.tick, self.record, np.zeros(4, dtype=np.int64), mark,
            self._rooms[tangents], courses or self._single, self._running,
        )  # fmt: skip

    def _find_code(self) -> None:
        """Find where the functions are that compiled code calls by their address: those of the first engine serve all."""
        self._running = 0
        if Engine._code is None:
            Engine._code = self.code()
        self._running, learning = Engine._code
        self._model = self._model._replace(learning=learning)

    def code(self) -> tuple[int, int]:
        """Return the addresses of what runs periods and of what learns configurations, compiled for records such as this engine's."""
        schedule = self.schedule(self.circuit.control)
        way = journey.Journey(self._kit(self._blank(False, schedule), False), schedule)
        lesson = Lesson(self._model, self.tables, self.sizes, 0, 0, self.tick)
        return stepping.RUNNING.address(way), LEARNING.address(lesson)

    def _count(self, kit: journey.Kit) -> None:
        self._latest = kit.mark.state
        self.statistics.products += int(kit.stats[commutation.PRODUCTS])
        self.statistics.jumps = int(kit.stats[commutation.JUMPS])

    def shoot(self, z: Array, combo: int, control: float, target: float) -> Shot:
        """Run one period from z with tangents, and find how far it is from closing.

        Parameters
        ----------
        z, combo, control
            As in `run`.
        target
            What the average of the first meter is held at by the control; not a number: that is left as it is.

        Raises
        ------
        NoResultError
            As `run` does.
        """
        edges = self.schedule(control)
        kit, found = self._tried(shooting.shoot, self._blank(True, edges), True, edges, z, combo, target)
        return self._shot(kit, found, control)

    def close(
        self, z: Array, combo: int, control: float, residual: float, nearby: float = math.inf
    ) -> tuple[Array, int, Shot]:
        """Go on from z by whole steps of Newton's method as long as each closes better, or up to a residual.

        From z itself if it closes to ``nearby``, or from some periods later if that closes better.  Returns the state at the
        start of the last period, the combination before it, and that period.

        Raises
        ------
        NoResultError
            As `run` does.
        """
        edges = self.schedule(control)
        kit, (*found, start, before) = self._tried(
            shooting.close, self._blank(True, edges), True, edges, z, combo, nearby, residual
        )
        return start, int(before), self._shot(kit, found, control)

    def _shot(self, kit: journey.Kit, found: Sequence[Any], control: float) -> Shot:
        _, at, missing, scale, off, size, sound, step, weights = found
        self._count(kit)
        used, length = kit.mark.place[[journey.USED, journey.TICK]].tolist()
        run = Run(kit.mark.state, int(at), kit.mark.tangent, used, length)
        return Shot(run, missing, off, scale, size, step if sound else None, weights)

    def newton(self, shot: Shot, held: float, weight: float) -> tuple[bool, Array, Array, Array]:
        """Return the equations of Newton's method; see `shooting.newton`."""
        sizes = self._sizes[True]
        found: tuple[bool, Array, Array, Array] = shooting.newton(
            shot.run.tangent, shot.missing, shot.weights, sizes, held, weight
        )
        return found

    def is_latest(self, run: Run) -> bool:
        """Tell whether the record still shows this run."""
        return self._latest is run.end

    def trace(self, run: Run | Pieces) -> Trace:
        """Return the stretches of the run that was made last."""
        return self.part(0, run.stretches, run.length)

    def _blank(self, tangents: bool, edges: Schedule) -> journey.Mark:
        columns, count = self._sizes[tangents].columns, len(edges.masks)
        return journey.Mark(
            np.zeros(journey.PLACES, dtype=np.int64), np.empty(1), np.empty(self.nz), np.empty((columns + 1, self.nz)),
            np.zeros(count, dtype=np.int64), np.zeros((count, columns)),
        )  # fmt: skip

    def mark(self, z: Array, combo: int, edges: Schedule, tangents: bool = False) -> journey.Mark:
        """Return the mark of a period that starts at z.

        Raises
        ------
        ConvergenceError
            If the state is not finite.
        """
        mark = self._blank(tangents, edges)
        mark.state[:] = z
        if not journey.begin(mark, self._sizes[tangents], combo, self.tables.info):
            raise ConvergenceError("the state has grown beyond all bounds")
        return mark

    def settle(self, z: Array, combo: int, control: float, periods: int) -> tuple[Array, int]:
        """Run `periods` periods one after another; return the states at their ends and the combination.

        Raises
        ------
        NoResultError
            As `run` does.
        """
        edges, self._latest = self.schedule(control), None
        courses = self.courses(periods)
        combo = self.follow(self.mark(z, combo, edges), edges, courses)
        return courses.ends, combo

    def courses(self, periods: int) -> Courses:
        """Return room for what so many periods show."""
        width = (periods, len(self.watched))
        return Courses(
            np.empty((periods, self.nz)), np.empty(width), np.empty(width), np.empty(width), np.empty(width),
            np.empty(width), np.empty(periods, dtype=np.int64), np.empty(periods, dtype=np.int64),
        )  # fmt: skip

    def follow(self, mark: journey.Mark, edges: Schedule, courses: Courses) -> int:
        """Run on from a mark until `courses` are full; return the combination.

        Raises
        ------
        NoResultError
            As `run` does.
        """
        done, combo = 0, int(mark.place[journey.COMBO])
        while done < len(courses.lengths):
            kit = self._kit(mark, False, courses)
            kit.stats[commutation.DONE] = done
            status, combo = shooting.run_on(self._model, kit, edges)
            self.statistics.products += int(kit.stats[commutation.PRODUCTS])
            done = int(kit.stats[commutation.DONE])
            if status != commutation.OK:
                self._remedy(status, combo)
        return int(combo)

    def onward(self, mark: journey.Mark, edges: Schedule, until: int) -> None:
        """Run on from a mark to a tick, or to the end of the period.

        Raises
        ------
        NoResultError
            As `run` does.
        """
        mark.place[journey.UNTIL] = until
        self.go_on(mark, edges, False)
        mark.place[journey.UNTIL] = journey.NEVER

    def named(self, z: Array) -> dict[str, float]:
        """Return the states of the circuit [A, V] and everything else that z holds, by name."""
        network = self.network
        values = dict(zip(network.states, (network.to_si @ z[: self.n]).tolist(), strict=True))
        return {**{name: float(z[at]) for name, at in self.layout.at.items()}, **values}

    def part(self, first: int, last: int, end: int) -> Trace:
        """Return some of the recorded stretches of the latest period, the last of them up to a tick."""
        where = self.record.where[first:last].T.copy()
        state, rest = self.record.state[first:last].copy(), self.record.rest[first:last].copy()
        return Trace(where[0], where[1], state, rest, end, where[2])

    def _remedy(self, status: int, combo: int) -> None:
        """Do what a run that stopped early asks for, or say why it cannot be done."""
        if status == commutation.MISSING:
            self._grow()
        elif status == commutation.FULL:
            old, longer = (
                self.record,
                journey.blank_record(4 * len(self.record.where), self.nz, len(self.watched)),
            )
            for fresh, known in zip(longer[:3], old[:3], strict=True):
                fresh[: len(known)] = known
            self.record = longer._replace(course=old.course)
        else:
            raise failure(status, combo, self.network)
