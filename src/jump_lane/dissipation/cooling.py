"""The thermal network of a power stage: junctions, shared heat sinks, ambient."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

import numpy as np

from jump_lane.catalogue.kinds import Capacitor, Diode, Igbt, Inductor, Mosfet, Transformer
from jump_lane.design.components import Component
from jump_lane.design.derive import Design
from jump_lane.dissipation.ledger import Gap
from jump_lane.dissipation.thermal import Network
from jump_lane.errors import InputError, nearest
from jump_lane.spec import Spec
from jump_lane.spec.surroundings import Sink


def network(design: Design, components: Iterable[Component]) -> Network:
    """Return the thermal network of the components whose thermal resistance is known.

    Raises
    ------
    InputError
        If a heat sink is said to carry a component that is not there.
    """
    spec, every = design.spec, list(components)
    _require_known(spec, {c.name for c in every} | {role.name for role in design.page.roles})
    own = {c.name: _own(c, _sink(spec, c)) for c in every}
    names = tuple(name for name, resistance in own.items() if resistance is not None)
    matrix = np.diag([own[name] or 0.0 for name in names])
    by_name = {c.name: c for c in every}
    for sink in spec.thermal.sink.values():
        on_it = [k for k, name in enumerate(names) if _sink(spec, by_name[name]) is sink]
        matrix[np.ix_(on_it, on_it)] += sink.resistance
    return Network(names, matrix, spec.thermal.ambient)


def unknown(spec: Spec, components: Iterable[Component], heat: dict[str, float]) -> Iterator[Gap]:
    """Yield a gap for every component that gets warm and whose thermal resistance is not known."""
    for component in components:
        power = heat.get(component.name, 0.0)
        if (
            component.kind == "auxiliary"
            or power <= 0.0
            or _own(component, _sink(spec, component)) is not None
        ):
            continue
        device = component.kind in ("switch", "rectifier")
        on_sink = _sink(spec, component) is not None
        figure = ("junction_case" if on_sink else "junction_ambient") if device else "thermal_resistance"
        yield Gap(
            component.name,
            figure,
            f"its temperature is taken as {spec.thermal.unknown:g} °C, at least ambient",
            f"every 10 K/W raise it by {10.0 * power:.3g} K",
        )


def _sink(spec: Spec, component: Component) -> Sink | None:
    return next(
        (s for s in spec.thermal.sink.values() if component.name in s.parts or component.role in s.parts),
        None,
    )


def _own(component: Component, sink: Sink | None) -> float | None:
    """Return the thermal resistance to the heat sink, or to ambient where there is none [K/W]."""
    part = component.part
    if isinstance(part, Mosfet | Igbt | Diode):
        if sink is None:
            return part.junction_ambient
        return None if part.junction_case is None else part.junction_case + sink.interface
    if isinstance(part, Capacitor | Inductor | Transformer) and part.thermal_resistance is not None:
        return part.thermal_resistance / component.pieces
    return None


def _require_known(spec: Spec, valid: set[str]) -> None:
    for name, sink in spec.thermal.sink.items():
        for part in sink.parts:
            if part not in valid:
                raise InputError(f"thermal.sink.{name}.parts: no component {part!r}; {nearest(part, valid)}")
            others = [n for n, other in spec.thermal.sink.items() if n != name and part in other.parts]
            if others:
                raise InputError(f"thermal.sink.{name}.parts: {part} is on {others[0]} already")
