"""Compiled: the course of watched rows along a stretch, their extremes and integrals.

Between two instants a row is the cubic that has its values and slopes there; steps are as short as the fastest change wants
just behind an event, and grow as long as trapezoids of the slopes meet the differences of the values.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from jump_lane.switching.clock import LEVELS
from jump_lane.switching.propagators import ZERO, inlined, light, propagate, weigh

RESOLVED = 1e-3
"""How far the trapezoid of the slopes may miss the difference of the values, of the change in a step."""

FAINT = 1e-9
"""The same of the terms that the values, and the slopes, are sums of: rounding."""

FINEST = 22
"""Level down to which a step is halved: a sixteen-thousandth of the base period."""


class Course(NamedTuple):
    """Extremes of the watched rows since it was emptied, where in the period they were [ticks], and their integrals, (w,)."""

    low: NDArray[np.float64]
    high: NDArray[np.float64]
    low_at: NDArray[np.float64]
    high_at: NDArray[np.float64]
    area: NDArray[np.float64]


class Courses(NamedTuple):
    """What period after period shows, for p of them: states at their ends, (p, nz), and of every watched row extremes, where in
    the period they were [ticks], and the average, (p, w); the configurations that were met, as bits, (p,); their lengths
    [ticks], (p,)."""

    ends: NDArray[np.float64]
    low: NDArray[np.float64]
    high: NDArray[np.float64]
    low_at: NDArray[np.float64]
    high_at: NDArray[np.float64]
    mean: NDArray[np.float64]
    met: NDArray[np.int64]
    lengths: NDArray[np.int64]


@light
def empty(course):
    """Forget what has been seen."""
    for k in range(course.low.shape[0]):
        course.low[k], course.high[k], course.area[k] = np.inf, -np.inf, 0.0
        course.low_at[k], course.high_at[k] = 0.0, 0.0


@inlined
def _look(sense, c, z, seen, side):
    """Write values and slopes of the watched rows at z."""
    weigh(sense[c], z, 1.0, seen.shape[1], seen[side])


@inlined
def _note(course, k, value, at):
    if value < course.low[k]:
        course.low[k], course.low_at[k] = value, at
    if value > course.high[k]:
        course.high[k], course.high_at[k] = value, at


@inlined
def _bends(course, k, a, b, s, t, at, ticks):
    """Note the extremes inside a step of the cubic with values a, b and slopes s, t (per step)."""
    if s * t >= 0.0 and abs(s) + abs(t) < 6.0 * abs(b - a):
        return
    bend, mean = s + t + 2.0 * (a - b), 3.0 * (b - a) - 2.0 * s - t
    root = mean * mean - 3.0 * bend * s
    if root < 0.0:
        return
    root = np.sqrt(root)
    for sign in (-1.0, 1.0):
        below = mean + sign * root
        if below == 0.0:
            continue
        x = -s / below
        if 0.0 < x < 1.0:
            _note(course, k, a + x * (s + x * (mean + x * bend)), at + x * ticks)


@inlined
def _fits(sense, c, z, seen, here, count, h):
    """Tell whether the cubics of a step of length h [s] from z are what the rows do in it."""
    there = 1 - here
    for k in range(count):
        a, b = seen[here, k], seen[there, k]
        s, t = h * seen[here, count + k], h * seen[there, count + k]
        off = abs(b - a - 0.5 * (s + t)) - RESOLVED * (abs(b - a) + abs(s) + abs(t))
        if off > FAINT * (abs(a) + abs(b)):
            terms = 0.0
            for j in range(z.shape[0]):
                terms += (abs(sense[c, j, k]) + h * abs(sense[c, j, count + k])) * abs(z[j])
            if off > FAINT * terms:
                return False
    return True


@light
def watch_stretch(held, c, start, end, begun, ticks, tick, course, fresh, z, seen):
    """Follow the watched rows from the state `start` for so many ticks (not a whole number) to the state `end`.

    `begun` is where in the period the stretch begins [ticks]; the other arrays are work space.
    """
    tables, count, gone, here = held[0], course.low.shape[0], 0.0, ZERO
    for i in range(start.shape[0]):
        z[i] = start[i]
    _look(tables.sense, c, z, seen, here)
    for k in range(count):
        _note(course, k, seen[here, k], begun)
    level = tables.info[c, 1]
    while gone < ticks:
        left = ticks - gone
        while level > 0 and (1 << level) > left:
            level -= 1
        step = float(1 << level)
        if step > left or left - step < 1.0:
            step = left
            for i in range(z.shape[0]):
                fresh[i] = end[i]
        else:
            propagate(tables.phi, c, level, z, fresh)
        _look(tables.sense, c, fresh, seen, 1 - here)
        h = step * tick
        fits = _fits(tables.sense, c, z, seen, here, count, h)
        if not fits and level > FINEST:
            level -= 1
            continue
        for k in range(count):
            a, b = seen[here, k], seen[1 - here, k]
            s, t = h * seen[here, count + k], h * seen[1 - here, count + k]
            course.area[k] += h * (0.5 * (a + b) + (s - t) / 12.0)
            _bends(course, k, a, b, s, t, begun + gone, step)
            _note(course, k, b, begun + gone + step)
        gone += step
        here = 1 - here
        for i in range(z.shape[0]):
            z[i] = fresh[i]
        if level < LEVELS - 1 and (fits or level < FINEST):
            level += 1
