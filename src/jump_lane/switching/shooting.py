"""Compiled: periods run one after another, what is met on the way worked out, and the step of Newton's method."""

from __future__ import annotations

import numpy as np

from jump_lane.switching.apart import laid
from jump_lane.switching.clock import PERIOD
from jump_lane.switching.commutation import AT, FULL, JUMPS, MISSING, OK, Sizes, apply
from jump_lane.switching.journey import CONFIGURATION, TICK, USED, Journey, Kit, begin
from jump_lane.switching.learning import learn
from jump_lane.switching.nodal import eliminate
from jump_lane.switching.propagators import compiled, inlined, light
from jump_lane.switching.stepping import run_periods
from jump_lane.switching.tables import free_row

MOST = 60
"""Steps of Newton's method at once."""

CHORD, GAINED, FINE = 2e-4, 0.05, 1e-12
"""A period that closes to the first goes on with its tangents; as long as each closes to the second part of the one before,
or to the third, where rounding may stop it."""

LAST = 3e-8
"""A step with the tangents of a period that closes to this leaves rounding alone, if what it leads to is that small."""

PLAIN = 2
"""Periods that a circuit runs on from a guess that is not close: what charges fast has found its place then."""


@inlined
def _move_end(kit, shift):
    """Add what a moving end of the period contributes to the tangent column of the control; it moves by so much per unit [s]."""
    last, rate = kit.sizes.columns - 1, kit.room.fresh
    apply(kit.tables.rate, kit.mark.place[CONFIGURATION], kit.mark.state, rate)
    for i in range(kit.sizes.nz):
        kit.mark.tangent[last, i] += rate[i] * shift


@inlined
def _move_free_end(kit, last):
    """Add what an end of the period that the last edge brings contributes to every tangent column."""
    rate = kit.room.fresh
    apply(kit.tables.rate, kit.mark.place[CONFIGURATION], kit.mark.state, rate)
    for m in range(kit.sizes.columns):
        for i in range(kit.sizes.nz):
            kit.mark.tangent[m, i] += rate[i] * kit.mark.moved[last, m]


@inlined
def run_on(model, kit, edges):
    """Run from and to the mark; see `stepping._run`.  Returns status and combination.  MISSING now means that the tables are full."""
    journey = laid(Journey(kit, edges))
    while True:
        status = run_periods(kit.running, journey)
        at = kit.stats[AT]
        if status == OK and edges.drift != 0.0 and kit.sizes.columns > 0:
            _move_end(kit, edges.drift * PERIOD * kit.tick)
        if status == OK and edges.free and kit.sizes.columns > 0:
            _move_free_end(kit, edges.masks.shape[0] - 1)
        if status != MISSING:
            return status, at
        index = free_row(kit.tables.info)
        if index < 0:
            return status, at
        learn(model, kit.tables, kit.sizes, index, at, kit.tick)


@light
def entry(sizes, i):
    """Return which entry of z is the i-th unknown: states of the circuit, then those of its law."""
    return i if i < sizes.n else i + 1 + sizes.meters


@compiled
def gap(start, end, states, used, sizes):
    """Return how far a period is from closing, its unknowns, (u,), the largest state of the circuit in it, and weights.

    Those of the states of a law bring each to the size of the largest state of the circuit.
    """
    n, count = sizes.n, sizes.n + sizes.laws
    out, weights, scale = np.empty(count), np.ones(count), 1e-150
    for k in range(used):
        for i in range(n):
            scale = max(scale, abs(states[k, i]))
    for i in range(count):
        at = entry(sizes, i)
        out[i] = end[at] - start[at]
        if i >= n:
            large = 1e-150
            for k in range(used):
                large = max(large, abs(states[k, at]))
            weights[i] = scale / (1.0 + large)
    return out, scale, weights


