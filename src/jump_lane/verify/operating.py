"""One operating point of a design, simulated: with the output held, or at a fixed duty ratio."""

from __future__ import annotations

import math
from dataclasses import replace

from jump_lane.errors import ConvergenceError, NoResultError
from jump_lane.quantities import show
from jump_lane.switching import balance
from jump_lane.switching.record import Recording, record
from jump_lane.switching.steady import Regulation, SteadyState, steady_state
from jump_lane.topologies.design import Design
from jump_lane.topologies.page import Page
from jump_lane.topologies.point import Point


def held(page: Page, point: Point) -> Regulation:
    """Return what the control variable holds: the output voltage, or the current of a string of LEDs."""
    if point.kind == "leds":
        return Regulation("load", point["I_o"], voltage=False, highest=page.highest)
    return Regulation("load", point["V_o"], highest=page.highest)


def solve_point(page: Page, point: Point, control: float | None = None) -> tuple[SteadyState, Recording]:
    """Return steady state and recording of an operating point of a topology.

    Parameters
    ----------
    control
        Value of the control variable to run at; None lets it hold the output.

    Raises
    ------
    NoResultError
        If there is no such state, or its balances do not close.
    """
    if control is None and point["I_o"] == 0.0 and not point.synchronous:
        raise ConvergenceError(
            "no load: nothing discharges the output through a diode, so that every pulse raises it "
            "and no duty ratio holds it"
        )
    circuit = page.at(point)
    guess = {e: point[s] for e, s in page.start.items() if math.isfinite(point.values.get(s, math.nan))}
    if point.kind == "power":
        guess, duty = _beside(page, point, guess, control)
        circuit = replace(circuit, control=duty)
    if control is None:
        state = steady_state(circuit, held(page, point), guess)
    else:
        state = steady_state(replace(circuit, control=control), None, guess)
    recording = record(state)
    if balance.require(recording).impulses:
        _require_paths(page, recording)
    return state, recording


WAY = 0.5
"""First step of a load's slope, over I_o/V_o, on the way from a resistance to constant power."""

SHORTEST, MOST = 1e-3, 60
"""Shortest step, and how many are tried."""

DEGREE = 7
"""How many points of the way the next one is extrapolated from."""


def _beside(
    page: Page, point: Point, guess: dict[str, float], control: float | None
) -> tuple[dict[str, float], float]:
    """Return states and control variable with a load that all but takes constant power.

    Such a load makes the circuit unstable by itself: what the guess is off grows within a period, a millionfold with many
    phases and a small capacitor.  The slope of the load is therefore led from that of a resistance to constant power, and
    each guess extrapolated from the states before, on which it depends smoothly.
    """
    regulation = held(page, point) if control is None else None
    duty = page.at(point).control if control is None else control
    known: list[tuple[float, dict[str, float], float]] = []
    slope, step = 1.0, WAY
    for _ in range(MOST):
        circuit = replace(page.at(replace(point, slope=slope)), control=duty)
        try:
            found = steady_state(circuit, regulation, guess, patient=not known)
        except ConvergenceError:
            step *= 0.5
            if not known:
                raise
        else:
            if slope == -1.0:
                return found.states, found.control
            known.append((slope, found.states, found.control))
            step *= 1.5
        if step < SHORTEST:
            break
        slope = max(known[-1][0] - step, -1.0)
        guess, duty = _extrapolated(known[-DEGREE:], slope)
    raise ConvergenceError(
        "a load that takes constant power makes the circuit unstable: what it is off grows so much within one period "
        f"that no steady state is found (its slope came to {show(-known[-1][0])} of that of constant power); "
        "a larger output capacitor mends it"
    )


def _extrapolated(
    known: list[tuple[float, dict[str, float], float]], slope: float
) -> tuple[dict[str, float], float]:
    """Return states and control variable at a slope by the polynomial through what is known (Lagrange)."""
    weights = [
        math.prod((slope - other) / (own - other) for other, _, _ in known if other != own)
        for own, _, _ in known
    ]
    names = known[-1][1]
    states = {name: sum(w * z[name] for w, (_, z, _) in zip(weights, known, strict=True)) for name in names}
    return states, sum(w * duty for w, (_, _, duty) in zip(weights, known, strict=True))


CUT = 0.05
"""An inductor current that jumps by more than this part of its peak is cut off."""


def _require_paths(page: Page, recording: Recording) -> None:
    """Refuse a circuit that cuts an inductor current off: a real one breaks down there.

    Raises
    ------
    NoResultError
        If the current of an inductor jumps.
    """
    for role in page.roles:
        if role.kind != "inductor":
            continue
        signal = f"{role.element or role.name}.i"
        least, at = CUT * recording.measures(signal).peak, recording.index(signal)
        for edge in recording.edges:
            before, after = float(edge.before[at]), float(edge.after[at])
            if abs(after - before) > least:
                raise NoResultError(
                    f"{role.name}: its current is cut off at {show(edge.time, 's')} of the period, from "
                    f"{show(before, 'A')} to {show(after, 'A')}, as no switch or rectifier takes it"
                )


def solve(
    design: Design, i: int = 0, j: int = 0, control: float | None = None
) -> tuple[SteadyState, Recording]:
    """Return steady state and recording of input corner i and load corner j; see `solve_point`."""
    return solve_point(design.page, design.point(i, j), control)
