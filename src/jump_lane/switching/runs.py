"""What an engine returns: periods run, shots at a steady state, stretches."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from jump_lane.errors import ConvergenceError, NoResultError, UnsolvableError
from jump_lane.switching import commutation, flowing, stepping
from jump_lane.switching.configuration import conducting
from jump_lane.switching.network import Array, Network


@dataclass(frozen=True)
class Trace:
    """Stretches without an event: start tick, configuration number, state there (energy coordinates), what began them.

    An event lies within a tick; ``rests`` is the part of that tick behind it.  A cause is the natural valve that flipped, or
    `journey.EDGE` minus the edge, or `journey.NO_CAUSE`.
    """

    ticks: NDArray[np.int64]
    configurations: NDArray[np.int64]
    states: Array
    rests: Array
    length: int
    """Ticks in the period."""
    causes: NDArray[np.int64]

    @cached_property
    def durations(self) -> NDArray[np.int64]:
        """Length of each stretch [ticks]."""
        return np.diff(np.append(self.ticks, self.length))


@dataclass(frozen=True)
class Run:
    """One period: state and combination at its end, tangent columns (last one: the control), number of stretches, ticks."""

    end: Array
    combo: int
    tangent: Array
    stretches: int
    length: int


@dataclass(frozen=True)
class Shot:
    """One period with what does not close, (u,), its scale, and the step of Newton's method (None: not independent).

    ``off`` is how far the average of the meter is from its target, ``size`` both together relative to their scales, and
    ``weights``, (u,), bring what does not close to one scale.
    """

    run: Run
    missing: Array
    off: float
    scale: float
    size: float
    step: Array | None
    weights: Array


@dataclass(frozen=True)
class Pieces:
    """One period in pieces that each start from a state of their own.

    ``ends``: (pieces, nz); ``tangents``: of each piece as in `Run`; ``combo``: at the end; ``stretches``: of all.
    """

    ends: Array
    tangents: Array
    combo: int
    stretches: int
    length: int


@dataclass
class Statistics:
    """What the simulator did, for the curious and for benchmarks."""

    products: int = 0
    jumps: int = 0


def failure(status: int, combo: int, network: Network) -> NoResultError:
    """Return why a run ended early; ``combo`` is the combination of valves that it met last."""
    closed = conducting(combo, network)
    names = ", ".join(v.name for v, c in zip(network.valves, closed, strict=True) if c) or "nothing"
    if status == commutation.DIVERGED:
        return ConvergenceError("the state has grown beyond all bounds")
    if status == commutation.ENDLESS:
        return ConvergenceError(
            f"more than {flowing.MOST_STEPS:,} steps between two commutations (with {names} conducting): a ringing that "
            "nothing damps, or a state so far from what the circuit makes that rounding hides what its valves do"
        )
    if status == commutation.UNSOLVABLE:
        return UnsolvableError(
            f"sources contradict each other while {names} conducts: a forced current has no path, "
            "or two voltages stand in parallel"
        )
    if status == commutation.TOO_MANY:
        return ConvergenceError(
            f"more than {stepping.MAX_EVENTS} commutations in one period (last: {names} conducting)"
        )
    return ConvergenceError(f"no combination of conducting valves obeys all diodes (last tried: {names})")
