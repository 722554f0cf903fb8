"""Core losses from the simulated flux waveform, by the improved generalised Steinmetz equation."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from jump_lane.catalogue.kinds import Inductor as InductorPart
from jump_lane.catalogue.kinds import Transformer
from jump_lane.circuit.elements import CoupledInductors, Inductor
from jump_lane.dissipation.ledger import Entry, Gap, Loss
from jump_lane.dissipation.stage import Stage
from jump_lane.switching.waveforms import Array
from jump_lane.topologies.components import Component

CORE = "core"
BIAS = "core losses do not include the effect of a direct flux beneath the ripple"


@dataclass(frozen=True)
class Steinmetz:
    """Loss density of a material under sinusoidal flux: k·f^α·B̂^β [W/m³], f in Hz, B̂ in T (amplitude)."""

    k: float
    alpha: float
    beta: float

    @property
    def constant(self) -> float:
        """Return k_i = k/((2π)^(α−1)·2^(β−α)·∫|cos θ|^α dθ over a turn)."""
        a = self.alpha
        integral = 2.0 * math.sqrt(math.pi) * math.gamma((a + 1.0) / 2.0) / math.gamma(a / 2.0 + 1.0)
        return float(self.k / ((2.0 * math.pi) ** (a - 1.0) * 2.0 ** (self.beta - a) * integral))


def loss_density(material: Steinmetz, time: Array, flux: Array) -> float:
    """Return the average loss density under a periodic flux waveform [W/m³].

    Parameters
    ----------
    time, flux
        Instants [s] over exactly one period and flux density [T], straight in between, (m,) each.

    Notes
    -----
    P = (1/T)·Σ over loops of k_i·ΔB^(β−α)·∫|dB/dt|^α dt, ΔB being the span of the loop.  Minor loops are taken out
    of the rising and falling parts of the major one, and theirs out of them in turn.

    References
    ----------
    K. Venkatachalam, C. R. Sullivan, T. Abdallah and H. Tacca, "Accurate prediction of ferrite core loss with
    nonsinusoidal waveforms using only Steinmetz parameters", IEEE Workshop on Computers in Power Electronics,
    2002, 36-41.
    """
    period = float(time[-1] - time[0])
    change, step = np.diff(flux), np.diff(time)
    span = float(flux.max() - flux.min())
    if span == 0.0:
        return 0.0
    keep = (step > 0.0) & (np.abs(change) > 1e-12 * span)
    change, step = change[keep], step[keep]
    rising = change > 0.0
    turns = int(np.sum(rising != np.roll(rising, 1)))
    if turns <= 2:
        energy = _loop(material, change, step, span)
    else:
        first = int(np.argmin(np.cumsum(change))) + 1
        energy = _energy(material, list(zip(np.roll(change, -first), np.roll(step, -first), strict=True)))
    return material.constant * energy / period


def _loop(material: Steinmetz, change: Array, step: Array, span: float) -> float:
    """Return ΔB^(β−α)·Σ|ΔB_k/Δt_k|^α·Δt_k of one loop."""
    steep = float(np.sum(np.abs(change) ** material.alpha * step ** (1.0 - material.alpha)))
    return float(span ** (material.beta - material.alpha) * steep)


Piece = tuple[float, float]
"""A straight piece of a waveform: change and duration."""


def _energy(material: Steinmetz, pieces: list[Piece]) -> float:
    """Return the energy of a closed waveform that starts at its lowest (or highest) value, minor loops included."""
    levels = np.cumsum([0.0, *(change for change, _ in pieces)])
    far = int(np.argmax(np.abs(levels)))
    main: list[Piece] = []
    total = 0.0
    for branch in (pieces[:far], pieces[far:]):
        own, loops = _split(branch)
        main += own
        total += sum(_energy(material, loop) for loop in loops)
    change, step = np.array([c for c, _ in main]), np.array([t for _, t in main])
    return total + _loop(material, change, step, float(np.abs(levels).max()))


def _split(pieces: list[Piece]) -> tuple[list[Piece], list[list[Piece]]]:
    """Split a rise (or fall) into the pieces that lead further, and closed loops in between."""
    direction = 1.0 if sum(c for c, _ in pieces) >= 0.0 else -1.0
    own: list[Piece] = []
    loops: list[list[Piece]] = []
    loop: list[Piece] = []
    below = 0.0
    for change, step in pieces:
        ahead = direction * change
        if below == 0.0 and ahead > 0.0:
            own.append((change, step))
            continue
        if below + ahead < 0.0 or ahead <= 0.0:
            loop.append((change, step))
            below += ahead
            continue
        back = -below / ahead
        loop.append((change * back, step * back))
        loops.append(loop)
        loop, below = [], 0.0
        if back < 1.0:
            own.append((change * (1.0 - back), step * (1.0 - back)))
    return (own, [*loops, loop]) if loop else (own, loops)


def equivalent_frequency(time: Array, flux: Array) -> float:
    """Return the frequency of the sine that changes as fast as a periodic flux waveform, in the mean square [Hz].

    Parameters
    ----------
    time, flux
        Instants [s] over exactly one period and flux, straight in between, (m,) each.

    Notes
    -----
    f = 2/(π²·ΔB²)·∫(dB/dt)² dt.

    References
    ----------
    J. Reinert, A. Brockmeyer and R. W. A. A. De Doncker, "Calculation of losses in ferro- and ferrimagnetic materials
    based on the modified Steinmetz equation", IEEE Trans. Ind. Appl. 37 (2001) 1055-1061.
    """
    change, step = np.diff(flux), np.diff(time)
    keep = step > 0.0
    span = float(flux.max() - flux.min())
    if span == 0.0:
        return 0.0
    return float(2.0 / (math.pi * span) ** 2 * np.sum(change[keep] ** 2 / step[keep]))


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
        coils = [e for e in coils if e.name == "L_m"]
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


def flux_linkage(coil: Inductor, current: Array) -> Array:
    """Return the flux linkage [V·s] at some currents [A], (m,), by the piecewise-linear curve of the inductor."""
    flux = coil.inductance * np.abs(current)
    inductance = coil.inductance
    for start, following in coil.saturation:
        flux = flux + (following - inductance) * np.maximum(np.abs(current) - start, 0.0)
        inductance = following
    return np.asarray(np.sign(current) * flux)
