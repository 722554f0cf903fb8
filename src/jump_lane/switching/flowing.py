"""Compiled flow through a stretch: steps that grow while no guard can be missed, and the instant at which one fails.

This is the innermost loop: arrays are handed over once, and the small functions are compiled into it.
"""

from __future__ import annotations

import numpy as np

from jump_lane.switching.clock import LEVELS
from jump_lane.switching.commutation import CONSISTENT, NOISE, PRODUCTS, magnitude, size_of
from jump_lane.switching.propagators import advance, inlined, light, propagate, weigh
from jump_lane.switching.series import POLYNOMIAL, STATE, expand, first_root, state_at

LEAST_REST = 1e-12
"""What is left of a tick behind an event, so that the event is known to lie within it."""

ROUNDING = 1e-15
"""Doubt about a sum of products, of the sum of their magnitudes."""

FAST = 1e6
"""A guard that falls by so many times its slack within a tick has not been at rest."""

MOST_STEPS, UNENDED = 1_000_000, -2
"""Steps of one stretch beyond which it is given up, and what is said then: a quarter of a second, or some 100,000 ringings."""

HIDDEN = 4
"""Times in a stretch that a guard fails at the end of a step and at no instant before: then rounding hides the instant, and it is now."""

TRIES = 4
"""Ticks beside the root of a series that are looked at: rounding may hide the crossing by one."""

CLOSE = 0.05
"""How closely the root of a series is looked for [ticks]."""

GUARD_ROUNDING = 1e-13
ACCEPTED = 2.0 * CONSISTENT
"""How far below zero a guard may go, of the terms that it is the sum of; the larger one while it is at rest there.

Commutation accepts a combination whose guards are above −`CONSISTENT`.  One that comes back to the same combination has
found a valve between conducting and blocking; it is left alone unless its guard moves on.
"""


@inlined
def _observe(watch, c, z, count, watched, side):
    """Apply the first `count` watched rows to z: guards, slopes, bends."""
    weigh(watch[c], z, 1.0, count, watched[side])


@inlined
def _take(z, fresh, nz):
    """Go on with the state at the end of a step."""
    for i in range(nz):
        z[i] = fresh[i]


@inlined
def _doubt(watch, c, z, nz, row):
    """Return by how much rounding may falsify a watched row applied to z."""
    return ROUNDING * magnitude(watch, c, z, nz, row)


@inlined
def _resolved(watch, c, z, watched, here, d, nz, h):
    """Tell whether no guard can have been below its slack within a step: 0 no, 1 yes, 2 (3) and twice (4 times) the step may do.

    Values a, b, slopes and bends at both ends give the cubic through the step; how far trapezoids of slopes and of bends
    miss the differences of values and of slopes bounds what that cubic leaves out (third and fourth derivatives, which
    do not vanish together for a ringing of any phase).
    """
    verdict, there = 3, 1 - here
    for k in range(d):
        a, b, slack = watched[here, k], watched[there, k], watched[2, k]
        s, t = h * watched[here, d + k], h * watched[there, d + k]
        left = abs(b - a - 0.5 * (s + t))
        bent = abs(t - s - 0.5 * h * h * (watched[here, 2 * d + k] + watched[there, 2 * d + k]))
        if min(a, b) - 64.0 * max(4.0 * left, 4.0 * bent, -s, t) >= slack:
            continue
        if _judged(a, b, s, t, max(left, bent), 0.0, slack) == 3:
            continue
        rounding = 2.0 * h * _doubt(watch, c, z, nz, d + k)
        left -= 2.0 * _doubt(watch, c, z, nz, k) + rounding
        bent -= rounding + 2.0 * h * h * _doubt(watch, c, z, nz, 2 * d + k)
        verdict = min(verdict, _judged(a, b, s, t, max(left, bent, 0.0), rounding, slack))
        if verdict == 0:
            break
    return verdict


@inlined
def _judged(a, b, s, t, left, rounding, slack):
    """Tell of one guard what `_resolved` tells of all; the cubic leaves out `left`, slopes are known but for rounding."""
    verdict, low = 3, min(a, b)
    if s < -rounding and t > rounding:
        lowest = _cubic_minimum(a, b, s, t)
        dip = low - lowest
        if lowest - max(left, 0.3 * dip) < slack:
            verdict = 0
        elif lowest - max(16.0 * left, 3.0 * dip) < slack:
            verdict = 1
        elif lowest - max(256.0 * left, 15.0 * dip) < slack:
            verdict = 2
    else:
        change = 0.1 * abs(b - a)
        if low - left < slack and left > change:
            verdict = 0
        elif low - 16.0 * left < slack and 16.0 * left > change:
            verdict = 1
        elif low - 256.0 * left < slack and 256.0 * left > change:
            verdict = 2
    return verdict


