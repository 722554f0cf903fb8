"""Settling from a starting state, period by period, as the circuit itself would."""

from __future__ import annotations

import numpy as np

from jump_lane.circuit.circuit import Circuit, validate
from jump_lane.switching.engine import Engine
from jump_lane.switching.record import Recording

AT_ONCE = 1000
"""Periods whose ends are kept together."""


def settle(circuit: Circuit, periods: int, start: dict[str, float] | None = None) -> tuple[Recording, float]:
    """Run a circuit from a starting state at its value of the control variable.

    Parameters
    ----------
    periods
        How many periods, 1 or more.
    start
        States to start from, by element name [A for inductors, V for capacitors]; zero if not named.

    Returns
    -------
    tuple of Recording and float
        The last period, and how far its states still move, relative to their size (energy norm) [1].

    Raises
    ------
    InputError, NoResultError
        As for the steady state.
    """
    validate(circuit)
    engine = Engine(circuit)
    z, combo = engine.start(start or {}), 0
    left = periods - 1
    while left > 0:
        ends, combo = engine.settle(z, combo, circuit.control, min(left, AT_ONCE))
        z, left = ends[-1], left - AT_ONCE
    run = engine.run(z, combo, circuit.control, tangents=False)
    n = engine.n
    size = max(float(np.linalg.norm(run.end[:n])), 1e-300)
    return Recording(engine, engine.trace(run)), float(np.linalg.norm(run.end[:n] - z[:n])) / size
