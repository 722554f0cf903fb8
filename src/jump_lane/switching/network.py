"""A circuit as arrays: modified nodal equations K v = R z with every valve's row kept apart.

Unknowns v are the node potentials and the branch currents of sources, capacitors, transformer windings and
valves.  Known are z = [y; 1], where y are the states in *energy coordinates*: y = √C·v for a capacitor and
y = Lᵀᐟ²·i for inductors (Cholesky factor of the inductance matrix), so that the stored energy is ½|y|² and the
Euclidean norm is the energy norm.  A *valve* is anything that is either open or conducting: the channel of a
switch (gated) or a diode (natural); a switch with a body diode is one of each in parallel.  A channel that conducts
one way only is natural too, and barred while its gate is off.  A saturating inductor keeps the state of the linear
one, which stands for its flux; every knot of its flux-current curve is a natural valve beside it, for each
direction, which carries the current in excess of the line before: i = (1/L_k − 1/L_{k−1})·(λ − λ_k).

References
----------
C.-W. Ho, A. E. Ruehli and P. A. Brennan, "The modified nodal approach to network analysis",
IEEE Trans. Circuits Syst. 22 (1975) 504-509.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from jump_lane.circuit.circuit import REFERENCE, Circuit, terminals
from jump_lane.circuit.elements import (
    Capacitor,
    CoupledInductors,
    CurrentSource,
    Diode,
    Element,
    IdealTransformer,
    Inductor,
    Mutual,
    Resistor,
    Switch,
    VoltageSource,
)
from jump_lane.errors import InputError, nearest
from jump_lane.switching.solving import Stamp
from jump_lane.switching.valves import Knot, Valve, knots_of, valves_of

Array = NDArray[np.float64]
E = TypeVar("E", bound=Element)


@dataclass(frozen=True)
class Network:
    """The constant part of the nodal equations.

    With n states, p valves (gated ones first); see `Stamp` for the equations:

    Attributes
    ----------
    stamp
        What the compiled code needs.
    to_si, to_energy
        Physical state x = to_si·y, and back, (n, n).
    branches
        Names of all branches, those of the valves last.
    """

    nodes: tuple[str, ...]
    valves: tuple[Valve, ...]
    gated: int
    stamp: Stamp
    to_si: Array
    to_energy: Array
    states: tuple[str, ...]
    branches: tuple[str, ...]

    @property
    def size(self) -> int:
        """Number of states n."""
        return len(self.states)

    @cached_property
    def signals(self) -> tuple[str, ...]:
        """Names of all signals: voltages and currents of all branches, node potentials, gates."""
        return (
            *(f"{b}.v" for b in self.branches),
            *(f"{b}.i" for b in self.branches),
            *(f"@{n}" for n in self.nodes),
            *(f"{v.name}.gate" for v in self.valves[: self.gated]),
        )

    @cached_property
    def signal_numbers(self) -> dict[str, int]:
        """The place of every signal among `signals`, by name."""
        return {name: i for i, name in enumerate(self.signals)}

    def unit(self, circuit: Circuit, name: str) -> tuple[Array, Array]:
        """Return the constant columns of `Stamp.r` and `Stamp.current_known` where one source is 1, all others zero.

        Raises
        ------
        InputError
            If there is no such source.
        """
        known = {e.name: e for e in circuit.elements if isinstance(e, VoltageSource | CurrentSource)}
        if name not in known:
            raise InputError(f"no source {name!r}; {nearest(name, known)}")
        a = _Assembly(replace(circuit, elements=tuple(_alone(e, name) for e in circuit.elements)))
        a.stamp_current_sources()
        a.stamp_branches()
        linear = [t for e in circuit.elements if not isinstance(e, Switch | Diode) for t in terminals(e)]
        _, of_z = a.currents([branch for branch, _, _ in linear])
        return a.r[:, -1], of_z[:, -1]


def _alone(element: Element, name: str) -> Element:
    """Return a source as 1 if it is that one, else as zero; any other element as it is."""
    value = 1.0 if element.name == name else 0.0
    if isinstance(element, VoltageSource):
        return replace(element, voltage=value)
    return replace(element, current=value) if isinstance(element, CurrentSource) else element


@lru_cache(maxsize=256)
def _incidence(nodes: tuple[str, ...], pairs: tuple[tuple[str, str], ...]) -> Array:
    index = {name: i for i, name in enumerate(nodes)}
    out = np.zeros((len(pairs), len(nodes)))
    for i, (a, b) in enumerate(pairs):
        if a in index:
            out[i, index[a]] += 1.0
        if b in index:
            out[i, index[b]] -= 1.0
    return out


def _root(inductance: float) -> float:
    if inductance <= 0.0:
        raise InputError("inductances must be positive")
    return math.sqrt(inductance)


class _Assembly:
    """Fills the arrays of a `Network`, one element kind after the other."""

    def __init__(self, circuit: Circuit) -> None:
        self.circuit = circuit
        self.by_kind: dict[type, list[Any]] = {}
        for e in circuit.elements:
            self.by_kind.setdefault(type(e), []).append(e)
        named = {n for _, a, b in circuit.branches for n in (a, b)}
        self.nodes = tuple(sorted(named - {REFERENCE}))
        self.index = {name: i for i, name in enumerate(self.nodes)}
        self.inductors = self._inductors()
        self.capacitors = self.of(Capacitor)
        windings = [w for t in self.of(IdealTransformer) for w in t.windings]
        self.unknown_branches = [
            *(e.name for e in self.of(VoltageSource)),
            *(e.name for e in self.capacitors),
            *(w.name for w in windings),
        ]
        n, q = len(self.nodes), len(self.unknown_branches)
        self.states = [name for name, *_ in self.inductors] + [c.name for c in self.capacitors]
        self.size = len(self.states)
        self.k = np.zeros((n + q, n + q))
        self.r = np.zeros((n + q, self.size + 1))
        self.flow = np.zeros((self.size, n + q))
        self.drop = np.zeros((self.size, self.size + 1))
        self.to_si = np.zeros((self.size, self.size))
        self.to_energy = np.zeros((self.size, self.size))

    def of(self, kind: type[E]) -> list[E]:
        """Return the elements of one kind, in the order of the circuit."""
        return self.by_kind.get(kind, [])

    def _inductors(self) -> list[tuple[str, str, str, float]]:
        single = [(e.name, e.a, e.b, e.resistance) for e in self.of(Inductor)]
        coupled = [(w.name, w.a, w.b, w.resistance) for e in self.of(CoupledInductors) for w in e.windings]
        return single + coupled

    def ends(self, a: str, b: str) -> list[tuple[int, float]]:
        """Return (node, +1 or −1) of the ends of a branch that are not the reference."""
        at = self.index
        return [(at[node], sign) for node, sign in ((a, 1.0), (b, -1.0)) if node in at]

    def rows(self, pairs: Sequence[tuple[str, str]]) -> Array:
        """Return the incidence of branches, given by their ends, on the non-reference nodes; it is shared, not to be changed."""
        return _incidence(self.nodes, tuple(pairs))

    def inductance_factor(self) -> tuple[Array, Array]:
        """Return the Cholesky factor of the inductance matrix of all inductors, and its inverse."""
        single, coupled = self.of(Inductor), self.of(CoupledInductors)
        matrix = np.zeros((len(self.inductors), len(self.inductors)))
        matrix[: len(single), : len(single)] = np.diag([_root(e.inductance) ** 2 for e in single])
        at = len(single)
        for e in coupled:
            block = np.array(e.inductance)
            matrix[at : at + len(block), at : at + len(block)] = block
            at += len(block)
        for pair in self.of(Mutual):
            i, j = self.states.index(pair.first), self.states.index(pair.second)
            matrix[i, j] = matrix[j, i] = pair.inductance
        try:
            factor = np.asarray(np.linalg.cholesky(matrix), dtype=np.float64)
        except np.linalg.LinAlgError:
            raise InputError(
                "the inductance matrix is not positive definite: inductances must be positive and coupling "
                "factors below 1 (perfect coupling is an ideal transformer with a magnetising inductance)"
            ) from None
        return factor, np.asarray(np.linalg.inv(factor))

    def stamp_resistors(self) -> None:
        """Conductances between nodes."""
        for e in self.of(Resistor):
            ends = self.ends(e.a, e.b)
            for i, p in ends:
                for j, q in ends:
                    self.k[i, j] += p * q / e.resistance

    def stamp_current_sources(self) -> None:
        """Known currents that leave node a."""
        for e in self.of(CurrentSource):
            for i, sign in self.ends(e.a, e.b):
                self.r[i, -1] -= sign * e.current

    def stamp_inductors(self) -> None:
        """Inductor currents are known; their voltages drive the states."""
        n, m = len(self.nodes), len(self.inductors)
        if m == 0:
            return
        if not self.of(CoupledInductors) and not self.of(Mutual):
            self._stamp_single()
            return
        factor, inverse = self.inductance_factor()
        to_current = inverse.T
        self.to_si[:m, :m] = to_current
        self.to_energy[:m, :m] = factor.T
        rows = self.rows([(a, b) for _, a, b, _ in self.inductors])
        self.r[:n, :m] -= rows.T @ to_current
        self.flow[:m, :n] = inverse @ rows
        resistance = np.array([r for *_, r in self.inductors])
        self.drop[:m, :m] = -inverse @ (resistance[:, None] * to_current)

    def _stamp_single(self) -> None:
        for i, e in enumerate(self.of(Inductor)):
            root = _root(e.inductance)
            self.to_si[i, i], self.to_energy[i, i] = 1.0 / root, root
            for node, sign in self.ends(e.a, e.b):
                self.r[node, i] -= sign / root
                self.flow[i, node] += sign / root
            self.drop[i, i] = -(e.resistance / root) / root

    def stamp_branches(self) -> None:
        """Voltage sources, capacitors and transformer windings: branch currents are unknown."""
        n, m = len(self.nodes), len(self.inductors)
        at = n
        for e in self.of(VoltageSource):
            self._branch(at, e.a, e.b)
            self.r[at, -1] = e.voltage
            at += 1
        for i, c in enumerate(self.capacitors):
            root = math.sqrt(c.capacitance)
            self._branch(at, c.a, c.b, c.resistance)
            self.r[at, m + i] = 1.0 / root
            self.flow[m + i, at] = 1.0 / root
            self.to_si[m + i, m + i] = 1.0 / root
            self.to_energy[m + i, m + i] = root
            at += 1
        for t in self.of(IdealTransformer):
            at = self._transformer(at, t)

    def _branch(self, at: int, a: str, b: str, resistance: float = 0.0) -> None:
        for i, sign in self.ends(a, b):
            self.k[i, at] += sign
            self.k[at, i] += sign
        self.k[at, at] -= resistance

    def _transformer(self, at: int, t: IdealTransformer) -> int:
        first = t.windings[0]
        for j, w in enumerate(t.windings):
            for i, sign in self.ends(w.a, w.b):
                self.k[i, at + j] += sign
                if j > 0:
                    self.k[at + j, i] += sign
            ratio = w.turns / first.turns
            self.k[at, at + j] = ratio
            if j > 0:
                for i, sign in self.ends(first.a, first.b):
                    self.k[at + j, i] -= ratio * sign
        return at + len(t.windings)

    def knots(self, knots: list[Knot], first: int) -> tuple[Array, Array]:
        """Return the sources of the knots, whose valves start at `first`, and the valves' part in the flow."""
        source = np.zeros((len(knots), self.size + 1))
        flow = np.zeros((self.size, first + len(knots)))
        elements = {e.name: e for e in self.of(Inductor)}
        for k, knot in enumerate(knots):
            inductor, i = elements[knot.inductor], self.states.index(knot.inductor)
            root = np.sqrt(inductor.inductance)
            source[k, i] = -knot.slope * knot.valve.sign * root
            source[k, -1] = knot.slope * knot.flux
            flow[i, first + k] = -inductor.resistance * knot.valve.sign / root
        return source, flow

    def currents(self, names: list[str]) -> tuple[Array, Array]:
        """Return branch currents as linear maps of the unknowns and of z (valves come separately)."""
        n = len(self.nodes)
        of_v = np.zeros((len(names), self.k.shape[0]))
        of_z = np.zeros((len(names), self.size + 1))
        at = {name: i for i, name in enumerate(names)}
        for j, name in enumerate(self.unknown_branches):
            of_v[at[name], n + j] = 1.0
        for i, (name, *_) in enumerate(self.inductors):
            of_z[at[name], : self.size] = self.to_si[i]
        for e in self.of(Resistor):
            for node, sign in self.ends(e.a, e.b):
                of_v[at[e.name], node] += sign / e.resistance
        for source in self.of(CurrentSource):
            of_z[at[source.name], -1] = source.current
        return of_v, of_z