@inlined
def _cubic_minimum(a, b, s, t):
    """Return the least value in 0 … 1 of the cubic with values a, b and slopes s < 0 < t at its ends."""
    bend, mean = s + t + 2.0 * (a - b), 3.0 * (b - a) - 2.0 * s - t
    root = mean * mean - 3.0 * bend * s
    x = -s / (mean + np.sqrt(max(root, 0.0)))
    x = min(max(x, 0.0), 1.0)
    return min(a, b, a + x * (s + x * (mean + x * bend)))


@light
def _allow(watch, rest, c, z, sizes, resting, armed, watched):
    """Set how far below zero each guard may go in a stretch that starts at z, and how far where none is at rest there.

    One well above zero is not at rest.  Of the trips only the one that is armed (or −1) has to stay above zero.
    """
    large, d = size_of(z, sizes.n, 0.0), sizes.natural
    for k in range(d, d + sizes.trips):
        watched[2, k] = -ROUNDING * magnitude(watch, c, z, sizes.nz, k) if k == d + armed else -np.inf
    if resting:
        _observe(watch, c, z, d, watched, 0)
    for k in range(d):
        terms, noise = magnitude(watch, c, z, sizes.nz, k), NOISE * (large + rest[c, k])
        watched[2, k] = watched[3, k] = -GUARD_ROUNDING * terms - 0.2 * noise
        at_rest = ACCEPTED * terms + 2.0 * noise
        if resting and watched[0, k] <= at_rest:
            watched[2, k] = -at_rest


@inlined
def _roused(watched, side, d):
    """Hold guards that were at rest as closely as others once they have risen from there."""
    for k in range(d):
        if watched[side, k] > -watched[2, k]:
            watched[2, k] = watched[3, k]


@inlined
def _deepest(watched, side, d):
    """Return the guard furthest below its slack, or −1."""
    which, deepest = -1, 0.0
    for k in range(d):
        if watched[side, k] < watched[2, k] and watched[side, k] < deepest:
            deepest, which = watched[side, k], k
    return which


@light
def _cross(z, fresh, a, b):
    """Move z to where a guard with values a and b at the ends of a tick vanishes; return the rest of the tick."""
    part = min(max(a, 0.0) / (max(a, 0.0) - b), 1.0)
    for i in range(z.shape[0]):
        z[i] += part * (fresh[i] - z[i])
    return max(1.0 - part, LEAST_REST)


@light
def _locate(phi, watch, c, terms, last, ticks, z, fresh, watched, sizes):
    """Find the event within a stretch of so many ticks, given as a series, at whose end a guard fails.

    z is advanced in place if it is found; returns whether it is, the ticks gone, the valve and the rest of the tick.
    """
    d, nz, point, s = sizes.natural + sizes.trips, sizes.nz, terms[STATE, : sizes.nz], 1.0
    state_at(terms, last, 1.0, point)
    _observe(watch, c, point, d, watched, 1)
    for k in range(d):
        if watched[1, k] < watched[2, k]:
            s = min(s, first_root(watch, c, k, terms, last, watched[2, k], CLOSE / ticks, terms[POLYNOMIAL]))
    gone = min(int(s * ticks), ticks - 1)
    for _ in range(TRIES):
        state_at(terms, last, gone / ticks, point)
        _observe(watch, c, point, d, watched, 0)
        if gone > 0 and _deepest(watched, 0, d) >= 0:
            gone -= 1
            continue
        propagate(phi, c, 0, point, fresh)
        _observe(watch, c, fresh, d, watched, 1)
        which = _deepest(watched, 1, d)
        if which >= 0:
            for i in range(nz):
                z[i] = point[i]
            return True, gone + 1, which, _cross(z, fresh, watched[0, which], watched[1, which])
        gone += 1
        if gone >= ticks:
            break
    return False, 0, -1, 0.0


@inlined
def _hunt(phi, turned, watch, c, first, z, fresh, watched, sizes, level, tick, terms, stats):
    """Halve steps from `level` on up to a guard that fails, which only the end of the step before is known to do.

    Where a step resolves the fastest change, the series of it tells the instant; if rounding hides it, halving goes on.
    z is advanced in place; returns the ticks gone, the valve (or −1, a tick before that end) and the rest of the tick.
    """
    d, nz, gone, products = sizes.natural + sizes.trips, sizes.nz, 0, 0
    which, rest, series = -1, 0.0, True
    while level >= 0:
        if series and level < first:
            series, ticks = False, 2 << level
            last = expand(turned, c, z, tick * ticks, ticks / (1 << first), terms)
            products += last
            found, further, valve, behind = _locate(
                phi, watch, c, terms, last, ticks, z, fresh, watched, sizes
            )
            if found:
                gone, which, rest = gone + further, valve, behind
                break
        products += 1
        propagate(phi, c, level, z, fresh)
        _observe(watch, c, fresh, d, watched, 1)
        which = _deepest(watched, 1, d)
        if which >= 0 and level == 0:
            _observe(watch, c, z, d, watched, 0)
            rest = _cross(z, fresh, watched[0, which], watched[1, which])
            gone += 1
            break
        if which < 0:
            _take(z, fresh, nz)
            gone += 1 << level
        level -= 1
    stats[PRODUCTS] += products
    return gone, which, rest


