"""Creepage along the edge of a winding, and the margins that it needs.

Above 30 kHz IEC 60664-4 asks for more; that is told, not computed.

References
----------
IEC 60664-1, table of creepage distances: pollution degree 2, material group III, basic insulation; doubled for reinforced.
"""

from __future__ import annotations

import numpy as np

VOLTAGES = (50.0, 100.0, 200.0, 250.0, 320.0, 400.0, 500.0, 630.0, 800.0, 1000.0)
DISTANCES = (1.2e-3, 1.4e-3, 2.0e-3, 2.5e-3, 3.2e-3, 4.0e-3, 5.0e-3, 6.3e-3, 8.0e-3, 10.0e-3)
SOURCE = "IEC 60664-1: pollution degree 2, material group III"
KILOHERTZ = 30e3
"""Above that frequency IEC 60664-4 holds besides."""


def creepage(voltage: float, insulation: str) -> float:
    """Return the creepage distance [m] for an rms working voltage; the next higher line of the table counts.

    Raises
    ------
    ValueError
        If the table ends below that voltage.
    """
    if insulation == "functional":
        return 0.0
    if voltage > VOLTAGES[-1]:
        raise ValueError(
            f"{voltage:g} V is above {VOLTAGES[-1]:g} V, where the table of creepage distances ends"
        )
    found = DISTANCES[int(np.searchsorted(VOLTAGES, voltage))]
    return 2.0 * found if insulation == "reinforced" else found


def margin_for(voltage: float, insulation: str, triple: bool) -> float:
    """Return what is left free at each end of the layers [m]: half the creepage distance; nothing beside triple-insulated wire."""
    return 0.0 if triple else 0.5 * creepage(voltage, insulation)
