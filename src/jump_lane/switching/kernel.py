"""The compiled inner loop: propagators, stepping from event to event, commutation of the valves.

Scalar loops over small dense matrices, compiled once by numba and cached.  The loop knows states, guards and
bit patterns only; it never asks what circuit it runs.  When it meets a combination of valves that has not been
worked out yet, it returns and is called again.

References
----------
C. Moler and C. Van Loan, "Nineteen dubious ways to compute the exponential of a matrix, twenty-five years
later", SIAM Review 45 (2003) 3-49 (scaling and squaring).
W. Zhong and F. Williams, "A precise time step integration method", Proc. IMechE C 208 (1994) 427-430
(doubling the increment).
M. A. Aizerman and F. R. Gantmakher, "On the stability of periodic motions", J. Appl. Math. Mech. 22 (1958)
1065-1078 (sensitivity across an event).
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from jump_lane.switching.clock import LEVELS

Array = NDArray[np.float64]
Integers = NDArray[np.int64]

OK, MISSING, CHATTER, UNSOLVABLE, FULL, TOO_MANY = 0, 1, 2, 3, 4, 5
"""How a run ends: well; an unknown combination; no consistent combination; contradictory sources; record
full; too many events in a period."""

MAX_EVENTS = 2000
GUARD_ROUNDING = 1e-12
CONSISTENT = 1e-9
JUMP = 1e-9

_OPTIONS = {"cache": True, "nogil": True, "error_model": "numpy", "boundscheck": False}


class Tables(NamedTuple):
    """What is known of every configuration met so far, one row each; n1 = number of entries of z."""

    combos: Integers
    coarse: Integers
    phi: Array
    rate: Array
    projection: Array
    kind: Integers
    guard: Array
    tolerance: Array
    impulse: Array


class Record(NamedTuple):
    """Where each stretch without an event starts: instant, configuration, state."""

    tick: Integers
    configuration: Integers
    state: Array


@njit(**_OPTIONS)  # type: ignore[untyped-decorator]
def _multiply(a, b, out):  # type: ignore[no-untyped-def]
    """out = a·b for small square matrices."""
    n = a.shape[0]
    for i in range(n):
        for j in range(n):
            s = 0.0
            for k in range(n):
                s += a[i, k] * b[k, j]
            out[i, j] = s


@njit(**_OPTIONS)  # type: ignore[untyped-decorator]
def increment(rate, h, d, work):  # type: ignore[no-untyped-def]
    """d = exp(rate·h) − 1, by a Taylor series at a small step and doubling d ← 2d + d²."""
    n = rate.shape[0]
    norm = 0.0
    for i in range(n):
        s = 0.0
        for j in range(n):
            s += abs(rate[i, j])
        norm = max(norm, s)
    halvings = 0
    while norm * h > 0.05:
        h *= 0.5
        halvings += 1
    for i in range(n):
        for j in range(n):
            d[i, j] = rate[i, j] * h / 9.0
    for order in range(8, 0, -1):
        _multiply(rate, d, work)
        for i in range(n):
            for j in range(n):
                d[i, j] = (work[i, j] + rate[i, j]) * (h / order)
    for _ in range(halvings):
        double(d, work)


@njit(**_OPTIONS)  # type: ignore[untyped-decorator]
def double(d, work):  # type: ignore[no-untyped-def]
    """Replace d = Φ(h) − 1 by Φ(2h) − 1."""
    n = d.shape[0]
    _multiply(d, d, work)
    for i in range(n):
        for j in range(n):
            d[i, j] = 2.0 * d[i, j] + work[i, j]


@njit(**_OPTIONS)  # type: ignore[untyped-decorator]
def ladder(rate, tick, phi):  # type: ignore[no-untyped-def]
    """Fill phi[level] = exp(rate·tick·2^level) for all levels."""
    n = rate.shape[0]
    d = np.empty((n, n))
    work = np.empty((n, n))
    increment(rate, tick, d, work)
    for level in range(phi.shape[0]):
        if level > 0:
            double(d, work)
        for i in range(n):
            for j in range(n):
                phi[level, i, j] = d[i, j]
            phi[level, i, i] += 1.0


@njit(**_OPTIONS)  # type: ignore[untyped-decorator]
def moments(rate, z0, duration, out):  # type: ignore[no-untyped-def]
    """out = ∫₀^duration z zᵀ dt with z(0) = z0, ż = rate·z; exact up to rounding.

    S(h) by a Taylor series at a small step, then S(2h) = S(h) + Φ(h) S(h) Φ(h)ᵀ.
    """
    n = rate.shape[0]
    norm = 0.0
    for i in range(n):
        s = 0.0
        for j in range(n):
            s += abs(rate[i, j])
        norm = max(norm, s)
    h = duration
    doublings = 0
    while norm * h > 0.05:
        h *= 0.5
        doublings += 1
    order = 9
    term = np.empty((order, n))
    for i in range(n):
        term[0, i] = z0[i]
    for k in range(1, order):
        for i in range(n):
            s = 0.0
            for j in range(n):
                s += rate[i, j] * term[k - 1, j]
            term[k, i] = s * h / k
    for i in range(n):
        for j in range(n):
            s = 0.0
            for a in range(order):
                for b in range(order):
                    s += term[a, i] * term[b, j] / (a + b + 1)
            out[i, j] = s * h
    d = np.empty((n, n))
    work = np.empty((n, n))
    half = np.empty((n, n))
    increment(rate, h, d, work)
    for _ in range(doublings):
        for i in range(n):
            d[i, i] += 1.0
        _multiply(d, out, half)
        for i in range(n):
            for j in range(n):
                s = out[i, j]
                for k in range(n):
                    s += half[i, k] * d[j, k]
                work[i, j] = s
        for i in range(n):
            for j in range(n):
                out[i, j] = 0.5 * (work[i, j] + work[j, i])
        for i in range(n):
            d[i, i] -= 1.0
        double(d, work)


@njit(**_OPTIONS)  # type: ignore[untyped-decorator]
def sample(phi, z, ticks, out):  # type: ignore[no-untyped-def]
    """out[i] = state at ticks[i] (ascending) after z, by climbing the ladder phi of one configuration."""
    n = z.shape[0]
    now = 0
    a = z.copy()
    b = np.empty(n)
    for i in range(ticks.shape[0]):
        left = ticks[i] - now
        for level in range(phi.shape[0] - 1, -1, -1):
            while left >= (1 << level):
                for r in range(n):
                    s = 0.0
                    for k in range(n):
                        s += phi[level, r, k] * a[k]
                    b[r] = s
                a, b = b, a
                left -= 1 << level
        now = ticks[i]
        for r in range(n):
            out[i, r] = a[r]


@njit(**_OPTIONS)  # type: ignore[untyped-decorator]
def _find(combos, combo):  # type: ignore[no-untyped-def]
    for i in range(combos.shape[0]):
        if combos[i] == combo:
            return i
        if combos[i] < 0:
            return -1
    return -1


@njit(**_OPTIONS)  # type: ignore[untyped-decorator]
def _project(projection, c, z, p, columns, n, work):  # type: ignore[no-untyped-def]
    """z ← Π z, and the same for the tangent columns."""
    for i in range(n):
        s = 0.0
        for j in range(n + 1):
            s += projection[c, i, j] * z[j]
        work[i] = s
    for i in range(n):
        z[i] = work[i]
    for m in range(columns):
        for i in range(n):
            s = 0.0
            for j in range(n):
                s += projection[c, i, j] * p[m, j]
            work[i] = s
        for i in range(n):
            p[m, i] = work[i]


@njit(**_OPTIONS)  # type: ignore[untyped-decorator]
def _worst_guard(guard, tolerance, c, z, n1, size):  # type: ignore[no-untyped-def]
    """Return the natural valve that contradicts configuration c most, or −1."""
    worst, which = CONSISTENT, -1
    for k in range(guard.shape[1]):
        s = 0.0
        for j in range(n1):
            s += guard[c, k, j] * z[j]
        if s < 0.0 and tolerance[c, k] > 0.0:
            miss = -s * GUARD_ROUNDING / (tolerance[c, k] * size)
            if miss > worst:
                worst, which = miss, k
    return which


@njit(**_OPTIONS)  # type: ignore[untyped-decorator]
def _worst_impulse(impulse, c, z, n1):  # type: ignore[no-untyped-def]
    """Return the natural valve that an impulse into configuration c would drive against its state, or −1."""
    worst, which, largest = 0.0, -1, 0.0
    for k in range(impulse.shape[1]):
        s = 0.0
        for j in range(n1):
            s += impulse[c, k, j] * z[j]
        largest = max(largest, abs(s))
        if -s > worst:
            worst, which = -s, k
    if worst > 1e-6 * largest:
        return which
    return -1


@njit(**_OPTIONS)  # type: ignore[untyped-decorator]
def _size(z, n):  # type: ignore[no-untyped-def]
    """Norm of [states; 1]."""
    s = 1.0
    for i in range(n):
        s += z[i] * z[i]
    return np.sqrt(s)


@njit(**_OPTIONS)  # type: ignore[untyped-decorator]
def _jump(tables, c, z, n, tick):  # type: ignore[no-untyped-def]
    """Tell whether entering configuration c would move the state by more than one tick's worth."""
    moved, speed = 0.0, 0.0
    for i in range(n):
        s, f = 0.0, 0.0
        for j in range(n + 1):
            s += tables.projection[c, i, j] * z[j]
            f += tables.rate[c, i, j] * z[j]
        moved += (s - z[i]) ** 2
        speed += f * f
    return np.sqrt(moved) > JUMP * _size(z, n) + 8.0 * tick * np.sqrt(speed)


