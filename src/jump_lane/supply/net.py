"""A linear network at many frequencies at once: branches between nodes, solved by node equations.

Ground is the node ``0``.  A branch is an impedance over frequency; what drives is a current into a node.
"""

from __future__ import annotations

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


def solve(branches: Sequence[Branch], driven: Mapping[str, Complex], frequencies: Real) -> Solution:
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


def rms(amplitudes: Complex) -> float:
    """Return the rms of harmonics given by their complex peak amplitudes."""
    return float(np.sqrt(0.5 * np.sum(np.abs(amplitudes) ** 2)))
