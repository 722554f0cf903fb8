"""The components of a converter: which element of its circuit is which part, in which role."""

from __future__ import annotations

from dataclasses import dataclass, replace

from jump_lane.catalogue.kinds import Part
from jump_lane.circuit.elements import Capacitor, CoupledInductors, Diode, Element, Inductor, Resistor, Switch
from jump_lane.design.derive import Design
from jump_lane.design.named import count, part_of
from jump_lane.topologies.point import Point
from jump_lane.topologies.role import Role


@dataclass(frozen=True)
class Component:
    """One component of the power stage.

    Attributes
    ----------
    name
        Its element, such as S3; a transformer stands for its windings, C_i for the input capacitor.
    role
        The component of the page whose data it has, such as S1; empty where the page knows none.
    kind
        switch, rectifier, inductor, capacitor, transformer or auxiliary.
    elements
        Elements of the circuit it consists of.
    """

    name: str
    role: str
    kind: str
    part: Part | None
    pieces: int = 1
    elements: tuple[Element, ...] = ()
    coil: str = ""
    """Of a transformer, the element whose flux is that of its core."""


def current_of(component: Component) -> str:
    """Return the signal that is the current of a component; that of C_i is the source's ripple."""
    return f"{component.name}.i" if component.elements else "source.i"


def components(design: Design, point: Point) -> tuple[Component, ...]:
    """Return every component of a design that can lose power."""
    roles = {element: role for role in design.page.roles for element in role.elements}
    wound = next((r.name for r in design.page.roles if r.kind == "transformer"), "")
    found: list[Component] = []
    windings: list[Element] = []
    for element in design.page.at(point).elements:
        if element.name.startswith("load") or element.name == "source":
            continue
        if isinstance(element, Switch | Diode | Capacitor | CoupledInductors):
            found += _devices(design, element, roles)
        elif isinstance(element, Inductor | Resistor):
            role = roles.get(element.name)
            if role is not None and role.kind == "inductor":
                found.append(_component(design, element.name, role, (element,)))
            elif wound and not element.name.endswith("_cl"):
                windings.append(element)
            else:
                found.append(Component(element.name, "", "auxiliary", None, 1, (element,)))
    if windings:
        found.append(
            replace(_component(design, wound, roles[wound], tuple(windings)), coil=design.page.magnetising)
        )
    if "C_i" in roles:
        found.append(_component(design, "C_i", roles["C_i"], ()))
    return tuple(found)


def _devices(design: Design, element: Element, roles: dict[str, Role]) -> list[Component]:
    if isinstance(element, CoupledInductors):
        return [
            _component(design, w.name, roles[w.name], (_alone(element, k),))
            for k, w in enumerate(element.windings)
        ]
    role = roles.get(element.name)
    if role is None:
        return [Component(element.name, "", "auxiliary", None, 1, (element,))]
    return [_component(design, element.name, role, (element,))]


def _alone(coupled: CoupledInductors, k: int) -> Inductor:
    """Return one of several coupled windings as an inductor of its own."""
    winding = coupled.windings[k]
    return Inductor(winding.name, winding.a, winding.b, coupled.inductance[k][k], winding.resistance)


def _component(design: Design, name: str, role: Role, elements: tuple[Element, ...]) -> Component:
    value = design.sheet[role.name].worst if role.name in design.sheet else 1.0
    part = part_of(design.spec, role.name, role.kind, value)
    return Component(name, role.name, role.kind, part, count(design.spec, role.name), elements)