@inlined
def flow(phi, turned, watch, c, first, z, fresh, watched, sizes, span, resting, tick, terms, stats):
    """Propagate through at most `span` ticks of configuration c, up to the first guard that fails.

    z is advanced in place; returns the ticks gone, the natural valve whose guard failed (or, behind these, the trip; or −1,
    or that it does not end), and the part of the last tick that lies behind that instant.  Steps start as short as the
    fastest change wants (level `first`) and grow while no guard can be missed; what is left, shorter than the first step, is
    one step by its series; one that ends beyond an event is searched for it.  How far guards may go below zero has been set.
    Arrays are handed over once.
    """
    nz, d, rows = sizes.nz, sizes.natural + sizes.trips, watched.shape[1]
    level, left, here, products, last, series, which, rest, hidden = first, span, 0, 0, 0, True, -1, 0.0, 0
    _observe(watch, c, z, rows, watched, here)
    while left > 0:
        while (1 << level) > left:
            level -= 1
        step = 1 << level
        whole = series and level < first and step < left
        if whole:
            step = left
            last = expand(turned, c, z, tick * step, step / (1 << first), terms)
            products += last
            state_at(terms, last, 1.0, fresh)
        else:
            products += 1
            propagate(phi, c, level, z, fresh)
        _observe(watch, c, fresh, rows, watched, 1 - here)
        which = _deepest(watched, 1 - here, d)
        if which >= 0 and step == 1:
            rest = _cross(z, fresh, watched[here, which], watched[1 - here, which])
            left -= 1
            break
        verdict = _resolved(watch, c, z, watched, here, d, nz, tick * step)
        if whole and (verdict == 0 or which >= 0):
            series = False
            if verdict > 0:
                found, gone, which, rest = _locate(phi, watch, c, terms, last, step, z, fresh, watched, sizes)
                if found:
                    left -= gone
                    break
            which, rest = -1, 0.0
            _observe(watch, c, z, rows, watched, here)
        elif products > MOST_STEPS:
            which = UNENDED
            break
        elif verdict == 0 and level > 0:
            level -= 1
        elif which >= 0:
            gone, valve, rest = _hunt(
                phi, turned, watch, c, first, z, fresh, watched, sizes, level - 1, tick, terms, stats
            )
            left -= gone
            which = valve if valve >= 0 else which
            if valve >= 0:
                break
            hidden += 1
            if hidden > HIDDEN:
                advance(phi, c, 1, z, fresh)
                left, rest = left - 1, LEAST_REST
                break
            level = 0
            _observe(watch, c, z, rows, watched, here)
        else:
            _take(z, fresh, nz)
            here = 1 - here
            if resting:
                _roused(watched, here, sizes.natural)
            left -= step
            level = min(level + max(verdict, 1) - 1, LEVELS - 1)
    stats[PRODUCTS] += products
    return span - left, which, rest


@inlined
def begin_stretch(tables, c, z, rest, fresh, watched, sizes, resting, armed):
    """Set how far guards may go below zero in a stretch, and go on for the rest of a tick in which an event was met.

    Returns the valve whose guard crosses zero before its end (or −1), and what is left of the tick; one that is at rest
    at zero, and does not leave it fast, is left to the next tick, so that time goes on.
    """
    _allow(tables.watch, tables.rest, c, z, sizes, resting, armed, watched)
    if rest == 0.0:
        return -1, 0.0
    d = sizes.natural + sizes.trips
    propagate(tables.phi, c, 0, z, fresh)
    for i in range(z.shape[0]):
        fresh[i] = z[i] + rest * (fresh[i] - z[i])
    _observe(tables.watch, c, z, d, watched, 0)
    _observe(tables.watch, c, fresh, d, watched, 1)
    which = _deepest(watched, 1, d)
    still = (
        0 <= which < sizes.natural
        and watched[0, which] <= -watched[2, which]
        and watched[1, which] > FAST * watched[2, which]
    )
    if which < 0 or still:
        for i in range(z.shape[0]):
            z[i] = fresh[i]
        return -1, 0.0
    return which, rest * _cross(z, fresh, watched[0, which], watched[1, which])