@njit(**_OPTIONS)  # type: ignore[untyped-decorator]
def settle(tables, combo, z, p, columns, n, gated, tick, work, stats):  # type: ignore[no-untyped-def]
    """Find the natural valves that conduct after an event and carry the state (and tangents) over.

    Returns status, combination, configuration.
    """
    n1 = n + 1
    natural = tables.guard.shape[1]
    for attempt in range(6 * natural + 6):
        c = _find(tables.combos, combo)
        if c < 0:
            return MISSING, combo, c
        moved = False
        if tables.kind[c] > 0 and (tables.kind[c] == 2 or _jump(tables, c, z, n, tick)):
            which = _worst_impulse(tables.impulse, c, z, n1)
            if which >= 0:
                combo ^= 1 << (gated + which)
                continue
            if tables.kind[c] == 2:
                return UNSOLVABLE, combo, c
            stats[1] += 1
            moved = True
            _project(tables.projection, c, z, p, columns, n, work)
        if tables.kind[c] > 0 and not moved:
            for i in range(n):
                s = 0.0
                for j in range(n1):
                    s += tables.projection[c, i, j] * z[j]
                work[i] = s
            for i in range(n):
                work[n1 + i] = z[i]
                z[i] = work[i]
        which = _worst_guard(tables.guard, tables.tolerance, c, z, n1, _size(z, n))
        if tables.kind[c] > 0 and not moved:
            for i in range(n):
                z[i] = work[n1 + i]
        if which < 0:
            if tables.kind[c] > 0 and not moved:
                _project(tables.projection, c, z, p, columns, n, work)
            return OK, combo, c
        combo ^= 1 << (gated + which)
    return CHATTER, combo, -1


