"""One operating point of a design, simulated: with the output held, or at a fixed control."""

from __future__ import annotations

import math
from dataclasses import replace

from jump_lane.circuit.circuit import Circuit
from jump_lane.design.derive import Design
from jump_lane.errors import ConvergenceError, NoResultError, UnreachableError
from jump_lane.operating.sided import on_side
from jump_lane.quantities import show
from jump_lane.switching import balance
from jump_lane.switching.record import Recording, record
from jump_lane.switching.regulation import Regulation
from jump_lane.switching.steady import SteadyState, steady_state
from jump_lane.topologies.page import Page
from jump_lane.topologies.point import Point


def held(page: Page, point: Point) -> Regulation:
    """Return what the control variable holds: the output voltage, or the current of a string of LEDs."""
    control = page.control.at(point.values)
    if point.kinds[0] == "leds":
        return Regulation("load", point["I_o"], voltage=False, lowest=control.lowest, highest=control.highest)
    return Regulation("load", point["V_o"], lowest=control.lowest, highest=control.highest)


def _mends(page: Page) -> str:
    """Return what brings an output within reach."""
    turns = " or leakage, another turns ratio" if page.turns else ""
    return f"less resistance{turns} or another topology moves that"


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
            f"and no {page.control.words} holds it"
        )
    try:
        state, recording = _solved(page, point, control)
    except UnreachableError as error:
        if page.side is not None:
            raise
        raise UnreachableError(f"{error}; {_mends(page)}") from error
    except ConvergenceError as error:
        beyond = None if control is not None or page.side is not None else _beyond_reach(page, point)
        if not beyond:
            raise
        raise UnreachableError(beyond) from error
    for _ in range(FOLLOWING):
        moved = _moved(point, recording)
        if moved is None:
            break
        point = moved
        state, recording = _solved(page, point, control, state)
    if balance.require(recording).impulses:
        _require_paths(page, recording)
    return state, recording


FOLLOWING, SETTLED = 12, 1e-7
"""How often, and how closely, the voltage is found at which an output that follows takes a constant power."""


def _moved(point: Point, recording: Recording) -> Point | None:
    """Return the point with outputs that follow at the voltages that they have; None if they are there already."""
    found = {
        f"V_e{k}": recording.measures(f"load{k}.v").average
        for k, kind in enumerate(point.kinds[1:], start=2)
        if kind == "power" and point[f"I_o{k}"] > 0.0
    }
    if all(abs(v / point[s] - 1.0) < SETTLED for s, v in found.items()):
        return None
    return replace(point, values={**point.values, **found})


def _solved(
    page: Page, point: Point, control: float | None, near: SteadyState | None = None
) -> tuple[SteadyState, Recording]:
    known = page.starts.items() if point["V_in"] > 0.0 else ()  # without an input, from rest
    guess = {e: point[s] for e, s in known if math.isfinite(point.values.get(s, math.nan))}
    if "power" in point.kinds:
        state = _powered(page, point, guess, control, near)
    else:
        state = _found(page, point, guess, control)
    return state, record(state)


def _found(page: Page, point: Point, guess: dict[str, float], control: float | None) -> SteadyState:
    """Return the steady state at a control, or the one that holds the output."""
    circuit = page.at(point)
    if control is not None:
        return steady_state(replace(circuit, control=control), None, guess)
    if page.side is not None:
        return on_side(circuit, held(page, point), guess, page, point)
    return hold(circuit, held(page, point), guess, (page, point) if page.returns else None)


FINELY = 1e-7
"""How closely a control is looked for that passes a power on."""


def hold(
    circuit: Circuit,
    regulation: Regulation,
    guess: dict[str, float],
    beside: tuple[Page, Point] | None = None,
) -> SteadyState:
    """Return the state that holds the output.

    Parameters
    ----------
    beside
        Page and point of a converter that passes power both ways: where the guess leads nowhere, the control is found first
        that passes the power on between two fixed voltages, which it always can.

    Raises
    ------
    ConvergenceError
        If there is none.
    """
    try:
        return _sound(circuit, regulation, steady_state(circuit, regulation, guess), guess)
    except ConvergenceError:
        if beside is None:
            raise
        near = _passing(circuit, *beside, guess)
        if near is None:
            raise
    found = {**guess, **near.states, "C_o": guess["C_o"]}
    return steady_state(replace(circuit, control=near.control), regulation, found)


FAR = 0.15
"""Part of the range of the control beyond which a state is another one than the one derived."""


