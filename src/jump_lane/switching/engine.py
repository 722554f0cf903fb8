"""Runs one circuit: works configurations out as they are met and calls the compiled loop."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from jump_lane.circuit.circuit import Circuit
from jump_lane.errors import ConvergenceError, NoResultError, UnsolvableError
from jump_lane.switching import kernel
from jump_lane.switching.clock import LEVELS, PERIOD, STEPS, Schedule, schedule
from jump_lane.switching.configuration import Configuration, conducting, configure, signals
from jump_lane.switching.network import Array, Network, assemble

RINGING = 0.3
"""Largest angle that the fastest ringing turns in one step [rad]; more would miss double crossings."""


@dataclass(frozen=True)
class Meter:
    """A running integral of a signal, carried along as one more state: ``branch`` voltage or current."""

    branch: str
    voltage: bool = True


@dataclass
class Trace:
    """Stretches without an event: start tick, configuration number, state there (energy coordinates)."""

    ticks: NDArray[np.int64]
    configurations: NDArray[np.int64]
    states: Array

    @property
    def durations(self) -> NDArray[np.int64]:
        """Length of each stretch [ticks]."""
        return np.diff(np.append(self.ticks, PERIOD))


@dataclass
class Run:
    """One period: state and combination at its end, tangent columns (last one: the control), trace."""

    end: Array
    combo: int
    tangent: Array
    trace: Trace


@dataclass
class Statistics:
    """What the simulator did, for the curious and for benchmarks."""

    periods: int = 0
    products: int = 0
    jumps: int = 0
    configurations: int = 0


@dataclass
class Engine:
    """A circuit made ready to run; configurations are worked out once and kept.

    States z = [y; 1; q] hold n states in energy coordinates, the constant, and one integral per meter.
    """

    circuit: Circuit
    meters: tuple[Meter, ...] = ()
    network: Network = field(init=False)
    configurations: list[Configuration] = field(init=False, default_factory=list)
    statistics: Statistics = field(init=False, default_factory=Statistics)

    def __post_init__(self) -> None:
        self.network = assemble(self.circuit)
        self.n = self.network.size
        self.nz = self.n + 1 + len(self.meters)
        self.tick = self.circuit.period / PERIOD
        self.switches = tuple(v.name for v in self.network.valves[: self.network.gated])
        self._schedules: dict[float, Schedule] = {}
        self._allocate(12)
        self._record = self._new_record(128)

    def _allocate(self, capacity: int) -> None:
        n1, nz = self.n + 1, self.nz
        natural = len(self.network.valves) - self.network.gated
        self._tables = kernel.Tables(
            combos=np.full(capacity, -1, dtype=np.int64),
            coarse=np.zeros(capacity, dtype=np.int64),
            phi=np.zeros(capacity * LEVELS * nz * nz),
            rate=np.zeros((capacity, nz, nz)),
            projection=np.zeros((capacity, n1, n1)),
            kind=np.zeros(capacity, dtype=np.int64),
            guard=np.zeros((capacity, natural, n1)),
            tolerance=np.zeros((capacity, natural)),
            impulse=np.zeros((capacity, natural, n1)),
        )

    def _grow(self) -> None:
        old = self._tables
        self._allocate(2 * len(old.combos))
        for fresh, known in zip(self._tables, old, strict=True):
            fresh[: len(known)] = known

    def _new_record(self, length: int) -> kernel.Record:
        return kernel.Record(
            np.zeros(length, dtype=np.int64), np.zeros(length, dtype=np.int64), np.zeros((length, self.nz))
        )

    def _learn(self, combo: int) -> None:
        """Work out the configuration of `combo` and put it into the tables."""
        index = len(self.configurations)
        if index == len(self._tables.combos):
            self._grow()
        found = configure(self.network, combo)
        self.configurations.append(found)
        t, n, nz = self._tables, self.n, self.nz
        t.combos[index] = combo
        t.rate[index, :n, : n + 1] = found.rate[:n]
        for row, meter in enumerate(self.meters, start=n + 1):
            t.rate[index, row, : n + 1] = self.row(found, meter.branch, meter.voltage)
        t.projection[index] = found.projection
        t.kind[index] = 2 if found.contradictory else int(found.constrained)
        t.guard[index] = found.guards
        t.tolerance[index] = kernel.GUARD_ROUNDING * np.abs(found.guards).max(axis=1, initial=0.0)
        t.impulse[index] = found.impulses
        t.coarse[index] = self._coarse_level(found)
        stride = LEVELS * nz * nz
        phi = t.phi[index * stride : (index + 1) * stride].reshape(LEVELS, nz, nz)
        kernel.ladder(t.rate[index], self.tick, phi)
        self.statistics.configurations += 1

    def _coarse_level(self, found: Configuration) -> int:
        """Return the level of the longest step in which the fastest ringing is still resolved."""
        m = found.rate[: self.n, : self.n]
        step = self.circuit.period / STEPS
        level = LEVELS - 1
        skew = float(np.linalg.norm(m - m.T)) / np.sqrt(8.0)
        if skew * step > RINGING:
            skew = float(np.abs(np.linalg.eigvals(m).imag).max())
        while skew * step > RINGING and level > 12:
            step /= 2.0
            level -= 1
        return level

    def row(self, configuration: Configuration, branch: str, voltage: bool) -> Array:
        """Return a branch voltage or current as a row over [y; 1]."""
        at = self.network.branches.index(branch)
        return signals(self.network, configuration)[0 if voltage else 1][at]

    def schedule(self, control: float) -> Schedule:
        """Return the gate edges at a value of the control variable."""
        if control not in self._schedules:
            self._schedules[control] = schedule(self.circuit.pattern(control), self.switches)
        return self._schedules[control]

    def start(self) -> Array:
        """Return the all-zero state."""
        z = np.zeros(self.nz)
        z[self.n] = 1.0
        return z

    def run(self, z: Array, combo: int, control: float, tangents: bool) -> Run:
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

        Raises
        ------
        NoResultError
            If no consistent combination of valves exists, or there is no end to the events.
        """
        edges = self.schedule(control)
        columns = self.n + 1 if tangents else 0
        while True:
            now = z.copy()
            now[self.n + 1 :] = 0.0
            p = np.zeros((columns + 1, self.nz))
            p[:columns, : self.n] = np.eye(columns, self.n)
            stats = np.zeros(2, dtype=np.int64)
            status, at, used = kernel.run_period(
                self._tables, edges.ticks, edges.masks, edges.slopes * self.circuit.period, combo, now, p,
                columns, self.n, self.network.gated, self.tick, self._record, 0, stats,
            )  # fmt: skip
            if status == kernel.OK:
                break
            self._remedy(status, at)
        self.statistics.periods += 1
        self.statistics.products += int(stats[0])
        self.statistics.jumps = int(stats[1])
        r = self._record
        trace = Trace(r.tick[:used].copy(), r.configuration[:used].copy(), r.state[:used].copy())
        return Run(now, int(at), p[:columns], trace)

    def settle(self, z: Array, combo: int, control: float, periods: int) -> tuple[Array, int]:
        """Run `periods` periods one after another; return the states at their ends and the combination."""
        edges = self.schedule(control)
        ends = np.empty((periods, self.nz))
        now, done = z.copy(), 0
        while done < periods:
            stats = np.zeros(2, dtype=np.int64)
            status, at, combo, count, _ = kernel.run_periods(
                self._tables, edges.ticks, edges.masks, combo, now, self.n, self.network.gated, self.tick,
                self._record, stats, ends[done:],
            )  # fmt: skip
            done += count
            self.statistics.periods += count
            self.statistics.products += int(stats[0])
            if status != kernel.OK:
                self._remedy(status, at)
        return ends, int(combo)

    def _remedy(self, status: int, combo: int) -> None:
        """Do what a run that stopped early asks for, or say why it cannot be done."""
        if status == kernel.MISSING:
            self._learn(combo)
        elif status == kernel.FULL:
            self._record = self._new_record(4 * len(self._record.tick))
        else:
            raise self._failure(status, combo)

    def _failure(self, status: int, combo: int) -> NoResultError:
        closed = conducting(combo, self.network)
        names = ", ".join(v.name for v, c in zip(self.network.valves, closed, strict=True) if c) or "nothing"
        if status == kernel.UNSOLVABLE:
            return UnsolvableError(
                f"sources contradict each other while {names} conducts: a forced current has no path, "
                "or two voltages stand in parallel"
            )
        if status == kernel.TOO_MANY:
            return ConvergenceError(
                f"more than {kernel.MAX_EVENTS} commutations in one period (last: {names} conducting)"
            )
        return ConvergenceError(f"no combination of conducting valves obeys all diodes (last tried: {names})")
