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

from jump_lane.switching.clock import LEVELS
from jump_lane.switching.commutation import CONSISTENT, FULL, OK, TOO_MANY, apply, commutate, size_of
from jump_lane.switching.propagators import advance, compiled, propagate
from jump_lane.switching.tables import find

MAX_EVENTS = 2000

ROUNDING = 1e-15
"""Doubt about a sum of products, of the sum of their magnitudes."""

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


class Scratch(NamedTuple):
    """Room that the loop works in: states (2, nz), watched values at both ends of a step and their doubt (3, 3d)."""

    states: NDArray[np.float64]
    watched: NDArray[np.float64]


@compiled
def _observe(watch, c, z, n1, count, out, doubt):
    """Watched rows at z: guards, slopes, bends; and in `doubt` the sums of magnitudes that rounding goes by."""
    for k in range(count):
        out[k] = 0.0
        doubt[k] = 0.0
    for j in range(n1):
        factor = z[j]
        if factor != 0.0:
            for k in range(count):
                term = watch[c, j, k] * factor
                out[k] += term
                doubt[k] += abs(term)


@compiled
def _resolved(here, there, doubt, d, h, slack):
    """Tell whether no guard can have been below `slack` within a step: 0 no, 1 yes, 2 yes and twice the step may do.

    Values a, b, slopes and bends at both ends give the cubic through the step; how far trapezoids of slopes and of bends
    miss the differences of values and of slopes bounds what that cubic leaves out (third and fourth derivatives, which
    do not vanish together for a ringing of any phase).
    """
    verdict = 2
    for k in range(d):
        a, b = here[k], there[k]
        s, t = h * here[d + k], h * there[d + k]
        rounding = ROUNDING * (doubt[k] + h * doubt[d + k])
        left = abs(b - a - 0.5 * (s + t)) - rounding
        bent = abs(t - s - 0.5 * h * h * (here[2 * d + k] + there[2 * d + k]))
        bent -= ROUNDING * (h * doubt[d + k] + h * h * doubt[2 * d + k])
        left = max(left, bent, 0.0)
        low = min(a, b)
        if s < -rounding and t > rounding:
            lowest = _cubic_minimum(a, b, s, t)
            dip = low - lowest
            if lowest - max(left, 0.3 * dip) < slack:
                return 0
            if lowest - max(16.0 * left, 3.0 * dip) < slack:
                verdict = 1
            continue
        change = 0.1 * abs(b - a)
        if low - left < slack and left > change:
            return 0
        if low - 16.0 * left < slack and 16.0 * left > change:
            verdict = 1
    return verdict


@compiled
def _cubic_minimum(a, b, s, t):
    """Return the least value in 0 … 1 of the cubic with values a, b and slopes s < 0 < t at its ends."""
    bend, mean = s + t + 2.0 * (a - b), 3.0 * (b - a) - 2.0 * s - t
    root = mean * mean - 3.0 * bend * s
    x = -s / (mean + np.sqrt(max(root, 0.0)))
    x = min(max(x, 0.0), 1.0)
    return min(a, b, a + x * (s + x * (mean + x * bend)))


@compiled
def _deepest(there, d, slack):
    """Return the guard furthest below `slack`, or −1."""
    which = -1
    for k in range(d):
        if there[k] < slack:
            slack, which = there[k], k
    return which


@compiled
def _cross(z, fresh, a, b):
    """Move z to where a guard with values a and b at the ends of a tick vanishes; return the rest of the tick."""
    part = min(max(a, 0.0) / (max(a, 0.0) - b), 1.0)
    for i in range(z.shape[0]):
        z[i] += part * (fresh[i] - z[i])
    return 1.0 - part