@njit(**_OPTIONS)  # type: ignore[untyped-decorator]
def _search(tables, combo, z, p, columns, n, gated, tick, work, stats):  # type: ignore[no-untyped-def]
    """Try every combination of natural valves where flipping the worst one went round in circles."""
    n1 = n + 1
    natural = tables.guard.shape[1]
    channels = combo & ((1 << gated) - 1)
    trial = np.empty(n1)
    for code in range(1 << natural):
        candidate = channels | (code << gated)
        c = _find(tables.combos, candidate)
        if c < 0:
            return MISSING, candidate, c
        if tables.kind[c] == 2:
            continue
        if tables.kind[c] > 0 and _jump(tables, c, z, n, tick):
            if _worst_impulse(tables.impulse, c, z, n1) >= 0:
                continue
        for i in range(n):
            s = 0.0
            for j in range(n1):
                s += tables.projection[c, i, j] * z[j]
            trial[i] = s
        trial[n] = 1.0
        if _worst_guard(tables.guard, tables.tolerance, c, trial, n1, _size(trial, n)) < 0:
            if tables.kind[c] > 0:
                _project(tables.projection, c, z, p, columns, n, work)
            return OK, candidate, c
    return CHATTER, combo, -1


@njit(**_OPTIONS)  # type: ignore[untyped-decorator]
def _commutate(tables, combo, z, p, columns, n, gated, tick, work, stats):  # type: ignore[no-untyped-def]
    keep = z.copy()
    status, found, c = settle(tables, combo, z, p, columns, n, gated, tick, work, stats)
    if status == CHATTER and tables.guard.shape[1] <= 8:
        for i in range(n):
            z[i] = keep[i]
        return _search(tables, combo, z, p, columns, n, gated, tick, work, stats)
    return status, found, c


