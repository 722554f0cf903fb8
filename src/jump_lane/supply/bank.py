"""A bank of capacitors: what each type carries of a simulated current, how warm it gets and how long it lasts.

At each harmonic the current divides by admittances.  Between two types one of which has become inductive and the other not yet
the bank resonates: both then carry more than goes in, so that the rms values add up to more than the total.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from jump_lane.judge.verdict import Verdict, at_most
from jump_lane.spec.around import BankType
from jump_lane.supply.net import GROUND, Branch, Complex, Draw, Real

LIFE = (
    "t = t_0·2^((T_max − T)/halving), an Arrhenius-type rule: twice as long for every so many kelvin cooler"
)
"""How long a capacitor lasts, from its life at its highest temperature."""

SWEEP = np.geomspace(1e3, 1e8, 1500)
"""Frequencies at which impedances are looked at [Hz]."""

PEAK = 1.2
"""A resonance of the bank is told where its impedance is this much above what is beside it."""


@dataclass(frozen=True)
class Share:
    """What a type carries.

    Attributes
    ----------
    current
        Rms of each capacitor [A].
    total
        Rms of all of the type together [A].
    loss
        Of each [W].
    temperature, life
        Of each [°C, s]; None where it is not known.
    """

    type: BankType
    name: str
    current: float
    total: float
    loss: float
    temperature: float | None
    life: float | None


@dataclass(frozen=True)
class Bank:
    """A bank at the corner where its current is largest.

    Attributes
    ----------
    total
        Rms of the whole current [A].
    ripple
        Peak to peak voltage across the bank [V].
    resonances
        Frequency [Hz] and impedance [Ω] of every parallel resonance.
    """

    words: str
    total: float
    ripple: float
    shares: tuple[Share, ...]
    resonances: tuple[tuple[float, float], ...]

    @property
    def capacitance(self) -> float:
        """Sum of capacitances [F]."""
        return sum(s.type.count * s.type.capacitance for s in self.shares)

    def verdicts(self) -> Iterator[Verdict]:
        """Yield whether every capacitor is rated for its current and stays cool enough."""
        for share in self.shares:
            rated, hottest = share.type.current, share.type.max_temperature
            if rated is not None:
                advice = "more of them, or more capacitance of another type, mend that"
                yield at_most(f"{share.name}: rms current of each", share.current, rated, "A", advice)
            if share.temperature is not None:
                advice = "more of them share the loss"
                yield at_most(f"{share.name}: temperature", share.temperature, hottest, "°C", advice)


def branches(types: Sequence[BankType], node: str = "bank") -> list[Branch]:
    """Return a branch for each type: all capacitors of it in parallel, behind their track."""
    return [
        Branch(
            f"{k + 1}", node, GROUND, t.resistance / t.count + t.track_resistance,
            t.inductance / t.count + t.track_inductance, t.capacitance * t.count,
        )
        for k, t in enumerate(types)
    ]  # fmt: skip


def impedances(types: Sequence[BankType], frequencies: Real = SWEEP) -> tuple[Complex, list[Complex]]:
    """Return the impedance of the bank and of each type, (f,)."""
    each = [b.impedance(frequencies) for b in branches(types)]
    return np.asarray(1.0 / np.sum([1.0 / z for z in each], axis=0)), each


def resonances(types: Sequence[BankType]) -> tuple[tuple[float, float], ...]:
    """Return where the impedance of the bank has a peak: frequency [Hz] and impedance [Ω]."""
    size = np.abs(impedances(types)[0])
    inner = np.flatnonzero((size[1:-1] > size[:-2]) & (size[1:-1] > size[2:])) + 1
    valleys = np.flatnonzero((size[1:-1] < size[:-2]) & (size[1:-1] < size[2:])) + 1
    found = []
    for k in inner.tolist():
        beside = max((float(size[v]) for v in valleys.tolist()), default=float(size.min()))
        if size[k] > PEAK * beside:
            found.append((float(SWEEP[k]), float(size[k])))
    return tuple(found)


def bank(types: Sequence[BankType], draw: Draw, ambient: float) -> Bank:
    """Return what a bank does with a current.

    Parameters
    ----------
    draw
        The current into the bank at a corner.
    ambient
        Temperature around [°C].
    """
    whole, each = impedances(types, draw.frequencies)
    shares = []
    for k, (t, z) in enumerate(zip(types, each, strict=True)):
        total = draw.effective(whole / z)
        current = total / t.count
        loss = current**2 * t.resistance
        temperature = None if t.thermal_resistance is None else ambient + loss * t.thermal_resistance
        life = None
        if temperature is not None and t.life is not None:
            life = t.life * 2.0 ** ((t.max_temperature - temperature) / t.halving)
        shares.append(Share(t, t.part or f"type {k + 1}", current, total, loss, temperature, life))
    ripple = peak_to_peak(draw.amplitudes * whole)
    return Bank(draw.words, draw.effective(np.ones(len(whole))), ripple, tuple(shares), resonances(types))


def peak_to_peak(amplitudes: Complex, points: int = 4096) -> float:
    """Return the peak-to-peak value of what harmonics 1… with these complex amplitudes make."""
    spectrum = np.zeros(points // 2 + 1, dtype=complex)
    count = min(len(amplitudes), points // 2)
    spectrum[1 : count + 1] = 0.5 * amplitudes[:count]
    wave = np.fft.irfft(spectrum, points) * points
    return float(wave.max() - wave.min())
