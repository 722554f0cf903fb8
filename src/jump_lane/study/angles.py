"""What two bridges do over two of their angles: power, rms current, soft switching; and the points that hold the output."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import TYPE_CHECKING, Any

import numpy as np

from jump_lane.circuit.circuit import Circuit
from jump_lane.circuit.elements import Element
from jump_lane.circuit.gates import Instant
from jump_lane.design.derive import Design
from jump_lane.equations.formula import formula
from jump_lane.errors import InputError, NoResultError, nearest
from jump_lane.study.pool import spread
from jump_lane.topologies.page import Angled
from jump_lane.topologies.point import Point

if TYPE_CHECKING:
    from jump_lane.switching.engine import Engine
    from jump_lane.switching.steady import SteadyState

SHARES = 8
"""In how many shares the work of a map is handed out."""

CLOSELY = 1e-10
"""Residual of a state of the map."""

SOFT = 0.02
"""Part of its voltage that a switch may turn on against and still be soft."""

STEPS = 24
"""Points of a path between two operating points."""


@dataclass(frozen=True)
class Spot:
    """One exact state at fixed angles, both sides held at their voltages.

    Attributes
    ----------
    at
        The two angles, in parts of the period.
    power, rms
        Power that the output takes [W], rms current of the leading switch [A].
    soft
        Switches that turn on without voltage.
    """

    index: int
    at: tuple[float, float]
    power: float = math.nan
    rms: float = math.nan
    soft: tuple[str, ...] = ()
    failure: str = ""


@dataclass(frozen=True)
class Working:
    """An operating point that is marked: its angles as usual and with the least rms current, exact currents of both.

    ``angles`` are by symbol; ``least`` those of the least rms current, ``rms`` both rms currents [A] of the leading switch.
    """

    name: str
    v_in: float
    i_o: float
    angles: Mapping[str, float]
    least: Mapping[str, float]
    rms: tuple[float, float] = (math.nan, math.nan)
    failure: str = ""


@dataclass(frozen=True)
class AngleWork:
    """Which two angles are varied, over which values, and at which design point."""

    design: Design
    across: str
    up: str
    xs: tuple[float, ...]
    ys: tuple[float, ...]
    fixed: Mapping[str, float]

    @property
    def count(self) -> int:
        """Number of states."""
        return len(self.xs) * len(self.ys)


def angled(design: Design) -> Angled:
    """Return what a topology says of its angles.

    Raises
    ------
    InputError
        If it has none.
    """
    if design.page.angled is None:
        raise InputError(f"angles: the {design.page.name} has no two bridges whose angles could be varied")
    return design.page.angled


def work(design: Design, across: str, up: str, points: int) -> AngleWork:
    """Return what a map over two angles looks at: the phase over half a period about 0, zero intervals up to a half.

    Raises
    ------
    InputError
        If there are no such angles.
    """
    symbols = angled(design).symbols
    for option, symbol in (("--across", across), ("--up", up)):
        if symbol not in symbols:
            raise InputError(f"{option} {symbol}: no such angle; {nearest(symbol, symbols)}")
    if across == up:
        raise InputError(f"--up {up}: the same angle as --across; expected another")
    at = design.at()
    values = {s: at.sheet[s].corner(0, 0) for s in symbols}
    return AngleWork(at, across, up, _range(across, symbols, points), _range(up, symbols, points), values)


def _range(symbol: str, symbols: Sequence[str], points: int) -> tuple[float, ...]:
    low, high = (-0.25, 0.25) if symbol == symbols[0] else (0.0, 0.48)
    return tuple(float(x) for x in np.linspace(low, high, points))


def run(work: AngleWork, processes: int = 1) -> Iterator[Spot]:
    """Yield the states as they are ready, in any order."""
    jobs = list(enumerate((x, y) for x in work.xs for y in work.ys))
    yield from spread(jobs, partial(_spots, work), processes, max(len(jobs) // SHARES, 1))


def _spots(work: AngleWork, some: Sequence[tuple[int, tuple[float, float]]]) -> Iterator[Spot]:
    from jump_lane.operating.sided import into_source

    point = work.design.point(0, 0)
    elements = into_source(work.design.page, point).elements
    known: Engine | None = None
    xs, ys = (np.array([at[k] for _, at in some]) for k in (0, 1))
    every = {**point.values, **work.fixed, work.across: xs, work.up: ys}
    guesses = {e: np.broadcast_to(v, xs.shape) for e, v in _guess(work.design, every).items()}
    off: dict[str, float] = {}  # by how much the state found last is not what was derived
    for k, (index, at) in enumerate(some):
        angles = {**work.fixed, work.across: at[0], work.up: at[1]}
        derived = {e: float(v[k]) for e, v in guesses.items()}
        guess = {e: derived.get(e, 0.0) + off.get(e, 0.0) for e in {**derived, **off}}
        try:
            spot, state = _state(work.design, point, elements, angles, guess, known)
            known, off = state.engine, {e: v - derived.get(e, 0.0) for e, v in state.states.items()}
            yield replace(spot, index=index, at=at)
        except NoResultError as error:
            yield Spot(index, at, failure=str(error))


def _state(
    design: Design,
    point: Point,
    elements: tuple[Element, ...],
    angles: Mapping[str, float],
    guess: dict[str, float],
    known: Engine | None,
) -> tuple[Spot, SteadyState]:
    from jump_lane.switching.record import record
    from jump_lane.switching.steady import steady_state

    said = angled(design)
    gates = said.gates(angles, point)
    circuit = Circuit(elements, 1.0 / point[design.page.clock], lambda _: gates)
    state = steady_state(circuit, None, guess, known=known, closely=CLOSELY)
    seen = record(state)
    soft = tuple(n for n in gates if seen.turn_on_voltage(n) <= SOFT * point[said.levels[n]])
    leading = f"{said.leads}.i"
    power, square = seen.mean_product("load.v", "load.i"), seen.mean_product(leading, leading)
    return Spot(0, (0.0, 0.0), power, math.sqrt(square), soft), state


def _guess(design: Design, values: Mapping[str, Any]) -> dict[str, Any]:
    """Return where to start from: states by the formulas of the page, at these angles, or at each of some."""
    start = {element: (symbol, design.sheet[symbol].line) for element, symbol in design.page.starts.items()}
    return {
        element: values[symbol] if line is None else line.formula("").evaluate(values)
        for element, (symbol, line) in start.items()
    }


def working(design: Design) -> Iterator[Working]:
    """Yield the operating points that are marked: full load, stepped load, stepped bus; each with both sets of angles."""
    inputs, loads = design.inputs, design.loads
    at = design.at()
    nominal, full = at.inputs[0], at.loads[0]
    least = min(loads, key=abs)
    places = [("full load", nominal, full)]
    places += [("stepped load", nominal, least)] if least != full else []
    places += [("stepped bus", v, full) for v in (inputs[0], inputs[-1]) if v != nominal]
    places += [("reversed", nominal, min(loads))] if min(loads) < 0.0 else []
    for name, v_in, i_o in places:
        yield _working(design, name, v_in, i_o)


@dataclass(frozen=True)
class Turn:
    """One switch turning on, at nominal input and full load.

    Attributes
    ----------
    time
        When [s].
    current
        What swings its leg over as the other switch of it opens [A]; negative: it holds the leg back.
    needed, had
        Charge that both output capacitances of the leg take, and what that current moves within the dead time [C].
    dead
        Dead time that it would need [s].
    left
        Voltage that it really turns on against [V].
    """

    switch: str
    time: float
    current: float
    needed: float
    had: float
    dead: float
    left: float
    soft: bool


def turns(design: Design) -> list[Turn]:
    """Return how every switch turns on at nominal input and full load, the output held.

    Raises
    ------
    NoResultError
        If there is no such state.
    """
    from jump_lane.operating.point import solve

    at, said = design.at(), angled(design)
    point = at.point(0, 0)
    state, seen = solve(at)
    out = []
    for name, ((start, _),) in at.page.gates(Instant(state.control), point).items():
        time = start.fraction % 1.0 * seen.period
        signal, sign = said.drives[name]
        current = sign * seen.value_at(signal, (time - point["t_d"]) % seen.period, after=False)
        level, left = point[said.levels[name]], seen.turn_on_voltage(name)
        needed = 2.0 * point[said.capacitances[name]] * level
        dead = needed / current if current > 0.0 else math.inf
        had = max(current, 0.0) * point["t_d"]
        out.append(Turn(name, time, current, needed, had, dead, left, left <= SOFT * level))
    return out


def path(
    design: Design, start: Working, end: Working
) -> list[tuple[Mapping[str, float], Mapping[str, float]]]:
    """Return the angles on the way from one operating point to another, as usual and with the least rms current."""
    out: list[tuple[Mapping[str, float], Mapping[str, float]]] = []
    for part in np.linspace(0.0, 1.0, STEPS):
        v_in, i_o = (float(a + part * (b - a)) for a, b in ((start.v_in, end.v_in), (start.i_o, end.i_o)))
        out.append(_angles(design.at(v_in, i_o)))
    return out


def _angles(at: Design) -> tuple[dict[str, float], dict[str, float]]:
    said = angled(at)
    values = at.sheet.at(0, 0)
    plain = {s: float(formula(said.plain[s]).evaluate(values)) for s in said.symbols}
    least = {s: float(formula(said.least[s]).evaluate(values)) for s in said.symbols}
    return plain, least


def _working(design: Design, name: str, v_in: float, i_o: float) -> Working:
    at = design.at(v_in, i_o)
    plain, least = _angles(at)
    try:
        held = [_held(at, angles) for angles in (plain, least)]
    except NoResultError as error:
        return Working(name, v_in, i_o, plain, least, failure=str(error))
    return Working(name, v_in, i_o, held[0][0], held[1][0], (held[0][1], held[1][1]))


def _held(at: Design, angles: Mapping[str, float]) -> tuple[dict[str, float], float]:
    """Return the angles whose first one holds the output exactly, the others as given, and the leading switch's rms current."""
    from jump_lane.operating.point import hold
    from jump_lane.switching.record import record
    from jump_lane.switching.regulation import Regulation

    said, point = angled(at), at.point(0, 0)
    first = said.symbols[0]
    pattern = lambda control: said.gates({**angles, first: control}, point)  # noqa: E731
    circuit = Circuit(at.page.circuit(point), 1.0 / point[at.page.clock], pattern, angles[first])
    found = _guess(at, {**point.values, **angles})
    guess = {**{e: float(v) for e, v in found.items()}, "C_o": point["V_o"]}
    state = hold(circuit, Regulation("load", point["V_o"], lowest=-0.5, highest=0.5), guess, (at.page, point))
    return {**angles, first: state.control}, record(state).measures(f"{said.leads}.i").rms
