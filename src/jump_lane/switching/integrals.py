"""Integrals over a recorded period: averages, mean squares and powers, exact from moments or, where these would lose
their digits, by quadrature."""

from __future__ import annotations

from functools import cached_property

import numpy as np

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
    def _moments(self) -> list[Array]:
        out = []
        for k, (c, ticks) in enumerate(zip(self.trace.configurations, self.trace.durations, strict=True)):
            moment = np.empty((self.width, self.width))
            start = self._origin(k)[: self.width].copy()
            propagators.moments(self.engine.rate(int(c)), start, ticks * self.engine.tick, moment)
            out.append(moment)
        return out

    @cached_property
    def _totals(self) -> dict[int, Array]:
        """For every configuration ∫z zᵀdt over all its stretches."""
        out = {c: np.zeros((self.width, self.width)) for c in self._rows}
        for c, moment in zip(self.trace.configurations, self._moments, strict=True):
            out[int(c)] += moment
        return out

    def _mean(self, rows: dict[int, Array], others: dict[int, Array], floor: float = 0.0) -> Array:
        """Return averages over the period of products of signals, given as rows by configuration, pair by pair.

        Digits count down to ``floor`` of the largest average.
        """
        out = np.zeros(len(next(iter(rows.values()))))
        doubt = out.copy()
        for c, moment in self._totals.items():
            out += np.sum((rows[c] @ moment) * others[c], axis=1)
            doubt += np.sum((np.abs(rows[c]) @ np.abs(moment)) * np.abs(others[c]), axis=1)
        lost = np.flatnonzero(
            ROUNDING * doubt > DIGITS * np.maximum(np.abs(out), floor * np.abs(out).max(initial=0.0))
        )
        if len(lost):
            out[lost] = self._quadrature(
                {c: r[lost] for c, r in rows.items()}, {c: r[lost] for c, r in others.items()}
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
    def _averages(self) -> Array:
        total = np.zeros(len(self.names))
        for c, moment in self._totals.items():
            total += self._rows[c] @ moment[:, -1]
        return total / self.period

    @cached_property
    def _squares(self) -> Array:
        return self._mean(self._rows, self._rows)

    @cached_property
    def rms(self) -> Array:
        """Return the rms values of all signals, in the order of `names`, (s,): voltages of all branches come first, then
        their currents."""
        return np.sqrt(np.maximum(self._squares, 0.0))

    def mean_product(self, first: str, second: str) -> float:
        """Return the average of the product of two signals over the period."""
        i, j = self.index(first), self.index(second)
        rows = {c: r[i : i + 1] for c, r in self._rows.items()}
        return float(self._mean(rows, {c: r[j : j + 1] for c, r in self._rows.items()})[0])

    @cached_property
    def powers(self) -> dict[str, float]:
        """Return the average power that every branch takes [W]."""
        count = len(self.network.branches)
        voltages = {c: r[:count] for c, r in self._rows.items()}
        currents = {c: r[count : 2 * count] for c, r in self._rows.items()}
        return dict(zip(self.network.branches, self._mean(voltages, currents, 0.01).tolist(), strict=True))

    def power(self, branch: str) -> float:
        """Return the average power that a branch takes [W]."""
        return self.powers[branch]
