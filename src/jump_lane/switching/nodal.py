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
    size = base
    for i in range(closed.shape[0]):
        size += closed[i]
    matrix = np.zeros((size, size))
    right = np.zeros((size, r.shape[1]))
    for i in range(base):
        for j in range(base):
            matrix[i, j] = k[i, j]
        for j in range(r.shape[1]):
            right[i, j] = r[i, j]
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


@compiled
def product(a, b):
    """Return a·b for small matrices."""
    out = np.zeros((a.shape[0], b.shape[1]))
    for i in range(a.shape[0]):
        for k in range(a.shape[1]):
            factor = a[i, k]
            if factor != 0.0:
                for j in range(b.shape[1]):
                    out[i, j] += factor * b[k, j]
    return out


@compiled
def orthogonalised(a):
    """Return w = a·v with orthogonal columns, v orthogonal, and the columns' lengths: the singular values.

    One-sided Jacobi rotations, which find small singular values to full relative accuracy (J. Demmel and K. Veselić,
    "Jacobi's method is more accurate than QR", SIAM J. Matrix Anal. Appl. 13 (1992) 1204-1245).
    """
    m, n = a.shape
    w, v, size = a.copy(), np.zeros((n, n)), np.zeros(n)
    for k in range(n):
        v[k, k] = 1.0
    for _ in range(60):
        turned = False
        for p in range(n - 1):
            for q in range(p + 1, n):
                alpha, beta, gamma = 0.0, 0.0, 0.0
                for i in range(m):
                    alpha += w[i, p] * w[i, p]
                    beta += w[i, q] * w[i, q]
                    gamma += w[i, p] * w[i, q]
                if gamma == 0.0 or abs(gamma) <= 1e-15 * np.sqrt(alpha * beta):
                    continue
                turned = True
                zeta = (beta - alpha) / (2.0 * gamma)
                t = (1.0 if zeta >= 0.0 else -1.0) / (abs(zeta) + np.sqrt(1.0 + zeta * zeta))
                c = 1.0 / np.sqrt(1.0 + t * t)
                s = c * t
                for i in range(m):
                    w[i, p], w[i, q] = c * w[i, p] - s * w[i, q], s * w[i, p] + c * w[i, q]
                for i in range(n):
                    v[i, p], v[i, q] = c * v[i, p] - s * v[i, q], s * v[i, p] + c * v[i, q]
        if not turned:
            break
    for k in range(n):
        for i in range(m):
            size[k] += w[i, k] * w[i, k]
        size[k] = np.sqrt(size[k])
    return w, v, size


@compiled
def pseudo_inverse(a, smallest):
    """Return the pseudo-inverse, taking singular values below `smallest` of the largest as zero."""
    w, v, size = orthogonalised(a)
    out = np.zeros((a.shape[1], a.shape[0]))
    least = 0.0
    for k in range(size.shape[0]):
        least = max(least, smallest * size[k])
    for k in range(size.shape[0]):
        if size[k] > least:
            for i in range(out.shape[0]):
                factor = v[i, k] / size[k] / size[k]
                for j in range(out.shape[1]):
                    out[i, j] += factor * w[j, k]
    return out


@compiled
def null_space(scaled, order, rank, column):
    """Return the directions that an eliminated matrix leaves free, each with a largest entry of 1."""
    size = scaled.shape[0]
    free = np.zeros((size, size - rank))
    for f in range(size - rank):
        large = 0.0
        for i in range(rank):
            free[order[i], f] = -scaled[i, rank + f] * column[order[i]]
        free[order[rank + f], f] = column[order[rank + f]]
        for i in range(size):
            large = max(large, abs(free[i, f]))
        for i in range(size):
            free[i, f] /= large
    return free


@compiled
def part(a, first, last, left, right):
    """Return a copy of rows first … last − 1 and columns left … right − 1."""
    out = np.empty((last - first, right - left))
    for i in range(last - first):
        for j in range(right - left):
            out[i, j] = a[first + i, left + j]
    return out


@compiled
def transposed(a):
    """Return the transpose as a copy."""
    out = np.empty((a.shape[1], a.shape[0]))
    for i in range(a.shape[0]):
        for j in range(a.shape[1]):
            out[j, i] = a[i, j]
    return out


@compiled
def subtract(a, b):
    """Replace a by a − b."""
    for i in range(a.shape[0]):
        for j in range(a.shape[1]):
            a[i, j] -= b[i, j]


@compiled
def largest(a):
    """Return the largest magnitude, 0 of nothing."""
    found = 0.0
    for i in range(a.shape[0]):
        for j in range(a.shape[1]):
            found = max(found, abs(a[i, j]))
    return found
