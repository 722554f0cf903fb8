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

from jump_lane.switching.apart import Apart, laid
from jump_lane.switching.clock import PERIOD
from jump_lane.switching.commutation import (
    AT,
    DIVERGED,
    DONE,
    ENDLESS,
    FULL,
    OK,
    PAUSED,
    TOO_MANY,
    apply,
    commutate,
)
from jump_lane.switching.flowing import UNENDED, begin_stretch, flow
from jump_lane.switching.journey import EDGE, NO_CAUSE, begin, gather, set_mark
from jump_lane.switching.propagators import ZERO, advance, inlined, light
from jump_lane.switching.watching import watch_stretch

MAX_EVENTS = 8000
"""Commutations in a period: a diode that bounces on an undamped ringing makes some thousands."""


GRAZING = 1e-7
"""A guard that moves by less than this part of the speed of the states grazes: its instant says nothing."""


@light
def guard(watch, c, row, z):
    """Return a watched row applied to z."""
    s = 0.0
    for j in range(z.shape[0]):
        s += watch[c, j, row] * z[j]
    return s


@inlined
def _crossing(tables, c, which, z, p, sizes, shift):
    """Set by how much each tangent column moves the instant at which a guard vanishes, [s] per unit."""
    nz, columns = sizes.nz, sizes.columns
    if columns == 0:
        return
    rate = p[columns]
    apply(tables.rate, c, z, rate)
    slope, speed = 0.0, 0.0
    for j in range(sizes.n):
        speed += rate[j] ** 2
    for j in range(nz):
        slope += tables.watch[c, j, which] * rate[j]
    if slope * slope <= GRAZING * GRAZING * speed:
        slope = 0.0
    for m in range(columns):
        s = 0.0
        for j in range(nz):
            s += tables.watch[c, j, which] * p[m, j]
        shift[m] = -s / slope if slope != 0.0 else 0.0


@light
def _event(held, before, combo, z, p, shift, moves, sizes, tick, work, stats):
    """Commutate, and correct the tangents for an instant that moves by `shift` of each column.

    Behind the tangents `p` holds the rate in the configuration before.
    """
    nz, columns = sizes.nz, sizes.columns
    extended = columns + (columns > 0)
    status, combo, c = commutate(held, combo, z, p, extended, sizes, tick, work, stats)
    if status == OK and columns > 0 and moves and before >= 0:
        apply(held[0].rate, c, z, work[1])
        for m in range(columns):
            for i in range(nz):
                p[m, i] += (p[columns, i] - work[1, i]) * shift[m]
    return status, combo, c


@inlined
def _due(edges, fired, f, now):
    """Return the tick of edge f, the end of the period behind the last one; that is at once where there is no clock."""
    if f == edges.masks.shape[0]:
        return now if edges.free else edges.ticks[f]
    if edges.anchors[f] < 0:
        return edges.ticks[f]
    return max(now, min(fired[edges.anchors[f]] + edges.delays[f], edges.ticks[f]))


@inlined
def _empty_pulse(tables, edges, f, c, combo, z, sizes):
    """Return the trip that would end at once the pulse which edge f begins, or −1."""
    count, channels = edges.masks.shape[0], combo & ((1 << sizes.gated) - 1)
    if sizes.trips == 0 or c < 0 or edges.masks[f] == channels:
        return -1
    g = f + 1
    while g < count and edges.trips[g] < 0 and edges.masks[g] == edges.masks[f]:
        g += 1
    if g == count or edges.trips[g] < 0 or edges.masks[g] != channels:
        return -1
    return g if guard(tables.watch, c, sizes.natural + edges.trips[g], z) <= 0.0 else -1


@inlined
def _edge(held, edges, f, now, c, combo, z, p, sizes, tick, mark, work, stats):
    """Let edge f come, by the clock, by its anchor, or as the limit of a trip; or leave out the pulse that it begins.

    Returns status, combination, configuration and the edge that came last.
    """
    tables, columns, shift = held[0], sizes.columns, work[3]
    trip = _empty_pulse(tables, edges, f, c, combo, z, sizes)
    if trip >= 0:
        for k in range(f, trip + 1):
            mark.fired[k] = now
            for m in range(columns):
                mark.moved[k, m] = 0.0
        return OK, combo, c, trip
    if columns > 0 and c >= 0:
        apply(tables.rate, c, z, p[columns])
    anchor, moves = edges.anchors[f], edges.slopes[f] != 0.0 and edges.trips[f] < 0
    for m in range(columns):
        shift[m] = mark.moved[anchor, m] if anchor >= 0 else 0.0
    if anchor >= 0:
        moves = True
    elif moves and columns > 0:
        shift[columns - 1] = edges.slopes[f] * tick * PERIOD
    combo = ((combo >> sizes.gated) << sizes.gated) | edges.masks[f]
    status, combo, c = _event(held, c, combo, z, p, shift, moves, sizes, tick, work, stats)
    if status == OK:
        _came(mark, f, now, shift, columns)
    return status, combo, c, f


@light
def _came(mark, f, now, shift, columns):
    mark.fired[f] = now
    for m in range(columns):
        mark.moved[f, m] = shift[m]


@inlined
def _arm(tables, edges, e, c, z, sizes, fired, now):
    """Return when the edge after e is due, and which trip may bring it earlier (or −1); one that is past comes at once."""
    end = _due(edges, fired, e + 1, now)
    armed = edges.trips[e + 1] if e + 1 < edges.masks.shape[0] else -1
    if armed >= 0 and guard(tables.watch, c, sizes.natural + armed, z) <= 0.0:
        end = now
    return end, armed


