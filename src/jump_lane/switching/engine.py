"""Runs one circuit: works configurations out as they are met and calls the compiled loop."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from jump_lane.circuit.circuit import Circuit
from jump_lane.errors import ConvergenceError, NoResultError, UnsolvableError
from jump_lane.switching import commutation, propagators, stepping
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


@dataclass(frozen=True)
class Trace:
    """Stretches without an event: start tick, configuration number, state there (energy coordinates)."""

    ticks: NDArray[np.int64]
    configurations: NDArray[np.int64]
    states: Array

    @property
    def durations(self) -> NDArray[np.int64]:
        """Length of each stretch [ticks]."""
        return np.diff(np.append(self.ticks, PERIOD))


@dataclass(frozen=True)
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
        nz, natural = self.nz, len(self.network.valves) - self.network.gated
        self._tables = commutation.Tables(
            info=np.full((capacity, 3), -1, dtype=np.int64),
            rows=np.zeros((capacity, nz + self.n + 2 * natural, nz)),
            phi=np.zeros(capacity * LEVELS * nz * nz),
        )

    def _grow(self) -> None:
        old = self._tables
        self._allocate(2 * len(old.info))
        for fresh, known in zip(self._tables, old, strict=True):
            fresh[: len(known)] = known

    def _new_record(self, length: int) -> stepping.Record:
        return stepping.Record(np.zeros((length, 2), dtype=np.int64), np.zeros((length, self.nz)))

    def _sizes(self, columns: int) -> commutation.Sizes:
        gated = self.network.gated
        return commutation.Sizes(self.n, self.nz, gated, len(self.network.valves) - gated, columns)

    def _learn(self, combo: int) -> None:
        """Work out the configuration of `combo` and put it into the tables."""
        index = len(self.configurations)
        if index == len(self._tables.info):
            self._grow()
        found = configure(self.network, combo)
        self.configurations.append(found)
        n, nz = self.n, self.nz
        rows = self._tables.rows[index]
        commutation.enter_rows(rows, found.rate, found.projection, found.guards, found.impulses, nz)
        for at, meter in enumerate(self.meters, start=n + 1):
            rows[at, : n + 1] = self.row(found, meter.branch, meter.voltage)
        kind = 2 if found.contradictory else int(found.constrained)
        self._tables.info[index] = combo, self._coarse_level(found), kind
        stride = LEVELS * nz * nz
        phi = self._tables.phi[index * stride : (index + 1) * stride].reshape(LEVELS, nz, nz)
        propagators.ladder(rows[:nz], self.tick, phi)
        self.statistics.configurations += 1

    def rate(self, index: int) -> Array:
        """Return the rate matrix of a configuration, meters included, (nz, nz)."""
        rate: Array = self._tables.rows[index, : self.nz]
        return rate

    def coarse_level(self, index: int) -> int:
        """Return the level of the longest step in a configuration."""
        return int(self._tables.info[index, 1])

    def ladder(self, index: int) -> Array:
        """Return the propagators of a configuration for steps of 2⁰ … 2³⁰ ticks, (levels, nz, nz)."""
        stride = LEVELS * self.nz * self.nz
        flat = self._tables.phi[index * stride : (index + 1) * stride]
        return np.asarray(flat.reshape(LEVELS, self.nz, self.nz))

    def _coarse_level(self, found: Configuration) -> int:
        """Return the level of the longest step in which the fastest ringing is still resolved."""
        m = found.rate[: self.n, : self.n]
        step = self.circuit.period / STEPS
        level = LEVELS - 1
        difference = (m - m.T).ravel()
        skew = math.sqrt(float(difference @ difference) / 8.0)
        if skew * step > RINGING:
            skew = float(np.abs(np.linalg.eigvals(m).imag).max())
        while skew * step > RINGING and level > 12:
            step /= 2.0
            level -= 1
        return level

    def row(self, configuration: Configuration, branch: str, voltage: bool) -> Array:
        """Return a branch voltage or current as a row over [y; 1]."""
        at = self.network.branches.index(branch)
        return np.asarray(signals(self.network, configuration)[0 if voltage else 1][at])

    @property
    def propagators(self) -> Array:
        """Return all ladders one after the other, flat."""
        return np.asarray(self._tables.phi)

    def schedule(self, control: float) -> Schedule:
        """Return the gate edges at a value of the control variable."""
        if control not in self._schedules:
            self._schedules[control] = schedule(self.circuit.pattern(control), self.switches)
        return self._schedules[control]

    def start(self, known: dict[str, float]) -> Array:
        """Return a state from known inductor currents [A] and capacitor voltages [V], zero if not named."""
        z = np.zeros(self.nz)
        z[self.n] = 1.0
        z[: self.n] = self.network.to_energy @ np.array([known.get(s, 0.0) for s in self.network.states])
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
        shifts = edges.slopes * self.circuit.period
        sizes = self._sizes(columns)
        while True:
            p = np.zeros((columns + 1, self.nz))
            p[:columns, : self.n] = np.eye(columns, self.n)
            stats = np.zeros(2, dtype=np.int64)
            status, at, used, end = stepping.run_period(
                self._tables, edges.ticks, edges.masks, shifts, combo, z, p, sizes, self.tick,
                self._record, stats,
            )  # fmt: skip
            if status == commutation.OK:
                break
            self._remedy(status, at)
        self.statistics.periods += 1
        self.statistics.products += int(stats[0])
        self.statistics.jumps = int(stats[1])
        where = self._record.where[:used].copy()
        trace = Trace(where[:, 0], where[:, 1], self._record.state[:used].copy())
        return Run(end, int(at), p[:columns], trace)

    def settle(self, z: Array, combo: int, control: float, periods: int) -> tuple[Array, int]:
        """Run `periods` periods one after another; return the states at their ends and the combination."""
        edges = self.schedule(control)
        ends = np.empty((periods, self.nz))
        done = 0
        while done < periods:
            stats = np.zeros(2, dtype=np.int64)
            status, wanted, combo, count = stepping.run_periods(
                self._tables, edges.ticks, edges.masks, combo, z if done == 0 else ends[done - 1],
                self._sizes(0), self.tick, self._record, stats, ends[done:],
            )  # fmt: skip
            done += count
            self.statistics.periods += count
            self.statistics.products += int(stats[0])
            if status != commutation.OK:
                self._remedy(status, wanted)
        return ends, int(combo)

    def _remedy(self, status: int, combo: int) -> None:
        """Do what a run that stopped early asks for, or say why it cannot be done."""
        if status == commutation.MISSING:
            self._learn(combo)
        elif status == commutation.FULL:
            self._record = self._new_record(4 * len(self._record.where))
        else:
            raise self._failure(status, combo)

    def _failure(self, status: int, combo: int) -> NoResultError:
        closed = conducting(combo, self.network)
        names = ", ".join(v.name for v, c in zip(self.network.valves, closed, strict=True) if c) or "nothing"
        if status == commutation.UNSOLVABLE:
            return UnsolvableError(
                f"sources contradict each other while {names} conducts: a forced current has no path, "
                "or two voltages stand in parallel"
            )
        if status == commutation.TOO_MANY:
            return ConvergenceError(
                f"more than {stepping.MAX_EVENTS} commutations in one period (last: {names} conducting)"
            )
        return ConvergenceError(f"no combination of conducting valves obeys all diodes (last tried: {names})")
