"""A circuit: elements between named nodes, a switching period, and a gate pattern."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

from jump_lane.circuit.elements import (
    CoupledInductors,
    Element,
    IdealTransformer,
    Mutual,
    Switch,
)
from jump_lane.circuit.gates import GatePattern, Gates, Instant, Span
from jump_lane.circuit.law import Law
from jump_lane.errors import InputError, nearest

REFERENCE = "gnd"


def _always_open(_: Instant) -> Gates:
    return {}


def _constant(_: Instant) -> Instant:
    return Instant(1.0)


@dataclass(frozen=True)
class Circuit:
    """Elements, period [s] and gate pattern; what the simulator runs.

    Attributes
    ----------
    elements
        In any order; names are unique, the reference node is ``gnd``.
    period
        Switching period [s]; where the control moves it, what instants are fractions of.
    gates
        On-intervals of every switch as a function of the control variable.
    control
        Value of the control variable (duty ratio, phase, frequency) to run at, in its unit.
    span
        The period over ``period`` as a function of the control variable; constant unless given.
    law
        What controls it instead of a fixed value of the control variable, which then tells the order of the edges.
    """

    elements: tuple[Element, ...]
    period: float
    gates: GatePattern = _always_open
    control: float = 0.0
    span: Span = _constant
    law: Law | None = None

    def pattern(self, control: float) -> Gates:
        """Return the on-intervals at the value `control` of the control variable."""
        if control not in self._latest:
            self._latest.clear()
            self._latest[control] = self.gates(Instant(control, 1.0))
        return self._latest[control]

    @cached_property
    def _latest(self) -> dict[float, Gates]:
        """The pattern that was asked for last, by the value of the control."""
        return {}

    def spans(self, control: float) -> Instant:
        """Return the period over ``period`` at the value `control` of the control variable."""
        return self.span(Instant(control, 1.0))

    @cached_property
    def branches(self) -> tuple[tuple[str, str, str], ...]:
        """Return (branch name, node a, node b) of every element."""
        return tuple(t for e in self.elements for t in terminals(e))

    @property
    def frequency(self) -> float:
        """Switching frequency at its control [Hz]."""
        return 1.0 / (self.period * self.spans(self.control).fraction)


def terminals(element: Element) -> Iterator[tuple[str, str, str]]:
    """Yield (branch name, node a, node b) for every branch of an element."""
    if isinstance(element, CoupledInductors | IdealTransformer):
        for winding in element.windings:
            yield winding.name, winding.a, winding.b
    elif not isinstance(element, Mutual):
        yield element.name, element.a, element.b


def validate(circuit: Circuit) -> None:
    """Reject a circuit that cannot be meant.

    Raises
    ------
    InputError
        On repeated names, a missing reference node, a node with a single terminal, a gate for a switch
        that is not there, or a switch without a gate.
    """
    names = [name for name, _, _ in circuit.branches]
    if len(set(names)) < len(names):
        repeated = {name for name in names if names.count(name) > 1}
        raise InputError(f"element name {sorted(repeated)[0]!r} is used more than once")
    _validate_nodes(circuit)
    switches = {e.name for e in circuit.elements if isinstance(e, Switch)}
    gated = set(circuit.pattern(circuit.control))
    for name in sorted(gated - switches):
        raise InputError(f"gate for {name!r}, which is not a switch; {nearest(name, switches)}")
    for name in sorted(switches - gated):
        raise InputError(f"switch {name!r} has no gate")


def _validate_nodes(circuit: Circuit) -> None:
    uses: dict[str, list[str]] = {}
    for name, a, b in circuit.branches:
        if a == b:
            raise InputError(f"both ends of {name!r} are at node {a!r}")
        uses.setdefault(a, []).append(name)
        uses.setdefault(b, []).append(name)
    if REFERENCE not in uses:
        raise InputError(f"no element is connected to the reference node {REFERENCE!r}")
    for node, users in uses.items():
        if len(users) == 1:
            raise InputError(
                f"node {node!r} is reached by {users[0]!r} only; {nearest(node, set(uses) - {node})}"
            )


__all__ = ["REFERENCE", "Circuit", "terminals", "validate"]