@light
def _follow(held, c, record, k, end, now, tick, fresh, work, seen):
    """Add the course of the watched rows in the k-th stretch, up to the state `end` at `now` [ticks, not whole]."""
    begun = record.where[k, 0] - record.rest[k]
    watch_stretch(held, c, record.state[k], end, begun, now - begun, tick, record.course, fresh, work, seen)


@inlined
def _ended(stats, combo, status):
    """Tell the combination, and return the status."""
    stats[AT] = combo
    return status


@inlined
def _period(kit, edges, held):
    """Run one period, from and to the mark, which holds state, combination and tangent columns.

    An edge sets a gate mask: at its tick, where it moves by so many periods per unit of the control; so long after another
    edge; or where a trip crosses zero, its tick being the latest.  One that would come at the end of the period does not.
    Returns a status; in `Kit.stats` the combination at the end, or the one that is missing or cannot be.
    """
    tables, sizes, tick, record, stats, mark, room, _, _ = kit
    work, fresh, watched, terms, z, p, first, before, seen = room
    shift, count = work[3], edges.masks.shape[0]
    for i in range(sizes.nz):
        z[i] = mark.state[i]
    for m in range(sizes.columns):
        for i in range(sizes.nz):
            p[m, i] = mark.tangent[m, i]
    e, now, end, combo, c, used, events, resting, cause, armed, until, every, follow = mark.place
    rest = mark.rest[0]
    while True:
        set_mark(
            mark,
            (e, now, end, combo, c, used, events, resting, cause, armed, until, every, follow),
            rest,
            z,
            p,
            sizes.columns,
        )
        if now == until and rest == 0.0:
            return _ended(stats, combo, PAUSED)
        if c < 0 and e >= 0:
            status, combo, c = commutate(held, combo, z, p, ZERO, sizes, tick, work, stats)
            if status != OK:
                return _ended(stats, combo, status)
            continue
        if now == end and rest == 0.0 and not (every and cause <= EDGE and e + 1 < count):
            if e + 1 == count or (now == edges.ticks[-1] and edges.trips[e + 1] + edges.anchors[e + 1] > -2):
                return _ended(stats, combo, OK)
            status, combo, c, f = _edge(
                held, edges, e + 1, now, c, combo, z, p, sizes, tick, mark, work, stats
            )
            if status != OK:
                return _ended(stats, combo, status)
            e, resting, cause = f, 0, EDGE - f
            end, armed = _arm(tables, edges, e, c, z, sizes, mark.fired, now)
            continue
        if used >= record.where.shape[0]:
            return _ended(stats, combo, FULL)
        record.where[used, 0] = now
        record.where[used, 1] = c
        record.where[used, 2] = cause
        record.rest[used] = rest
        for i in range(sizes.nz):
            record.state[used, i] = z[i]
        used += 1
        which, rest = begin_stretch(tables, c, z, rest, fresh, watched, sizes, resting, armed)
        if which < 0:
            gone, which, rest = flow(
                tables.phi, tables.turned, tables.watch, c, tables.info[c, 1], z, fresh, watched, sizes,
                min(end, until) - now, resting, tick, terms, stats,
            )  # fmt: skip
            for m in range(sizes.columns):
                advance(tables.phi, c, gone, p[m], fresh)
            now += gone
            if which == UNENDED:
                return _ended(stats, combo, ENDLESS)
        left, gone_by, cause = c, now - rest, NO_CAUSE
        if follow:
            for i in range(sizes.nz):
                before[i] = z[i]
        if which < 0:
            if follow:
                _follow(held, left, record, used - 1, before, gone_by, tick, fresh, first, seen)
            continue
        events += 1
        if events > MAX_EVENTS:
            return _ended(stats, combo, TOO_MANY)
        _crossing(tables, c, which, z, p, sizes, shift)
        if which < sizes.natural:
            wanted, cause = combo ^ (1 << (sizes.gated + which)), which
        else:
            wanted, cause = ((combo >> sizes.gated) << sizes.gated) | edges.masks[e + 1], EDGE - (e + 1)
        status, combo, c = _event(held, left, wanted, z, p, shift, left >= 0, sizes, tick, work, stats)
        if status != OK:
            return _ended(stats, combo, status)
        if follow:
            _follow(held, left, record, used - 1, before, gone_by, tick, fresh, first, seen)
        resting = 1 if c == left else 0
        if which >= sizes.natural:
            e, resting = e + 1, 0
            _came(mark, e, now, shift, sizes.columns)
            end, armed = _arm(tables, edges, e, c, z, sizes, mark.fired, now)


def _run(journey):
    """Run a period, or as many without tangents as `Kit.courses` has room for; see `_period`."""
    kit, edges = journey[0]
    held, stats, count = laid(kit.tables), kit.stats, kit.courses.lengths.shape[0]
    while True:
        status = _period(kit, edges, held)
        if status != OK or count == 0:
            return status
        gather(kit, stats[DONE])
        if not begin(kit.mark, kit.sizes, stats[AT], kit.tables.info):
            return DIVERGED
        stats[DONE] += 1
        if stats[DONE] == count:
            return OK


RUNNING = Apart(_run, allocates=False)
run_periods = RUNNING.calling()
"""Runs it, with where it is and a `Journey` that is laid down."""
