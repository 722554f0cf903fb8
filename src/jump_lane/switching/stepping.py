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

from jump_lane.switching.clock import LEVELS, PERIOD
from jump_lane.switching.commutation import (
    CONSISTENT,
    FULL,
    NOISE,
    OK,
    TOO_MANY,
    apply,
    commutate,
    magnitude,
    size_of,
)
from jump_lane.switching.nodal import eliminate
from jump_lane.switching.propagators import advance, compiled, inlined, propagate
from jump_lane.switching.tables import find

MAX_EVENTS = 2000

LEAST_REST = 1e-12
"""What is left of a tick behind an event, so that the event is known to lie within it."""

ROUNDING = 1e-15
"""Doubt about a sum of products, of the sum of their magnitudes."""

GUARD_ROUNDING = 1e-13
ACCEPTED = 2.0 * CONSISTENT
"""How far below zero a guard may go, of the terms that it is the sum of; the larger one while it is at rest there.

Commutation accepts a combination whose guards are above −`CONSISTENT`.  One that comes back to the same combination has
found a valve between conducting and blocking; it is left alone unless its guard moves on.
"""


class Record(NamedTuple):
    """Where each stretch without an event starts: (instant, configuration), state, and the rest of the tick behind it."""

    where: NDArray[np.int64]
    state: NDArray[np.float64]
    rest: NDArray[np.float64]


@inlined
def _observe(watch, c, z, n1, count, watched, side):
    """Apply the first `count` watched rows to z: guards, slopes, bends."""
    for k in range(count):
        watched[side, k] = 0.0
    for j in range(n1):
        factor = z[j]
        for k in range(count):
            watched[side, k] += watch[c, j, k] * factor


@inlined
def _doubt(watch, c, z, n1, row):
    """Return by how much rounding may falsify a watched row applied to z."""
    return ROUNDING * magnitude(watch, c, z, n1, row)


@inlined
def _resolved(watch, c, z, watched, here, d, n1, h):
    """Tell whether no guard can have been below its slack within a step: 0 no, 1 yes, 2 yes and twice the step may do.

    Values a, b, slopes and bends at both ends give the cubic through the step; how far trapezoids of slopes and of bends
    miss the differences of values and of slopes bounds what that cubic leaves out (third and fourth derivatives, which
    do not vanish together for a ringing of any phase).
    """
    verdict, there = 2, 1 - here
    for k in range(d):
        a, b, slack = watched[here, k], watched[there, k], watched[2, k]
        s, t = h * watched[here, d + k], h * watched[there, d + k]
        left = abs(b - a - 0.5 * (s + t))
        bent = abs(t - s - 0.5 * h * h * (watched[here, 2 * d + k] + watched[there, 2 * d + k]))
        low = min(a, b)
        if low - 16.0 * max(left, bent, -s, t) >= slack:
            continue
        rounding = 2.0 * h * _doubt(watch, c, z, n1, d + k)
        left -= 2.0 * _doubt(watch, c, z, n1, k) + rounding
        bent -= rounding + 2.0 * h * h * _doubt(watch, c, z, n1, 2 * d + k)
        left = max(left, bent, 0.0)
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


@inlined
def _cubic_minimum(a, b, s, t):
    """Return the least value in 0 … 1 of the cubic with values a, b and slopes s < 0 < t at its ends."""
    bend, mean = s + t + 2.0 * (a - b), 3.0 * (b - a) - 2.0 * s - t
    root = mean * mean - 3.0 * bend * s
    x = -s / (mean + np.sqrt(max(root, 0.0)))
    x = min(max(x, 0.0), 1.0)
    return min(a, b, a + x * (s + x * (mean + x * bend)))


@compiled
def _allow(watch, c, z, sizes, resting, watched):
    """Set how far below zero each guard may go in a stretch that starts at z."""
    part, noise = (ACCEPTED, 2.0 * NOISE) if resting else (GUARD_ROUNDING, 0.2 * NOISE)
    floor = noise * size_of(z, sizes.n)
    for k in range(sizes.natural):
        watched[2, k] = -part * magnitude(watch, c, z, sizes.n + 1, k) - floor


@inlined
def _deepest(watched, side, d):
    """Return the guard furthest below its slack, or −1."""
    which, deepest = -1, 0.0
    for k in range(d):
        if watched[side, k] < watched[2, k] and watched[side, k] < deepest:
            deepest, which = watched[side, k], k
    return which


@compiled
def _cross(z, fresh, a, b):
    """Move z to where a guard with values a and b at the ends of a tick vanishes; return the rest of the tick."""
    part = min(max(a, 0.0) / (max(a, 0.0) - b), 1.0)
    for i in range(z.shape[0]):
        z[i] += part * (fresh[i] - z[i])
    return max(1.0 - part, LEAST_REST)


@compiled
def _hunt(phi, watch, c, z, fresh, watched, sizes, level, stats):
    """Halve steps from `level` on up to a guard that fails, which only the end of the step before is known to do.

    z is advanced in place; returns the ticks gone, the valve (or −1, a tick before that end) and the rest of the tick.
    """
    d, n1, gone, products = sizes.natural, sizes.n + 1, 0, 0
    which, rest = -1, 0.0
    while level >= 0:
        products += 1
        propagate(phi, c, level, z, fresh)
        _observe(watch, c, fresh, n1, d, watched, 1)
        which = _deepest(watched, 1, d)
        if which >= 0 and level == 0:
            _observe(watch, c, z, n1, d, watched, 0)
            rest = _cross(z, fresh, watched[0, which], watched[1, which])
            gone += 1
            break
        if which < 0:
            for i in range(sizes.nz):
                z[i] = fresh[i]
            gone += 1 << level
        level -= 1
    stats[0] += products
    return gone, which, rest


