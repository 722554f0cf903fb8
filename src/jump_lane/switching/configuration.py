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
from jump_lane.switching.nodal import close_valves, eliminate, equilibrate

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


def _said(combo: int, network: Network) -> NDArray[np.bool_]:
    """Return which valves conduct according to the bit pattern `combo`."""
    return np.asarray((combo >> np.arange(len(network.valves))) & 1 == 1)


def _barred(network: Network, said: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Return which natural valves a gate keeps open, whatever they are said to do."""
    if not network.barring:
        return np.zeros(len(said), dtype=np.bool_)
    return (network.bars >= 0) & ~said[network.bars]


def conducting(combo: int, network: Network) -> NDArray[np.bool_]:
    """Return which valves conduct in the bit pattern `combo`, those that a gate bars left open."""
    said = _said(combo, network)
    return said & ~_barred(network, said)


def _nodal_matrix(network: Network, closed: NDArray[np.bool_]) -> tuple[Array, Array]:
    n = network
    matrix, right = close_valves(n.k, n.r, n.incidence, n.across, n.resistance, n.source, closed)
    return matrix, right


def _inverse(a: Array) -> Array:
    """Return the pseudo-inverse, treating relative singular values below 1e-10 as zero."""
    if a.size == 0:
        return np.zeros((a.shape[1], a.shape[0]))
    if a.shape[1] == 1:
        square = float(a[:, 0] @ a[:, 0])
        return a.T / square if square > 0.0 else np.zeros((1, a.shape[0]))
    u, s, vt = np.linalg.svd(a, full_matrices=False)
    keep = s > 1e-10 * s[0]
    return np.asarray((vt[keep].T / s[keep]) @ u[:, keep].T)


@dataclass(frozen=True)
class _Solution:
    """v = x·z up to the span of `free`; states must satisfy gamma·z = 0."""

    x: Array
    free: Array
    gamma: Array


def _solve(network: Network, closed: NDArray[np.bool_]) -> _Solution:
    """Solve K v = R z; where K is singular, find its null space and the constraint on the states."""
    scaled, r = _nodal_matrix(network, closed)
    size = len(r)
    row, column, order = np.empty(size), np.empty(size), np.empty(size, dtype=np.int64)
    equilibrate(scaled, row, column)
    reduced = row[:, None] * r
    largest = float(np.abs(reduced).max())
    rank = eliminate(scaled, reduced, order, RANK)
    x = np.zeros_like(reduced)
    x[order[:rank]] = reduced[:rank]
    x *= column[:, None]
    free = np.zeros((size, size - rank))
    if rank < size:
        free[order[:rank]] = -scaled[:rank, rank:]
        free[order[rank:]] = np.eye(size - rank)
        free *= column[:, None]
        free /= np.abs(free).max(axis=0)
    gamma = reduced[rank:]
    gamma[np.abs(gamma) < 1e-10 * largest] = 0.0
    return _Solution(x, free, gamma)


def _burst(network: Network, closed: NDArray[np.bool_], free: Array) -> Array:
    """Return how v diverges where sources contradict each other, as a map of z.

    It is the limit of a vanishing conductance at every node and a vanishing resistance in every branch.
    """
    k, r = _nodal_matrix(network, closed)
    u, s, _ = np.linalg.svd(k)
    left = u[:, s <= RANK * s[0]]
    vanishing = np.where(np.arange(len(r)) < len(network.nodes), 1.0, -1.0)
    return free @ (_inverse((left.T * vanishing) @ free) @ (left.T @ r))


def _constraints(gamma: Array, n: int) -> tuple[Array, bool]:
    """Return independent constraints with orthonormal state parts, and whether any cannot be met."""
    size = np.abs(gamma[:, :n]).max(initial=0.0)
    if size == 0.0:
        return np.zeros((0, n + 1)), bool(np.any(gamma[:, n] != 0.0))
    if len(gamma) == 1:
        return gamma / np.linalg.norm(gamma[:, :n]), False
    u, s, vt = np.linalg.svd(gamma[:, :n], full_matrices=False)
    keep = s > 1e-9 * s[0]
    constant = u.T @ gamma[:, n]
    left = gamma[:, n] - u[:, keep] @ constant[keep]
    contradictory = bool(np.abs(left).max() > 1e-9 * np.abs(gamma).max())
    return np.column_stack([vt[keep], constant[keep] / s[keep]]), contradictory


def _float(network: Network, closed: NDArray[np.bool_], directions: Array, *solutions: Array) -> list[Array]:
    """Move solutions along `directions` as vanishing equal leaks over the open valves would."""
    if directions.shape[1] == 0:
        return list(solutions)
    n = len(network.nodes)
    open_rows = network.across[~closed]
    onto = directions @ _inverse(open_rows @ directions[:n]) @ open_rows
    return [v - onto @ v[:n] for v in solutions]


def _flow(network: Network, closed: NDArray[np.bool_]) -> Array:
    """Return ẏ as a map of all unknowns, the currents of conducting valves last."""
    return np.hstack([network.flow, network.valve_flow[:, closed]])


def configure(network: Network, combo: int) -> Configuration:
    """Return the configuration in which the valves in the bit pattern `combo` conduct.

    A valve that its gate bars is left open; where the pattern has it conduct, its guard says that it must not.
    """
    n = network.size
    said = _said(combo, network)
    barred = _barred(network, said)
    closed = said & ~barred
    solution = _solve(network, closed)
    rate = np.zeros((n + 1, n + 1))
    projection = np.eye(n + 1)
    v, gamma, contradictory = solution.x, np.zeros((0, n + 1)), False
    impulses = np.zeros((len(network.valves) - network.gated, n + 1))
    onto = np.zeros((n, 0))
    if solution.free.shape[1] > 0:
        gamma, contradictory = _constraints(solution.gamma, n)
        v, impulse, onto = _resolve(network, closed, solution, gamma)
        projection[:n] -= onto @ gamma
        if contradictory:
            impulse = _burst(network, closed, solution.free)
        impulses = _guards(network, closed, impulse, offset=False)
    rate[:n] = _flow(network, closed) @ v + network.drop
    if len(gamma):
        rate[:n] -= onto @ (gamma[:, :n] @ rate[:n])
    guards = _guards(network, closed, v, offset=True)
    if network.barring:
        for rows in (guards, impulses):
            rows[barred[network.gated :]] = 0.0
            rows[(barred & said)[network.gated :], -1] = -1.0
    return Configuration(
        combo=combo,
        rate=rate,
        projection=projection,
        constrained=len(gamma) > 0,
        contradictory=contradictory,
        guards=guards,
        impulses=impulses,
        unknowns=v,
    )


def _resolve(
    network: Network, closed: NDArray[np.bool_], solution: _Solution, gamma: Array
) -> tuple[Array, Array, Array]:
    """Fix the freedom left in v: by the constraints kept (Γ ẏ = 0), then by the floating potentials.

    Returns v, the impulses of v that carry a state onto the constraint, both as maps of z, and the directions Q in
    which they do (y⁺ = y − Q·Γ z): Γᵀ itself unless an inductor saturates, whose flux is not in proportion to its
    current.
    """
    n = network.size
    flow = _flow(network, closed)
    acting, floating = _split(solution.free, flow)
    g = gamma[:, :n]
    drift = g @ (flow @ solution.x + network.drop)
    pull = flow @ acting
    v = solution.x - acting @ (_inverse(g @ pull) @ drift)
    onto = pull @ _inverse(g @ pull) if network.saturating else g.T
    impulse = acting @ (_inverse(pull) @ (-onto @ gamma))
    v, impulse = _float(network, closed, floating, v, impulse)
    return v, impulse, onto


def _split(free: Array, flow: Array) -> tuple[Array, Array]:
    """Split the free directions into those that act on the states and mere floating potentials."""
    acting_on = flow @ free
    scale = max(float(np.abs(flow).max(initial=0.0)), 1e-300)
    if free.shape[1] == 1:
        none = free[:, :0]
        return (free, none) if np.linalg.norm(acting_on) > 1e-9 * scale else (none, free)
    _, s, vt = np.linalg.svd(acting_on)
    rank = int(np.sum(s > 1e-9 * scale))
    return free @ vt[:rank].T, free @ vt[rank:].T


def _guards(network: Network, closed: NDArray[np.bool_], v: Array, offset: bool) -> Array:
    """Return current rows of conducting and −voltage (+ v_f) rows of open natural valves."""
    n, base, gated = len(network.nodes), network.k.shape[0], network.gated
    rows: Array = -(network.across[gated:] @ v[:n])
    if offset:
        rows += network.source[gated:]
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
