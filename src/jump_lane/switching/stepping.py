"""Compiled stepping from event to event, with the tangents that Newton's method needs.

The loop knows states, guards and bit patterns only; it never asks what circuit it runs.  When it meets a
combination of valves that has not been worked out yet, or its record is full, it returns and is called again: it goes on
from its last mark.

References
----------
M. A. Aizerman and F. R. Gantmakher, "On the stability of periodic motions", J. Appl. Math. Mech. 22 (1958)
1065-1078 (sensitivity across an event).
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from jump_lane.switching.clock import PERIOD
from jump_lane.switching.commutation import (
    FULL,
    OK,
    TOO_MANY,
    apply,
    commutate,
)
from jump_lane.switching.flowing import finish_tick, flow
from jump_lane.switching.propagators import advance, compiled
from jump_lane.switching.tables import find

MAX_EVENTS = 2000


class Record(NamedTuple):
    """Where each stretch without an event starts: (instant, configuration), state, and the rest of the tick behind it."""

    where: NDArray[np.int64]
    state: NDArray[np.float64]
    rest: NDArray[np.float64]


GRAZING = 1e-7
"""A guard that moves by less than this part of the speed of the states grazes: its instant says nothing."""


@compiled
def _natural_event(tables, c, which, combo, z, p, sizes, tick, work, stats):
    """Flip the valve whose guard failed, commutate, and correct the tangents for the moved instant."""
    nz, columns = sizes.nz, sizes.columns
    shift = work[3]
    if columns > 0:
        apply(tables.rate, c, z, p[columns])
        slope, speed = 0.0, 0.0
        for j in range(sizes.n):
            slope += tables.watch[c, j, which] * p[columns, j]
            speed += p[columns, j] ** 2
        if slope * slope <= GRAZING * GRAZING * speed:
            slope = 0.0
        for m in range(columns):
            s = 0.0
            for j in range(sizes.n):
                s += tables.watch[c, j, which] * p[m, j]
            shift[m] = s / slope if slope != 0.0 else 0.0
    extended = columns + (columns > 0)
    combo ^= 1 << (sizes.gated + which)
    status, combo, c = commutate(tables, combo, z, p, extended, sizes, tick, work, stats)
    if status == OK and columns > 0:
        apply(tables.rate, c, z, work[1])
        for m in range(columns):
            for i in range(nz):
                p[m, i] += (work[1, i] - p[columns, i]) * shift[m]
    return status, combo, c


@compiled
def _gate_edge(tables, before, mask, shift, combo, z, p, sizes, tick, work, stats):
    """Set the channels, commutate, and add what a moving edge contributes to the last tangent column."""
    nz, columns = sizes.nz, sizes.columns
    if columns > 0 and before >= 0:
        apply(tables.rate, before, z, p[columns])
    combo = ((combo >> sizes.gated) << sizes.gated) | mask
    extended = columns + (columns > 0)
    status, combo, c = commutate(tables, combo, z, p, extended, sizes, tick, work, stats)
    if status == OK and columns > 0 and shift != 0.0 and before >= 0:
        apply(tables.rate, c, z, work[1])
        for i in range(nz):
            p[columns - 1, i] += (p[columns, i] - work[1, i]) * shift
    return status, combo, c


class Mark(NamedTuple):
    """Where a run is.

    Attributes
    ----------
    place, rest
        (edge, tick, end of the interval, combination, configuration, stretches, events, at rest), rest of a tick, (1,).
    state, tangent
        z and p.
    """

    place: NDArray[np.int64]
    rest: NDArray[np.float64]
    state: NDArray[np.float64]
    tangent: NDArray[np.float64]


@compiled
def _set(mark, place, rest, z, p):
    mark.rest[0] = rest
    for i in range(mark.place.shape[0]):
        mark.place[i] = place[i]
    for i in range(z.shape[0]):
        mark.state[i] = z[i]
        for m in range(p.shape[0]):
            mark.tangent[m, i] = p[m, i]


@compiled
def run_period(tables, ticks, masks, slopes, sizes, tick, record, stats, mark):
    """Run one period, from and to `mark`, which holds state, combination and tangent columns.

    At every tick but the last an edge sets a gate mask; it moves by so many periods per unit of the control.
    Returns status, and the combination at the end, or the one that is missing or cannot be.
    """
    work = np.zeros((4, sizes.nz + sizes.columns))
    fresh, watched = np.empty(sizes.nz), np.empty((3, 3 * sizes.natural))
    z, p, period = mark.state.copy(), mark.tangent.copy(), tick * PERIOD
    e, now, end, combo, c, used, events, resting = mark.place
    rest = mark.rest[0]
    while True:
        _set(mark, (e, now, end, combo, c, used, events, resting), rest, z, p)
        if now == end and rest == 0.0:
            e += 1
            if e == masks.shape[0]:
                return OK, combo
            status, combo, c = _gate_edge(
                tables, c, masks[e], slopes[e] * period, combo, z, p, sizes, tick, work, stats
            )
            if status != OK:
                return status, combo
            end, resting = ticks[e + 1], 0
            continue
        if used >= record.where.shape[0]:
            return FULL, combo
        record.where[used, 0] = now
        record.where[used, 1] = c
        record.rest[used] = rest
        for i in range(sizes.nz):
            record.state[used, i] = z[i]
        used += 1
        which, rest = finish_tick(tables, c, z, rest, fresh, watched, sizes, resting)
        if which < 0:
            gone, which, rest = flow(
                tables.phi, tables.watch, c, tables.info[c, 1], z, fresh, watched, sizes, end - now, resting, tick,
                stats,
            )  # fmt: skip
            for m in range(sizes.columns):
                advance(tables.phi, c, gone, p[m], fresh)
            now += gone
        if which < 0:
            continue
        events += 1
        if events > MAX_EVENTS:
            return TOO_MANY, combo
        left = c
        status, combo, c = _natural_event(tables, c, which, combo, z, p, sizes, tick, work, stats)
        if status != OK:
            return status, combo
        resting = 1 if c == left else 0


@compiled
def begin(mark, n, combo, info):
    """Set a mark to the start of a period, integrals at zero, tangents to one; tell whether the state is finite."""
    for i in range(mark.place.shape[0]):
        mark.place[i] = 0
    mark.place[0], mark.place[3], mark.place[4] = -1, combo, find(info, combo)
    mark.rest[0] = 0.0
    finite = True
    for i in range(mark.state.shape[0]):
        if i > n:
            mark.state[i] = 0.0
        finite = finite and np.isfinite(mark.state[i])
    for m in range(mark.tangent.shape[0]):
        for i in range(mark.state.shape[0]):
            mark.tangent[m, i] = 1.0 if m == i and m < n else 0.0
    return finite