@compiled
def _flow(tables, c, z, sizes, span, rounding, tick, scratch, stats):
    """Propagate through at most `span` ticks of configuration c, up to the first guard below −`rounding`.

    z is advanced in place; returns the ticks gone, the natural valve whose guard failed (or −1), and the part of the
    last tick that lies behind that instant.  Steps start as short as the fastest change wants and grow while no guard
    can be missed; one that ends beyond an event is halved until a single tick is left.
    """
    nz, d, n1 = sizes.nz, sizes.natural, sizes.n + 1
    fresh, here, there, doubt = scratch.states[0], scratch.watched[0], scratch.watched[1], scratch.watched[2]
    slack = -rounding * size_of(z, sizes.n)
    level, left, bracketed = tables.info[c, 1], span, False
    _observe(tables.watch, c, z, n1, 3 * d, here, doubt)
    while left > 0:
        while (1 << level) > left:
            level -= 1
        stats[0] += 1
        propagate(tables.phi, c, level, z, fresh)
        _observe(tables.watch, c, fresh, n1, 3 * d, there, doubt)
        which = _deepest(there, d, slack)
        if which >= 0:
            if level == 0:
                return span - left + 1, which, _cross(z, fresh, here[which], there[which])
            level -= 1
            bracketed = True
            continue
        verdict = _resolved(here, there, doubt, d, tick * (1 << level), slack)
        if verdict == 0 and level > 0:
            level -= 1
            continue
        for i in range(nz):
            z[i] = fresh[i]
        here, there = there, here
        left -= 1 << level
        if bracketed and level > 0:
            level -= 1
        else:
            bracketed = False
            if verdict == 2 and level < LEVELS - 1:
                level += 1
    return span, -1, 0.0


@compiled
def _finish_tick(tables, c, z, rest, fresh):
    """Go on for the rest of a tick in which an event was met."""
    propagate(tables.phi, c, 0, z, fresh)
    for i in range(z.shape[0]):
        z[i] += rest * (fresh[i] - z[i])


@compiled
def _carry(tables, c, gone, p, sizes, work):
    """Carry the tangent columns through so many ticks of configuration c."""
    for m in range(sizes.columns):
        advance(tables.phi, c, gone, p[m], work)


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
    """Where a run is: (edge, tick, end of the interval, combination, configuration, stretches, events, at rest); z; p."""

    place: NDArray[np.int64]
    state: NDArray[np.float64]
    tangent: NDArray[np.float64]


@compiled
def _set(mark, place, z, p):
    for i in range(mark.place.shape[0]):
        mark.place[i] = place[i]
    for i in range(z.shape[0]):
        mark.state[i] = z[i]
        for m in range(p.shape[0]):
            mark.tangent[m, i] = p[m, i]


@compiled
def run_period(tables, ticks, masks, shifts, sizes, tick, record, stats, mark):
    """Run one period, from and to `mark`, which holds state, combination and tangent columns.

    At every tick but the last an edge sets a gate mask; it shifts by so many seconds per unit of the control.
    Returns status, and the combination at the end, or the one that is missing or cannot be.
    """
    work = np.zeros((4, sizes.nz + sizes.columns))
    scratch = Scratch(np.empty((2, sizes.nz)), np.empty((3, 3 * sizes.natural)))
    z, p = mark.state.copy(), mark.tangent.copy()
    e, now, end, combo, c, used, events, resting = mark.place
    while True:
        _set(mark, (e, now, end, combo, c, used, events, resting), z, p)
        if now == end:
            e += 1
            if e == masks.shape[0]:
                return OK, combo
            status, combo, c = _gate_edge(
                tables, c, masks[e], shifts[e], combo, z, p, sizes, tick, work, stats
            )
            if status != OK:
                return status, combo
            end, resting = ticks[e + 1], 0
            continue
        if used >= record.where.shape[0]:
            return FULL, combo
        record.where[used, 0] = now
        record.where[used, 1] = c
        for i in range(sizes.nz):
            record.state[used, i] = z[i]
        used += 1
        rounding = ACCEPTED if resting else GUARD_ROUNDING
        gone, which, rest = _flow(tables, c, z, sizes, end - now, rounding, tick, scratch, stats)
        _carry(tables, c, gone, p, sizes, scratch.states[0])
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
        _finish_tick(tables, c, z, rest, scratch.states[0])


@compiled
def begin(mark, n, combo, c):
    """Set a mark to the start of a period, integrals at zero."""
    for i in range(mark.place.shape[0]):
        mark.place[i] = 0
    mark.place[0], mark.place[3], mark.place[4] = -1, combo, c
    for i in range(n + 1, mark.state.shape[0]):
        mark.state[i] = 0.0


@compiled
def run_periods(tables, ticks, masks, sizes, tick, record, stats, mark, ends):
    """Run periods without tangents from `mark`, the state at the end of each into `ends` until that is full.

    Returns status, combination at the end (or the one that is missing or cannot be) and number of periods completed.
    """
    shifts = np.zeros(masks.shape[0])
    for i in range(ends.shape[0]):
        status, combo = run_period(tables, ticks, masks, shifts, sizes, tick, record, stats, mark)
        if status != OK:
            return status, combo, i
        begin(mark, sizes.n, combo, mark.place[4])
        for k in range(sizes.nz):
            ends[i, k] = mark.state[k]
    return OK, combo, ends.shape[0]
