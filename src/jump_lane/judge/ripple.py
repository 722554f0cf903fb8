"""Ripple of a capacitor, from the current that is known to flow in it: for any capacitance, without another simulation."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from jump_lane.equations.root import root

if TYPE_CHECKING:
    from jump_lane.switching.record import Recording


SAMPLES = 400
"""Samples in a period, besides those that every signal asks for."""

FACTORS = 1e6
"""How much larger or smaller a capacitance is looked for."""


@dataclass(frozen=True)
class Charging:
    """The alternating current of a capacitor over one period, straight between samples.

    Attributes
    ----------
    step, current, charge
        Lengths of the parts of the period [s], (m,); currents at their ends [A], (2, m); charge at their starts [C], (m+1,).
    """

    step: NDArray[np.float64]
    current: NDArray[np.float64]
    charge: NDArray[np.float64]

    @classmethod
    def of(cls, recording: Recording, signal: str) -> Charging:
        """Return the alternating part of a recorded current."""
        wave = recording.waveforms((signal,), SAMPLES)
        time, taken = wave.time, wave.signals[signal]
        step = np.diff(time)
        mean = float(np.sum(step * (taken[:-1] + taken[1:]))) / 2.0 / float(time[-1] - time[0])
        current = np.stack([taken[:-1], taken[1:]]) - mean
        charge = np.concatenate([[0.0], np.cumsum(step * current.sum(axis=0) / 2.0)])
        return cls(step, current, charge)

    def ripple(self, capacitance: float, resistance: float) -> float:
        """Return the peak-to-peak voltage [V] of a capacitance [F] in series with a resistance [Ω].

        Notes
        -----
        v = R·i + ∫i dt/C.  Where i is straight, v is extreme at the ends or where R·di/dt = −i/C.
        """
        (a, b), charge = self.current, self.charge[:-1]
        starts, ends = charge / capacitance + resistance * a, self.charge[1:] / capacitance + resistance * b
        slope, crossing = self._straight
        turning = crossing - resistance * capacitance
        inside = np.flatnonzero((turning > 0.0) & (turning < self.step))
        t, first = turning[inside], a[inside]
        there = first + slope[inside] * t
        between = (charge[inside] + t * (first + there) / 2.0) / capacitance + resistance * there
        every = np.concatenate([starts, ends, between])
        return float(every.max() - every.min())

    @cached_property
    def _straight(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Slopes of the current [A/s] in each part, and when from its start on it crosses zero [s], −1 where never."""
        (a, b), step = self.current, self.step
        slope = np.divide(b - a, step, out=np.zeros_like(step), where=step > 0.0)
        return slope, np.divide(-a, slope, out=np.full_like(step, -1.0), where=slope != 0.0)

    def capacitance_for(self, limit: float, near: float, resistance: float) -> float | None:
        """Return the capacitance with which the ripple is `limit` [F], or None if the resistance forbids that.

        Parameters
        ----------
        near
            A capacitance of about that size [F].
        """
        if resistance == 0.0:
            return self.ripple(near, 0.0) * near / limit
        if self.ripple(near * FACTORS, resistance) > limit:
            return None

        def beyond(stretch: float) -> float:
            return self.ripple(near * math.exp(stretch), resistance) - limit

        reach, furthest = 0.5, math.log(FACTORS)
        while (beyond(reach) > 0.0 or beyond(-reach) < 0.0) and reach < furthest:
            reach = min(2.0 * reach, furthest)
        if beyond(-reach) < 0.0:
            return near / FACTORS
        return near * math.exp(root(beyond, -reach, reach, 1e-7))


HARMONICS = 300
"""Harmonics of what is left of a voltage that the series resistance of the capacitor does not make at once."""


@dataclass(frozen=True)
class Fed:
    """The alternating current that a converter draws from a capacitor which a source feeds through an impedance.

    Attributes
    ----------
    time, current
        Instants [s], jumps twice, and the current there [A], (m,).
    amplitudes
        Complex peak amplitudes of its harmonics 1… [A], (h,).
    frequency
        Of the first one [Hz].
    source
        Resistance and inductance of the source [Ω, H].
    """

    time: NDArray[np.float64]
    current: NDArray[np.float64]
    amplitudes: NDArray[np.complex128]
    frequency: float
    source: tuple[float, float]

    @classmethod
    def of(cls, recording: Recording, signal: str, source: tuple[float, float]) -> Fed:
        """Return the alternating part of a recorded current, drawn behind a source."""
        from jump_lane.switching.waveforms import fourier

        wave = recording.waveforms((signal,), SAMPLES)
        found = fourier((wave.time, wave.signals[signal]), wave.period, HARMONICS)
        current = wave.signals[signal] - float(found[0].real)
        return cls(wave.time, current, found[1:], 1.0 / wave.period, source)

    def ripple(self, capacitance: float, resistance: float) -> float:
        """Return the peak-to-peak voltage [V] across a capacitance [F] in series with a resistance [Ω], the source beside it.

        Notes
        -----
        V_n = I_n/(1/Z_C + 1/Z_s); what Z is at high frequencies follows the current at once, and the rest, which falls as 1/n², is
        summed up by harmonics.
        """
        r_s, l_s = self.source
        s = 2j * np.pi * self.frequency * np.arange(1, len(self.amplitudes) + 1)
        whole = 1.0 / (1.0 / (resistance + 1.0 / (s * capacitance)) + 1.0 / (r_s + s * l_s))
        at_once = resistance if l_s > 0.0 else resistance * r_s / (resistance + r_s)
        rest = (whole - at_once) * self.amplitudes
        turns = np.exp(np.outer(self.time, s))
        voltage = at_once * self.current + (turns @ rest).real
        return float(voltage.max() - voltage.min())

    def capacitance_for(self, limit: float, near: float, resistance: float) -> float | None:
        """Return the capacitance with which the ripple is `limit` [F], the largest if several are; None if none is."""

        def beyond(stretch: float) -> float:
            return self.ripple(near * math.exp(stretch), resistance) - limit

        tried = np.linspace(math.log(FACTORS), -math.log(FACTORS), 28)
        above = next((k for k, x in enumerate(tried) if beyond(float(x)) > 0.0), None)
        if above == 0:
            return None
        if above is None:
            return near / FACTORS
        return near * math.exp(root(beyond, float(tried[above]), float(tried[above - 1]), 1e-7))


def drawn(recording: Recording, source: tuple[float, float] = (0.0, 0.0)) -> Charging | Fed:
    """Return the current of a capacitor across the input: fed by a source that delivers its average, or through an impedance.

    Parameters
    ----------
    source
        Resistance and inductance of the source [Ω, H]; both zero where it only delivers the average.
    """
    return Fed.of(recording, "source.i", source) if any(source) else Charging.of(recording, "source.i")
