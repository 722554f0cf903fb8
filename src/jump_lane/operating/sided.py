"""What is held may be met twice, on either side of a peak of the gain: the state on the side that is meant."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, replace

from jump_lane.circuit.circuit import Circuit
from jump_lane.errors import ConvergenceError, UnreachableError
from jump_lane.quantities import show, show_percent
from jump_lane.switching.balance import balance, open_balances
from jump_lane.switching.record import record
from jump_lane.switching.regulation import Regulation
from jump_lane.switching.steady import SteadyState, steady_state
from jump_lane.topologies.page import Page, Side
from jump_lane.topologies.point import Point

STRIDE = 0.96
"""Ratio of two frequencies on the way down from the highest one."""


@dataclass(frozen=True)
class Step:
    """A steady state on the way down: what is held there, and whether it is still on the side that is meant.

    ``reached`` is infinite where what was found does not balance: an output so high that one period hardly changes it.
    """

    state: SteadyState
    reached: float
    meant: bool


def on_side(
    circuit: Circuit, regulation: Regulation, guess: dict[str, float], page: Page, point: Point
) -> SteadyState:
    """Return the state that holds the output, on the side that the page means.

    It is looked for from the frequency that the formulas give; where that leads to the other side, or to nothing, from the
    highest frequency down.

    Raises
    ------
    UnreachableError
        If there is no such state within the range of the control, with the reason.
    ConvergenceError
        If a state on the way is not found.
    """
    side = page.side
    assert side is not None
    near = _held(circuit, regulation, guess)
    if near is not None and _meant(near, side, point):
        return near
    before: Step | None = None
    for step in _down(circuit, regulation, guess, side, point):
        if before is None and step.reached > regulation.target:
            raise UnreachableError(_above(step, regulation, side) + _bursts(step, page, point))
        if before is not None and step.reached > regulation.target:
            found = _held(replace(circuit, control=before.state.control), regulation, before.state.states)
            if found is not None and _meant(found, side, point):
                return found
            raise UnreachableError(
                f"{show(regulation.target, regulation.unit)} lie beyond what is held near "
                f"{show(before.state.control, 'Hz')}; below that, {side.name}"
            )
        if before is not None and (step.reached < before.reached or not step.meant):
            raise UnreachableError(_below(before, step, regulation, side))
        before = step
    assert before is not None
    at, unit = show(before.state.control, "Hz"), regulation.unit
    raise UnreachableError(
        f"{show(before.reached, unit)} at {at}, the lowest frequency allowed, where {show(regulation.target, unit)} are asked: "
        f"lower switching.frequency_limits, or {side.short}"
    )


def _held(circuit: Circuit, regulation: Regulation, guess: dict[str, float]) -> SteadyState | None:
    """Return a state that holds the output, found from the one at the circuit's own control; None if that fails."""
    try:
        start = steady_state(circuit, None, guess)
        return steady_state(circuit, regulation, start.states)
    except ConvergenceError:
        return None


def _meant(state: SteadyState, side: Side, point: Point) -> bool:
    return side.reserve(record(state), point) > 0.0


def _down(
    circuit: Circuit, regulation: Regulation, guess: dict[str, float], side: Side, point: Point
) -> Iterator[Step]:
    """Yield steady states from the highest control down, each from the one before."""
    control = regulation.highest
    while True:
        state = steady_state(replace(circuit, control=control), None, guess)
        seen = record(state)
        shown = seen.measures(f"{regulation.branch}.{'v' if regulation.voltage else 'i'}")
        reached = math.inf if any(open_balances(seen, balance(seen))) else shown.average
        yield Step(state, reached, side.reserve(seen, point) > 0.0)
        if control <= regulation.lowest:
            return
        guess, control = state.states, max(control * STRIDE, regulation.lowest)


def _above(step: Step, regulation: Regulation, side: Side) -> str:
    unit = regulation.unit
    reached = (
        f"still {show(step.reached, unit)}" if math.isfinite(step.reached) else "the output does not settle"
    )
    return (
        f"{reached} at {show(step.state.control, 'Hz')}, the highest frequency allowed, where "
        f"{show(regulation.target, unit)} are asked: {side.over}"
    )


def _bursts(step: Step, page: Page, point: Point) -> str:
    """Return for which part of the time bursts at the highest frequency would supply the load, in words; nothing if they cannot.

    While a burst lasts the output capacitor holds the output: the current that is handed over is that into a source of its
    voltage.
    """
    held = replace(into_source(page, point), control=step.state.control)
    try:
        state = steady_state(held, None, step.state.states)
    except ConvergenceError:
        return ""
    current = record(state).measures("load.i").average
    if not current > point["I_o"] > 0.0:
        return ""
    return (
        f", on for {show_percent(point['I_o'] / current)} of the time with {show(current, 'A')} while it is"
    )


def into_source(page: Page, point: Point) -> Circuit:
    """Return the circuit at an operating point whose first output a source of its voltage holds, in place of load and C_o."""
    circuit = page.at(replace(point, kinds=("stiff", *point.kinds[1:])))
    return replace(circuit, elements=tuple(e for e in circuit.elements if e.name != "C_o"))


def _below(peak: Step, beyond: Step, regulation: Regulation, side: Side) -> str:
    unit = regulation.unit
    asked = f"where {show(regulation.target, unit)} are asked"
    if not beyond.meant:
        return (
            f"{show(peak.reached, unit)} at {show(peak.state.control, 'Hz')} {asked}; below that, {side.name}"
        )
    return f"the gain peaks with {show(peak.reached, unit)} near {show(peak.state.control, 'Hz')} {asked}: {side.short}"
