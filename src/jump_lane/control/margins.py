"""Where a loop gain crosses one, and how far it is from −1."""

from __future__ import annotations

import cmath
import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Complex = NDArray[np.complex128]
Gain = Callable[[NDArray[np.float64]], Complex]

REAL = 1e-6
"""An imaginary part below this part of the magnitude is none."""

LOWEST, POINTS = 1e-4, 700
"""Lowest frequency looked at, over the switching frequency, and how many."""

NARROWED, TOGETHER = 3, 9
"""How often what lies between two of them is narrowed for a root, and by how many together: to 2e-5, before a line joins them."""


def remembered(gain: Gain) -> Gain:
    """Return a gain that keeps what it was on a grid, as `margins` asks for the same one of every loop around it."""
    known: dict[bytes, Complex] = {}

    def kept(frequencies: NDArray[np.float64]) -> Complex:
        if len(frequencies) < POINTS:
            return gain(frequencies)
        key = frequencies.tobytes()
        if key not in known:
            known[key] = gain(frequencies)
        return known[key]

    return kept


@dataclass(frozen=True)
class Margins:
    """Stability margins.

    Attributes
    ----------
    crossovers
        Frequency [Hz] and phase margin [°] wherever the gain crosses one.
    crossings
        Frequency [Hz] and gain margin [dB] wherever the gain is negative real; half the sampling frequency included.
    """

    crossovers: tuple[tuple[float, float], ...]
    crossings: tuple[tuple[float, float], ...]

    @property
    def crossover(self) -> float:
        """Highest crossover frequency [Hz]; not a number where the gain never crosses one."""
        return self.crossovers[-1][0] if self.crossovers else math.nan

    @property
    def phase(self) -> float:
        """Least phase margin [°]."""
        return min((margin for _, margin in self.crossovers), default=math.inf)

    @property
    def gain(self) -> float:
        """Least gain margin [dB]: by how much the gain may rise."""
        return min((margin for _, margin in self.crossings if margin > 0.0), default=math.inf)


def margins(gain: Gain, sampling: float) -> Margins:
    """Return the margins of a loop gain below half the sampling frequency [Hz]."""
    grid = np.geomspace(LOWEST * sampling, 0.5 * sampling, POINTS)
    values = gain(grid)
    size = np.log(np.maximum(np.abs(values), 1e-300))
    over = []
    for k in np.flatnonzero(np.signbit(size[:-1]) != np.signbit(size[1:])):
        f = _root(gain, lambda v: math.log(max(abs(v), 1e-300)), grid[k], grid[k + 1])
        angle = math.degrees(cmath.phase(_one(gain, f)))
        over.append((f, _wrapped(180.0 + angle)))
    real = []
    if abs(values[-1].imag) < REAL * abs(values[-1]):  # at half the sampling frequency a loop is real
        values[-1] = complex(values[-1].real, math.copysign(0.0, values[-2].imag))
    for k in np.flatnonzero(np.signbit(values.imag[:-1]) != np.signbit(values.imag[1:])):
        if max(values[k].real, values[k + 1].real) < 0.0:
            f = _root(gain, lambda v: v.imag, grid[k], grid[k + 1])
            real.append((f, -20.0 * math.log10(abs(_one(gain, f)))))
    last = values[-1]
    if last.real < 0.0 and last.imag == 0.0 and not any(f > grid[-2] for f, _ in real):
        real.append((float(grid[-1]), -20.0 * math.log10(abs(last))))
    return Margins(tuple(over), tuple(real))


def _one(gain: Gain, frequency: float) -> complex:
    return complex(gain(np.array([frequency]))[0])


def _root(gain: Gain, of: Callable[[complex], float], low: float, high: float) -> float:
    """Return where a figure of the gain changes its sign; `high` where it does not.

    Several frequencies are looked at together, as one of them costs hardly less, and the last two are joined by a line.
    """
    for _ in range(NARROWED):
        grid = np.geomspace(low, high, TOGETHER)
        values = np.array([of(complex(v)) for v in gain(grid)])
        changes = np.flatnonzero(np.signbit(values[:-1]) != np.signbit(values[1:]))
        if len(changes) == 0:
            return high
        k = int(changes[0])
        low, high = grid[k], grid[k + 1]
    part = values[k] / (values[k] - values[k + 1])
    return float(low * (high / low) ** part)


def _wrapped(angle: float) -> float:
    return (angle + 180.0) % 360.0 - 180.0
