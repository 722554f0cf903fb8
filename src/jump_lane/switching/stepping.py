"""Compiled stepping from event to event, with the tangents that Newton's method needs.

The loop knows states, guards and bit patterns only; it never asks what circuit it runs.  When it meets a
combination of valves that has not been worked out yet, it returns and is called again.

References
----------
M. A. Aizerman and F. R. Gantmakher, "On the stability of periodic motions", J. Appl. Math. Mech. 22 (1958)
1065-1078 (sensitivity across an event).
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from jump_lane.switching.clock import LEVELS
from jump_lane.switching.commutation import CONSISTENT, FULL, OK, TOO_MANY, apply, commutate, find, size_of
from jump_lane.switching.propagators import compiled

MAX_EVENTS = 2000

GUARD_ROUNDING = 1e-12
ACCEPTED = 2.0 * CONSISTENT
"""How far below zero a guard may go, of the size of the state; the larger one while it is at rest there.

Commutation accepts a combination whose guards are above −`CONSISTENT`.  One that comes back to the same combination has
found a valve between conducting and blocking; it is left alone unless its guard moves on.
"""


class Record(NamedTuple):
    """Where each stretch without an event starts: (instant, configuration) and state."""

    where: NDArray[np.int64]
    state: NDArray[np.float64]


@compiled
def _flow(tables, c, z, p, columns, sizes, span, rounding, fresh, stats):
    """Propagate through at most `span` ticks of configuration c, up to the first guard below −`rounding`.

    z is advanced in place; returns the ticks gone and the natural valve whose guard failed (or −1).  A step
    that ends beyond an event is halved until a single tick is left.  This is the innermost loop: array
    handling other than plain indexing is kept out of it.
    """
    n, nz, natural = sizes.n, sizes.nz, sizes.natural
    phi, rows = tables.phi, tables.rows
    base, stride, guards = c * LEVELS * nz * nz, nz * nz, nz + n
    coarse = tables.info[c, 1]
    slack = -rounding * size_of(z, n)
    level, left, products, which, hunting = coarse, span, 0, -1, False
    while left > 0 and which < 0:
        if hunting and level > 0:
            level -= 1
        else:
            hunting = False
            if level == 0:
                level = coarse
            while (1 << level) > left:
                level -= 1
        at = base + level * stride
        products += 1
        for i in range(nz):
            s = 0.0
            for j in range(nz):
                s += phi[at + j] * z[j]
            fresh[i] = s
            at += nz
        deepest = slack
        for k in range(natural):
            s = 0.0
            for j in range(n + 1):
                s += rows[c, guards + k, j] * fresh[j]
            if s < deepest:
                deepest, which = s, k
        if which >= 0 and level > 0:
            hunting, which = True, -1
            continue
        for i in range(nz):
            z[i] = fresh[i]
        left -= 1 << level
        for m in range(columns):
            at = base + level * stride
            for i in range(nz):
                s = 0.0
                for j in range(nz):
                    s += phi[at + j] * p[m, j]
                fresh[i] = s
                at += nz
            for i in range(nz):
                p[m, i] = fresh[i]
    stats[0] += products
    return span - left, which


GRAZING = 1e-7
"""A guard that moves by less than this part of the speed of the states grazes: its instant says nothing."""


@compiled
def _natural_event(tables, c, which, combo, z, p, sizes, tick, work, stats):
    """Flip the valve whose guard failed, commutate, and correct the tangents for the moved instant."""
    nz, columns = sizes.nz, sizes.columns
    shift = work[3]
    guard = tables.rows[c, nz + sizes.n + which]
    if columns > 0:
        apply(tables.rows, c, 0, nz, z, p[columns])
        slope, speed = 0.0, 0.0
        for j in range(sizes.n):
            slope += guard[j] * p[columns, j]
            speed += p[columns, j] ** 2
        if slope * slope <= GRAZING * GRAZING * speed:
            slope = 0.0
        for m in range(columns):
            s = 0.0
            for j in range(sizes.n):
                s += guard[j] * p[m, j]
            shift[m] = s / slope if slope != 0.0 else 0.0
    extended = columns + (columns > 0)
    combo ^= 1 << (sizes.gated + which)
    status, combo, c = commutate(tables, combo, z, p, extended, sizes, tick, work, stats)
    if status == OK and columns > 0:
        apply(tables.rows, c, 0, nz, z, work[1])
        for m in range(columns):
            for i in range(nz):
                p[m, i] += (work[1, i] - p[columns, i]) * shift[m]
    return status, combo, c


@compiled
def _gate_edge(tables, before, mask, shift, combo, z, p, sizes, tick, work, stats):
    """Set the channels, commutate, and add what a moving edge contributes to the last tangent column."""
    nz, columns = sizes.nz, sizes.columns
    if columns > 0 and before >= 0:
        apply(tables.rows, before, 0, nz, z, p[columns])
    combo = ((combo >> sizes.gated) << sizes.gated) | mask
    extended = columns + (columns > 0)
    status, combo, c = commutate(tables, combo, z, p, extended, sizes, tick, work, stats)
    if status == OK and columns > 0 and shift != 0.0 and before >= 0:
        apply(tables.rows, c, 0, nz, z, work[1])
        for i in range(nz):
            p[columns - 1, i] += (p[columns, i] - work[1, i]) * shift
    return status, combo, c


@compiled
def run_period(tables, ticks, masks, shifts, combo, start, p, sizes, tick, record, stats):
    """Run one period from the state `start`, carrying tangent columns along in p.

    At every tick but the last an edge sets a gate mask; it shifts by so many seconds per unit of the control.
    Returns status, combination at the end (or the one that is missing), stretches recorded, end state.
    """
    n, nz = sizes.n, sizes.nz
    work = np.zeros((4, nz + sizes.columns))
    z = start.copy()
    for i in range(n + 1, nz):
        z[i] = 0.0
    c = find(tables.info, combo)
    events, used = 0, 0
    for e in range(masks.shape[0]):
        status, combo, c = _gate_edge(tables, c, masks[e], shifts[e], combo, z, p, sizes, tick, work, stats)
        if status != OK:
            return status, combo, used, z
        now, end, rounding = ticks[e], ticks[e + 1], GUARD_ROUNDING
        while now < end:
            if used >= record.where.shape[0]:
                return FULL, combo, used, z
            record.where[used, 0] = now
            record.where[used, 1] = c
            for i in range(nz):
                record.state[used, i] = z[i]
            used += 1
            gone, which = _flow(tables, c, z, p, sizes.columns, sizes, end - now, rounding, work[0], stats)
            now += gone
            if which < 0:
                continue
            events += 1
            if events > MAX_EVENTS:
                return TOO_MANY, combo, used, z
            left = c
            status, combo, c = _natural_event(tables, c, which, combo, z, p, sizes, tick, work, stats)
            rounding = ACCEPTED if c == left else GUARD_ROUNDING
            if status != OK:
                return status, combo, used, z
    return OK, combo, used, z


@compiled
def run_periods(tables, ticks, masks, combo, start, sizes, tick, record, stats, ends):
    """Run len(ends) periods without tangents; ends[i] receives the state at the end of period i.

    Returns status, combination wanted (if one is missing), combination and number of periods completed.
    """
    p = np.zeros((1, sizes.nz))
    shifts = np.zeros(masks.shape[0])
    z = start
    for i in range(ends.shape[0]):
        status, found, _, end = run_period(
            tables, ticks, masks, shifts, combo, z, p, sizes, tick, record, stats
        )
        if status != OK:
            return status, found, combo, i
        combo, z = found, end
        ends[i] = end
    return OK, combo, combo, ends.shape[0]
