"""A linear network at many frequencies at once: branches between nodes, solved by node equations.

Ground is the node ``0``.  A branch is an impedance over frequency; what drives is a current into a node.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Complex = NDArray[np.complex128]
Real = NDArray[np.floating]

GROUND = "0"


@dataclass(frozen=True)
class Branch:
    """Resistance [Ω], inductance [H] and capacitance [F] in series, with a capacitance across all of them [F].

    A capacitance of zero is none: a wire in its place.
    """

    name: str
    a: str
    b: str
    resistance: float = 0.0
    inductance: float = 0.0
    capacitance: float = 0.0
    across: float = 0.0

    def impedance(self, frequencies: Real) -> Complex:
        """Return its impedance, (f,)."""
        s = 2j * np.pi * np.asarray(frequencies, dtype=float)
        z = self.resistance + s * self.inductance
        if self.capacitance > 0.0:
            z = z + 1.0 / (s * self.capacitance)
        return np.asarray(1.0 / (1.0 / z + s * self.across) if self.across > 0.0 else z, dtype=complex)


@dataclass(frozen=True)
class Solution:
    """Node potentials [V] and branch currents from a to b [A], (f,) each."""

    nodes: Mapping[str, Complex]
    currents: Mapping[str, Complex]


def solve(branches: Sequence[Branch], driven: Mapping[str, Complex | Real], frequencies: Real) -> Solution:
    """Solve a network.

    Parameters
    ----------
    driven
        Current into each node that is driven [A], (f,).
    frequencies
        Above zero [Hz], (f,).
    """
    names = sorted({n for b in branches for n in (b.a, b.b)} - {GROUND})
    at = {name: k for k, name in enumerate(names)}
    count = len(np.asarray(frequencies))
    matrix = np.zeros((count, len(names), len(names)), dtype=complex)
    admittances: dict[str, Complex] = {
        b.name: (1.0 / b.impedance(frequencies)).astype(complex) for b in branches
    }
    for b in branches:
        y = admittances[b.name]
        for p, q in ((b.a, b.b), (b.b, b.a)):
            if p != GROUND:
                matrix[:, at[p], at[p]] += y
                if q != GROUND:
                    matrix[:, at[p], at[q]] -= y
    right = np.zeros((count, len(names), 1), dtype=complex)
    for name, current in driven.items():
        right[:, at[name], 0] += current
    found = np.linalg.solve(matrix, right)[..., 0]
    nodes: dict[str, Complex] = {name: found[:, k].astype(complex) for name, k in at.items()}
    nodes[GROUND] = np.zeros(count, dtype=complex)
    currents: dict[str, Complex] = {}
    for b in branches:
        currents[b.name] = ((nodes[b.a] - nodes[b.b]) * admittances[b.name]).astype(complex)
    return Solution(nodes, currents)


@dataclass(frozen=True)
class Draw:
    """An alternating current that something draws at a corner.

    Attributes
    ----------
    amplitudes
        Complex peak amplitudes of harmonics 1… [A], (h,).
    direct
        Its average [A].
    rest
        Rms of all harmonics above these [A].
    """

    words: str
    frequency: float
    amplitudes: Complex
    direct: float = 0.0
    rest: float = 0.0

    @property
    def frequencies(self) -> Real:
        """Frequencies of the harmonics [Hz], (h,)."""
        return np.asarray(self.frequency * np.arange(1, len(self.amplitudes) + 1))

    def effective(self, part: Complex | Real) -> float:
        """Return the rms of what a part of each harmonic makes [A], (h,); those above divide as the last one does."""
        squares = 0.5 * np.abs(part * self.amplitudes) ** 2
        return math.sqrt(float(squares.sum()) + (self.rest * float(np.abs(part[-1]))) ** 2)
