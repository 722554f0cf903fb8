"""The simulated power stage with its parts: which element of the circuit is which part."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from jump_lane.catalogue.kinds import Part
from jump_lane.circuit.elements import (
    Capacitor,
    CoupledInductors,
    Diode,
    Element,
    Inductor,
    Resistor,
    Switch,
)
from jump_lane.stock import count, part_of
from jump_lane.switching.record import Edge, Recording
from jump_lane.topologies.design import Design
from jump_lane.topologies.point import Point
from jump_lane.topologies.role import Role, alike
from jump_lane.waveforms import Array, Measures

HARMONICS = 40
"""Harmonics that are followed one by one; what lies above counts at the highest of them."""

SILENT = 1e-6
"""Part of the largest current or voltage below which none flows or stands."""


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


class Stage:
    """A design at one operating point, its recording, and every component that can lose power."""

    def __init__(
        self, design: Design, point: Point, recording: Recording, components: tuple[Component, ...]
    ) -> None:
        self.components = components
        self.design = design
        self.point = point
        self.recording = recording
        self.spec = design.spec
        self.frequency = 1.0 / recording.period
        self._index = {name: i for i, name in enumerate(recording.names)}

    def of(self, *kinds: str) -> list[Component]:
        """Return the components of some kinds."""
        return [c for c in self.components if c.kind in kinds]

    def measures(self, signal: str) -> Measures:
        """Return what is read off a signal."""
        return self.recording.measures(signal)

    def at(self, edge: Edge, signal: str) -> tuple[float, float]:
        """Return a signal just before and just after an edge; 0 where there is no such signal."""
        if signal not in self._index:
            return 0.0, 0.0
        i = self._index[signal]
        return float(edge.before[i]), float(edge.after[i])

    def discharge(self, component: Component) -> float:
        """Return how long a capacitance that the circuit has beside a switch discharges at turn-on [s], 0 without one.

        Only the channel limits that current; after 20 time constants of both capacitances at the node it is over.
        """
        if f"C_{component.name}.i" not in self._index:
            return 0.0
        tag = component.role.replace("_", "")
        return 40.0 * self.point[f"R_{tag}"] * self.point[f"C_{tag}"]

    def samples(self, signal: str) -> tuple[Array, Array]:
        """Return instants and samples of a signal over one period."""
        wave = self.recording.waveforms((signal,), 100)
        return wave.time, wave.signals[signal]

    def spectrum(self, signal: str) -> tuple[Array, Array]:
        """Return frequencies [Hz] and squared rms values of the harmonics of a signal, without its average.

        The last one holds all that lies above `HARMONICS` as well.
        """
        from jump_lane.waveforms import fourier

        amplitudes = fourier(self.samples(signal), self.recording.period, HARMONICS)[1:]
        squares: Array = np.abs(amplitudes) ** 2 / 2.0
        measures = self.measures(signal)
        squares[-1] += max(measures.ac_rms**2 - float(squares.sum()), 0.0)
        return self.frequency * np.arange(1.0, HARMONICS + 1.0), squares


def current_of(component: Component) -> str:
    """Return the signal that is the current of a component; that of C_i is the source's ripple."""
    return f"{component.name}.i" if component.elements else "source.i"


def components(design: Design, point: Point) -> tuple[Component, ...]:
    """Return every component of a design that can lose power."""
    roles = {role.name: role for role in design.page.roles}
    wound = next((r.name for r in design.page.roles if r.kind == "transformer"), "")
    found: list[Component] = []
    windings: list[Element] = []
    for element in design.page.circuit(point):
        if element.name.startswith("load") or element.name == "source":
            continue
        if isinstance(element, Switch | Diode | Capacitor | CoupledInductors):
            found += _devices(design, element, roles)
        elif isinstance(element, Inductor | Resistor):
            role = _role(element.name, roles)
            if role is not None and role.kind == "inductor":
                found.append(_component(design, element.name, role, (element,)))
            elif wound and not element.name.endswith("_cl"):
                windings.append(element)
            else:
                found.append(Component(element.name, "", "auxiliary", None, 1, (element,)))
    if windings:
        found.append(_component(design, wound, roles[wound], tuple(windings)))
    if "C_i" in roles:
        found.append(_component(design, "C_i", roles["C_i"], ()))
    return tuple(found)


def _devices(design: Design, element: Element, roles: dict[str, Role]) -> list[Component]:
    if isinstance(element, CoupledInductors):
        return [
            _component(design, w.name, roles[w.name], (_alone(element, k),))
            for k, w in enumerate(element.windings)
        ]
    role = _role(element.name, roles)
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


def _role(element: str, roles: dict[str, Role]) -> Role | None:
    """Return the role of an element: its own, or that of those made alike (S3: S1, L2: L)."""
    return roles.get(alike(element, roles.__contains__))