@compiled
def newton(tangent, missing, weights, sizes, held, weight):
    """Return whether the equations of Newton's method are independent, their matrix and right-hand side, and the step.

    ``tangent`` holds the derivatives of the end state, a row for each unknown; ``missing`` what does not close.  With a
    weight, the last unknown is the control and ``held`` (times the weight) the last equation.
    """
    n = missing.shape[0]
    count = n + 1 if weight > 0.0 else n
    matrix, right = np.zeros((count, count)), np.zeros((count, 1))
    for i in range(n):
        for j in range(count):
            matrix[i, j] = tangent[j, entry(sizes, i)] * weights[i]
        matrix[i, i] -= weights[i]
        right[i, 0] = -missing[i] * weights[i]
    if weight > 0.0:
        for j in range(count):
            matrix[n, j] = tangent[j, sizes.n + 1] * weight
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
def shoot(model, kit, edges, start, combo, target):
    """Run one period with tangents from `start`, and find how far it is from closing.

    Returns status and combination as `run_on`, what does not close, (u,), its scale, how far the average of the meter is
    off its target (none if that is not a number), the size of both, whether the equations of Newton's method are
    independent, its step, and weights of what does not close.
    """
    sizes, mark = kit.sizes, kit.mark
    for i in range(start.shape[0]):
        mark.state[i] = start[i]
    begin(mark, sizes, combo, kit.tables.info)
    kit.stats[JUMPS] = 0
    status, at = run_on(model, kit, edges)
    if status != OK:
        return status, at, np.zeros(0), 0.0, 0.0, np.inf, False, np.zeros(0), np.zeros(0)
    period = kit.tick * mark.place[TICK]
    missing, scale, weights = gap(start, mark.state, kit.record.state, mark.place[USED], sizes)
    size, off, weight = 0.0, 0.0, 0.0
    for i in range(missing.shape[0]):
        size += (missing[i] * weights[i] / scale) ** 2
    if np.isfinite(target):
        wanted, n = max(abs(target), 1e-12), sizes.n
        mark.tangent[missing.shape[0], n + 1] -= mark.state[n + 1] / period * edges.drift * PERIOD * kit.tick
        off = mark.state[n + 1] / period - target
        size += (off / wanted) ** 2
        weight = scale / (wanted * period)
    sound, _, _, step = newton(mark.tangent, missing, weights, sizes, off * period, weight)
    return status, at, missing, scale, off, np.sqrt(size), sound, step, weights


@compiled
def close(model, kit, edges, start, combo, nearby, residual):
    """Go on by whole steps of Newton's method, at a fixed control, as long as each closes better.

    From the guess itself if it closes to `nearby`, or from two periods later if that closes better.  Returns what `shoot` makes
    of the last period, the state at its start and the combination before it.
    """
    last = shoot(model, kit, edges, start, combo, np.nan)
    if last[0] == OK and not last[5] < nearby:
        mark, later, status = kit.mark, combo, OK
        for i in range(start.shape[0]):
            mark.state[i] = start[i]
        for _ in range(PLAIN):
            begin(mark, kit.sizes, later, kit.tables.info)
            status, later = run_on(model, kit, edges)
            if status != OK:
                return (status, later, *last[2:], start, combo)
        trial = mark.state.copy()
        found = shoot(model, kit, edges, trial, later, np.nan)
        if found[0] != OK:
            return (*found, start, combo)
        if found[5] < last[5]:
            start, combo, last = trial, later, found
        else:
            last = shoot(model, kit, edges, start, combo, np.nan)
    return _descended(model, kit, edges, start, combo, last, residual)


@inlined
def _descended(model, kit, edges, start, combo, last, residual):
    """Go on as `close` does, from a period that has been run.

    Close to the end the tangents hardly change any more: periods are run without them, and the last ones serve.
    """
    near, mine = CHORD, kit.sizes
    sizes = Sizes(
        mine.n, mine.nz, mine.gated, mine.natural, 0, mine.trips, mine.meters, mine.laws, mine.energy
    )
    plain = Kit(
        kit.tables, sizes, kit.tick, kit.record, kit.stats, kit.mark, kit.room, kit.courses, kit.running
    )
    for _ in range(MOST):
        if last[0] != OK or not last[6] or last[5] < residual:
            break
        trial, chord = start.copy(), last[5] < near
        for i in range(last[7].shape[0]):
            trial[entry(kit.sizes, i)] += last[7][i]
        found = shoot(model, plain if chord else kit, edges, trial, last[1], np.nan)
        if found[0] == MISSING or found[0] == FULL:
            return (*found, start, combo)
        better = found[0] == OK and found[5] < (GAINED if chord else 0.9) * last[5]
        if better or (chord and found[0] == OK and found[5] < residual):
            done = last[5] < LAST and found[5] < FINE and not chord
            start, combo, last = trial, last[1], found
            if done:
                break
        elif chord and last[5] >= FINE:
            near = 0.0
            last = shoot(model, kit, edges, start, combo, np.nan)
        else:
            last = shoot(model, plain if chord else kit, edges, start, combo, np.nan)
            break
    return (*last, start, combo)
