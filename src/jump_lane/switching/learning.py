"""Compiled: what a combination of valves makes of everything that is looked at."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from jump_lane.switching.clock import PERIOD
from jump_lane.switching.nodal import product
from jump_lane.switching.propagators import compiled
from jump_lane.switching.solving import Stamp, branch_rows, work_out
from jump_lane.switching.tables import enter

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


@compiled
def _show(stamp, wanted, combo, unknowns, period, out, at):
    """Write wanted signals as rows over [y; 1]; only the constant column, and to entry `at` of z, if that is given."""
    if wanted.shape[0] == 0:
        return
    voltage, current = branch_rows(stamp, combo, unknowns)
    n = unknowns.shape[1] - 1
    for k in range(wanted.shape[0]):
        row, kind = wanted[k]
        for j in range(n + 1):
            value = 0.0
            if kind == CURRENT:
                value = current[row, j]
            elif kind == VOLTAGE:
                value = voltage[row, j]
            elif kind == POTENTIAL:
                value = unknowns[row, j]
            elif at < 0 and j == n:
                value = 1.0 / period
            if at < 0:
                out[k, j] = value
            elif j == n:
                out[k, at] = value


@compiled
def _of_input(model, k):
    """Return the equations where one input is 1 and all other sources and forward voltages are zero."""
    s = model.stamp
    return Stamp(
        s.k, model.input_r[k], s.incidence, s.across, s.resistance, model.input_source[k], s.flow, s.valve_flow, s.drop,
        s.branch_nodes, s.current_unknown, model.input_known[k], s.inner, s.bars, s.gated, s.barring, s.saturating,
    )  # fmt: skip


@compiled
def learn(model, tables, index, combo, sizes, tick):
    """Work out the configuration of `combo` and put it into row `index` of the tables."""
    kind, rate, projection, guards, impulses, unknowns = work_out(model.stamp, combo)
    n, nz, d = sizes.n, sizes.nz, sizes.natural
    moving, entered = np.zeros((nz, nz)), np.zeros((n, nz))
    watched, burst = np.zeros((d + sizes.trips, nz)), np.zeros((d, nz))
    sense, metered = np.zeros((model.signals.shape[0], nz)), np.zeros((sizes.meters, nz))
    moving[: n + 1, : n + 1] = rate
    entered[:, : n + 1] = projection
    watched[:d, : n + 1] = guards
    burst[:, : n + 1] = impulses
    period = tick * PERIOD
    _show(model.stamp, model.signals, combo, unknowns, period, sense, -1)
    _show(model.stamp, model.meters, combo, unknowns, period, metered, -1)
    for k in range(model.inputs.shape[0]):
        at, alone = model.inputs[k], _of_input(model, k)
        _, rate, projection, guards, impulses, unknowns = work_out(alone, combo)
        moving[:n, at] = rate[:n, n]
        entered[:, at] = projection[:, n]
        watched[:d, at] = guards[:, n]
        burst[:, at] = impulses[:, n]
        _show(alone, model.signals, combo, unknowns, period, sense, at)
        _show(alone, model.meters, combo, unknowns, period, metered, at)
    moving[n + 1 : n + 1 + sizes.meters] = metered
    if model.beside.shape[0] > 0:
        moving[n + 1 + sizes.meters :] = model.beside + product(model.sensing, sense)
    if sizes.trips > 0:
        watched[d:] = model.guards + product(model.comparing, sense)
    shown = model.shown
    if shown.shape[0] > 0:
        shown = shown + product(model.showing, sense)
    first = n + 1 + sizes.meters
    enter(
        tables, index, combo, kind, moving, entered, watched, burst, shown, (first, first + sizes.laws), tick
    )
