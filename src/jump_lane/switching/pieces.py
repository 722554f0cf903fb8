"""Periodic steady state of a circuit that is unstable by itself, by Newton's method on pieces of the period.

What a start is off may grow a millionfold within a period; within a piece between two gate edges it does not.  Every piece
starts from a state of its own, and that each ends where the next one starts joins the equations.

References
----------
M. R. Osborne, "On shooting methods for boundary value problems", J. Math. Anal. Appl. 27 (1969) 417-433
(multiple shooting).
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from jump_lane.errors import ConvergenceError
from jump_lane.switching import journey
from jump_lane.switching.engine import Engine
from jump_lane.switching.network import Array
from jump_lane.switching.runs import Pieces
from jump_lane.switching.shooting import FINE, LAST

RESIDUAL = 1e-13
ACCEPTED = 1e-9
"""Gate edges fall on ticks, 1.5e-11 of the period: what that leaves grows within a piece."""

MOST = 40
HALVINGS = 8


@dataclass(frozen=True)
class Joined:
    """Starts of the pieces, (pieces, nz), combination and control, the run, and what does not close (relative)."""

    starts: Array
    combo: int
    control: float
    run: Pieces
    missing: Array
    off: float
    scale: float
    size: float
    steps: int = 0


def cuts(engine: Engine, control: float) -> list[int]:
    """Return the edges at which a period can be cut into pieces: those that the control does not move."""
    return [int(k) for k in np.flatnonzero(engine.schedule(control).slopes == 0.0) if k > 0]


def run_pieces(engine: Engine, starts: Array | None, z: Array, combo: int, control: float) -> Pieces:
    """Run one period in pieces between the edges of `cuts`, with tangents.

    Parameters
    ----------
    starts
        State at the start of each piece, (pieces, nz); None lets each go on where the last one ended, from z.
    z, combo, control
        As in `Engine.run`.

    Raises
    ------
    NoResultError
        As `Engine.run` does, and if there is another number of pieces.
    """
    whole = engine.schedule(control)
    bounds = [0, *cuts(engine, control), len(whole.masks)]
    if starts is not None and len(starts) != len(bounds) - 1:
        raise ConvergenceError("the gate edges have changed their number")
    ends, tangents, used, before = [], [], 0, -1
    for k, (first, last) in enumerate(pairwise(bounds)):
        edges = whole.part(last, whole.drift if last == bounds[-1] else 0.0)
        mark = engine.mark(z if starts is None else starts[k], combo, edges, True)
        if first > 0:
            at = int(whole.ticks[first])
            mark.place[:6] = first - 1, at, at, combo, before, used
        combo = engine.go_on(mark, edges, True)
        used, before = (int(at) for at in mark.place[[journey.USED, journey.CONFIGURATION]])
        z = mark.state.copy()
        ends.append(z)
        tangents.append(mark.tangent)
    return Pieces(np.array(ends), np.array(tangents), combo, used, int(mark.place[journey.TICK]))


def starts(engine: Engine, z: Array, combo: int, control: float) -> Array:
    """Return where the pieces start if each goes on where the last one ended, (pieces, nz); see `run_pieces`."""
    plain = run_pieces(engine, None, z, combo, control)
    return np.vstack([z, plain.ends[:-1]])


def close(
    engine: Engine,
    starts: Array,
    combo: int,
    control: float,
    target: float | None,
    furthest: float = math.inf,
) -> Joined:
    """Return pieces that close, from starts near those of a steady state.

    Parameters
    ----------
    starts, combo, control
        States at the starts of the pieces, (pieces, nz), valves that conducted before the period, control variable.
    target
        What the average of the engine's meter is held at by the control variable; None leaves that as it is.
    furthest
        By how much the control may move in a step.

    Raises
    ------
    ConvergenceError
        If they do not close to 1e-9 of the largest state and of the target.
    """
    here, latest = _evaluated(engine, starts, combo, control, target), True
    for step in range(MOST):
        better = _searched(engine, here, target, furthest) if here.size >= RESIDUAL else None
        if better is None:
            latest = here.size < RESIDUAL
            break
        last = here.size < LAST and better.size < FINE
        here = replace(better, steps=step + 1)
        if last:
            break
    if not here.size < ACCEPTED:
        raise ConvergenceError(
            f"no periodic steady state found: the pieces of the period miss each other by {here.size:.1e}"
        )
    if latest:
        return here
    # the record of the engine is that of its last run
    return replace(_evaluated(engine, here.starts, combo, here.control, target), steps=here.steps)


def _evaluated(engine: Engine, starts: Array, combo: int, control: float, target: float | None) -> Joined:
    run = run_pieces(engine, starts, starts[0], combo, control)
    n = engine.n
    missing = run.ends[:, :n] - np.roll(starts[:, :n], -1, axis=0)
    scale = max(float(np.abs(starts[:, :n]).max()), 1e-150)
    off = 0.0
    if target is not None:
        off = float(run.ends[:, n + 1].sum()) / (run.length * engine.tick) - target
    relative = off / max(abs(target or 0.0), 1e-12)
    size = math.hypot(float(np.linalg.norm(missing)) / scale, relative)
    if not math.isfinite(size):
        raise ConvergenceError("the state grows beyond all bounds")
    return Joined(starts, combo, control, run, missing, off, scale, size)


def _searched(engine: Engine, here: Joined, target: float | None, furthest: float) -> Joined | None:
    """Return a better point along the step of Newton's method, None if there is none."""
    step, moved = _step(engine, here, target)
    fraction = min(1.0, furthest / max(abs(moved), 1e-300))
    for _ in range(1 if here.size < ACCEPTED else HALVINGS):
        starts = here.starts.copy()
        starts[:, : engine.n] += fraction * step
        try:
            trial = _evaluated(engine, starts, here.combo, here.control + fraction * moved, target)
        except ConvergenceError:
            trial = None
        if trial is not None and trial.size < here.size * (1.0 - 0.1 * fraction):
            return trial
        fraction *= 0.5
    return None


def _step(engine: Engine, here: Joined, target: float | None) -> tuple[Array, float]:
    """Return Newton's step of the starts, (pieces, n), and of the control."""
    n, count = engine.n, len(here.starts)
    period = here.run.length * engine.tick
    size = n * count + (target is not None)
    weight = 0.0 if target is None else here.scale / (max(abs(target), 1e-12) * period)
    matrix, right = np.zeros((size, size)), np.zeros(size)
    for k in range(count):
        rows = slice(n * k, n * (k + 1))
        after = n * ((k + 1) % count)
        matrix[rows, rows] += here.run.tangents[k, :n, :n].T
        matrix[rows, after : after + n] -= np.eye(n)
        right[rows] = -here.missing[k]
        if target is not None:
            matrix[rows, -1] = here.run.tangents[k, n, :n]
            matrix[-1, rows] = weight * here.run.tangents[k, :n, n + 1]
            matrix[-1, -1] += weight * here.run.tangents[k, n, n + 1]
    if target is not None:
        moved = engine.schedule(here.control).drift * engine.circuit.period
        matrix[-1, -1] -= weight * (here.off + target) * moved
        right[-1] = -here.off * here.scale / max(abs(target), 1e-12)
    columns = np.maximum(np.abs(matrix).max(axis=0), 1e-300)
    if not np.isfinite(matrix).all():
        raise ConvergenceError("the derivatives of the period have grown beyond all bounds")
    solved = np.linalg.lstsq(matrix / columns, right, rcond=1e-15)[0] / columns
    return solved[: n * count].reshape(count, n), float(solved[-1]) if target is not None else 0.0
