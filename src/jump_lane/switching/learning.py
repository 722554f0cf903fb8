"""Compiled: what a combination of valves makes of everything that is looked at."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from jump_lane.switching.apart import Apart, laid
from jump_lane.switching.clock import PERIOD
from jump_lane.switching.commutation import Sizes
from jump_lane.switching.nodal import product
from jump_lane.switching.propagators import ZERO, compiled, light
from jump_lane.switching.solving import Stamp, signal_rows, work_out
from jump_lane.switching.tables import Tables, enter

CURRENT, VOLTAGE, POTENTIAL, CLOCK = 0, 1, 2, 3
"""Kinds of signals: of a branch, of a node, and the part of the base period that has gone by."""


class Model(NamedTuple):
    """The nodal equations, and what is looked at.

    With m meters, s signals, x states of a law and k trips:

    Attributes
    ----------
    meters, signals
        Number of the branch or node, and kind of the signal, (m, 2) and (s, 2).
    beside, sensing
        Derivatives of the states of the law from z, (x, nz), and from the signals, (x, s).
    guards, comparing
        Guards of the trips from z, (k, nz), and from the signals, (k, s).
    shown, showing
        Rows that are watched from z, (w, nz), and from the signals, (w, s).
    inputs
        Entries of z that stand for increments of sources, (i,).
    input_r, input_source, input_known
        What replaces `Stamp.r`, `Stamp.source` and `Stamp.current_known` where the source is 1 and all others are zero.
    rest
        States of the circuit at rest, (n,), see `rest.states_at_rest`.
    learning
        Where `LEARNING` is.
    """

    stamp: Stamp
    meters: NDArray[np.int64]
    signals: NDArray[np.int64]
    beside: NDArray[np.float64]
    sensing: NDArray[np.float64]
    guards: NDArray[np.float64]
    comparing: NDArray[np.float64]
    shown: NDArray[np.float64]
    showing: NDArray[np.float64]
    inputs: NDArray[np.int64]
    input_r: NDArray[np.float64]
    input_source: NDArray[np.float64]
    input_known: NDArray[np.float64]
    rest: NDArray[np.float64]
    learning: int = 0


class Lesson(NamedTuple):
    """What is to be learnt: a combination of valves, into a row of the tables."""

    model: Model
    tables: Tables
    sizes: Sizes
    row: int
    combo: int
    tick: float


@compiled
def _of_input(model, k):
    """Return the equations where one input is 1 and all other sources and forward voltages are zero."""
    s = model.stamp
    return Stamp(
        s.k, model.input_r[k], s.incidence, s.across, s.resistance, model.input_source[k], s.flow, s.valve_flow, s.drop,
        s.branch_nodes, s.current_unknown, model.input_known[k], s.inner, s.bars, s.gated, s.barring, s.saturating,
    )  # fmt: skip


@light
def _put(rows, out, first, at):
    """Write rows over [y; 1], from one column on, as rows over z, from one entry on."""
    for i in range(rows.shape[0]):
        for j in range(first, rows.shape[1]):
            out[i, at + j - first] = rows[i, j]


@light
def _pick(signals, branches, wanted, out, first, at):
    """Put those of all signals that are wanted."""
    for k in range(wanted.shape[0]):
        row, kind = wanted[k]
        if kind == CURRENT:
            row += branches
        elif kind == POTENTIAL:
            row += 2 * branches
        if kind != CLOCK:
            _put(signals[row : row + 1], out[k : k + 1], first, at)


def _learn(lesson):
    """Work out the configuration of a combination, and put it into its row of the tables."""
    model, tables, sizes, index, combo, tick = lesson[0]
    n, nz, d, branches = sizes.n, sizes.nz, sizes.natural, model.stamp.branch_nodes.shape[0]
    moving, entered = np.zeros((nz, nz)), np.zeros((n, nz))
    watched, burst = np.zeros((d + sizes.trips, nz)), np.zeros((d, nz))
    sense, metered = np.zeros((model.signals.shape[0], nz)), np.zeros((sizes.meters, nz))
    result = ZERO
    for k in range(ZERO - 1, model.inputs.shape[0]):
        stamp = model.stamp if k < 0 else _of_input(model, k)
        first, at = (0, 0) if k < 0 else (n, model.inputs[k])
        kind, rate, projection, guards, impulses, unknowns = work_out(stamp, combo)
        signals = signal_rows(stamp, combo, unknowns)
        if k < 0:
            result = kind
            tables.signals[index] = signals
        _put(rate, moving, first, at)
        _put(projection, entered, first, at)
        _put(guards, watched, first, at)
        _put(impulses, burst, first, at)
        _pick(signals, branches, model.signals, sense, first, at)
        _pick(signals, branches, model.meters, metered, first, at)
    for k in range(sizes.meters):
        if model.meters[k, 1] == CLOCK:
            metered[k, n] = 1.0 / (tick * PERIOD)
    moving[n + 1 : n + 1 + sizes.meters] = metered
    if model.beside.shape[0] > 0:
        moving[n + 1 + sizes.meters :] = model.beside + product(model.sensing, sense)
    if sizes.trips > 0:
        watched[d:] = model.guards + product(model.comparing, sense)
    shown = model.shown
    if shown.shape[0] > 0:
        shown = shown + product(model.showing, sense)
    laws = (n + 1 + sizes.meters, n + 1 + sizes.meters + sizes.laws)
    enter(tables, index, combo, result, moving, entered, watched, burst, shown, laws, model.rest, tick)
    return 0


LEARNING = Apart(_learn, allocates=True)
_at = LEARNING.calling()


@light
def learn(model, tables, sizes, row, combo, tick):
    """Work out the configuration of a combination, and put it into a row of the tables."""
    _at(model.learning, laid(Lesson(model, tables, sizes, row, combo, tick)))
