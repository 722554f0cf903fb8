"""How a stretch without an event passes on deviations that turn with a sine: propagator and integral at any frequency.

With A = M − jω, e^{A·h} = e^{−jω·h}·e^{M·h}; of its integrals P = ∫e^{A·s} and Q = ∫(h − s)·e^{A·s} over the stretch what does not
depend on ω is worked out once.  For slow sines they are series, with e^{jω·(h − s)} in powers of its exponent, for faster ones
P = A⁻¹·(e^{A·h} − 1) and Q = A⁻¹·(P − h).

References
----------
C. F. Van Loan, "Computing integrals involving the matrix exponential", IEEE Trans. Automatic Control 23 (1978) 395-404.
"""

from __future__ import annotations

from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from jump_lane.switching.linear import Complex, exponential
from jump_lane.switching.network import Array

SLOW, TERMS = 0.3, 10
"""Largest angle of a stretch that a series takes [rad], and its terms: the next one is below 1e-12."""

APART = 1e-3
"""Least distance of jω from every eigenvalue, times h, with which A is inverted."""


class Turning:
    """One stretch.

    Parameters
    ----------
    rate
        dz/dt = rate·z, (nz, nz).
    still
        Entries that neither turn nor act: meters, references, the constant one, (nz,).
    duration
        h [s].
    """

    def __init__(self, rate: Array, still: NDArray[np.bool_], duration: float) -> None:
        self._rate, self._still, self._h = rate, still, duration
        self._moving = np.flatnonzero(~still)
        self._own = rate[np.ix_(self._moving, self._moving)]

    def at(self, omega: Array, forced: int | None) -> tuple[Complex, Complex]:
        """Return the propagators in the frames that turn with each ω [1/s], (f,), and their integrals, both (f, nz, nz).

        Parameters
        ----------
        forced
            An entry among the still ones that is the sine itself, and acts; None where none is.
        """
        nz, moving, still = len(self._still), self._moving, np.flatnonzero(self._still)
        whole, part = (np.zeros((len(omega), nz, nz), dtype=complex) for _ in range(2))
        whole[:, still, still], part[:, still, still] = 1.0, self._h
        first, second = self._integrals(omega)
        whole[:, moving[:, None], moving] = np.exp(-1j * omega * self._h)[:, None, None] * self._through
        part[:, moving[:, None], moving] = first
        if forced is not None:
            acts = self._rate[moving, forced]
            whole[:, moving, forced], part[:, moving, forced] = first @ acts, second @ acts
        return whole, part

    @cached_property
    def _through(self) -> Array:
        return exponential(self._own * self._h)

    @cached_property
    def _eigenvalues(self) -> Complex:
        return np.asarray(np.linalg.eigvals(self._own), dtype=complex)

    @cached_property
    def _moments(self) -> Array:
        """∫(1 − s)^n/n!·e^{M·h·s}·ds from 0 to 1 for n = 0, 1, …, TERMS, (TERMS + 1, m, m)."""
        m, order = len(self._moving), TERMS + 2
        block = np.eye(order * m, k=m)
        block[:m, :m] = self._own * self._h
        row = exponential(block)[:m, m:]
        return row.reshape(m, TERMS + 1, m).transpose(1, 0, 2)

    def _integrals(self, omega: Array) -> tuple[Complex, Complex]:
        """Return P and Q at each ω, (f, m, m)."""
        size, angle = len(self._moving), omega * self._h
        first, second = (np.zeros((len(omega), size, size), dtype=complex) for _ in range(2))
        apart = (np.abs(self._eigenvalues - 1j * omega[:, None]) * self._h > APART).all(axis=1)
        slow, fast = angle <= SLOW, (angle > SLOW) & apart
        for where, values, work in ((slow, angle, self._series), (fast, omega, self._inverted)):
            if where.any():
                first[where], second[where] = work(values[where])
        for k in np.flatnonzero(~slow & ~fast):
            first[k], second[k] = self._near(float(omega[k]))
        return first, second

    def _series(self, angle: Array) -> tuple[Complex, Complex]:
        h, size = self._h, len(self._moving)
        powers = np.exp(-1j * angle)[:, None] * (1j * angle[:, None]) ** np.arange(TERMS)
        flat = self._moments.reshape(TERMS + 1, -1)
        first, second = powers @ flat[:-1], powers * np.arange(1, TERMS + 1) @ flat[1:]
        shape = (len(angle), size, size)
        return first.reshape(shape) * h, second.reshape(shape) * h * h

    def _inverted(self, omega: Array) -> tuple[Complex, Complex]:
        one = np.eye(len(self._moving))
        turning = self._own - 1j * omega[:, None, None] * one
        inner: Complex = np.linalg.solve(
            turning, np.exp(-1j * omega * self._h)[:, None, None] * self._through - one
        )
        return inner, np.asarray(np.linalg.solve(turning, inner - self._h * one))

    def _near(self, omega: float) -> tuple[Complex, Complex]:
        """Return both next to an eigenvalue, where A cannot be inverted (Van Loan)."""
        h, size = self._h, len(self._moving)
        block = np.eye(3 * size, k=size, dtype=complex)
        block[:size, :size] = (self._own - 1j * omega * np.eye(size)) * h
        both: Complex = exponential(block)[:size]
        return both[:, size : 2 * size] * h, both[:, 2 * size :] * h * h
