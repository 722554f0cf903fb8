"""Gate edges that comparators bring: which ones, and what may bring them at the latest."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from jump_lane.circuit.law import Law, Row
from jump_lane.errors import InputError
from jump_lane.switching.clock import PERIOD, Schedule


class Trip(NamedTuple):
    """A comparator: its guard, and where in the period the edge is that it brings, per unit of the control variable.

    ``at`` is that at the value of the control variable that the circuit has [1], ``slope`` how far it moves.
    """

    guard: Row
    at: float
    slope: float


def tripped(
    edges: Schedule, law: Law, switches: tuple[str, ...], control: float, period: float
) -> tuple[Schedule, list[Trip]]:
    """Return a schedule whose moving edges are brought by comparators, and these.

    Edges that move alike, with none that stands between them, follow the first of them at the distance that they have.

    Parameters
    ----------
    edges
        The edges at `control`, which tells their order; a comparator is listened to up to the next edge that stands.
    period
        Base period [s].

    Raises
    ------
    InputError
        If no comparator ends a pulse.
    """
    edges = _blanked(edges, law, switches, period)
    if law.restart is not None:
        return _unclocked(edges, law, switches, period)
    count = len(edges.masks)
    found: list[Trip] = []
    ticks, first = edges.ticks.copy(), -1
    trips, anchors, delays = edges.trips.copy(), edges.anchors.copy(), edges.delays.copy()
    for f in range(count):
        if edges.slopes[f] == 0.0:
            first = -1
            continue
        ticks[f] = next((edges.ticks[g] for g in range(f, count) if edges.slopes[g] == 0.0), edges.ticks[-1])
        if first >= 0 and edges.slopes[first] == edges.slopes[f]:
            anchors[f], delays[f] = first, edges.ticks[f] - edges.ticks[first]
            continue
        falls = int(edges.masks[f - 1]) & ~int(edges.masks[f])
        ended = tuple(name for bit, name in enumerate(switches) if (falls >> bit) & 1)
        begun = max(
            (_begin(edges, f, falls, bit) for bit in range(len(switches)) if (falls >> bit) & 1), default=0
        )
        at, since = float(edges.ticks[f]) / PERIOD, begun / PERIOD
        trips[f], first = len(found), f
        slope = float(edges.slopes[f])
        found.append(Trip(law.trip(ended, at, slope, control, since, period), at, slope))
        if ended and law.most < 1.0:
            ticks[f] = min(int(ticks[f]), begun + round(law.most * PERIOD))
    return edges._replace(ticks=ticks, trips=trips, anchors=anchors, delays=delays), found


def _unclocked(
    edges: Schedule, law: Law, switches: tuple[str, ...], period: float
) -> tuple[Schedule, list[Trip]]:
    """Return a schedule without a clock: pulses last as long as they do, or as comparators let them, and one begins the next period.

    What follows a pulse that a comparator ends keeps its distance.

    Raises
    ------
    InputError
        If several pulses make up a period.
    """
    edges = _from_last_pulse(edges)
    moving = np.flatnonzero(edges.slopes != 0.0)
    together = len(moving) > 0 and int(moving[-1] - moving[0]) == len(moving) - 1
    if not together or len(set(edges.slopes[moving].tolist())) > 1:
        raise InputError(
            "several pulses make up a period of this converter: without a clock there is one; expected a kind with a clock"
        )
    longest, first = round(law.longest * PERIOD), int(moving[0])
    ticks, slopes = edges.ticks.copy(), np.zeros(len(edges.masks))
    trips, anchors, delays = edges.trips.copy(), edges.anchors.copy(), edges.delays.copy()
    found: list[Trip] = []
    falls = int(edges.masks[first - 1]) & ~int(edges.masks[first])
    ended = tuple(name for bit, name in enumerate(switches) if (falls >> bit) & 1)
    if any(name in law.peaks for name in ended):
        begun = max(_begin(edges, first, falls, bit) for bit in range(len(switches)) if (falls >> bit) & 1)
        found.append(Trip(law.trip(ended, 0.0, 0.0, 0.0, begun / PERIOD, period), 0.0, 0.0))
        trips[first] = 0
        for f in range(first, len(edges.masks)):
            anchors[f], delays[f] = (-1, 0) if f == first else (first, edges.ticks[f] - edges.ticks[first])
            ticks[f] = longest
    rest, last = round(law.rest / period * PERIOD), len(edges.masks) - 1
    blank = longest if found else int(ticks[last]) + rest
    follows, after = (first, int(delays[last]) + rest) if found else (-1, 0)
    found.append(Trip(law.restart or {}, 0.0, 0.0))
    return Schedule(
        np.array([*ticks[:-1], blank, longest + 1, longest + 2], dtype=np.int64),
        np.append(edges.masks, [edges.masks[last]] * 2),
        np.append(slopes, [0.0, 0.0]),
        0.0,
        np.append(trips, [-1, len(found) - 1]),
        np.append(anchors, [follows, -1]),
        np.append(delays, [after, 0]),
        1,
    ), found


def _from_last_pulse(edges: Schedule) -> Schedule:
    """Return the schedule begun with those edges behind the last pulse that stand, such as the end of a synchronous rectifier's."""
    moving = np.flatnonzero(edges.slopes != 0.0)
    tail = int(moving[-1]) + 1 if len(moving) else len(edges.masks)
    if tail == len(edges.masks):
        return edges
    start, length = int(edges.ticks[tail]), edges.length
    ticks = np.concatenate((edges.ticks[tail:-1] - start, edges.ticks[:tail] + (length - start), [length]))

    def turned(values: NDArray[Any]) -> NDArray[Any]:
        return np.concatenate((values[tail:], values[:tail]))

    return edges._replace(
        ticks=ticks, masks=turned(edges.masks), slopes=turned(edges.slopes), trips=turned(edges.trips),
        anchors=turned(edges.anchors), delays=turned(edges.delays),
    )  # fmt: skip


