"""Windings on one core whose resistance over frequency is known together."""

from __future__ import annotations

from dataclasses import dataclass

from jump_lane.catalogue.kinds import Inductor as InductorPart
from jump_lane.catalogue.kinds import Transformer
from jump_lane.catalogue.matrix import MatrixOverFrequency
from jump_lane.circuit.elements import CoupledInductors, IdealTransformer
from jump_lane.design.components import Component
from jump_lane.dissipation.stage import Stage


@dataclass(frozen=True)
class Bundle:
    """All windings on a core.

    Attributes
    ----------
    element
        The element that they are in the circuit.
    matrix
        Their resistance, in its order.
    owner
        The component whose part has it, and the core: what is lost in any of them heats it.
    """

    element: CoupledInductors | IdealTransformer
    matrix: MatrixOverFrequency
    owner: str

    def rows(self, component: str) -> list[int]:
        """Return which of the windings are a component: all, or one of several inductors on the core."""
        names = [w.name for w in self.element.windings]
        return [names.index(component)] if component in names else list(range(len(names)))


def bundle_of(stage: Stage, component: Component) -> Bundle | None:
    """Return the windings on the core of a component, itself among them; None if they are not known together."""
    element, members = _core(stage, component)
    for member in members:
        part = member.part
        matrix = part.resistance_matrix if isinstance(part, InductorPart | Transformer) else None
        if element is not None and matrix is not None and len(matrix.values[0]) == len(element.windings):
            return Bundle(element, matrix, member.name)
    return None


def heated(stage: Stage, component: Component) -> str:
    """Return the component that the losses in a winding heat: the one that has its core."""
    bundle = bundle_of(stage, component) if component.kind == "inductor" else None
    return component.name if bundle is None else bundle.owner


def _core(
    stage: Stage, component: Component
) -> tuple[CoupledInductors | IdealTransformer | None, list[Component]]:
    """Return the element that all windings on a core are, and the components that they are."""
    elements = stage.recording.engine.circuit.elements
    if component.kind == "transformer":
        return next((e for e in elements if isinstance(e, IdealTransformer)), None), [component]
    for element in elements:
        names = [w.name for w in element.windings] if isinstance(element, CoupledInductors) else []
        if component.name in names:
            assert isinstance(element, CoupledInductors)
            return element, [c for c in stage.components if c.name in names]
    return None, []
