"""Core losses from the simulated flux waveform, by the improved generalised Steinmetz equation."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from jump_lane.catalogue.kinds import Inductor as InductorPart
from jump_lane.catalogue.kinds import Transformer
from jump_lane.circuit.elements import CoupledInductors, Inductor
from jump_lane.design.components import Component
from jump_lane.dissipation.bundle import heated
from jump_lane.dissipation.ledger import Entry, Gap, Loss
from jump_lane.dissipation.stage import Stage
from jump_lane.equations.steinmetz import Steinmetz, equivalent_frequency, loss_density
from jump_lane.operating.wound import flux_linkage
from jump_lane.switching.waveforms import Array

CORE = "core"
BIAS = "core losses do not include the effect of a direct flux beneath the ripple"


def steinmetz(part: InductorPart | Transformer, time: Array, flux: Array) -> Steinmetz | None:
    """Return the coefficients of a core under a flux waveform: of the piece of frequency it lies in, if there are any."""
    if part.core_pieces is not None:
        frequency = equivalent_frequency(time, flux)
        known = [p for p in part.core_pieces if p[0] <= frequency] or [part.core_pieces[0]]
        return Steinmetz(*known[-1][1:])
    if part.core_k is None or part.core_alpha is None or part.core_beta is None:
        return None
    return Steinmetz(part.core_k, part.core_alpha, part.core_beta)


def core(stage: Stage, temperatures: dict[str, float]) -> Iterator[Entry]:
    """Yield the core losses of inductors and transformers, at their temperatures where a curve is given."""
    for component in stage.of("inductor", "transformer"):
        found = _of(stage, component)
        if found is None and heated(stage, component) != component.name:
            continue  # the core is that of another winding
        if found is None:
            figure = "core_k, core_area, core_volume and turns, or core_loss"
            yield Gap(component.name, figure, "core losses are left out")
        else:
            temperature = temperatures.get(component.name, stage.spec.thermal.unknown)
            curve = (
                component.part.core_curve if isinstance(component.part, InductorPart | Transformer) else None
            )
            share = 1.0 if curve is None else max(curve.extended(temperature), 0.0)
            yield Loss(component.name, CORE, share * found, heats=component.name)


def _of(stage: Stage, component: Component) -> float | None:
    part = component.part
    if not isinstance(part, InductorPart | Transformer):
        return None
    coil = coil_of(component)
    if coil is None:
        return None
    time, flux = linkage(stage, coil)
    material = steinmetz(part, time, flux)
    if material is not None and part.core_area and part.core_volume and part.turns:
        density = flux / (component.pieces * part.turns * part.core_area)
        return component.pieces * part.core_volume * loss_density(material, time, density)
    if part.core_alpha is None or part.core_beta is None:
        return None
    if part.core_loss is None or not part.core_loss_frequency or not part.core_loss_ripple:
        return None
    normal = Steinmetz(
        part.core_loss / part.core_loss_frequency**part.core_alpha, part.core_alpha, part.core_beta
    )
    reference = coil.inductance * part.core_loss_ripple / 2.0
    return component.pieces * loss_density(normal, time, flux / reference)


def coil_of(component: Component) -> Inductor | None:
    """Return the inductor whose flux is that of the core: the magnetising one of a transformer."""
    coils = [e for e in component.elements if isinstance(e, Inductor)]
    if component.kind == "transformer":
        coils = [e for e in coils if e.name == component.coil]
    return coils[0] if coils else None


def linkage(stage: Stage, coil: Inductor) -> tuple[Array, Array]:
    """Return instants [s] and flux linkage [V·s] of an inductor over one period.

    Saturation is included, and so are the currents of windings on the same core.
    """
    time, current = stage.samples(f"{coil.name}.i")
    for element in stage.recording.engine.circuit.elements:
        if isinstance(element, CoupledInductors):
            names = [w.name for w in element.windings]
            if coil.name in names:
                row = element.inductance[names.index(coil.name)]
                currents = [stage.samples(f"{name}.i")[1] for name in names]
                return time, np.asarray(np.tensordot(row, currents, axes=1))
    return time, flux_linkage(coil, current)