def _sound(
    circuit: Circuit, regulation: Regulation, found: SteadyState, guess: dict[str, float]
) -> SteadyState:
    """Return the state that holds the output nearest to the control derived.

    A core that saturates, or a boost beyond its peak, holds the same output at another control as well, where the currents
    are many times as large.  One found far from the control derived is looked for once more from the state at that control.
    """
    away = abs(found.control - circuit.control)
    if away < FAR * (regulation.highest - regulation.lowest):
        return found
    try:
        start = steady_state(circuit, None, guess)
        other = steady_state(circuit, regulation, {**guess, **start.states})
    except ConvergenceError:
        return found
    return other if abs(other.control - circuit.control) < away else found


def _passing(circuit: Circuit, page: Page, point: Point, guess: dict[str, float]) -> SteadyState | None:
    """Return the state in which the load current flows into a source in place of the output, None if none is found."""
    from scipy.optimize import brentq

    stiff = replace(point, kinds=("stiff", *point.kinds[1:]))
    kept = tuple(e for e in circuit.elements if e.name != "C_o" and not e.name.startswith("load"))
    between = replace(circuit, elements=(*kept, *stiff.load()))
    range_ = page.control.at(point.values)
    lowest, highest = range_.lowest, range_.highest
    found: list[SteadyState] = []

    def off(control: float) -> float:
        known = found[-1].engine if found else None
        state = steady_state(replace(between, control=control), None, guess, known=known)
        found.append(state)
        return record(state).measures("load.i").average - point["I_o"]

    try:
        brentq(off, lowest, highest, xtol=FINELY)
    except (ConvergenceError, ValueError):
        return None
    return found[-1]


TRIED = 12
"""Values of the control at which an output is looked at that cannot be held."""


def _beyond_reach(page: Page, point: Point) -> str:
    """Return in volts why an output cannot be held, or nothing if open loop may reach it.

    With loads of constant power or current nothing can be said so.
    """
    if set(point.kinds) != {"resistance"} or point["I_o"] == 0.0:
        return ""
    span = (page.control.highest - page.control.lowest) / TRIED
    seen = [
        found for k in range(1, TRIED) if (found := _open_loop(page, point, page.control.lowest + k * span))
    ]
    if len(seen) < TRIED // 2:
        return ""
    best = max(seen)[1]
    most, at = max(
        [*seen, *filter(None, (_open_loop(page, point, best + part * span) for part in (-0.4, 0.4)))]
    )
    if most * (1.0 + NEARLY) > point["V_o"]:
        return ""
    return (
        f"{show(point['V_o'], 'V')} cannot be held: in open loop the output reaches at most about {show(most, 'V')}, near "
        f"{page.control.symbol} = {show(at, page.control.unit)}; {_mends(page)}"
    )


def _open_loop(page: Page, point: Point, control: float) -> tuple[float, float] | None:
    """Return the output voltage [V] at a control, and that; None where there is no steady state."""
    try:
        _, recording = _solved(page, point, control)
    except NoResultError:
        return None
    return abs(recording.measures("load.v").average), control


NEARLY = 0.02
"""Part by which the largest output between two controls tried may be missed."""

SLOPES = (0.3, -0.3, -0.7, -1.0)
"""Slopes of a load, over I_o/V_o, on the way from a resistance to constant power."""

RESISTIVE = "a load of constant power has none near that of a resistance in its place, which load = 'resistance' shows"
"""What is said where that way ends early."""


def _powered(
    page: Page, point: Point, guess: dict[str, float], control: float | None, near: SteadyState | None
) -> SteadyState:
    """Return the steady state with a load of constant power, close to one `near` if there is one.

    Such a load makes the circuit unstable by itself: its state is found in pieces of the period, from that with a resistance
    in its place.  Where that is too far, the slope of the load is led from that of the one to that of the other.
    """
    regulation = held(page, point) if control is None else None

    def led(state: SteadyState, *slopes: float) -> SteadyState:
        for slope in slopes:
            circuit = replace(page.at(replace(point, slope=slope)), control=state.control)
            state = steady_state(circuit, regulation, near=state)
        return state

    start = _found(page, replace(point, slope=1.0), guess, control) if near is None else near
    try:
        return led(start, SLOPES[-1])
    except ConvergenceError:
        if near is not None:
            return _powered(page, point, guess, control, None)
    try:
        return led(start, *SLOPES)
    except ConvergenceError as error:
        raise ConvergenceError(f"{error}; {RESISTIVE}") from error


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
                    f"{show(before, 'A')} to {show(after, 'A')}, as no switch or rectifier takes it; a current that reverses "
                    "in dead time has no path: more inductance, a larger least load or no dead time mends that"
                )


def solve(
    design: Design, i: int = 0, j: int = 0, control: float | None = None
) -> tuple[SteadyState, Recording]:
    """Return steady state and recording of input corner i and load corner j; see `solve_point`."""
    return solve_point(design.page, design.point(i, j), control)
