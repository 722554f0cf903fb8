"""One combination of conducting valves: its exact linear dynamics, constraints and guards.

An open valve is left out of the nodal equations altogether, which leaves them singular where an inductor
loses its path, inductors come in series, capacitors in parallel, or a winding floats.  The null spaces of
the singular matrix tell which constraint the states obey there (Γ z = 0), how the remaining freedom follows
from Γ ẏ = 0, and which potentials float; nothing is approximated by a large resistance.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from jump_lane.switching.network import Array, Network
from jump_lane.switching.nodal import eliminate, equilibrate

RANK = 1e-11
"""Singular values below this part of the largest count as zero, after equilibration."""


@dataclass(frozen=True)
class Configuration:
    """Everything the stepping loop has to know of one combination; z = [y; 1] has n+1 entries.

    Attributes
    ----------
    rate
        ż = rate·z, (n+1, n+1).
    projection
        Π: states after entering, flux and charge conserved, (n+1, n+1).
    constrained, contradictory
        Whether Π differs from 1; whether no state at all fits (a forced current without a path).
    guards
        One row for each natural valve (d, n+1), which stays non-negative while the valve keeps its state:
        the current if conducting, v_f − v if open.
    impulses
        One row for each natural valve (d, n+1): voltage (open) or current (conducting) impulse that entering
        this configuration with a state off the constraint would cause.
    unknowns
        v = unknowns·z: all node potentials and branch currents, valve currents last, (m, n+1).
    """

    combo: int
    rate: Array
    projection: Array
    constrained: bool
    contradictory: bool
    guards: Array
    impulses: Array
    unknowns: Array


def conducting(combo: int, network: Network) -> NDArray[np.bool_]:
    """Return which valves conduct in the bit pattern `combo`."""
    return (combo >> np.arange(len(network.valves))) & 1 == 1


def _nodal_matrix(network: Network, closed: NDArray[np.bool_]) -> tuple[Array, Array]:
    n = len(network.nodes)
    base = network.k.shape[0]
    at = np.flatnonzero(closed)
    size = base + len(at)
    k = np.zeros((size, size))
    r = np.zeros((size, network.r.shape[1]))
    k[:base, :base] = network.k
    r[:base] = network.r
    k[:n, base:] = network.incidence[at].T
    k[base:, :n] = network.incidence[at]
    diagonal = np.arange(base, size)
    k[diagonal, diagonal] = -network.resistance[at]
    r[base:, -1] = network.voltage[at]
    return k, r


def _inverse(a: Array) -> Array:
    """Return the pseudo-inverse, treating relative singular values below 1e-10 as zero."""
    if a.size == 0:
        return np.zeros((a.shape[1], a.shape[0]))
    return np.linalg.pinv(a, rcond=1e-10)


@dataclass(frozen=True)
class _Solution:
    """v = x·z up to the span of `free`; states must satisfy gamma·z = 0."""

    x: Array
    free: Array
    gamma: Array


def _solve(network: Network, closed: NDArray[np.bool_]) -> _Solution:
    scaled, r = _nodal_matrix(network, closed)
    row, column = np.empty(len(r)), np.empty(len(r))
    equilibrate(scaled, row, column)
    rhs = row[:, None] * r
    x = rhs.copy()
    if eliminate(scaled.copy(), x):
        return _Solution(column[:, None] * x, np.zeros((len(r), 0)), np.zeros((0, r.shape[1])))
    u, s, vt = np.linalg.svd(scaled)
    rank = int(np.sum(s > RANK * s[0]))
    x = column[:, None] * (vt[:rank].T @ ((u[:, :rank].T @ rhs) / s[:rank, None]))
    free = column[:, None] * vt[rank:].T
    gamma = u[:, rank:].T @ rhs
    gamma[np.abs(gamma) < 1e-10 * np.abs(rhs).max()] = 0.0
    return _Solution(x, free / np.abs(free).max(axis=0), gamma)


def _constraints(gamma: Array, n: int) -> tuple[Array, bool]:
    """Return independent constraints with orthonormal state parts, and whether any cannot be met."""
    size = np.abs(gamma[:, :n]).max(initial=0.0)
    if size == 0.0:
        return np.zeros((0, n + 1)), bool(np.any(gamma[:, n] != 0.0))
    u, s, vt = np.linalg.svd(gamma[:, :n], full_matrices=False)
    keep = s > 1e-9 * s[0]
    constant = u.T @ gamma[:, n]
    left = gamma[:, n] - u[:, keep] @ constant[keep]
    contradictory = bool(np.abs(left).max() > 1e-9 * np.abs(gamma).max())
    return np.column_stack([vt[keep], constant[keep] / s[keep]]), contradictory


def _floating(network: Network, closed: NDArray[np.bool_], directions: Array, v: Array) -> Array:
    """Return the move along `directions` that vanishing equal leaks over the open valves would bring."""
    if directions.shape[1] == 0:
        return v
    n = len(network.nodes)
    open_rows = network.incidence[~closed]
    seen = open_rows @ directions[:n]
    return v - directions @ (_inverse(seen) @ (open_rows @ v[:n]))


def configure(network: Network, combo: int) -> Configuration:
    """Return the configuration in which the valves in the bit pattern `combo` conduct."""
    n = network.size
    closed = conducting(combo, network)
    solution = _solve(network, closed)
    base = network.k.shape[0]
    flow = np.zeros((n, solution.x.shape[0]))
    flow[:, :base] = network.flow
    rate = np.zeros((n + 1, n + 1))
    projection = np.eye(n + 1)
    v, gamma, contradictory = solution.x, np.zeros((0, n + 1)), False
    impulses = np.zeros((len(network.valves) - network.gated, n + 1))
    if solution.free.shape[1] > 0:
        gamma, contradictory = _constraints(solution.gamma, n)
        projection[:n] -= gamma[:, :n].T @ gamma
        v, impulse = _resolve(network, closed, solution, flow, gamma, projection)
        if contradictory:
            impulse = solution.free @ solution.gamma
        impulses = _guards(network, closed, impulse, offset=False)
    rate[:n] = flow @ v + network.drop
    if len(gamma):
        rate[:n] -= gamma[:, :n].T @ (gamma[:, :n] @ rate[:n])
    return Configuration(
        combo=combo,
        rate=rate,
        projection=projection,
        constrained=len(gamma) > 0,
        contradictory=contradictory,
        guards=_guards(network, closed, v, offset=True),
        impulses=impulses,
        unknowns=v,
    )


def _resolve(
    network: Network,
    closed: NDArray[np.bool_],
    solution: _Solution,
    flow: Array,
    gamma: Array,
    projection: Array,
) -> tuple[Array, Array]:
    """Fix the freedom left in v: by the constraints kept (Γ ẏ = 0), then by the floating potentials.

    Returns v and the impulses of v that carry a state onto the constraint, both as maps of z.
    """
    n = network.size
    acting, floating = _split(solution.free, flow)
    g = gamma[:, :n]
    drift = g @ (flow @ solution.x + network.drop)
    v = solution.x - acting @ (_inverse(g @ flow @ acting) @ drift)
    v = _floating(network, closed, floating, v)
    jump = projection[:n] - np.eye(n, n + 1)
    impulse = acting @ (_inverse(flow @ acting) @ jump)
    return v, _floating(network, closed, floating, impulse)


def _split(free: Array, flow: Array) -> tuple[Array, Array]:
    """Split the free directions into those that act on the states and mere floating potentials."""
    acting_on = flow @ free
    _, s, vt = np.linalg.svd(acting_on)
    scale = max(float(np.abs(flow).max(initial=0.0)), 1e-300)
    rank = int(np.sum(s > 1e-9 * scale))
    return free @ vt[:rank].T, free @ vt[rank:].T


def _guards(network: Network, closed: NDArray[np.bool_], v: Array, offset: bool) -> Array:
    """Return current rows of conducting and −voltage (+ v_f) rows of open natural valves."""
    n, base, gated = len(network.nodes), network.k.shape[0], network.gated
    rows: Array = -(network.incidence[gated:] @ v[:n])
    if offset:
        rows[:, -1] += network.voltage[gated:]
    rows[closed[gated:]] = v[base + int(closed[:gated].sum()) :]
    return rows


def signals(network: Network, configuration: Configuration) -> tuple[Array, Array]:
    """Return the voltage and the current of every branch as rows over z, in the network's branch order."""
    n, base = len(network.nodes), network.k.shape[0]
    closed = conducting(configuration.combo, network)
    v = configuration.unknowns
    voltage = network.branch_nodes @ v[:n]
    current = np.zeros((len(network.branches), v.shape[1]))
    linear = len(network.current_unknown)
    current[:linear] = network.current_unknown @ v[:base] + network.current_known
    current[linear:][closed] = v[base:]
    return voltage, current