@compiled
def _flow(phi, watch, c, first, z, fresh, watched, sizes, span, resting, tick, stats):
    """Propagate through at most `span` ticks of configuration c, up to the first guard that fails.

    z is advanced in place; returns the ticks gone, the natural valve whose guard failed (or −1), and the part of the
    last tick that lies behind that instant.  Steps start as short as the fastest change wants (level `first`) and grow
    while no guard can be missed; one that ends beyond an event is halved until a single tick is left.  This is the
    innermost loop: arrays are handed over once.
    """
    nz, d, n1 = sizes.nz, sizes.natural, sizes.n + 1
    _allow(watch, c, z, sizes, resting, watched)
    level, left, here, products = first, span, 0, 0
    which, rest = -1, 0.0
    _observe(watch, c, z, n1, 3 * d, watched, here)
    while left > 0:
        while (1 << level) > left:
            level -= 1
        products += 1
        propagate(phi, c, level, z, fresh)
        _observe(watch, c, fresh, n1, 3 * d, watched, 1 - here)
        which = _deepest(watched, 1 - here, d)
        if which >= 0 and level == 0:
            rest = _cross(z, fresh, watched[here, which], watched[1 - here, which])
            left -= 1
            break
        verdict = _resolved(watch, c, z, watched, here, d, n1, tick * (1 << level))
        if verdict == 0 and level > 0:
            level -= 1
        elif which >= 0:
            gone, which, rest = _hunt(phi, watch, c, z, fresh, watched, sizes, level - 1, stats)
            left -= gone
            if which >= 0:
                break
            level = 0
            _observe(watch, c, z, n1, 3 * d, watched, here)
        else:
            for i in range(nz):
                z[i] = fresh[i]
            here = 1 - here
            left -= 1 << level
            if verdict == 2 and level < LEVELS - 1:
                level += 1
    stats[0] += products
    return span - left, which, rest


@compiled
def _finish_tick(tables, c, z, rest, fresh, watched, sizes, resting):
    """Go on for the rest of a tick in which an event was met.

    Returns the valve whose guard crosses zero before its end (or −1), and what is left of the tick; one that is at rest
    at zero is left to the next tick, so that time goes on.
    """
    if rest == 0.0:
        return -1, 0.0
    d, n1 = sizes.natural, sizes.n + 1
    propagate(tables.phi, c, 0, z, fresh)
    for i in range(z.shape[0]):
        fresh[i] = z[i] + rest * (fresh[i] - z[i])
    _allow(tables.watch, c, z, sizes, resting, watched)
    _observe(tables.watch, c, z, n1, d, watched, 0)
    _observe(tables.watch, c, fresh, n1, d, watched, 1)
    which = _deepest(watched, 1, d)
    if which < 0 or watched[0, which] <= -watched[2, which]:
        for i in range(z.shape[0]):
            z[i] = fresh[i]
        return -1, 0.0
    return which, rest * _cross(z, fresh, watched[0, which], watched[1, which])


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
        which, rest = _finish_tick(tables, c, z, rest, fresh, watched, sizes, resting)
        if which < 0:
            gone, which, rest = _flow(
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


@compiled
def gap(start, end, states, used, n):
    """Return how far a period is from closing, (n,), and the largest state in it."""
    out, scale = np.empty(n), 1e-150
    for i in range(n):
        out[i] = end[i] - start[i]
    for k in range(used):
        for i in range(n):
            scale = max(scale, abs(states[k, i]))
    return out, scale


@compiled
def newton(tangent, missing, held, weight):
    """Return whether the equations of Newton's method are independent, their matrix and right-hand side, and the step.

    ``tangent`` holds the derivatives of the end state, a row for each unknown; ``missing`` what does not close.  With a
    weight, the last unknown is the control and ``held`` (times the weight) the last equation.
    """
    n = missing.shape[0]
    count = n + 1 if weight > 0.0 else n
    matrix, right = np.zeros((count, count)), np.zeros((count, 1))
    for i in range(n):
        for j in range(count):
            matrix[i, j] = tangent[j, i]
        matrix[i, i] -= 1.0
        right[i, 0] = -missing[i]
    if weight > 0.0:
        for j in range(count):
            matrix[n, j] = tangent[j, n + 1] * weight
        right[n, 0] = -held * weight
    scale, order = np.empty(count), np.empty(count, dtype=np.int64)
    scaled, out = matrix.copy(), right.copy()
    for j in range(count):
        scale[j] = 1e-300
        for i in range(count):
            scale[j] = max(scale[j], abs(matrix[i, j]))
        for i in range(count):
            scaled[i, j] /= scale[j]
    rank = eliminate(scaled, out, order, 1e-13)
    step = np.zeros(count)
    for i in range(rank):
        step[order[i]] = out[i, 0] / scale[order[i]]
    return rank == count, matrix, right[:, 0], step


@compiled
def run_periods(tables, ticks, masks, sizes, tick, record, stats, mark, ends):
    """Run periods without tangents from `mark`, the state at the end of each into `ends` until that is full.

    Returns status, combination at the end (or the one that is missing or cannot be) and number of periods completed.
    """
    slopes = np.zeros(masks.shape[0])
    for i in range(ends.shape[0]):
        status, combo = run_period(tables, ticks, masks, slopes, sizes, tick, record, stats, mark)
        if status != OK:
            return status, combo, i
        for k in range(sizes.nz):
            ends[i, k] = mark.state[k]
        begin(mark, sizes.n, combo, tables.info)
    return OK, combo, ends.shape[0]
