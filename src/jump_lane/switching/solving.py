"""Compiled: what a combination of conducting valves makes of the nodal equations.

Each function has a counterpart in words in `configuration`, which holds the results.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from jump_lane.switching.nodal import (
    close_valves,
    eliminate,
    equilibrate,
    largest,
    null_space,
    orthogonalised,
    part,
    product,
    pseudo_inverse,
    subtract,
    transposed,
)
from jump_lane.switching.propagators import compiled, inlined

FREE, CONSTRAINED, IMPOSSIBLE = 0, 1, 2
"""Kinds of configurations: any state fits; states obey a constraint; sources contradict each other."""

RANK = 1e-11
"""Pivots below this part of the largest count as zero, after equilibration."""

TINY = 1e-10
"""Singular values and reduced entries below this part of the largest count as zero."""


class Stamp(NamedTuple):
    """The nodal equations as arrays, for the compiled code.

    With N nodes, q branch unknowns, n states and p valves (gated ones first):

    Attributes
    ----------
    k, r
        Fixed stamps, (N+q) × (N+q) and (N+q) × (n+1).
    incidence, across, resistance, source
        A conducting valve carries a current at the nodes ``incidence``, (p, N): +1 at ``a``, −1 at ``b``, such
        that across·v − resistance·i = source·z, with (p, N), (p,) and (p, n+1).
    bars, barring, saturating
        For each valve the gated valve that bars it while open, or −1, (p,); whether there is any; whether any inductor
        saturates.
    flow, valve_flow, drop
        ẏ = flow·v + valve_flow·i + drop·z with the currents i of the valves, (n, N+q), (n, p) and (n, n+1).
    branch_nodes, current_unknown, current_known
        Voltages of the b branches from the node potentials, (b, N); currents of those before the valves from the
        unknowns and from z.
    inner
        Branches that are part of another one: (that one, this one, sign of this one's current in it), (i, 3).
    gated
        How many valves are gated.
    """

    k: NDArray[np.float64]
    r: NDArray[np.float64]
    incidence: NDArray[np.float64]
    across: NDArray[np.float64]
    resistance: NDArray[np.float64]
    source: NDArray[np.float64]
    flow: NDArray[np.float64]
    valve_flow: NDArray[np.float64]
    drop: NDArray[np.float64]
    branch_nodes: NDArray[np.float64]
    current_unknown: NDArray[np.float64]
    current_known: NDArray[np.float64]
    inner: NDArray[np.int64]
    bars: NDArray[np.int64]
    gated: int
    barring: int
    saturating: int


@compiled
def closed_valves(stamp, combo):
    """Return which valves the pattern `combo` says to conduct, and which of them a gate bars."""
    count = stamp.incidence.shape[0]
    said = np.zeros(count, dtype=np.bool_)
    barred = np.zeros(count, dtype=np.bool_)
    for i in range(count):
        said[i] = (combo >> i) & 1 == 1
    if stamp.barring > 0:
        for i in range(count):
            barred[i] = stamp.bars[i] >= 0 and not said[stamp.bars[i]]
    return said, barred


@inlined
def _constraints(gamma, n):
    """Return independent constraints with orthonormal state parts, and whether any cannot be met."""
    rows = gamma.shape[0]
    states = part(gamma, 0, rows, 0, n)
    if largest(states) == 0.0:
        return np.zeros((0, n + 1)), largest(gamma) > 0.0
    w, v, length = orthogonalised(transposed(states))
    most = 0.0
    for k in range(rows):
        most = max(most, length[k])
    rank, left = 0, 0.0
    kept = np.zeros((rows, n + 1))
    for k in range(rows):
        constant = 0.0
        for i in range(rows):
            constant += v[i, k] * gamma[i, n]
        if length[k] > 1e-9 * most:
            for j in range(n):
                kept[rank, j] = w[j, k] / length[k]
            kept[rank, n] = constant / length[k]
            rank += 1
        else:
            left = max(left, abs(constant))
    return part(kept, 0, rank, 0, n + 1), left > 1e-9 * largest(gamma)


@inlined
def _split(free, flow):
    """Split free directions into those that act on the states and mere floating potentials."""
    _, v, length = orthogonalised(product(flow, free))
    scale = max(largest(flow), 1e-300)
    turned = product(free, v)
    size, count = turned.shape
    moving, floating = np.zeros((size, count)), np.zeros((size, count))
    a, b = 0, 0
    for k in range(count):
        if length[k] > 1e-9 * scale:
            for i in range(size):
                moving[i, a] = turned[i, k]
            a += 1
        else:
            for i in range(size):
                floating[i, b] = turned[i, k]
            b += 1
    return part(moving, 0, size, 0, a), part(floating, 0, size, 0, b)


@inlined
def _burst(matrix, nodes, free, r):
    """Return how v diverges where sources contradict each other, as a map of z.

    It is the limit of a vanishing conductance at every node and a vanishing resistance in every branch.
    """
    turned = transposed(matrix)
    size = turned.shape[0]
    row, column, order = np.empty(size), np.empty(size), np.empty(size, dtype=np.int64)
    equilibrate(turned, row, column)
    rank = eliminate(turned, np.zeros((size, 1)), order, RANK)
    left = transposed(null_space(turned, order, rank, column))
    weighted = left.copy()
    for i in range(left.shape[0]):
        for j in range(nodes, size):
            weighted[i, j] *= -1.0
    inner = pseudo_inverse(product(weighted, free), TINY)
    return product(free, product(inner, product(left, r)))


@compiled
def _leaking(rows, floating, v):
    """Move v in place along the floating directions as vanishing equal leaks over open valves (rows) would."""
    nodes, count = rows.shape[1], floating.shape[1]
    if count > 0:
        inner = pseudo_inverse(product(rows, part(floating, 0, nodes, 0, count)), TINY)
        subtract(v, product(floating, product(inner, product(rows, part(v, 0, nodes, 0, v.shape[1])))))


@inlined
def _open_rows(stamp, closed):
    out = np.zeros((closed.shape[0], stamp.across.shape[1]))
    count = 0
    for i in range(closed.shape[0]):
        if not closed[i]:
            for j in range(out.shape[1]):
                out[count, j] = stamp.across[i, j]
            count += 1
    return part(out, 0, count, 0, out.shape[1])


@compiled
def _flow_of(stamp, closed, size):
    """Return ẏ as a map of all unknowns, the currents of conducting valves last."""
    n, base = stamp.flow.shape
    out = np.zeros((n, size))
    for i in range(n):
        for j in range(base):
            out[i, j] = stamp.flow[i, j]
    at = base
    for k in range(closed.shape[0]):
        if closed[k]:
            for i in range(n):
                out[i, at] = stamp.valve_flow[i, k]
            at += 1
    return out


@compiled
def _guards(stamp, closed, v, offset):
    """Return current rows of conducting and −voltage (+ v_f) rows of open natural valves."""
    gated, nodes, at = stamp.gated, stamp.incidence.shape[1], stamp.k.shape[0]
    width = v.shape[1]
    out = np.zeros((closed.shape[0] - gated, width))
    for i in range(closed.shape[0]):
        k = i - gated
        if closed[i]:
            if k >= 0:
                for j in range(width):
                    out[k, j] = v[at, j]
            at += 1
        elif k >= 0:
            for node in range(nodes):
                weight = stamp.across[i, node]
                if weight != 0.0:
                    for j in range(width):
                        out[k, j] -= weight * v[node, j]
            if offset:
                for j in range(width):
                    out[k, j] += stamp.source[i, j]
    return out


@compiled
def _bar(stamp, said, barred, rows):
    """Replace the rows of barred valves: they must not be said to conduct, and nothing else."""
    for k in range(rows.shape[0]):
        if barred[stamp.gated + k]:
            for j in range(rows.shape[1]):
                rows[k, j] = 0.0
            if said[stamp.gated + k]:
                rows[k, rows.shape[1] - 1] = -1.0


@inlined
def solve_nodal(stamp, closed):
    """Solve K v = R z: return K and R, v, the directions in which v is free, and the constraint on z."""
    matrix, right = close_valves(
        stamp.k, stamp.r, stamp.incidence, stamp.across, stamp.resistance, stamp.source, closed
    )
    size, width = right.shape
    scaled, reduced = matrix.copy(), right.copy()
    row, column, order = np.empty(size), np.empty(size), np.empty(size, dtype=np.int64)
    equilibrate(scaled, row, column)
    for i in range(size):
        for j in range(width):
            reduced[i, j] *= row[i]
    most = largest(reduced)
    rank = eliminate(scaled, reduced, order, RANK)
    x = np.zeros((size, width))
    for i in range(rank):
        for j in range(width):
            x[order[i], j] = reduced[i, j] * column[order[i]]
    gamma = part(reduced, rank, size, 0, width)
    for i in range(size - rank):
        for j in range(width):
            if abs(gamma[i, j]) < TINY * most:
                gamma[i, j] = 0.0
    return matrix, right, x, null_space(scaled, order, rank, column), gamma


@inlined
def resolve(stamp, closed, x, free, gamma):
    """Fix the freedom left in v: by the constraints kept (Γ ẏ = 0), then by the floating potentials.

    Returns v, the impulses of v that carry a state onto the constraint, both as maps of z, and the directions Q in
    which they do (y⁺ = y − Q·Γ z): Γᵀ itself unless an inductor saturates, whose flux is not in proportion to its
    current.
    """
    n = stamp.flow.shape[0]
    flow = _flow_of(stamp, closed, x.shape[0])
    acting, floating = _split(free, flow)
    g = part(gamma, 0, gamma.shape[0], 0, n)
    pull = product(flow, acting)
    inverse = pseudo_inverse(product(g, pull), TINY)
    drift = product(flow, x)
    subtract(drift, -stamp.drop)
    v = x.copy()
    subtract(v, product(acting, product(inverse, product(g, drift))))
    onto = product(pull, inverse) if stamp.saturating > 0 else transposed(g)
    impulse = product(-acting, product(pseudo_inverse(pull, TINY), product(onto, gamma)))
    rows = _open_rows(stamp, closed)
    _leaking(rows, floating, v)
    _leaking(rows, floating, impulse)
    return v, impulse, onto


@inlined
def dynamics(stamp, closed, v, gamma, onto):
    """Return the rate of [y; 1], kept on the constraint."""
    n = stamp.flow.shape[0]
    moved = product(_flow_of(stamp, closed, v.shape[0]), v)
    subtract(moved, -stamp.drop)
    if gamma.shape[0] > 0:
        subtract(moved, product(onto, product(part(gamma, 0, gamma.shape[0], 0, n), moved)))
    rate = np.zeros((n + 1, n + 1))
    for i in range(n):
        for j in range(n + 1):
            rate[i, j] = moved[i, j]
    return rate


@compiled
def work_out(stamp, combo):
    """Return kind, rate, projection, guards, impulses and unknowns of a combination; see `Configuration`."""
    said, barred = closed_valves(stamp, combo)
    closed = said.copy()
    for i in range(closed.shape[0]):
        closed[i] = said[i] and not barred[i]
    n = stamp.flow.shape[0]
    matrix, right, v, free, gamma = solve_nodal(stamp, closed)
    kind, onto = FREE, np.zeros((n, 0))
    projection = np.zeros((n, n + 1))
    for i in range(n):
        projection[i, i] = 1.0
    impulses = np.zeros((closed.shape[0] - stamp.gated, n + 1))
    if free.shape[1] > 0:
        gamma, impossible = _constraints(gamma, n)
        v, impulse, onto = resolve(stamp, closed, v, free, gamma)
        subtract(projection, product(onto, gamma))
        kind = CONSTRAINED if gamma.shape[0] > 0 else FREE
        if impossible:
            kind = IMPOSSIBLE
            impulse = _burst(matrix, stamp.incidence.shape[1], free, right)
        impulses = _guards(stamp, closed, impulse, False)
    rate = dynamics(stamp, closed, v, gamma, onto)
    guards = _guards(stamp, closed, v, True)
    if stamp.barring > 0:
        _bar(stamp, said, barred, guards)
        _bar(stamp, said, barred, impulses)
    return kind, rate, projection, guards, impulses, v


@compiled
def branch_rows(stamp, combo, v):
    """Return voltage and current of every branch as rows over z; currents of inner branches count in their outer."""
    said, barred = closed_valves(stamp, combo)
    nodes, base, width = stamp.incidence.shape[1], stamp.k.shape[0], v.shape[1]
    linear = stamp.current_unknown.shape[0]
    voltage = product(stamp.branch_nodes, part(v, 0, nodes, 0, width))
    own = product(stamp.current_unknown, part(v, 0, base, 0, width))
    current = np.zeros(voltage.shape)
    for i in range(linear):
        for j in range(width):
            current[i, j] = own[i, j] + stamp.current_known[i, j]
    at = base
    for i in range(said.shape[0]):
        if said[i] and not barred[i]:
            for j in range(width):
                current[linear + i, j] = v[at, j]
            at += 1
    for i in range(stamp.inner.shape[0]):
        for j in range(width):
            current[stamp.inner[i, 0], j] += stamp.inner[i, 2] * current[stamp.inner[i, 1], j]
    return voltage, current


@compiled
def signal_rows(stamp, combo, v):
    """Return every signal as a row over z: voltages and currents of all branches, node potentials, gates."""
    voltage, current = branch_rows(stamp, combo, v)
    branches, nodes, width = voltage.shape[0], stamp.incidence.shape[1], v.shape[1]
    out = np.zeros((2 * branches + nodes + stamp.gated, width))
    out[:branches] = voltage
    out[branches : 2 * branches] = current
    out[2 * branches : 2 * branches + nodes] = v[:nodes]
    for i in range(stamp.gated):
        out[2 * branches + nodes + i, width - 1] = (combo >> i) & 1
    return out
