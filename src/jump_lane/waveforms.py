"""Samples over time and what is measured on them, whoever made them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


NOISE = 1e-8
"""Values below this part of a signal's peak are shown as zero; the simulator resolves about 1e-9."""


@dataclass(frozen=True)
class Measures:
    """What is read off a periodic signal: average, rms (DC included) and extremes, in the signal's unit."""

    average: float
    rms: float
    minimum: float
    maximum: float

    @property
    def peak_to_peak(self) -> float:
        """Maximum minus minimum."""
        return self.maximum - self.minimum

    @property
    def ac_rms(self) -> float:
        """Rms value without the average."""
        return float(np.sqrt(max(self.rms**2 - self.average**2, 0.0)))

    @property
    def peak(self) -> float:
        """Largest magnitude."""
        return max(abs(self.minimum), abs(self.maximum))

    @property
    def reverse(self) -> float:
        """Depth below zero: what a diode blocks."""
        return max(-self.minimum, 0.0)

    @property
    def ripple(self) -> float:
        """Peak-to-peak value as a part of the average."""
        return self.peak_to_peak / abs(self.average) if self.average else float("inf")


@dataclass(frozen=True)
class Waveforms:
    """Signals sampled at common instants over one period.

    Attributes
    ----------
    time
        Instants [s], ascending; a jump has two samples at one instant, (m,).
    signals
        Name to samples, (m,) each.
    period
        Length of the period [s].
    """

    time: Array
    signals: dict[str, Array]
    period: float

    def repeated(self, periods: int) -> Waveforms:
        """Return the same waveforms over several periods."""
        time = np.concatenate([self.time + k * self.period for k in range(periods)])
        return Waveforms(time, {n: np.tile(v, periods) for n, v in self.signals.items()}, self.period)

    def between(self, start: float, end: float) -> Waveforms:
        """Return the samples with start ≤ time ≤ end [s]."""
        keep = (self.time >= start) & (self.time <= end)
        return Waveforms(self.time[keep], {n: v[keep] for n, v in self.signals.items()}, self.period)


def unit_of(signal: str) -> str:
    """Return the unit of a signal by its name: V for voltages and potentials, A for currents."""
    if signal.endswith(".i"):
        return "A"
    return "" if signal.endswith(".gate") else "V"
