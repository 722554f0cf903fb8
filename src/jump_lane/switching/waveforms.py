"""Samples over time and what is measured on them, whoever made them."""

from __future__ import annotations

import math
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


ROUNDING = 1e-12
"""A difference this small beside the largest value is that of two numbers that are the same."""


@dataclass(frozen=True)
class Window:
    """What two cursors read off a signal, in its unit; ``integral`` is that over time, ``difference`` second minus first."""

    first: float
    second: float
    difference: float
    slope: float
    average: float
    rms: float
    minimum: float
    maximum: float
    integral: float

    @property
    def peak_to_peak(self) -> float:
        """Maximum minus minimum."""
        return self.maximum - self.minimum

    def data(self) -> dict[str, float]:
        """Return all figures by name."""
        return {**self.__dict__, "peak_to_peak": self.peak_to_peak}


def window(samples: tuple[Array, Array]) -> Window:
    """Measure between the first and the last of some samples.

    Parameters
    ----------
    samples
        Instants [s] and values; the signal is taken as straight between them, a jump as two at one instant.

    Notes
    -----
    Integrals of the piecewise linear signal and of its square are exact: ∫v² = Δt·(a² + a·b + b²)/3.
    """
    time, values = samples
    step = np.diff(time)
    a, b = values[:-1], values[1:]
    span = float(time[-1] - time[0])
    integral = float(np.sum(step * (a + b)) / 2.0)
    square = float(np.sum(step * (a * a + a * b + b * b)) / 3.0)
    difference = float(values[-1] - values[0])
    if abs(difference) < ROUNDING * float(np.abs(values).max()):
        difference = 0.0
    return Window(
        first=float(values[0]),
        second=float(values[-1]),
        difference=difference,
        slope=difference / span,
        average=integral / span,
        rms=float(np.sqrt(square / span)),
        minimum=float(values.min()),
        maximum=float(values.max()),
        integral=integral,
    )


@dataclass(frozen=True)
class Harmonic:
    """One line of a spectrum: order, frequency [Hz], amplitude (peak) in the signal's unit, phase [°]."""

    order: int
    frequency: float
    amplitude: float
    phase: float

    @property
    def decibel(self) -> float:
        """Amplitude in decibels above one millionth of the unit."""
        return float(20.0 * np.log10(max(abs(self.amplitude), 1e-15) / 1e-6))


def harmonics(samples: tuple[Array, Array], period: float, highest: int) -> list[Harmonic]:
    """Return the harmonics 0 to `highest` of one period of a signal.

    Parameters
    ----------
    samples
        Instants [s] over exactly one period and values, straight in between, a jump as two at one instant.

    Notes
    -----
    The Fourier integral of each straight piece is taken exactly (by parts), so that jumps and corners need no
    dense samples: c_n = (2/T)·∫v·exp(−j·2π·n·t/T) dt.
    """
    coefficients = fourier(samples, period, highest)
    out = [Harmonic(0, 0.0, float(coefficients[0].real), 0.0)]
    for n, c in enumerate(coefficients[1:], start=1):
        out.append(Harmonic(n, n / period, float(abs(c)), float(np.degrees(np.angle(c)))))
    return out


def _turned(base: NDArray[np.complex128], rows: Array, highest: int) -> NDArray[np.complex128]:
    """Return Σ baseʰ·row for h = 1 to `highest` of each row, (rows, highest).

    A power is that of a multiple of some number times one up to it, so that few are raised, and one product sums up all.
    """
    few = math.isqrt(highest) + 1
    near = np.cumprod(np.broadcast_to(base, (few, len(base))), axis=0)
    far = np.ones((-(-highest // few), len(base)), dtype=complex)
    far[1:] = near[-1]
    far = np.cumprod(far, axis=0)
    return np.array([(far @ (near * row).T).ravel()[:highest] for row in rows])


def fourier(samples: tuple[Array, Array], period: float, highest: int) -> NDArray[np.complex128]:
    """Return the average and the complex amplitudes (peak) of harmonics 1 to `highest`; see `harmonics`."""
    time, values = samples
    step = np.diff(time)
    lasting = step > 0.0
    a, b = values[:-1] * lasting, values[1:] * lasting
    slope = (b - a) / np.where(lasting, step, 1.0)
    w = 2.0 * np.pi / period * np.arange(1, highest + 1)
    ends = np.concatenate([[0.0], b]) - np.concatenate([a, [0.0]])
    bends = np.concatenate([[0.0], slope]) - np.concatenate([slope, [0.0]])
    at_ends, at_bends = _turned(np.exp(-2j * np.pi / period * time), np.array([ends, bends]), highest)
    integrals = at_ends * 1j / w + at_bends / w**2
    average = np.sum(step * (a + b)) / 2.0 / period
    return np.concatenate([[average + 0j], 2.0 * integrals / period])


def unit_of(signal: str) -> str:
    """Return the unit of a signal by its name: V for voltages and potentials, A for currents."""
    if signal.endswith(".i"):
        return "A"
    return "" if signal.endswith(".gate") else "V"
