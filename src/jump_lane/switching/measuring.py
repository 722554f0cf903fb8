"""Compiled: instants that show every signal of a stretch, and the extremes of signals between them.

A stretch is walked in steps that start as short as its fastest change wants and grow as that dies away, so that
neither a spike of a nanosecond nor a ringing falls between two of them, whatever the period.
"""

from __future__ import annotations

import numpy as np

from jump_lane.switching.clock import LEVELS
from jump_lane.switching.propagators import advance, compiled, inlined, propagate

RESOLUTION = 2e-3
"""How far trapezoids of slopes may miss the change of a signal in a step, of its peak-to-peak value; a ringing turns by
0.3 rad then."""

NEAR = 1e-2
"""Extremes within this part of a signal's peak-to-peak value of the largest are looked at exactly."""

ROUNDING = 1e-15


@compiled
def _observe(rows, z, n1, out, doubt):
    count = rows.shape[1]
    for k in range(count):
        out[k] = 0.0
        doubt[k] = 0.0
    for j in range(n1):
        factor = z[j]
        if factor != 0.0:
            for k in range(count):
                term = rows[j, k] * factor
                out[k] += term
                doubt[k] += abs(term)


@compiled
def _shown(here, there, doubt, lows, highs, h):
    """Tell whether a step shows every signal: 0 no, 1 yes, 2 yes and twice the step may do."""
    m, verdict = lows.shape[0], 2
    for k in range(m):
        s, t = here[m + k], there[m + k]
        left = abs(there[k] - here[k] - 0.5 * h * (s + t)) - ROUNDING * (doubt[k] + h * doubt[m + k])
        bent = h * abs(t - s - 0.5 * h * (here[2 * m + k] + there[2 * m + k]))
        bent -= ROUNDING * h * (doubt[m + k] + h * doubt[2 * m + k])
        missed = max(left, bent)
        allowed = RESOLUTION * (max(highs[k], there[k]) - min(lows[k], there[k]))
        if missed > allowed:
            return 0
        if 16.0 * missed > allowed:
            verdict = 1
    return verdict


@compiled
def _within(phi, c, z, part, fresh):
    """Go on by a part of a tick."""
    propagate(phi, c, 0, z, fresh)
    for i in range(z.shape[0]):
        z[i] += part * (fresh[i] - z[i])


@compiled
def walk(phi, c, start, rests, span, first, tick, rows, lows, highs, ticks, states):
    """Choose instants of a stretch; return how many, or −1 if there is no room for them.

    Parameters
    ----------
    phi, c
        Ladders, and the number of the configuration.
    start, rests, span, first
        State at the start, the parts of a tick behind the events at both ends, length [ticks], level of the first step.
    rows
        Signals, their slopes and bends as rows over [y; 1], transposed, (n+1, 3m).
    lows, highs
        Least and largest values known of the signals, updated, (m,).
    ticks, states
        Receive the instants from the start of the stretch, both ends included, and the states there.
    """
    nz, n1, m = start.shape[0], rows.shape[0], lows.shape[0]
    z, fresh = start.copy(), np.empty(nz)
    here, there, doubt = np.empty(3 * m), np.empty(3 * m), np.empty(3 * m)
    now, used, level = 0, 1, first
    ticks[0] = 0
    states[0] = z
    whole = span - 1 if rests[1] > 0.0 else span
    if span == 0:
        _within(phi, c, z, max(rests[0] - rests[1], 0.0), fresh)
        ticks[1] = 0
        states[1] = z
        return 2
    if rests[0] > 0.0:
        _within(phi, c, z, rests[0], fresh)
        ticks[1] = 0
        states[1] = z
        used = 2
    _observe(rows, z, n1, here, doubt)
    while now < whole:
        while (1 << level) > whole - now:
            level -= 1
        propagate(phi, c, level, z, fresh)
        _observe(rows, fresh, n1, there, doubt)
        verdict = _shown(here, there, doubt, lows, highs, tick * (1 << level))
        if verdict == 0 and level > 0:
            level -= 1
            continue
        if used + 1 >= ticks.shape[0]:
            return -1
        now += 1 << level
        for i in range(nz):
            z[i] = fresh[i]
            states[used, i] = fresh[i]
        ticks[used] = now
        used += 1
        here, there = there, here
        for k in range(m):
            lows[k], highs[k] = min(lows[k], here[k]), max(highs[k], here[k])
        if verdict == 2 and level < LEVELS - 1:
            level += 1
    if whole < span:
        _within(phi, c, z, 1.0 - rests[1], fresh)
        ticks[used] = span
        states[used] = z
        used += 1
    return used


