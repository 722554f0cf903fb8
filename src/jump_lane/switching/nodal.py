"""Compiled solution of the nodal equations where they are regular.

Only where elimination meets a vanishing pivot is the full treatment of a singular system needed.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from jump_lane.switching.propagators import OPTIONS

SMALLEST_PIVOT = 1e-9


@njit(**OPTIONS)  # type: ignore[untyped-decorator]
def equilibrate(k, row, column):  # type: ignore[no-untyped-def]
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


@njit(**OPTIONS)  # type: ignore[untyped-decorator]
def eliminate(k, x):  # type: ignore[no-untyped-def]
    """Solve k·out = x in place of x by Gauss-Jordan elimination; False where a pivot (nearly) vanishes."""
    m, r = k.shape[0], x.shape[1]
    for c in range(m):
        best, pivot = 0.0, c
        for i in range(c, m):
            if abs(k[i, c]) > best:
                best, pivot = abs(k[i, c]), i
        if best < SMALLEST_PIVOT:
            return False
        if pivot != c:
            for j in range(m):
                k[c, j], k[pivot, j] = k[pivot, j], k[c, j]
            for j in range(r):
                x[c, j], x[pivot, j] = x[pivot, j], x[c, j]
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
    return True