@njit(**_OPTIONS)  # type: ignore[untyped-decorator]
def _derivative(rate, c, z, n, nz, out):  # type: ignore[no-untyped-def]
    for i in range(nz):
        s = 0.0
        for j in range(n + 1):
            s += rate[c, i, j] * z[j]
        out[i] = s


@njit(**_OPTIONS)  # type: ignore[untyped-decorator]
def _flow(tables, c, z, p, columns, n, span, stats):  # type: ignore[no-untyped-def]
    """Propagate through at most `span` ticks of configuration c, up to the first violated guard.

    z is advanced in place; returns the ticks gone and the natural valve whose guard failed (or −1).
    """
    nz = z.shape[0]
    n1 = n + 1
    stride = nz * nz
    base = c * LEVELS * stride
    phi = tables.phi
    guard = tables.guard
    tolerance = tables.tolerance
    natural = guard.shape[1]
    level = tables.coarse[c]
    fresh = np.empty(nz)
    left = span
    hunting = False
    size = _size(z, n)
    products = 0
    which = -1
    while left > 0:
        if hunting:
            level -= 1
        else:
            while (1 << level) > left:
                level -= 1
        at = base + level * stride
        for i in range(nz):
            s = 0.0
            for j in range(nz):
                s += phi[at + i * nz + j] * z[j]
            fresh[i] = s
        products += 1
        which = -1
        deepest = 0.0
        for k in range(natural):
            s = tolerance[c, k] * size
            for j in range(n1):
                s += guard[c, k, j] * fresh[j]
            if s < deepest:
                deepest, which = s, k
        if which >= 0 and level > 0:
            hunting = True
            continue
        for i in range(nz):
            z[i] = fresh[i]
        left -= 1 << level
        if columns > 0:
            for m in range(columns):
                for i in range(nz):
                    s = 0.0
                    for j in range(nz):
                        s += phi[at + i * nz + j] * p[m, j]
                    fresh[i] = s
                for i in range(nz):
                    p[m, i] = fresh[i]
        if which >= 0:
            break
        if hunting and level == 0:
            hunting = False
            level = tables.coarse[c]
    stats[0] += products
    return span - left, which


@njit(**_OPTIONS)  # type: ignore[untyped-decorator]
def _natural_event(tables, c, which, combo, z, p, columns, n, gated, tick, work, stats):  # type: ignore[no-untyped-def]
    """Flip the valve whose guard failed, commutate, and correct the tangents for the moved instant."""
    nz = z.shape[0]
    if columns > 0:
        _derivative(tables.rate, c, z, n, nz, p[columns])
        slope = 0.0
        for j in range(n):
            slope += tables.guard[c, which, j] * p[columns, j]
        for m in range(columns):
            s = 0.0
            for j in range(n):
                s += tables.guard[c, which, j] * p[m, j]
            work[2 * nz + m] = s / slope if slope != 0.0 else 0.0
    extended = columns + 1 if columns > 0 else 0
    combo ^= 1 << (gated + which)
    status, combo, c = _commutate(tables, combo, z, p, extended, n, gated, tick, work, stats)
    if status == OK and columns > 0:
        _derivative(tables.rate, c, z, n, nz, work)
        for m in range(columns):
            for i in range(nz):
                p[m, i] += (work[i] - p[columns, i]) * work[2 * nz + m]
    return status, combo, c