@compiled
def _vertex(t0, t1, t2, f0, f1, f2):
    """Return the place and value of the vertex of a parabola through three points; the middle one if it has none."""
    a, b = t0 - t1, t2 - t1
    p, q = f0 - f1, f2 - f1
    bend = (p / a - q / b) / (a - b)
    if not bend < 0.0:
        return t1, f1
    slope = p / a - bend * a
    x = -slope / (2.0 * bend)
    if not (a < x < b):
        return t1, f1
    return t1 + x, f1 + 0.5 * slope * x


@inlined
def _value(phi, c, state, ticks, row, z, work):
    for i in range(z.shape[0]):
        z[i] = state[i]
    advance(phi, c, ticks, z, work)
    s = 0.0
    for j in range(row.shape[0]):
        s += row[j] * z[j]
    return s


@inlined
def _climb(phi, c, state, row, sign, at, values):
    """Return the largest value of sign·signal near the vertex of a parabola through three instants, to rounding."""
    low, m, high = 0, at[1] - at[0], at[2] - at[0]
    left, middle, right = values
    best = max(left, middle, right)
    z, work = np.empty(state.shape[0]), np.empty(state.shape[0])
    for _ in range(40):
        x, _ = _vertex(float(low), float(m), float(high), left, middle, right)
        t = round(x)
        if t == m and middle >= left and middle >= right:
            t = m + (high - m) // 8 if high - m > m - low else m - (m - low) // 8
        if t <= low or t >= high or t == m:
            break
        f = sign * _value(phi, c, state, t, row, z, work)
        gained, best = f - best, max(best, f)
        if t > m:
            if f >= middle:
                low, left, m, middle = m, middle, t, f
            else:
                high, right = t, f
        elif f >= middle:
            high, right, m, middle = m, middle, t, f
        else:
            low, left = t, f
        if abs(gained) <= 1e-10 * abs(best) and max(best - left, best - right) <= 1e-6 * abs(best):
            break
    return best


@compiled
def estimate(ticks, values, sign, highs):
    """Receive in `highs` the largest sign·signal of a stretch, estimated between the instants by parabolas, (m,)."""
    count, m = values.shape
    for k in range(m):
        best = max(sign * values[0, k], sign * values[count - 1, k])
        for i in range(1, count - 1):
            f0, f1, f2 = sign * values[i - 1, k], sign * values[i, k], sign * values[i + 1, k]
            best = max(best, f1)
            if f1 > f0 or f1 > f2:
                _, top = _vertex(float(ticks[i - 1]), float(ticks[i]), float(ticks[i + 1]), f0, f1, f2)
                best = max(best, top)
        highs[k] = best


@compiled
def refine(phi, c, ticks, states, values, rows, sign, wanted, best):
    """Raise `best` to the exact largest sign·signal of a stretch, wherever an estimate reaches `wanted`, (m,)."""
    count, m = values.shape
    for k in range(m):
        best[k] = max(best[k], sign * values[0, k], sign * values[count - 1, k])
        for i in range(1, count - 1):
            f0, f1, f2 = sign * values[i - 1, k], sign * values[i, k], sign * values[i + 1, k]
            best[k] = max(best[k], f1)
            if f1 <= f0 and f1 <= f2:
                continue
            _, top = _vertex(float(ticks[i - 1]), float(ticks[i]), float(ticks[i + 1]), f0, f1, f2)
            if top >= wanted[k] and top > max(f0, f1, f2):
                found = _climb(phi, c, states[i - 1], rows[k], sign, ticks[i - 1 : i + 2], (f0, f1, f2))
                best[k] = max(best[k], found)


@compiled
def quarters(phi, c, ticks, states, out):
    """Receive the states at a quarter, half and three quarters of every step of a stretch, (3·(count−1), nz)."""
    z, work = np.empty(states.shape[1]), np.empty(states.shape[1])
    for i in range(ticks.shape[0] - 1):
        span = ticks[i + 1] - ticks[i]
        now = 0
        z[:] = states[i]
        for q in range(3):
            after = span * (q + 1) // 4
            advance(phi, c, after - now, z, work)
            now = after
            out[3 * i + q] = z
