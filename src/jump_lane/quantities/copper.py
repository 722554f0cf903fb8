"""Copper: its resistance over temperature, and how deep current flows in it."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
Real = float | Array

MU_0 = 1.25663706212e-6
"""Permeability of free space [H/m] (CODATA 2018)."""

RESISTIVITY, RISE = 1.724e-8, 0.00393
"""Of annealed copper at 20 °C [Ω·m], and its temperature coefficient there [1/K] (IEC 60028)."""

DENSITY = 8890.0
"""Of annealed copper [kg/m³] (IEC 60028)."""

STILL = 1e-3
"""Frequency that stands for direct current [Hz]."""


def resistivity(temperature: Real) -> Array:
    """Return the resistivity of copper [Ω·m] at temperatures [°C]: ρ₂₀·(1 + α·(T − 20 °C)) (IEC 60028)."""
    return np.asarray(RESISTIVITY * (1.0 + RISE * (np.asarray(temperature, float) - 20.0)))


def skin_depth(frequency: Real, rho: Real) -> Array:
    """Return the depth to which current flows [m] in a conductor of a resistivity [Ω·m]: δ = √(ρ/(π·f·μ₀))."""
    return np.sqrt(np.asarray(rho) / (math.pi * MU_0 * np.maximum(frequency, STILL)))
