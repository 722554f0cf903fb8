"""Loss density of a core material under any flux waveform, by the improved generalised Steinmetz equation."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Steinmetz:
    """Loss density of a material under sinusoidal flux: k·f^α·B̂^β [W/m³], f in Hz, B̂ in T (amplitude)."""

    k: float
    alpha: float
    beta: float

    @property
    def constant(self) -> float:
        """Return k_i = k/((2π)^(α−1)·2^(β−α)·∫|cos θ|^α dθ over a turn)."""
        a = self.alpha
        integral = 2.0 * math.sqrt(math.pi) * math.gamma((a + 1.0) / 2.0) / math.gamma(a / 2.0 + 1.0)
        return float(self.k / ((2.0 * math.pi) ** (a - 1.0) * 2.0 ** (self.beta - a) * integral))


def loss_density(material: Steinmetz, time: Array, flux: Array) -> float:
    """Return the average loss density under a periodic flux waveform [W/m³].

    Parameters
    ----------
    time, flux
        Instants [s] over exactly one period and flux density [T], straight in between, (m,) each.

    Notes
    -----
    P = (1/T)·Σ over loops of k_i·ΔB^(β−α)·∫|dB/dt|^α dt, ΔB being the span of the loop.  Minor loops are taken out
    of the rising and falling parts of the major one, and theirs out of them in turn.

    References
    ----------
    K. Venkatachalam, C. R. Sullivan, T. Abdallah and H. Tacca, "Accurate prediction of ferrite core loss with
    nonsinusoidal waveforms using only Steinmetz parameters", IEEE Workshop on Computers in Power Electronics,
    2002, 36-41.
    """
    period = float(time[-1] - time[0])
    change, step = np.diff(flux), np.diff(time)
    span = float(flux.max() - flux.min())
    if span == 0.0:
        return 0.0
    keep = (step > 0.0) & (np.abs(change) > 1e-12 * span)
    change, step = change[keep], step[keep]
    rising = change > 0.0
    turns = int(np.sum(rising != np.roll(rising, 1)))
    if turns <= 2:
        energy = _loop(material, change, step, span)
    else:
        first = int(np.argmin(np.cumsum(change))) + 1
        energy = _energy(material, list(zip(np.roll(change, -first), np.roll(step, -first), strict=True)))
    return material.constant * energy / period


def _loop(material: Steinmetz, change: Array, step: Array, span: float) -> float:
    """Return ΔB^(β−α)·Σ|ΔB_k/Δt_k|^α·Δt_k of one loop."""
    steep = float(np.sum(np.abs(change) ** material.alpha * step ** (1.0 - material.alpha)))
    return float(span ** (material.beta - material.alpha) * steep)


Piece = tuple[float, float]
"""A straight piece of a waveform: change and duration."""


def _energy(material: Steinmetz, pieces: list[Piece]) -> float:
    """Return the energy of a closed waveform that starts at its lowest (or highest) value, minor loops included."""
    levels = np.cumsum([0.0, *(change for change, _ in pieces)])
    far = int(np.argmax(np.abs(levels)))
    main: list[Piece] = []
    total = 0.0
    for branch in (pieces[:far], pieces[far:]):
        own, loops = _split(branch)
        main += own
        total += sum(_energy(material, loop) for loop in loops)
    change, step = np.array([c for c, _ in main]), np.array([t for _, t in main])
    return total + _loop(material, change, step, float(np.abs(levels).max()))


def _split(pieces: list[Piece]) -> tuple[list[Piece], list[list[Piece]]]:
    """Split a rise (or fall) into the pieces that lead further, and closed loops in between."""
    direction = 1.0 if sum(c for c, _ in pieces) >= 0.0 else -1.0
    own: list[Piece] = []
    loops: list[list[Piece]] = []
    loop: list[Piece] = []
    below = 0.0
    for change, step in pieces:
        ahead = direction * change
        if below == 0.0 and ahead > 0.0:
            own.append((change, step))
            continue
        if below + ahead < 0.0 or ahead <= 0.0:
            loop.append((change, step))
            below += ahead
            continue
        back = -below / ahead
        loop.append((change * back, step * back))
        loops.append(loop)
        loop, below = [], 0.0
        if back < 1.0:
            own.append((change * (1.0 - back), step * (1.0 - back)))
    return (own, [*loops, loop]) if loop else (own, loops)


def equivalent_frequency(time: Array, flux: Array) -> float:
    """Return the frequency of the sine that changes as fast as a periodic flux waveform, in the mean square [Hz].

    Parameters
    ----------
    time, flux
        Instants [s] over exactly one period and flux, straight in between, (m,) each.

    Notes
    -----
    f = 2/(π²·ΔB²)·∫(dB/dt)² dt.

    References
    ----------
    J. Reinert, A. Brockmeyer and R. W. A. A. De Doncker, "Calculation of losses in ferro- and ferrimagnetic materials
    based on the modified Steinmetz equation", IEEE Trans. Ind. Appl. 37 (2001) 1055-1061.
    """
    change, step = np.diff(flux), np.diff(time)
    keep = step > 0.0
    span = float(flux.max() - flux.min())
    if span == 0.0:
        return 0.0
    return float(2.0 / (math.pi * span) ** 2 * np.sum(change[keep] ** 2 / step[keep]))
