"""Copper losses above those of direct current: eddy currents in the windings, harmonic by harmonic."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np

from jump_lane.catalogue.kinds import Inductor as InductorPart
from jump_lane.catalogue.kinds import Transformer
from jump_lane.circuit.elements import Inductor, Resistor
from jump_lane.design.components import Component
from jump_lane.dissipation.bundle import bundle_of, heated
from jump_lane.dissipation.ledger import Entry, Gap, Loss
from jump_lane.dissipation.stage import Stage
from jump_lane.operating.wound import course_of
from jump_lane.quantities import show
from jump_lane.quantities.copper import resistivity, skin_depth
from jump_lane.switching.waveforms import Array, fourier

EDDY = "winding, eddy currents"
FOLLOWED = 200
"""Harmonics of windings whose resistance is known together."""


def dowell(ratio: Array, layers: float) -> Array:
    """Return the resistance of a winding over that at direct current.

    Parameters
    ----------
    ratio
        Thickness of a layer over the skin depth, (h,): ξ = √η·h/δ with the porosity η.
    layers
        Number m of layers between which the field rises from zero to its largest.

    Notes
    -----
    F = ξ·[(sinh 2ξ + sin 2ξ)/(cosh 2ξ − cos 2ξ) + ⅔·(m² − 1)·(sinh ξ − sin ξ)/(cosh ξ + cos ξ)].
    Thin layers: F → 1 + (5·m² − 1)·ξ⁴/45; thick ones: F → ξ·(2·m² + 1)/3.

    References
    ----------
    P. L. Dowell, "Effects of eddy currents in transformer windings", Proc. IEE 113 (1966) 1387-1394;
    J. A. Ferreira, "Improved analytical modeling of conductive losses in magnetic components",
    IEEE Trans. Power Electron. 9 (1994) 127-131 (porosity).
    """
    x = np.asarray(ratio, dtype=np.float64)
    thick = np.minimum(x, 300.0)
    with np.errstate(invalid="ignore", divide="ignore"):
        skin = (np.sinh(2 * thick) + np.sin(2 * thick)) / (np.cosh(2 * thick) - np.cos(2 * thick))
        proximity = (np.sinh(thick) - np.sin(thick)) / (np.cosh(thick) + np.cos(thick))
    exact = x * (skin + 2.0 / 3.0 * (layers**2 - 1.0) * proximity)
    return np.asarray(np.where(x < 0.02, 1.0 + (5.0 * layers**2 - 1.0) * x**4 / 45.0, exact))


def thickness(foil: float | None, diameter: float | None) -> float | None:
    """Return the thickness of the foil that a layer is worth [m]: a round wire counts as √(π/4) of its diameter."""
    if foil is not None:
        return foil
    return None if diameter is None else math.sqrt(math.pi / 4.0) * diameter


def resistance_ratio(
    part: InductorPart | Transformer, secondary: bool, frequency: Array, temperature: float
) -> Array | None:
    """Return the resistance of a winding at some frequencies over that at direct current, None if not known.

    Parameters
    ----------
    frequency
        (h,) [Hz].

    Notes
    -----
    Every layer of litz wire with N strands counts as √N layers of strands.

    References
    ----------
    C. R. Sullivan, "Optimal choice for number of strands in a litz-wire transformer winding",
    IEEE Trans. Power Electron. 14 (1999) 283-291 (a bundle as a square of strands).
    """
    if isinstance(part, InductorPart) and part.ac_resistance is not None and part.resistance:
        curve = part.ac_resistance
        return np.maximum(curve.at_each(frequency) / part.resistance, 1.0)
    layers, layer = part.layers, thickness(part.conductor_thickness, part.wire_diameter)
    if secondary and isinstance(part, Transformer):
        layers, layer = part.secondary_layers or layers, part.secondary_thickness or layer
    if layers is None or layer is None:
        return None
    layers *= math.sqrt(part.strands)
    return dowell(math.sqrt(part.porosity) * layer / skin_depth(frequency, resistivity(temperature)), layers)


def eddy(stage: Stage, temperatures: dict[str, float]) -> Iterator[Entry]:
    """Yield what alternating current costs in windings above R·I_rms² of the simulated circuit.

    Notes
    -----
    Σ R·(F(n·f_s) − 1)·I_n² over the harmonics of the simulated current.  The direct current has none.
    """
    for component in stage.of("inductor", "transformer"):
        resistive = [e for e in component.elements if _resistance(e) > 0.0]
        temperature = temperatures.get(component.name, stage.spec.thermal.unknown)
        total, unknown = 0.0, 0.0
        together = _together(stage, component)
        if together is not None:
            yield Loss(component.name, EDDY, together, heats=heated(stage, component))
            continue
        for element in resistive:
            signal, resistance = f"{element.name}.i", _resistance(element)
            ratio = _ratio(stage, component, resistance, stage.harmonics, temperature)
            if ratio is None:
                unknown += resistance * stage.alternating(signal)
            else:
                total += resistance * float(np.sum((ratio - 1.0) * stage.spectrum(signal)))
        if resistive and unknown == 0.0:
            yield Loss(component.name, EDDY, total, heats=component.name)
        elif unknown > 0.0:
            cost = f"where alternating current sees twice the resistance it is {show(unknown, 'W')}"
            figure = "ac_resistance, or layers and conductor_thickness"
            yield Gap(component.name, figure, "eddy currents in the winding are left out", cost)
        if not resistive:
            yield Gap(component.name, "resistance", "the winding has none", _per_milliohm(stage, component))


def _together(stage: Stage, component: Component) -> float | None:
    """Return what the windings of a component lose beyond R·I_rms² of the simulated circuit, by the matrix of all windings on its
    core; None without one.

    P_j = Σ ½·Re(I_j*·Σ_k R_jk(n·f_s)·I_k), with the currents' phases, the direct ones included.
    """
    bundle = bundle_of(stage, component)
    if bundle is None:
        return None
    course = course_of(stage.recording, bundle.element.name, stage.recording.engine.circuit.elements, "")
    amplitudes = np.array([fourier((course.time, i), course.period, FOLLOWED) for i in course.currents])
    resistance = bundle.matrix.at(np.asarray(stage.frequency * np.arange(FOLLOWED + 1.0)))
    squares = np.where(np.arange(FOLLOWED + 1) == 0, 1.0, 0.5)
    found = np.einsum("ih,hij,jh,h->i", amplitudes.conj(), resistance, amplitudes, squares).real
    circuit = sum(
        _resistance(e) * stage.measures(f"{e.name}.i").rms ** 2
        for e in component.elements
        if _resistance(e) > 0.0
    )
    return float(found[bundle.rows(component.name)].sum()) - circuit


def _ratio(
    stage: Stage, component: Component, resistance: float, frequency: Array, temperature: float
) -> Array | None:
    part = component.part
    if not isinstance(part, InductorPart | Transformer):
        return None
    primary = stage.point.values.get(f"R_p{component.role}", resistance)
    return resistance_ratio(part, abs(resistance - primary) > 1e-9 * resistance, frequency, temperature)


def _resistance(element: object) -> float:
    return element.resistance if isinstance(element, Inductor | Resistor) else 0.0


def _per_milliohm(stage: Stage, component: Component) -> str:
    currents = [stage.measures(f"{e.name}.i").rms for e in component.elements if isinstance(e, Inductor)]
    return f"every 1 mΩ costs {show(1e-3 * max(currents, default=0.0) ** 2, 'W')}"
