"""What the vector z holds, and the rows over it that control and measurements need.

z = [y; 1; meters; law; held]: states of the circuit in energy coordinates, the constant, integrals that start from zero in
every period (the last ones are the clock and what feeds a ramp, where a law has them), states of the law of control, and values that stay as they are
set: references of the law and increments of sources, each followed by its slope in time if it may move.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from jump_lane.circuit.circuit import Circuit
from jump_lane.circuit.law import CLOCK, FEED, ONE, Law, Row, sensed
from jump_lane.errors import InputError, nearest
from jump_lane.switching.clock import Schedule
from jump_lane.switching.commutation import Sizes
from jump_lane.switching.learning import CLOCK as COUNT
from jump_lane.switching.learning import CURRENT, POTENTIAL, VOLTAGE, Model
from jump_lane.switching.network import Array, Network
from jump_lane.switching.rest import energy_at_rest, states_at_rest
from jump_lane.switching.tripped import Trip, tripped

NO_LAW = Law({})


@dataclass(frozen=True)
class Meter:
    """A running integral of a signal, carried along as one more state: ``branch`` voltage or current."""

    branch: str
    voltage: bool = True


class Layout:
    """Entries of z by name, and the rows of a circuit, its law and what is watched.

    Parameters
    ----------
    circuit, network
        What runs.
    meters
        Integrals to carry along.
    watched
        Rows whose course is followed, by name.
    inputs, moving
        Sources whose value may be changed while it runs; those of them, and of the references of the law, that may move.
    """

    def __init__(
        self,
        circuit: Circuit,
        network: Network,
        meters: Sequence[Meter] = (),
        watched: Mapping[str, Row] | None = None,
        inputs: Sequence[str] = (),
        moving: Iterable[str] = (),
    ) -> None:
        self.circuit, self.network = circuit, network
        self.law = circuit.law or NO_LAW
        self.meters, self.watched, self.inputs = tuple(meters), dict(watched or {}), tuple(inputs)
        self.n, self.energy = network.size, energy_at_rest(circuit)
        self.rest = states_at_rest(circuit, network.states)
        self.at: dict[str, int] = {ONE: self.n}
        entry = self.n + 1 + len(self.meters)
        if circuit.law is not None:
            self.at[CLOCK] = entry
            entry += 1
        if self.law.feed is not None:
            self.at[FEED] = entry
            entry += 1
        self.first = entry
        for name in self.law.states:
            self.at[name] = entry
            entry += 1
        self.slope: dict[str, int] = {}
        moving = set(moving)
        for name in (*self.law.held, *self.inputs):
            self.at[name] = entry
            entry += 1
            if name in moving:
                self.slope[name] = entry
                entry += 1
        self.nz = entry
        self.trips: list[Trip] = []

    @property
    def laws(self) -> int:
        """Number of states of the law."""
        return len(self.law.states)

    @property
    def unknown(self) -> NDArray[np.int64]:
        """Entries of z that repeat in a steady state: states of the circuit, then of the law."""
        return np.array([*range(self.n), *range(self.first, self.first + self.laws)], dtype=np.int64)

    def tripped(self, edges: Schedule, switches: tuple[str, ...]) -> Schedule:
        """Return a schedule whose moving edges the comparators of the law bring; keeps those."""
        if self.circuit.law is None:
            return edges
        out, self.trips = tripped(edges, self.law, switches, self.circuit.control, self.circuit.period)
        return out

    def sizes(self, columns: int) -> Sizes:
        """Return the numbers that the compiled code goes by."""
        gated = self.network.gated
        natural = len(self.network.valves) - gated
        counted = self.first - self.n - 1
        trips = len(self.trips)
        return Sizes(self.n, self.nz, gated, natural, columns, trips, counted, self.laws, self.energy)

    def signal(self, name: str) -> tuple[int, int]:
        """Return number and kind of a signal of the circuit.

        Raises
        ------
        InputError
            If there is none of that name.
        """
        branches, nodes = self.network.branches, self.network.nodes
        if name.startswith("@") and name[1:] in nodes:
            return nodes.index(name[1:]), POTENTIAL
        branch, _, kind = name.rpartition(".")
        if branch in branches and kind in ("v", "i"):
            return branches.index(branch), VOLTAGE if kind == "v" else CURRENT
        known = [f"{b}.{k}" for b in branches for k in "vi"] + [f"@{n}" for n in nodes]
        raise InputError(f"no signal {name!r}; {nearest(name, known)}")

    def model(self) -> Model:
        """Return what the compiled code works configurations out from."""
        trips = [trip.guard for trip in self.trips]
        names = sensed([*self.law.rates.values(), *trips, *self.watched.values()], self.at)
        beside = np.zeros((self.nz - self.first, self.nz))
        sensing = np.zeros((self.nz - self.first, len(names)))
        beside[: self.laws], sensing[: self.laws] = self._rows(list(self.law.rates.values()), names)
        for name, at in self.slope.items():
            beside[self.at[name] - self.first, at] = 1.0
        guards, comparing = self._rows(trips, names)
        shown, showing = self._rows(list(self.watched.values()), names)
        meters = [
            (self.network.branches.index(m.branch), VOLTAGE if m.voltage else CURRENT) for m in self.meters
        ]
        if self.circuit.law is not None:
            meters.append((0, COUNT))
        if self.law.feed is not None:
            meters.append(self.signal(self.law.feed[0]))
        return Model(
            self.network.stamp, _pairs(meters), _pairs([self.signal(s) for s in names]), beside, sensing, guards, comparing,
            shown, showing, *self._inputs(), self.rest,
        )  # fmt: skip

    def _rows(self, rows: Sequence[Row], names: tuple[str, ...]) -> tuple[Array, Array]:
        """Return rows as maps of z and of signals."""
        of_z, of_signals = np.zeros((len(rows), self.nz)), np.zeros((len(rows), len(names)))
        for k, row in enumerate(rows):
            for name, factor in row.items():
                if name in self.at:
                    of_z[k, self.at[name]] += factor
                else:
                    of_signals[k, names.index(name)] += factor
        return of_z, of_signals

    def over(self, row: Row, signals: Array) -> Array:
        """Return a row over z in a configuration whose signals are rows over [y; 1] (in the order of `Engine.signals`)."""
        out, count = np.zeros(self.nz), len(self.network.branches)
        offset = {VOLTAGE: 0, CURRENT: count, POTENTIAL: 2 * count}
        for name, factor in row.items():
            if name in self.at:
                out[self.at[name]] += factor
            else:
                number, kind = self.signal(name)
                out[: self.n + 1] += factor * signals[offset[kind] + number]
        return out

    def _inputs(self) -> tuple[NDArray[np.int64], Array, Array, Array]:
        """Return the entries of the inputs, and for each the equations where it is 1 and other sources are zero."""
        stamp, count = self.network.stamp, len(self.inputs)
        if not self.inputs:
            none = np.zeros((0, 1, 1))
            return np.zeros(0, dtype=np.int64), none, none, none
        r, source, known = (
            np.repeat(a[None], count, axis=0) for a in (stamp.r, stamp.source, stamp.current_known)
        )
        for part in (r, source, known):
            part[:, :, -1] = 0.0
        for k, name in enumerate(self.inputs):
            unit_r, unit_known = self.network.unit(self.circuit, name)
            r[k, :, -1], known[k, :, -1] = unit_r, unit_known
        at = np.array([self.at[name] for name in self.inputs], dtype=np.int64)
        return at, np.ascontiguousarray(r), np.ascontiguousarray(source), np.ascontiguousarray(known)


def _pairs(found: Sequence[tuple[int, int]]) -> NDArray[np.int64]:
    return np.array(found, dtype=np.int64).reshape(len(found), 2)
