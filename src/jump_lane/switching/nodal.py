"""Compiled solution of the nodal equations: equilibration, and elimination that reveals the rank.

References
----------
G. H. Golub and C. F. Van Loan 2013, section 3.4 (complete pivoting).
"""

from __future__ import annotations

import numpy as np

from jump_lane.switching.propagators import compiled


@compiled
def close_valves(k, r, incidence, across, resistance, source, closed):
    """Return the nodal equations with the conducting valves' rows and columns added to the fixed part."""
    base, n = k.shape[0], incidence.shape[1]
    size = base + closed.sum()
    matrix = np.zeros((size, size))
    right = np.zeros((size, r.shape[1]))
    matrix[:base, :base] = k
    right[:base] = r
    at = base
    for i in range(closed.shape[0]):
        if closed[i]:
            for j in range(n):
                matrix[at, j] = across[i, j]
                matrix[j, at] = incidence[i, j]
            matrix[at, at] = -resistance[i]
            for j in range(r.shape[1]):
                right[at, j] = source[i, j]
            at += 1
    return matrix, right


@compiled
def equilibrate(k, row, column):
    """Scale k in place by powers of two to largest entries near 1; row and column receive the factors."""
    m = k.shape[0]
    for i in range(m):
        row[i] = 1.0
        column[i] = 1.0
    for _ in range(2):
        for i in range(m):
            large = 0.0
            for j in range(m):
                large = max(large, abs(k[i, j]))
            if large > 0.0:
                s = 2.0 ** -np.round(np.log2(large))
                row[i] *= s
                for j in range(m):
                    k[i, j] *= s
        for j in range(m):
            large = 0.0
            for i in range(m):
                large = max(large, abs(k[i, j]))
            if large > 0.0:
                s = 2.0 ** -np.round(np.log2(large))
                column[j] *= s
                for i in range(m):
                    k[i, j] *= s


@compiled
def eliminate(k, x, order, smallest):
    """Reduce k·out = x by Gauss-Jordan elimination with full pivoting; return the rank r.

    In place, k becomes [1 W; 0 0] with its columns in ``order``, and x the reduced right-hand sides: rows
    below r must vanish for a solution to exist, and out = [x − W·free; free] in that order of unknowns.
    """
    m, r = k.shape[0], x.shape[1]
    for c in range(m):
        order[c] = c
    for c in range(m):
        best, row, column = 0.0, c, c
        for i in range(c, m):
            for j in range(c, m):
                if abs(k[i, j]) > best:
                    best, row, column = abs(k[i, j]), i, j
        if best < smallest:
            return c
        for j in range(m):
            k[c, j], k[row, j] = k[row, j], k[c, j]
        for j in range(r):
            x[c, j], x[row, j] = x[row, j], x[c, j]
        for i in range(m):
            k[i, c], k[i, column] = k[i, column], k[i, c]
        order[c], order[column] = order[column], order[c]
        scale = 1.0 / k[c, c]
        for j in range(c, m):
            k[c, j] *= scale
        for j in range(r):
            x[c, j] *= scale
        for i in range(m):
            factor = k[i, c]
            if i != c and factor != 0.0:
                for j in range(c, m):
                    k[i, j] -= factor * k[c, j]
                for j in range(r):
                    x[i, j] -= factor * x[c, j]
    return m
