"""Ripple of a capacitor that the circuit leaves out: the one across the input, fed by a source that delivers its average."""

from __future__ import annotations

import numpy as np

from jump_lane.switching.record import Recording

SAMPLES = 400
"""Samples in a period, besides those that every signal asks for."""

FACTORS = 1e4
"""How much larger a capacitance is looked for."""


def input_ripple(recording: Recording, capacitance: float, resistance: float) -> float:
    """Return the peak-to-peak voltage of a capacitor across the input [V].

    Parameters
    ----------
    capacitance, resistance
        Of the capacitor [F], and its equivalent series resistance [Ω].

    Notes
    -----
    The source delivers the average, so that the capacitor takes i = i_av − i_in: v = R·i + ∫i dt/C.  Between samples i is
    straight, and v extreme at the ends or where R·di/dt = −i/C.
    """
    wave = recording.waveforms(("source.i",), SAMPLES)
    time, drawn = wave.time, -wave.signals["source.i"]
    step = np.diff(time)
    a, b = drawn[:-1], drawn[1:]
    mean = float(np.sum(step * (a + b))) / 2.0 / float(time[-1] - time[0])
    current = mean - drawn
    a, b = current[:-1], current[1:]
    charge = np.concatenate([[0.0], np.cumsum(step * (a + b) / 2.0)])
    ends = charge / capacitance + resistance * current
    slope = np.divide(b - a, step, out=np.zeros_like(step), where=step > 0.0)
    turning = (
        np.divide(-a, slope, out=np.full_like(step, -1.0), where=slope != 0.0) - resistance * capacitance
    )
    inside = (turning > 0.0) & (turning < step)
    t = turning[inside]
    there = a[inside] + slope[inside] * t
    between = (charge[:-1][inside] + t * (a[inside] + there) / 2.0) / capacitance + resistance * there
    every = np.concatenate([ends, between])
    return float(every.max() - every.min())


def capacitance_for(recording: Recording, limit: float, known: float, resistance: float) -> float | None:
    """Return the capacitance with which the input ripple is `limit` [F], or None if its resistance forbids that.

    Parameters
    ----------
    known
        A capacitance that leads to more [F].
    """
    low, high = known, FACTORS * known
    if input_ripple(recording, high, resistance) > limit:
        return None
    for _ in range(40):
        middle = (low * high) ** 0.5
        if input_ripple(recording, middle, resistance) > limit:
            low = middle
        else:
            high = middle
    return high
