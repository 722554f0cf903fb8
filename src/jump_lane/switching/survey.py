"""Compiled: what the stretches of a recorded period show, all signals at instants that show them, and their extremes."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from jump_lane.switching.measuring import NEAR, estimate, refine, walk
from jump_lane.switching.nodal import part, product
from jump_lane.switching.propagators import ZERO, compiled, inlined, light, propagate
from jump_lane.switching.solving import closed_valves

FAINT = 1e-9
"""Signals are shown down to this part of the largest voltage or current."""

ROOM = 256
"""Instants that there is room for at first."""

LEAST = 4
"""Instants that a stretch needs room for at least: both its ends, a tick behind the first and a step."""


class Outline(NamedTuple):
    """What k stretches in c configurations are, of a circuit with s signals.

    Attributes
    ----------
    order, which
        The configurations met, ascending, (c,), and which of these each stretch is in, (k,).
    on
        Which of the p valves conduct in every configuration, (c, p).
    rows
        Every signal as a row over [y; 1] in every configuration, (c, s, n+1).
    origins
        States at the ticks on which the stretches start, (k, nz); their events may lie within the ticks before, and the next
        ones too: then it is the state at the end.
    """

    order: NDArray[np.int64]
    which: NDArray[np.int64]
    on: NDArray[np.bool_]
    rows: NDArray[np.float64]
    origins: NDArray[np.float64]


class Survey(NamedTuple):
    """What k stretches show of s signals at i instants.

    Attributes
    ----------
    first
        Where the instants of each stretch begin, and the end of the last, (k+1,).
    ticks, states, values
        The instants from the start of their stretch, both ends included, (i,), states, (i, nz), and signals, (i, s).
    lows, highs
        Least and largest values of all signals in every stretch, good to 1e-4, (k, s).
    """

    first: NDArray[np.int64]
    ticks: NDArray[np.int64]
    states: NDArray[np.float64]
    values: NDArray[np.float64]
    lows: NDArray[np.float64]
    highs: NDArray[np.float64]


@inlined
def _conducting(stamp, info, order):
    """Return which valves conduct in every configuration, (c, p)."""
    out = np.empty((order.shape[0], stamp.incidence.shape[0]), dtype=np.bool_)
    for c in range(order.shape[0]):
        said, barred = closed_valves(stamp, info[order[c], 0])
        for i in range(said.shape[0]):
            out[c, i] = said[i] and not barred[i]
    return out


@inlined
def _watched(rows, rate, count):
    """Return the first signals, their slopes and bends as rows over [y; 1], transposed, (n+1, 3·count)."""
    width = rows.shape[1]
    plain = part(rows, 0, count, 0, width)
    slopes = product(plain, part(rate, 0, width, 0, width))
    bends = product(slopes, part(rate, 0, width, 0, width))
    out = np.empty((width, 3 * count))
    for i in range(width):
        for k in range(count):
            out[i, k], out[i, count + k], out[i, 2 * count + k] = plain[k, i], slopes[k, i], bends[k, i]
    return out


@light
def _observe(rows, c, z, out):
    """Write the first signals in a configuration at z, as many as there is room for."""
    for m in range(out.shape[0]):
        s = 0.0
        for j in range(rows.shape[2]):
            s += rows[c, m, j] * z[j]
        out[m] = s


@inlined
def _starting(rows, which, states, branches):
    """Return least and largest values at the starts of the stretches of all voltages and currents, a faint part apart."""
    count = 2 * branches
    lows, highs, values = np.full(count, np.inf), np.full(count, -np.inf), np.empty(count)
    largest = np.full(2, 1e-150)
    for k in range(which.shape[0]):
        _observe(rows, which[k], states[k], values)
        for m in range(count):
            lows[m], highs[m] = min(lows[m], values[m]), max(highs[m], values[m])
            largest[m // branches] = max(largest[m // branches], abs(values[m]))
    for m in range(count):
        highs[m] += FAINT * largest[m // branches]
    return lows, highs


@inlined
def _origins(phi, configurations, states, rests, durations):
    """Return the states at the ticks on which stretches start, or where one ends before that."""
    out, whole = states.copy(), np.empty(states.shape[1])
    for k in range(states.shape[0]):
        part = rests[k] if durations[k] > 0 else max(rests[k] - rests[k + 1], 0.0)
        if part != 0.0:
            propagate(phi, configurations[k], 0, states[k], whole)
            for i in range(states.shape[1]):
                out[k, i] += part * (whole[i] - states[k, i])
    return out


@compiled
def _longer(ticks, states, used):
    """Return twice the room, with what is there."""
    more = 2 * ticks.shape[0]
    wide, tall = np.empty(more, dtype=np.int64), np.empty((more, states.shape[1]))
    wide[:used], tall[:used] = ticks[:used], states[:used]
    return wide, tall


@compiled
def outline(stamp, tables, trace, rests, durations):
    """Return the `Outline` of a recorded period: configurations and states at the starts of its stretches in `trace`.

    ``rests`` are the parts of a tick behind the events that start them, with none at the end, (k+1,); ``durations`` their
    lengths [ticks], (k,).
    """
    configurations, starts = trace
    order = np.unique(configurations)
    which = np.searchsorted(order, configurations)
    on = _conducting(stamp, tables.info, order)
    origins = _origins(tables.phi, configurations, starts, rests, durations)
    return Outline(order, which, on, tables.signals[order], origins)


@compiled
def survey(drawn, branches, tables, trace, rests, durations, tick):
    """Return the `Survey` of a recorded period of which an `Outline` was drawn; all else as for that."""
    configurations, starts = trace
    order, which, rows = drawn.order, drawn.which, drawn.rows
    watched = [_watched(rows[c], tables.rate[order[c]], 2 * branches) for c in range(order.shape[0])]
    least, most = _starting(rows, which, starts, branches)
    count, signals = which.shape[0], rows.shape[1]
    first, used = np.zeros(count + 1, dtype=np.int64), ZERO
    ticks, states = np.empty(ROOM, dtype=np.int64), np.empty((ROOM, starts.shape[1]))
    for k in range(count):
        c, more = configurations[k], -1
        while more < 0:
            if ticks.shape[0] - used < LEAST:
                ticks, states = _longer(ticks, states, used)
            more = walk(
                tables.phi, c, starts[k], rests[k : k + 2], durations[k], tables.info[c, 1], tick,
                watched[which[k]], least, most, ticks[used:], states[used:],
            )  # fmt: skip
            if more < 0:
                ticks, states = _longer(ticks, states, used)
        used += more
        first[k + 1] = used
    values = np.empty((used, signals))
    lows, highs = np.empty((count, signals)), np.empty((count, signals))
    for k in range(count):
        a, b = first[k], first[k + 1]
        for i in range(a, b):
            _observe(rows, which[k], states[i], values[i])
        estimate(ticks[a:b], values[a:b], 1.0, highs[k])
        estimate(ticks[a:b], values[a:b], -1.0, lows[k])
        for m in range(signals):
            lows[k, m] = -lows[k, m]
    return Survey(first, ticks[:used].copy(), states[:used].copy(), values, lows, highs)


@compiled
def extremes(phi, drawn, seen):
    """Return the exact least and largest values of all signals over the period, (s,) each."""
    signals = drawn.rows.shape[1]
    near, wanted = np.empty(signals), np.empty(signals)
    out = np.full((2, signals), -np.inf)
    for m in range(signals):
        near[m] = NEAR * (seen.highs[:, m].max() - seen.lows[:, m].min())
    for side in range(2):
        sign = 2.0 * side - 1.0
        for m in range(signals):
            wanted[m] = (seen.highs[:, m].max() if side else -seen.lows[:, m].min()) - near[m]
        for k in range(drawn.which.shape[0]):
            a, b, at = seen.first[k], seen.first[k + 1], drawn.which[k]
            refine(
                phi, drawn.order[at], seen.ticks[a:b], seen.states[a:b], seen.values[a:b], drawn.rows[at], sign, wanted,
                out[side],
            )  # fmt: skip
    for m in range(signals):
        out[0, m] = -out[0, m]
    return out