@njit(**_OPTIONS)  # type: ignore[untyped-decorator]
def _gate_edge(tables, before, mask, shift, combo, z, p, columns, n, gated, tick, work, stats):  # type: ignore[no-untyped-def]
    """Set the channels, commutate, and add what a moving edge contributes to the last tangent column."""
    nz = z.shape[0]
    if columns > 0 and before >= 0:
        _derivative(tables.rate, before, z, n, nz, p[columns])
    combo = ((combo >> gated) << gated) | mask
    extended = columns + 1 if columns > 0 else 0
    status, combo, c = _commutate(tables, combo, z, p, extended, n, gated, tick, work, stats)
    if status == OK and columns > 0 and shift != 0.0 and before >= 0:
        _derivative(tables.rate, c, z, n, nz, work)
        for i in range(nz):
            p[columns - 1, i] += (p[columns, i] - work[i]) * shift
    return status, combo, c


@njit(**_OPTIONS)  # type: ignore[untyped-decorator]
def run_period(tables, ticks, masks, shifts, combo, z, p, columns, n, gated, tick, record, used, stats):  # type: ignore[no-untyped-def]
    """Run one period from z (in place), with `columns` tangent columns carried along in p.

    Returns status, combination at the end (or the one that is missing), and how much of `record` is used.
    """
    nz = z.shape[0]
    work = np.zeros(3 * nz + columns + 4)
    c = _find(tables.combos, combo)
    events = 0
    for e in range(masks.shape[0]):
        status, combo, c = _gate_edge(
            tables, c, masks[e], shifts[e], combo, z, p, columns, n, gated, tick, work, stats
        )
        if status != OK:
            return status, combo, used
        now, end = ticks[e], ticks[e + 1]
        while now < end:
            if used > 0 and record.tick[used - 1] == now:
                used -= 1
            if used >= record.tick.shape[0]:
                return FULL, combo, used
            record.tick[used] = now
            record.configuration[used] = c
            for i in range(nz):
                record.state[used, i] = z[i]
            used += 1
            gone, which = _flow(tables, c, z, p, columns, n, end - now, stats)
            now += gone
            if which < 0:
                continue
            events += 1
            if events > MAX_EVENTS:
                return TOO_MANY, combo, used
            status, combo, c = _natural_event(
                tables, c, which, combo, z, p, columns, n, gated, tick, work, stats
            )
            if status != OK:
                return status, combo, used
    return OK, combo, used


@njit(**_OPTIONS)  # type: ignore[untyped-decorator]
def run_periods(tables, ticks, masks, combo, z, n, gated, tick, record, stats, ends):  # type: ignore[no-untyped-def]
    """Run len(ends) periods without tangents; ends[i] receives the state at the end of period i.

    Returns status, combination (or the missing one), periods completed; z and `record` are those of the last
    complete period, or of the start of the one that could not be finished.
    """
    nz = z.shape[0]
    p = np.zeros((1, nz))
    shifts = np.zeros(masks.shape[0])
    start = np.empty(nz)
    used = 0
    for i in range(ends.shape[0]):
        for j in range(nz):
            start[j] = z[j] if j <= n else 0.0
            z[j] = start[j]
        before = combo
        status, combo, used = run_period(
            tables, ticks, masks, shifts, combo, z, p, 0, n, gated, tick, record, 0, stats
        )
        if status != OK:
            for j in range(nz):
                z[j] = start[j]
            return status, combo, before, i, used
        for j in range(nz):
            ends[i, j] = z[j]
    return OK, combo, combo, ends.shape[0], used
