"""Integrals over a recorded period: averages, mean squares and powers, exact from moments or, where these would lose
their digits, by quadrature."""

from __future__ import annotations

from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from jump_lane.switching import measuring
from jump_lane.switching.moments import Moments, integrate, products
from jump_lane.switching.network import Array
from jump_lane.switching.sampling import Sampled

ROUNDING = 1e-14
"""Doubt about an integral of products by moments, of the sum of the magnitudes that it adds up."""

DIGITS = 1e-8
"""Where that doubt exceeds this part of the integral, it is found by quadrature."""


class Integrals(Sampled):
    """What is integrated over one recorded period."""

    @cached_property
    def _moments(self) -> Moments:
        branches = len(self.network.branches)
        found: Moments = integrate(
            self.engine.tables.rate, self._outline, self.trace.durations, self.engine.tick, branches
        )
        return found

    def _mean(self, found: Array, gross: Array, first: int, second: int, floor: float = 0.0) -> Array:
        """Return averages over the period of products of signals, pair by pair, from their integrals and the magnitudes in
        these; `first` and `second` are the rows from which the pairs are taken.

        Digits count down to ``floor`` of the largest average.
        """
        out, least = found.copy(), floor * np.abs(found).max(initial=0.0)
        lost = np.flatnonzero(ROUNDING * gross > DIGITS * np.maximum(np.abs(out), least))
        if len(lost):
            out[lost] = self._quadrature(
                {c: r[first + lost] for c, r in self._rows.items()},
                {c: r[second + lost] for c, r in self._rows.items()},
            )
        return out / self.period

    def _quadrature(self, rows: dict[int, Array], others: dict[int, Array]) -> Array:
        """Return integrals of products of signals by Boole's rule over the steps of every stretch."""
        total = np.zeros(len(next(iter(rows.values()))))
        for (states, weights), c in zip(self._dense, self.trace.configurations, strict=True):
            a, b = rows[int(c)], others[int(c)]
            total += weights @ ((states @ a.T) * (states @ b.T))
        return total

    @cached_property
    def _dense(self) -> list[tuple[Array, Array]]:
        """For every stretch, states at the ends and quarters of its steps, and the weights of Boole's rule [s]."""
        out = []
        for (ticks, states), c in zip(self.grids, self.trace.configurations, strict=True):
            inner = np.empty((3 * (len(ticks) - 1), self.engine.nz))
            measuring.quarters(self.engine.tables.phi, c, ticks, states, inner)
            steps = np.diff(ticks)[:, None] * self.engine.tick / 90.0
            ends = np.zeros(len(ticks))
            ends[:-1] += 7.0 * steps[:, 0]
            ends[1:] += 7.0 * steps[:, 0]
            middle = (steps * np.array([32.0, 12.0, 32.0])).ravel()
            every = np.vstack([states, inner])[:, : self.width]
            out.append((every, np.concatenate([ends, middle])))
        return out

    @cached_property
    def averages(self) -> Array:
        """The averages of all signals, in the order of `names`, (s,)."""
        return self._moments.sums / self.period

    def average_doubts(self, signals: NDArray[np.int64]) -> Array:
        """Return by how much rounding may falsify the averages of signals: stiff rows add up terms far above their sum."""
        return ROUNDING * self._moments.gross[signals] / self.period

    @cached_property
    def rms(self) -> Array:
        """Return the rms values of all signals, in the order of `names`, (s,): voltages of all branches come first, then
        their currents."""
        found = self._mean(self._moments.squares, self._moments.gross_squares, 0, 0)
        return np.sqrt(np.maximum(found, 0.0))

    def mean_product(self, first: str, second: str) -> float:
        """Return the average of the product of two signals over the period."""
        i, j = self.index(first), self.index(second)
        found, gross = products(self._outline.rows, self._moments.totals, i, j, 1)
        return float(self._mean(found, gross, i, j)[0])

    @cached_property
    def branch_powers(self) -> Array:
        """The average powers that the branches take [W], (b,)."""
        found = self._moments
        return self._mean(found.powers, found.gross_powers, 0, len(self.network.branches), 0.01)

    @cached_property
    def powers(self) -> dict[str, float]:
        """Return the average power that every branch takes [W]."""
        return dict(zip(self.network.branches, self.branch_powers.tolist(), strict=True))

    def power(self, branch: str) -> float:
        """Return the average power that a branch takes [W]."""
        return self.powers[branch]
