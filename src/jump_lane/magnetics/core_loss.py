"""Loss of a core material under a simulated flux, over frequency and temperature.

Where Steinmetz coefficients change at some frequency, sets that meet for sines do not meet for other shapes (−8 % from an exponent of
1.55 to 1.9): within ±20 % of that frequency both are mixed.  Direct flux beneath the ripple counts only where the material says how.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from jump_lane.catalogue.magnetic import CoreMaterial
from jump_lane.equations.steinmetz import Steinmetz, equivalent_frequency, loss_density

Array = NDArray[np.float64]

MIXED = 0.2
"""Half of the range about a limit in which both sets count."""

NORM = 1.0
"""Flux density that losses are normalised by [T]."""


def sets(material: CoreMaterial, frequency: float) -> list[tuple[float, Steinmetz]]:
    """Return the coefficients that hold at a frequency [Hz], with their weights; none if the material has none."""
    pieces = material.core_pieces
    if pieces is None:
        return []
    found = [(1.0, Steinmetz(*pieces[0][1:]))]
    for start, *numbers in pieces[1:]:
        share = np.clip((frequency / max(start, 1e-3) - (1.0 - MIXED)) / (2.0 * MIXED), 0.0, 1.0)
        if share > 0.0:
            found = [(w * (1.0 - share), s) for w, s in found] + [(float(share), Steinmetz(*numbers))]
    return [(w, s) for w, s in found if w > 0.0]


def warmth(material: CoreMaterial, temperature: float) -> float:
    """Return the core loss at a temperature [°C] over that at 25 °C."""
    return 1.0 if material.core_curve is None else max(material.core_curve.extended(temperature), 0.0)


def biased(material: CoreMaterial, field: float) -> float:
    """Return the factor of the core loss in the field of a direct current [A/m]; 1 where the material does not say."""
    return 1.0 if material.bias_loss is None else material.bias_loss.at(abs(field))


class FluxLoss:
    """Loss density of a material for one shape of flux, at any size.

    Parameters
    ----------
    time, linkage
        Instants [s] and flux linkage [V·s] over one period, (t,).
    """

    def __init__(self, material: CoreMaterial, time: Array, linkage: Array) -> None:
        found = sets(material, equivalent_frequency(time, linkage))
        self.terms = [(w * loss_density(s, time, linkage / NORM), s.beta) for w, s in found]

    def density(self, section: Array | float) -> Array:
        """Return the loss density [W/m³] at 25 °C for flux densities of linkage over turns times area [m²]."""
        found: Array = np.zeros_like(np.asarray(section, float))
        for size, beta in self.terms:
            found = found + size * (np.asarray(section, float) / NORM) ** -beta
        return found
