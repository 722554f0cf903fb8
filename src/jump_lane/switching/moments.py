"""Compiled: exact integrals of products of states over stretches, and what they make of signals."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from jump_lane.switching.propagators import ZERO, compiled, double, halvings, increment, inlined, multiply


class Moments(NamedTuple):
    """Integrals over a period of k stretches in c configurations; s signals, the b voltages of branches first, then currents.

    Attributes
    ----------
    each, totals
        ∫z zᵀdt over every stretch, (k, n+1, n+1), and over all stretches of a configuration, (c, n+1, n+1).
    sums, squares, powers
        ∫ of every signal, (s,), of its square, (s,), and of voltage times current of every branch, (b,).
    gross, gross_squares, gross_powers
        The magnitudes that each of these adds up: rounding is a part of them.
    """

    each: NDArray[np.float64]
    totals: NDArray[np.float64]
    sums: NDArray[np.float64]
    squares: NDArray[np.float64]
    powers: NDArray[np.float64]
    gross: NDArray[np.float64]
    gross_squares: NDArray[np.float64]
    gross_powers: NDArray[np.float64]


@compiled
def moments(rate, z0, duration, out):
    """out = ∫₀^duration z zᵀ dt with z(0) = z0, ż = rate·z; exact up to rounding.

    S(h) by a Taylor series at a small step, then S(2h) = S(h) + Φ(h) S(h) Φ(h)ᵀ, written with Φ − 1: adding 1 would
    cost the slow states their digits.
    """
    n = rate.shape[0]
    doublings = halvings(rate, duration)
    h = duration / 2.0**doublings
    order = 9
    term = np.empty((order, n))
    for i in range(n):
        term[0, i] = z0[i]
    for k in range(1, order):
        for i in range(n):
            s = 0.0
            for j in range(n):
                s += rate[i, j] * term[k - 1, j]
            term[k, i] = s * h / k
    weighted = np.empty((order, n))
    for a in range(order):
        for i in range(n):
            s = 0.0
            for b in range(order):
                s += term[b, i] / (a + b + 1)
            weighted[a, i] = s * h
    for i in range(n):
        for j in range(n):
            out[i, j] = 0.0
        for a in range(order):
            for j in range(n):
                out[i, j] += term[a, i] * weighted[a, j]
    d, turned = np.empty((n, n)), np.empty((n, n))
    work, half = np.empty((n, n)), np.empty((n, n))
    increment(rate, h, d, work)
    for _ in range(doublings):
        multiply(d, out, half)
        for i in range(n):
            for j in range(n):
                turned[j, i] = d[i, j]
        for i in range(n):
            for j in range(i + 1):
                work[i, j] = 2.0 * out[i, j] + half[i, j] + half[j, i]
            for k in range(n):
                factor = half[i, k]
                for j in range(i + 1):
                    work[i, j] += factor * turned[k, j]
        for i in range(n):
            for j in range(i + 1):
                out[i, j] = work[i, j]
                out[j, i] = work[i, j]
        double(d, work)


@compiled
def products(rows, totals, first, second, count):
    """Return integrals of products of signals, of rows from `first` on and from `second` on, and the magnitudes in them."""
    out, gross = np.zeros(count), np.zeros(count)
    width = rows.shape[2]
    for c in range(rows.shape[0]):
        for k in range(count):
            for i in range(width):
                factor = rows[c, first + k, i]
                if factor != 0.0:
                    for j in range(width):
                        term = factor * totals[c, i, j] * rows[c, second + k, j]
                        out[k] += term
                        gross[k] += abs(term)
    return out, gross


@inlined
def _firsts(rows, totals):
    """Return integrals of signals, and the magnitudes in them."""
    count, width = rows.shape[1:]
    out, gross = np.zeros(count), np.zeros(count)
    for c in range(rows.shape[0]):
        for k in range(count):
            for i in range(width):
                term = rows[c, k, i] * totals[c, i, width - 1]
                out[k] += term
                gross[k] += abs(term)
    return out, gross


@compiled
def integrate(rate, drawn, durations, tick, branches):
    """Return the `Moments` of a period of which an `Outline` was drawn; its stretches last so many ticks."""
    stretches, width = drawn.which.shape[0], drawn.rows.shape[2]
    each = np.empty((stretches, width, width))
    totals = np.zeros((drawn.order.shape[0], width, width))
    rates = np.empty((drawn.order.shape[0], width, width))
    for c in range(drawn.order.shape[0]):
        rates[c] = rate[drawn.order[c], :width, :width]
    for k in range(stretches):
        at = drawn.which[k]
        moments(rates[at], drawn.origins[k], durations[k] * tick, each[k])
        totals[at] += each[k]
    sums, gross = _firsts(drawn.rows, totals)
    squares, gross_squares = products(drawn.rows, totals, ZERO, ZERO, drawn.rows.shape[1])
    powers, gross_powers = products(drawn.rows, totals, ZERO, branches, branches)
    return Moments(each, totals, sums, squares, powers, gross, gross_squares, gross_powers)
