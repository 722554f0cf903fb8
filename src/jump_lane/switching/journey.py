"""What a run needs and what it leaves behind: the journey, its mark, its record."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from jump_lane.switching.clock import Schedule
from jump_lane.switching.commutation import Sizes
from jump_lane.switching.propagators import inlined, light
from jump_lane.switching.series import ROOM
from jump_lane.switching.tables import Tables, find, padded
from jump_lane.switching.watching import Course, Courses, empty


class Record(NamedTuple):
    """Where each stretch without an event starts: (instant, configuration, cause), state, and the rest of the tick behind it.

    The cause is the natural valve whose guard failed, or `EDGE` minus the edge, or `NO_CAUSE`.  The course of what is watched
    is added to where the mark asks for it.
    """

    where: NDArray[np.int64]
    state: NDArray[np.float64]
    rest: NDArray[np.float64]
    course: Course


NO_CAUSE, EDGE = -1, -2

NEVER = 1 << 62
"""A tick that is not reached."""


TICK, COMBO, CONFIGURATION, USED, ARMED, UNTIL, EVERY, FOLLOW = 1, 3, 4, 5, 9, 10, 11, 12
"""Entries of `Mark.place` that others than the loop itself look at or set."""

PLACES = 13


class Mark(NamedTuple):
    """Where a run is.

    Attributes
    ----------
    place, rest
        (edge, tick, end of the interval, combination, configuration, stretches, events, at rest, cause, armed trip, where to
        pause, whether stretches of no length are recorded, whether watched rows are followed), rest of a tick, (1,).
    state, tangent
        z and p.
    fired, moved
        Ticks at which the edges came, (e,), and the derivatives of these instants [s] by the tangent columns, (e, columns).
    """

    place: NDArray[np.int64]
    rest: NDArray[np.float64]
    state: NDArray[np.float64]
    tangent: NDArray[np.float64]
    fired: NDArray[np.int64]
    moved: NDArray[np.float64]


class Room(NamedTuple):
    """Work space of a run: so much that nothing is allocated on the way."""

    work: NDArray[np.float64]
    fresh: NDArray[np.float64]
    watched: NDArray[np.float64]
    terms: NDArray[np.float64]
    state: NDArray[np.float64]
    tangent: NDArray[np.float64]
    first: NDArray[np.float64]
    before: NDArray[np.float64]
    seen: NDArray[np.float64]


class Kit(NamedTuple):
    """What a run needs beside the circuit and its edges.

    Tables, sizes, length of a tick, record, what is told (products, jumps, the combination at the end, periods done), mark,
    work space, what periods are to show, and where `RUNNING` is.
    """

    tables: Tables
    sizes: Sizes
    tick: float
    record: Record
    stats: NDArray[np.int64]
    mark: Mark
    room: Room
    courses: Courses
    running: int = 0


class Journey(NamedTuple):
    """Periods that are to be run: with what, and through which edges."""

    kit: Kit
    edges: Schedule


def blank_record(length: int, nz: int, shown: int) -> Record:
    """Return a record with room for so many stretches."""
    course = Course(*(np.zeros(shown) for _ in range(5)))
    return Record(np.zeros((length, 3), dtype=np.int64), np.zeros((length, nz)), np.zeros(length), course)


def room(sizes: Sizes, shown: int) -> Room:
    """Return work space for a circuit of these sizes with so many watched rows."""
    nz, columns = sizes.nz, sizes.columns
    return Room(
        np.zeros((4, nz + columns)), np.zeros(nz), np.zeros((4, padded(3 * (sizes.natural + sizes.trips)))),
        np.zeros((ROOM, max(nz, ROOM))), np.zeros(nz), np.zeros((columns + 1, nz)), np.zeros(nz), np.zeros(nz),
        np.zeros((2, padded(2 * shown))),
    )  # fmt: skip


@inlined
def set_mark(mark, place, rest, z, p, columns):
    """Let a run go on from here if it has to return; `place` holds what `Mark.place` does."""
    mark.rest[0] = rest
    for i in range(mark.place.shape[0]):
        mark.place[i] = place[i]
    for i in range(z.shape[0]):
        mark.state[i] = z[i]
    for m in range(columns):
        for i in range(z.shape[0]):
            mark.tangent[m, i] = p[m, i]


@light
def begin(mark, sizes, combo, info):
    """Set a mark to the start of a period, meters at zero, tangents to one; tell whether the state is finite.

    What is to be recorded stays as it is; so do the tangents of another period where none are asked.
    """
    n, first = sizes.n, sizes.n + 1 + sizes.meters
    for i in range(EVERY):
        mark.place[i] = 0
    mark.place[0], mark.place[COMBO], mark.place[CONFIGURATION] = -1, combo, find(info, combo)
    mark.place[8], mark.place[ARMED], mark.place[UNTIL] = NO_CAUSE, -1, NEVER
    mark.rest[0] = 0.0
    finite = True
    for i in range(mark.state.shape[0]):
        if n < i < first:
            mark.state[i] = 0.0
        finite = finite and np.isfinite(mark.state[i])
    seeds = n + sizes.laws
    for m in range(mark.tangent.shape[0] if sizes.columns > 0 else 0):
        at = m if m < n else m - n + first
        for i in range(mark.state.shape[0]):
            mark.tangent[m, i] = 1.0 if i == at and m < seeds else 0.0
    return finite


@inlined
def gather(kit, i):
    """Write what the period that has just ended showed, the i-th."""
    course, courses, mark = kit.record.course, kit.courses, kit.mark
    for k in range(kit.sizes.nz):
        courses.ends[i, k] = mark.state[k]
    courses.lengths[i] = mark.place[TICK]
    period = mark.place[TICK] * kit.tick
    for k in range(course.low.shape[0]):
        courses.low[i, k], courses.high[i, k] = course.low[k], course.high[k]
        courses.low_at[i, k], courses.high_at[i, k] = course.low_at[k], course.high_at[k]
        courses.mean[i, k] = course.area[k] / period
    met = 0
    for k in range(mark.place[USED]):
        met |= 1 << min(kit.record.where[k, 1], 62)
    courses.met[i] = met
    empty(course)
