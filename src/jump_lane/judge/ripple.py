"""Ripple of a capacitor, from the current that is known to flow in it: for any capacitance, without another simulation."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

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
        (a, b), step, charge = self.current, self.step, self.charge[:-1]
        starts, ends = charge / capacitance + resistance * a, self.charge[1:] / capacitance + resistance * b
        slope = np.divide(b - a, step, out=np.zeros_like(step), where=step > 0.0)
        turning = (
            np.divide(-a, slope, out=np.full_like(step, -1.0), where=slope != 0.0) - resistance * capacitance
        )
        inside = (turning > 0.0) & (turning < step)
        t = turning[inside]
        there = a[inside] + slope[inside] * t
        between = (charge[inside] + t * (a[inside] + there) / 2.0) / capacitance + resistance * there
        every = np.concatenate([starts, ends, between])
        return float(every.max() - every.min())

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

        from scipy.optimize import brentq  # only here, as it takes long to load

        def beyond(stretch: float) -> float:
            return self.ripple(near * math.exp(stretch), resistance) - limit

        reach, furthest = 0.5, math.log(FACTORS)
        while (beyond(reach) > 0.0 or beyond(-reach) < 0.0) and reach < furthest:
            reach = min(2.0 * reach, furthest)
        if beyond(-reach) < 0.0:
            return near / FACTORS
        return near * math.exp(float(brentq(beyond, -reach, reach, xtol=1e-7)))


def drawn(recording: Recording) -> Charging:
    """Return the current of a capacitor across the input, fed by a source that delivers its average."""
    return Charging.of(recording, "source.i")
