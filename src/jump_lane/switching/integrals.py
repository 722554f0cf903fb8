"""Integrals over a recorded period: averages, mean squares and powers, exact from moments or, where these would lose
their digits, by quadrature."""

from __future__ import annotations

from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from jump_lane.switching import measuring, propagators
from jump_lane.switching.network import Array
from jump_lane.switching.sampling import Sampled

ROUNDING = 1e-14
"""Doubt about an integral of products by moments, of the sum of the magnitudes that it adds up."""

DIGITS = 1e-8
"""Where that doubt exceeds this part of the integral, it is found by quadrature."""


class Integrals(Sampled):
    """What is integrated over one recorded period."""

    @cached_property
    def _moments(self) -> Array:
        """∫z zᵀdt over every stretch, (k, n+1, n+1)."""
        width, trace = self.width, self.trace
        which = np.searchsorted(self._order, trace.configurations)
        rates = np.ascontiguousarray(self.engine.tables.rate[self._order, :width, :width])
        starts = np.ascontiguousarray(self._origins[:, :width])
        out = np.empty((len(which), width, width))
        propagators.moments_of_all(rates, which, starts, trace.durations * self.engine.tick, out)
        return out

    @cached_property
    def _order(self) -> list[int]:
        """Return the configurations met, ascending, in the order of `_stacked`."""
        return list(self._rows)

    @cached_property
    def _stacked(self) -> Array:
        """Every signal as a row in every configuration, (c, s, n+1)."""
        return np.array([self._rows[c] for c in self._order])

    @cached_property
    def _totals(self) -> Array:
        """For every configuration ∫z zᵀdt over all its stretches, (c, n+1, n+1)."""
        out = np.zeros((len(self._order), self.width, self.width))
        for at, moment in zip(
            np.searchsorted(self._order, self.trace.configurations), self._moments, strict=True
        ):
            out[at] += moment
        return out

    def _mean(self, first: slice, second: slice, floor: float = 0.0) -> Array:
        """Return averages over the period of products of signals, pair by pair.

        Digits count down to ``floor`` of the largest average.
        """
        a, b = self._stacked[:, first], self._stacked[:, second]
        out: Array = np.einsum("csw,csw->s", a @ self._totals, b)
        doubt = np.einsum("csw,csw->s", np.abs(a) @ np.abs(self._totals), np.abs(b))
        lost = np.flatnonzero(
            ROUNDING * doubt > DIGITS * np.maximum(np.abs(out), floor * np.abs(out).max(initial=0.0))
        )
        if len(lost):
            out[lost] = self._quadrature(
                {c: r[first][lost] for c, r in self._rows.items()},
                {c: r[second][lost] for c, r in self._rows.items()},
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
        total: Array = np.einsum("csw,cw->s", self._stacked, self._totals[:, :, -1])
        return total / self.period

    def average_doubts(self, signals: NDArray[np.int64]) -> Array:
        """Return by how much rounding may falsify the averages of signals: stiff rows add up terms far above their sum."""
        rows = np.abs(self._stacked[:, signals])
        sums: Array = np.einsum("csw,cw->s", rows, np.abs(self._totals[:, :, -1]))
        return ROUNDING * sums / self.period

    @cached_property
    def _squares(self) -> Array:
        return self._mean(slice(None), slice(None))

    @cached_property
    def rms(self) -> Array:
        """Return the rms values of all signals, in the order of `names`, (s,): voltages of all branches come first, then
        their currents."""
        return np.sqrt(np.maximum(self._squares, 0.0))

    def mean_product(self, first: str, second: str) -> float:
        """Return the average of the product of two signals over the period."""
        i, j = self.index(first), self.index(second)
        return float(self._mean(slice(i, i + 1), slice(j, j + 1))[0])

    @cached_property
    def branch_powers(self) -> Array:
        """The average powers that the branches take [W], (b,)."""
        count = len(self.network.branches)
        return self._mean(slice(count), slice(count, 2 * count), 0.01)

    @cached_property
    def powers(self) -> dict[str, float]:
        """Return the average power that every branch takes [W]."""
        return dict(zip(self.network.branches, self.branch_powers.tolist(), strict=True))

    def power(self, branch: str) -> float:
        """Return the average power that a branch takes [W]."""
        return self.powers[branch]
