"""Poles and zeros of a power stage, from its sampled response."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from jump_lane.control.design import LoopDesign

FAR = 30.0
"""Poles and zeros beyond so many times the sampling frequency are left out: nothing shows them."""

FAINT = 1e-6
"""Multipliers below this die out within a period and are no poles."""


def poles_of(found: LoopDesign) -> list[tuple[str, complex]]:
    """Return poles and zeros from control to output at nominal input and full load, as complex frequencies [rad/s].

    They are ln(z)/T of those of the sampled response.
    """
    from scipy.linalg import eig

    responses = found.nominal.responses
    phi, gamma = responses.tangent[:, :-1], responses.tangent[:, -1:]
    row, direct = responses.seen("held")
    out = [("pole", p) for p in _continuous(np.linalg.eigvals(phi).astype(complex), responses.period)]
    n = len(phi)
    pencil = np.block([[phi, gamma], [row[None], np.array([[direct]])]])
    weight = np.zeros((n + 1, n + 1))
    weight[:n, :n] = np.eye(n)
    zeros = np.asarray(eig(pencil, weight, right=False), dtype=complex)
    zeros = zeros[np.isfinite(zeros)]
    return out + [("zero", z) for z in _continuous(zeros, responses.period)]


def _continuous(values: NDArray[np.complex128], period: float) -> list[complex]:
    kept = [complex(v) for v in values if abs(v) > FAINT and v.imag >= -1e-12 * abs(v)]
    found = [complex(np.log(v)) / period for v in kept]
    return sorted((s for s in found if abs(s) * period < FAR and abs(s) > 0.0), key=abs)