def _valve_equations(a: _Assembly, valves: list[Valve], gated: int) -> tuple[Array, Array, Array, Array]:
    """Return incidence, across, resistance and source of the valves; see `Network`.

    A gated valve whose channel is a natural valve stands for its gate alone: it carries nothing.
    """
    incidence = a.rows([(v.a, v.b) for v in valves]).copy()
    across, resistance = incidence.copy(), np.array([v.r for v in valves])
    source = np.zeros((len(valves), a.size + 1))
    source[:, -1] = [v.v_f for v in valves]
    barring = {v.gate for v in valves}
    mere = [i for i, v in enumerate(valves[:gated]) if v.name in barring]
    incidence[mere], across[mere], resistance[mere] = 0.0, 0.0, 1.0
    return incidence, across, resistance, source


MOST_VALVES = 62
"""Valves whose combination is a bit pattern."""


def assemble(circuit: Circuit) -> Network:
    """Return the nodal equations of a circuit.

    Raises
    ------
    InputError
        If an inductance matrix is not positive definite, or there are too many valves.
    """
    a = _Assembly(circuit)
    a.stamp_resistors()
    a.stamp_current_sources()
    a.stamp_inductors()
    a.stamp_branches()
    valves, gated = valves_of(circuit)
    knots = knots_of(circuit)
    own = len(valves)
    valves += [k.valve for k in knots]
    if len(valves) > MOST_VALVES:
        raise InputError(
            f"{len(valves)} switches, diodes and knots of saturation curves; {MOST_VALVES} at most can be told apart: "
            "fewer points in the curves mend that"
        )
    linear = [t for e in circuit.elements if not isinstance(e, Switch | Diode) for t in terminals(e)]
    names = [name for name, _, _ in linear]
    of_v, of_z = a.currents(names)
    every = linear + [(v.name, v.a, v.b) for v in valves]
    incidence, across, resistance, source = _valve_equations(a, valves, gated)
    across[own:] = 0.0
    source[own:], valve_flow = a.knots(knots, own)
    at = {v.name: i for i, v in enumerate(valves)}
    branches = tuple(name for name, _, _ in every)
    stamp = Stamp(
        a.k, a.r, incidence, across, resistance, source, a.flow, valve_flow, a.drop,
        branch_nodes=a.rows([(x, y) for _, x, y in every]),
        current_unknown=of_v,
        current_known=of_z,
        inner=_inner(valves, branches),
        bars=np.array([at.get(v.gate, -1) for v in valves], dtype=np.int64),
        gated=gated,
        barring=int(any(v.gate for v in valves)),
        saturating=int(bool(knots)),
    )  # fmt: skip
    return Network(
        nodes=a.nodes,
        valves=tuple(valves),
        gated=gated,
        stamp=stamp,
        to_si=a.to_si,
        to_energy=a.to_energy,
        states=tuple(a.states),
        branches=branches,
    )


def _inner(valves: list[Valve], branches: tuple[str, ...]) -> NDArray[np.int64]:
    at = {name: i for i, name in enumerate(branches)}
    found = [(at[v.within], at[v.name], round(v.sign)) for v in valves if v.within]
    return np.array(found, dtype=np.int64).reshape(len(found), 3)
