"""Windings whose ends seem to be swapped: a forward rectifier that conducts only while every switch is open."""

from __future__ import annotations

from collections.abc import Iterator

from jump_lane.circuit.circuit import Circuit, terminals
from jump_lane.circuit.elements import (
    CoupledInductors,
    Diode,
    IdealTransformer,
    Inductor,
    Resistor,
    Switch,
    Winding,
)
from jump_lane.switching.record import Recording

SHORT = 1e-4
"""A rectifier that conducts for less than this part of the period does not conduct."""


def warnings(recording: Recording) -> Iterator[str]:
    """Yield a warning for every forward rectifier that conducts against the design.

    A forward rectifier leads from one end of a winding to an inductor; a freewheeling diode leads there from the
    other end.  It has to conduct while a switch drives the transformer.
    """
    circuit = recording.engine.circuit
    switches = {e.name for e in circuit.elements if isinstance(e, Switch)}
    for diode, winding in forward_rectifiers(circuit):
        driven = passing = 0.0
        for stretch in recording.stretches:
            if diode in stretch.conducting:
                length = (stretch.end - stretch.start) / recording.period
                passing += length
                driven += length if switches & set(stretch.conducting) else 0.0
        if driven < SHORT:
            when = "while every switch is open" if passing > SHORT else "never"
            yield (
                f"{diode} feeds an inductor from winding {winding} like a forward rectifier, but conducts "
                f"{when}: the ends of {winding} seem to be swapped (the first node is the dotted end)"
            )


def forward_rectifiers(circuit: Circuit) -> Iterator[tuple[str, str]]:
    """Yield diode and winding of every forward rectifier with a freewheeling diode behind it."""
    diodes = [e for e in circuit.elements if isinstance(e, Diode)]
    coils = {node for e in circuit.elements if isinstance(e, Inductor) for node in (e.a, e.b)}
    for winding in _windings(circuit):
        ends = {_followed(circuit, end, winding.name) for end in (winding.a, winding.b)}
        for diode in (d for d in diodes if d.a in ends and d.b in coils):
            others = ends - {diode.a}
            freewheels = any(d.b == diode.b and d.a in others for d in diodes if d is not diode)
            if freewheels and not _grounded(winding, diode.a, circuit):
                yield diode.name, winding.name


def _windings(circuit: Circuit) -> Iterator[Winding]:
    for element in circuit.elements:
        if isinstance(element, IdealTransformer | CoupledInductors):
            yield from element.windings


def _grounded(winding: Winding, node: str, circuit: Circuit) -> bool:
    """Tell whether a node is where windings and sources refer to, so that its diode is the freewheeling one."""
    return node == "gnd" or sum(node in pair[1:] for e in circuit.elements for pair in terminals(e)) > 3


def _followed(circuit: Circuit, node: str, come_from: str) -> str:
    """Return the node behind leakage and resistance in series with a winding's end."""
    while node != "gnd":
        users = [
            e for e in circuit.elements for name, a, b in terminals(e) if node in (a, b) and name != come_from
        ]
        if len(users) != 1 or not isinstance(users[0], Resistor | Inductor):
            return node
        come_from = users[0].name
        node = users[0].b if users[0].a == node else users[0].a
    return node