def _begin(edges: Schedule, f: int, falls: int, bit: int) -> int:
    """Return the tick at which the pulse of a channel begins that edge f ends, negative in the period before."""
    count = len(edges.masks)
    for back in range(1, count + 1):
        g = (f - back) % count
        if int(edges.masks[g]) & ~int(edges.masks[g - 1]) & falls & (1 << bit):
            return int(edges.ticks[g]) - (edges.length if back > f else 0)
    return 0


def _blanked(edges: Schedule, law: Law, switches: tuple[str, ...], period: float) -> Schedule:
    """Return the schedule with an edge, which changes nothing, where each comparator starts to be listened to."""
    out = edges
    for bit, name in enumerate(switches):
        if name not in law.peaks or law.peaks[name].blanking <= 0.0:
            continue
        blank = round(law.peaks[name].blanking / period * PERIOD)
        for k in reversed(range(len(out.masks))):
            if (int(out.masks[k]) & ~int(out.masks[k - 1])) >> bit & 1:
                out = _inserted(out, k, int(out.ticks[k]) + blank)
    return out


def _inserted(edges: Schedule, k: int, tick: int) -> Schedule:
    """Return the schedule with an edge at a tick behind edge k, before any that moves there."""
    at = k + 1
    while at < len(edges.masks) and edges.slopes[at] == 0.0 and edges.ticks[at] <= tick:
        at += 1
    tick = max(int(edges.ticks[at - 1]), tick)
    return edges._replace(
        ticks=np.insert(edges.ticks, at, tick),
        masks=np.insert(edges.masks, at, edges.masks[at - 1]),
        slopes=np.insert(edges.slopes, at, 0.0),
        trips=np.insert(edges.trips, at, -1),
        anchors=np.insert(edges.anchors, at, -1),
        delays=np.insert(edges.delays, at, 0),
    )
