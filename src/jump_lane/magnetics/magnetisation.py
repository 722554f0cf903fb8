"""How a material is magnetised, and what inductance that leaves a wound core over its current.

References
----------
O. Frölich, "Investigations of dynamoelectric machines and electric power transmission", ETZ 2 (1881) (c = 1; larger c bend later).
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray

from jump_lane.catalogue.kinds import SATURATED
from jump_lane.catalogue.magnetic import Core, CoreMaterial
from jump_lane.magnetics.reluctance import Gap, Place, gap_reluctance
from jump_lane.quantities.copper import MU_0

Array = NDArray[np.float64]

POINTS, FIRST, LAST = 400, 1e-3, 1e3
"""Fields that are looked at, over J_s/(μ0·μ_i)."""

RULE = 24
"""Points of the rule that integrates the permeability of powder."""

LEVELS = (0.985, 0.95, 0.9, 0.85, 0.8, 0.75, 0.7, 0.65, 0.6, 0.5, 0.4, 0.3, 0.2, 0.1, 0.05, 0.02)
"""Parts of the inductance at which points of its curve stand; down to the first one it counts as whole."""

NOTHING = 1e-3
"""Part of the polarisation that stands for none, above the Curie temperature."""


def permeability(material: CoreMaterial, temperature: float) -> float:
    """Return the initial relative permeability at a temperature [°C]."""
    curve = material.permeability_curve
    return material.permeability * (1.0 if curve is None else curve.at(temperature))


def saturation(material: CoreMaterial, temperature: float) -> float:
    """Return the saturation polarisation [T] at a temperature [°C]; the outermost lines of its curve go on."""
    curve = material.saturation_curve
    return material.saturation * (1.0 if curve is None else max(curve.extended(temperature), NOTHING))


def flux_density(material: CoreMaterial, field: Array, temperature: float) -> Array:
    """Return the flux density [T] at fields [A/m] of any sign.

    Notes
    -----
    Ferrite: B = μ0·H + J_s·u/(1 + u^c)^(1/c), u = (μ_i − 1)·μ0·H/J_s.  Powder: μ = μ_i/(a + b·H^p) is the incremental
    permeability, so that B = ∫μ dH, and no more than J_s beside μ0·H.
    """
    h, mu = np.abs(np.asarray(field, float)), permeability(material, temperature)
    j_s = saturation(material, temperature)
    if material.powder and material.bias_factor > 0.0:
        polarised = np.minimum(MU_0 * (_mean_of_powder(material, mu, h) - 1.0) * h, j_s)
    else:
        u = (mu - 1.0) * MU_0 * h / j_s
        polarised = j_s * u / (1.0 + u**material.knee) ** (1.0 / material.knee)
    return np.asarray(np.sign(field) * (MU_0 * h + polarised))


@cache
def _rule() -> tuple[Array, Array]:
    nodes, weights = np.polynomial.legendre.leggauss(RULE)
    return np.asarray(nodes), np.asarray(weights)


def _mean_of_powder(material: CoreMaterial, mu: float, field: Array) -> Array:
    """Return (1/H)·∫μ dH from 0 to H, by a rule of Gauss in √H, as most of the change is at small fields."""
    nodes, weights = _rule()
    root = 0.5 * (nodes + 1.0)
    at = np.multiply.outer(root**2, field)
    powder = mu / (material.bias_offset + material.bias_factor * at**material.bias_exponent)
    return np.asarray(np.tensordot(weights * root, powder, axes=1))


@dataclass(frozen=True)
class FluxCurve:
    """Flux linkage of a winding over its current.

    Attributes
    ----------
    current, linkage
        [A] and [V·s], (k,), from zero up.
    density
        Flux density in the smallest section [T], (k,).
    """

    current: Array
    linkage: Array
    density: Array

    @property
    def inductance(self) -> float:
        """Inductance at no current [H]."""
        return float(self.linkage[1] / self.current[1])

    def linkage_at(self, current: float) -> float:
        """Return the flux linkage at a current [V·s]."""
        return float(np.interp(abs(current), self.current, self.linkage))

    def current_at(self, linkage: float) -> float:
        """Return the current that has a flux linkage [A]."""
        return float(np.interp(abs(linkage), self.linkage, self.current))

    def density_at(self, current: float) -> float:
        """Return the flux density in the smallest section at a current [T]."""
        return float(np.interp(abs(current), self.current, self.density))

    @property
    def incremental(self) -> Array:
        """Incremental inductance at the currents [H], (k,)."""
        return _slopes(self.linkage, self.current)

    @property
    def saturation_current(self) -> float:
        """Current at which the incremental inductance is 70 % of that at no current [A]."""
        return self.current_of(SATURATED * self.inductance)

    def current_of(self, inductance: float) -> float:
        """Return the current at which the incremental inductance has fallen to a value [A]."""
        return float(_fallen(self.current[None, :], self.incremental[None, :], np.array([inductance]))[0])

    def left(self) -> list[tuple[float, float]]:
        """Return points of the incremental inductance over current, as parts of that at no current.

        They stand where it has fallen to certain levels: points closer together would only make tiny steps that nothing shows.
        """
        found = [(0.0, 1.0)]
        for level in LEVELS:
            current = self.current_of(level * self.inductance)
            if current > found[-1][0] and current < self.current[-1]:
                found.append((current, 1.0 if level == LEVELS[0] else level))
        return found


def _slopes(values: Array, over: Array) -> Array:
    """Return the derivatives of values over arguments, exact for parabolas within, (…, k)."""
    step, rise = np.diff(over), np.diff(values)
    slope = rise / step
    before, behind = step[..., :-1], step[..., 1:]
    within = (behind * slope[..., :-1] + before * slope[..., 1:]) / (before + behind)
    return np.concatenate([slope[..., :1], within, slope[..., -1:]], axis=-1)


def _fallen(current: Array, incremental: Array, levels: Array) -> Array:
    """Return where incremental inductances over current, (r, k) both, have fallen below levels, (r,): the last where they do not."""
    below, row = incremental < levels[:, None], np.arange(len(levels))
    k = below.argmax(axis=1)
    before = np.maximum(k - 1, 0)
    high, low = incremental[row, before], incremental[row, k]
    part = np.divide(high - levels, high - low, out=np.zeros_like(high), where=high > low)
    found = current[row, before] + part * (current[row, k] - current[row, before])
    return np.where(below.any(axis=1), found, current[:, -1])


def _magnetised(core: Core, material: CoreMaterial, temperature: float) -> tuple[Array, Array]:
    """Return the ampere-turns along a core without gap [A], and its flux [Wb], over a range of fields."""
    scale = saturation(material, temperature) / (MU_0 * permeability(material, temperature))
    field = np.concatenate([[0.0], np.geomspace(FIRST, LAST, POINTS)]) * scale
    return field * core.path, flux_density(material, field, temperature) * core.area


def saturation_currents(
    core: Core,
    material: CoreMaterial,
    lengths: Array,
    turns: Array,
    number: int,
    place: Place,
    temperature: float,
) -> Array:
    """Return for gaps of these lengths [m] and as many numbers of turns the current of `FluxCurve.saturation_current` [A], (r,)."""
    along, flux = _magnetised(core, material, temperature)
    gaps = np.where(lengths > 0.0, gap_reluctance(core, lengths, number, place), 0.0)
    whole = along + np.multiply.outer(gaps, flux)
    permeance = _slopes(np.broadcast_to(flux, whole.shape), whole)
    return _fallen(whole, permeance, SATURATED * flux[1] / whole[:, 1]) / turns


def flux_curve(core: Core, material: CoreMaterial, gap: Gap, turns: int, temperature: float) -> FluxCurve:
    """Return the flux linkage of a winding over its current, at a temperature [°C].

    Notes
    -----
    Without iteration: Φ = B(H)·A_e, N·i = H·l_e + Φ·R_gap, λ = N·Φ.  Against finite elements of a gapped core the current at which
    the inductance has fallen by a tenth is met within 0.5 %.
    """
    along, flux = _magnetised(core, material, temperature)
    reluctance = float(gap_reluctance(core, gap.length, gap.number, gap.place)) if gap.length > 0.0 else 0.0
    current = (along + flux * reluctance) / turns
    return FluxCurve(current, turns * flux, flux / core.least_area)
