"""Compiled: what is known of every combination of valves met so far."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from jump_lane.switching.clock import LEVELS
from jump_lane.switching.nodal import product
from jump_lane.switching.propagators import ZERO, inlined, ladder, light

RESOLVED = 0.25
"""Largest norm of rate times step in the first step after an event: nothing can be missed in it."""


LANES = 8
"""Watched rows are worked out so many at once; what is left over would go one by one, and take as long."""


def padded(count: int) -> int:
    """Return a number of rows, and as many more as it takes to work them out at once."""
    return -(-count // LANES) * LANES


class Tables(NamedTuple):
    """One row for each configuration, c of them.

    Attributes
    ----------
    info
        Combination (−1: free row), level of the first step after an event, kind.
    rate, turned, projection
        Maps of z: its derivative, (c, nz, nz), the same transposed, and the states after entering, (c, n, nz).
    watch
        Rows over z, transposed, (c, nz, 3(d+k)+d, or more): of every natural valve the guard (scaled to a largest entry of 1), and
        of every trip; their first and second derivatives in time; and the impulse of every natural valve.
    rest
        What every natural guard would be made of in a state at rest, (c, d); a rounding of it is none.
    signals
        Every signal as a row over [y; 1], (c, s, n+1).
    sense
        Rows over z that are watched, and their derivatives in time, transposed, (c, nz, 2w, or more).
    phi
        The ladders of propagators, each transposed, (c, levels, nz, nz).
    """

    info: NDArray[np.int64]
    rate: NDArray[np.float64]
    turned: NDArray[np.float64]
    projection: NDArray[np.float64]
    watch: NDArray[np.float64]
    rest: NDArray[np.float64]
    signals: NDArray[np.float64]
    sense: NDArray[np.float64]
    phi: NDArray[np.float64]


def allocate(capacity: int, n: int, nz: int, natural: int, trips: int, signals: int, watched: int) -> Tables:
    """Return tables with room for so many configurations, all rows free."""
    guards = 3 * (natural + trips)
    return Tables(
        info=np.full((capacity, 3), -1, dtype=np.int64),
        rate=np.empty((capacity, nz, nz)),
        turned=np.empty((capacity, nz, nz)),
        projection=np.empty((capacity, n, nz)),
        signals=np.empty((capacity, signals, n + 1)),
        watch=np.zeros((capacity, nz, max(padded(guards), guards + natural))),
        rest=np.empty((capacity, natural)),
        sense=np.zeros((capacity, nz, padded(2 * watched))),
        phi=np.empty((capacity, LEVELS, nz, nz)),
    )


@light
def find(info, combo):
    """Return the row of a combination, or −1."""
    for i in range(info.shape[0]):
        if info[i, 0] == combo:
            return i
        if info[i, 0] < 0:
            return -1
    return -1


@light
def free_row(info):
    """Return the first free row, or −1."""
    for i in range(info.shape[0]):
        if info[i, 0] < 0:
            return i
    return -1


@inlined
def enter(tables, index, combo, kind, rate, projection, guards, impulses, sense, laws, rest, tick):
    """Write a configuration into row `index` of the tables; all rows are over the whole of z, guards those of trips too.

    The entries of z from `laws[0]` to before `laws[1]` are states of the law of control; `rest` are those of the circuit at rest.
    """
    n, nz, count = projection.shape[0], rate.shape[0], guards.shape[0]
    for j in range(nz):
        for i in range(nz):
            tables.rate[index, i, j] = tables.turned[index, j, i] = rate[i, j]
        for i in range(n):
            tables.projection[index, i, j] = projection[i, j]
    slopes = product(guards, rate)
    bends = product(slopes, rate)
    for k in range(count):
        large = 0.0
        for j in range(nz):
            large = max(large, abs(guards[k, j]))
        scale = 1.0 / large if large > 0.0 else 0.0
        for j in range(nz):
            tables.watch[index, j, k] = guards[k, j] * scale
            tables.watch[index, j, count + k] = slopes[k, j] * scale
            tables.watch[index, j, 2 * count + k] = bends[k, j] * scale
    for k in range(impulses.shape[0]):
        tables.rest[index, k] = 0.0
        for j in range(nz):
            tables.watch[index, j, 3 * count + k] = impulses[k, j]
        for j in range(n):
            tables.rest[index, k] += abs(tables.watch[index, j, k]) * rest[j]
    moving, signals = product(sense, rate), sense.shape[0]
    for k in range(signals):
        for j in range(nz):
            tables.sense[index, j, k] = sense[k, j]
            tables.sense[index, j, signals + k] = moving[k, j]
    tables.info[index, 0] = combo
    tables.info[index, 1] = min(first_level(rate, ZERO, n, tick), first_level(rate, laws[0], laws[1], tick))
    tables.info[index, 2] = kind
    ladder(rate, tick, tables.phi[index])


@light
def first_level(rate, first, last, tick):
    """Return the level of the longest step in which the fastest change of some states is still resolved."""
    norm = 0.0
    for i in range(first, last):
        for j in range(first, last):
            norm += rate[i, j] * rate[i, j]
    step, level = np.sqrt(norm) * tick, 0
    while level < LEVELS - 1 and 2.0 * step <= RESOLVED:
        step *= 2.0
        level += 1
    return level
