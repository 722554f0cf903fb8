"""Periodic steady state by Newton's method on the period map, with the control variable as an unknown.

F(y₀) = y(T; y₀) − y₀ = 0 is solved with the exact Jacobian that the stepping loop carries along.  Where an
average is to be held, the control variable joins the unknowns and "average = target" joins the equations.

References
----------
T. J. Aprille and T. N. Trick, "Steady-state analysis of nonlinear circuits with periodic inputs",
Proc. IEEE 60 (1972) 108-114 (shooting).
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from jump_lane.circuit.circuit import Circuit, validate
from jump_lane.circuit.law import Row
from jump_lane.errors import ConvergenceError
from jump_lane.quantities import show
from jump_lane.switching import pieces, shooting
from jump_lane.switching.commutation import size_of
from jump_lane.switching.engine import Engine
from jump_lane.switching.layout import Meter
from jump_lane.switching.network import Array
from jump_lane.switching.regulation import INSET, Regulation, unfound
from jump_lane.switching.runs import Shot, Statistics, Trace

RESIDUAL = 1e-13
ACCEPTED = 1e-9
LAST_RESORT = 1e-8
"""Residual accepted where nothing smaller was met; the balances judge the result."""

MAX_STEPS = 60
HALVINGS = 7
"""Steps of that search: within a hundredth of the range, from where Newton's method converges."""

FURTHEST = 0.3
"""By which part of its range the control may move in a step."""

PATIENCE = 400
"""Periods that a circuit runs on by itself where Newton's method fails from the guess: the bias of a core that nothing
but the switching pattern centres has to find its place first."""


@dataclass(frozen=True)
class SteadyState:
    """A periodic steady state, found to `residual` (relative, energy norm); `starts` of its pieces if found in those."""

    engine: Engine
    trace: Trace
    start: Array
    combo: int
    control: float
    residual: float
    steps: int
    starts: Array | None = None

    @property
    def states(self) -> dict[str, float]:
        """Return the states at the start of the period by element [A for inductors, V for capacitors]."""
        network = self.engine.network
        values = network.to_si @ self.start[: network.size]
        return dict(zip(network.states, values.tolist(), strict=True))

    @property
    def statistics(self) -> Statistics:
        """Return what the simulator did."""
        return self.engine.statistics


@dataclass
class _Trial:
    """One evaluation of the period map: its start, and what came of it."""

    z: Array
    combo: int
    control: float
    shot: Shot

    @property
    def size(self) -> float:
        """How far it is from closing, relative to the largest state and to the target."""
        return self.shot.size


STUCK, LEAP = 0.9, 4
"""A circuit that after some periods closes no better than this part drifts or alternates; so many times as far it is
taken then."""

IDLE = 20
"""Steps that together lead to nothing better before the search ends."""

BEYOND = 1e8
"""A state so many times as large as a guess, or as what the sources give, is none: their energy is lost in the rounding of its own."""

NEARBY = 0.1
"""A guess that closes to this part of the largest state is taken as it is."""


class _Shooting:
    """Newton iteration on the states and, if regulated, the control variable."""

    def __init__(
        self, engine: Engine, regulation: Regulation | None, guess: Array, closely: float = RESIDUAL
    ) -> None:
        self.engine, self.closely = engine, closely
        self._usual = size_of(guess, engine.n, engine.sizes.energy)
        self.regulation = regulation
        self.unknown = engine.unknown

    def evaluate(self, z: Array, combo: int, control: float) -> _Trial:
        """Run one period with tangents and measure how far from periodic it is."""
        shot = self.engine.shoot(
            z, combo, control, math.nan if self.regulation is None else self.regulation.target
        )
        if not math.isfinite(shot.size) or self.beyond(z):
            raise ConvergenceError("the state grows beyond all bounds")
        return _Trial(z, combo, control, shot)

    def beyond(self, z: Array) -> bool:
        """Tell whether a state is so large beside what the sources make that rounding hides whether it is one."""
        return bool(size_of(z, self.engine.n, 0.0) > BEYOND * self._usual > 0.0)

    def direction(self, point: _Trial) -> Array:
        """Return the Newton step for states and control.

        Raises
        ------
        ConvergenceError
            If the tangents have grown beyond all bounds.
        """
        shot, weight = point.shot, 0.0
        period = shot.run.length * self.engine.tick
        if shot.step is not None:
            return shot.step
        if self.regulation is not None:
            weight = shot.scale / (max(abs(self.regulation.target), 1e-12) * period)
        _, matrix, right, _ = self.engine.newton(shot, shot.off * period, weight)
        return _least(matrix, right)

    def move(self, point: _Trial, step: Array, fraction: float) -> tuple[Array, float]:
        """Return states and control after a fraction of the step, the control kept in its range."""
        control = point.control
        if self.regulation is not None:
            low, high = self.regulation.lowest, self.regulation.highest
            limit = FURTHEST * (high - low)
            wanted = float(np.clip(step[-1], -limit, limit))
            if abs(step[-1]) > limit:
                fraction *= limit / abs(float(step[-1]))
                wanted = float(step[-1])
            control = control + fraction * wanted
            if control < low or control > high:
                edge = low if control < low else high
                control = 0.5 * (point.control + edge)
        z = point.z.copy()
        z[self.unknown] += fraction * step[: len(self.unknown)]
        return z, control

    def solve(self, point: _Trial) -> tuple[_Trial, int]:
        """Iterate until the residual is at rounding level or nothing helps any more."""
        if self.regulation is None:
            point = self.descended(point)
            if point.size < ACCEPTED:
                return point, 1
        best_yet, mark, idle = point, point.size, 0
        for iteration in range(MAX_STEPS):
            mark, idle = (point.size, 0) if point.size < STUCK * mark else (mark, idle + 1)
            best_yet = min(best_yet, point, key=lambda p: p.size)
            if point.size < RESIDUAL:
                return point, iteration
            best, whole = self._line_search(point)
            if best is not None and whole and point.size < shooting.LAST and best.size < shooting.FINE:
                return best, iteration + 1
            if best is None:
                if point.size < ACCEPTED:
                    return point, iteration
                best = self.wait(point, 2 + 4 * iteration)
            if best is None or idle > IDLE:
                return best_yet, iteration
            point = best
        return best_yet, MAX_STEPS

    def descended(self, point: _Trial) -> _Trial:
        """Go on by whole steps at a fixed control as long as each closes better."""
        if point.size < self.closely or point.shot.step is None:
            return point
        z = point.z.copy()
        z[self.unknown] += point.shot.step
        try:
            z, combo, shot = self.engine.close(z, point.shot.run.combo, point.control, self.closely)
        except ConvergenceError:
            return point
        found = _Trial(z, combo, point.control, shot)
        return found if found.size < point.size else point

    def _line_search(self, point: _Trial) -> tuple[_Trial | None, bool]:
        """Return an evaluation that closes better, if there is one, and whether it lies a whole step ahead."""
        step = self.direction(point)
        fraction = 1.0
        for _ in range(1 if point.size < ACCEPTED else 12):
            z, control = self.move(point, step, fraction)
            trial = self._try(z, point.shot.run.combo, control)
            if trial is not None and trial.size < point.size * (1.0 - 0.1 * fraction):
                return trial, fraction == 1.0
            fraction *= 0.5
        return None, False

    def _try(self, z: Array, combo: int, control: float) -> _Trial | None:
        """Return an evaluation, or None where a step too far leads to no result."""
        try:
            return self.evaluate(z, combo, control)
        except ConvergenceError:
            return None

    def wait(self, point: _Trial, periods: int) -> _Trial | None:
        """Let the circuit run on by itself where Newton's method is stuck; None if it runs away.

        Where it drifts at one speed, it is taken so much further at once; where it alternates, what is looked for lies in
        the middle.
        """
        try:
            ends, combo = self.engine.settle(point.z, point.combo, point.control, periods)
            later = self.evaluate(ends[-1], combo, point.control)
        except ConvergenceError:
            return None
        if later.size < STUCK * point.size:
            return later
        ahead = self._try(ends[-1] + LEAP * periods * (ends[-1] - ends[-2]), combo, point.control)
        if ahead is not None and ahead.size < later.size / STUCK:
            return ahead
        between = self._try(ends[-2:].mean(axis=0), combo, point.control)
        return between if between is not None and between.size < later.size else later

    def closed(self, z: Array, control: float) -> _Trial | None:
        """Return the state at a fixed control, found in one go from a guess; None if that does not find it."""
        if self.regulation is not None:
            return None
        try:
            start, combo, shot = self.engine.close(z, 0, control, self.closely, NEARBY)
        except ConvergenceError:
            return None
        sound = shot.size < ACCEPTED and not self.beyond(start)
        return _Trial(start, combo, control, shot) if sound else None

    def begin(self, z: Array, control: float) -> _Trial:
        """Return where to start: the guess itself, or two periods later, whichever closes better."""
        here = self._try(z, 0, control)
        if here is not None and here.size < NEARBY:
            return here
        later = self.wait(here, shooting.PLAIN) if here is not None else None
        found = min((p for p in (here, later) if p is not None), key=lambda p: p.size, default=None)
        if found is None:
            return self.evaluate(z, 0, control)
        return found


def _least(matrix: Array, rhs: Array) -> Array:
    """Return the shortest step along directions that the equations leave free."""
    if not (np.isfinite(matrix).all() and np.isfinite(rhs).all()):
        raise ConvergenceError("the derivatives of the period have grown beyond all bounds")
    scale = np.maximum(np.abs(matrix).max(axis=0), 1e-300)
    try:
        return np.asarray(np.linalg.lstsq(matrix / scale, rhs, rcond=1e-13)[0] / scale)
    except np.linalg.LinAlgError:
        raise ConvergenceError("the equations of the steady state cannot be solved") from None


def steady_state(
    circuit: Circuit,
    regulation: Regulation | None = None,
    guess: dict[str, float] | None = None,
    near: SteadyState | None = None,
    known: Engine | None = None,
    closely: float = RESIDUAL,
    watched: Mapping[str, Row] | None = None,
    inputs: tuple[str, ...] = (),
) -> SteadyState:
    """Find the periodic steady state of a circuit.

    Parameters
    ----------
    circuit
        What to run, at its value of the control variable (the first guess, if regulated).
    regulation
        An average to hold by the control variable; None runs open loop.
    guess
        Starting values of states, by element name [A for inductors, V for capacitors]; zero if not named.
    near
        A steady state of the same circuit with other figures of its sources and resistances, instead of a guess: the period
        is then cut into pieces, which finds states that are unstable by themselves.
    known
        An engine of a circuit with the same elements and base period, whose knowledge is used; where an average is held,
        one that held the same.
    closely
        The residual with which a state at a fixed control is taken as it is.
    watched, inputs
        What the engine watches and can change; see `Engine`.

    Returns
    -------
    SteadyState
        Converged to 1e-9 or better, in the energy norm relative to the largest state (1e-8 where rounding stops
        Newton's method; the balances tell whether that is enough).

    Raises
    ------
    InputError
        If the circuit cannot be meant.
    ConvergenceError
        If no steady state is found, or the average cannot be held in the control range.
    UnsolvableError
        If sources contradict each other.
    """
    meters = () if regulation is None else (Meter(regulation.branch, regulation.voltage),)
    if known is None or known.meters != meters:
        validate(circuit)
        engine = Engine(circuit, meters, watched or {}, inputs)
    else:
        engine = known.gated(circuit)
    if near is not None:
        return _joined(engine, regulation, near)
    z = engine.start(guess or {})
    search = _Shooting(engine, regulation, z, closely)
    at_once = search.closed(z, circuit.control)
    first = search.begin(z, circuit.control) if at_once is None else at_once
    point, steps = search.solve(first) if at_once is None else (at_once, 1)
    if not point.size < LAST_RESORT:
        settled = search.wait(first, PATIENCE)
        if settled is not None:
            point, further = search.solve(settled)
            steps += further
            first = settled
    if regulation is not None and not point.size < LAST_RESORT:
        beside = _approached(engine, regulation, first)
        if beside is not None:
            point, further = search.solve(search.evaluate(beside.z, beside.combo, beside.control))
            steps += further
    if not point.size < LAST_RESORT:
        raise unfound(regulation, point.size, point.shot.off, point.control)
    last = point.shot.run
    if not engine.is_latest(last):
        last = search.evaluate(point.z, point.combo, point.control).shot.run
    return SteadyState(engine, engine.trace(last), point.z, point.combo, point.control, point.size, steps)


def _joined(engine: Engine, regulation: Regulation | None, near: SteadyState) -> SteadyState:
    """Return a steady state found in pieces of the period."""
    target = None if regulation is None else regulation.target
    furthest = math.inf if regulation is None else FURTHEST * (regulation.highest - regulation.lowest)
    starts = near.starts
    if starts is None:
        starts = pieces.starts(engine, near.start, near.combo, engine.circuit.control)
    found = pieces.close(engine, starts, near.combo, engine.circuit.control, target, furthest)
    if regulation is not None and not regulation.lowest <= found.control <= regulation.highest:
        raise ConvergenceError(
            f"the average of {regulation.branch} cannot be held at {show(regulation.target, regulation.unit)}: it lies beyond "
            "the range of the control"
        )
    return SteadyState(
        engine, engine.trace(found.run), found.starts[0], found.combo, found.control, found.size, found.steps,
        found.starts,
    )  # fmt: skip


def _approached(engine: Engine, regulation: Regulation, first: _Trial) -> _Trial | None:
    """Return a steady state at a fixed control near the one that holds the average, by bisection.

    Newton's method on states and control together may run into an end of the range, where the average still holds
    because nothing has discharged a capacitor yet.  Returns None if the average does not cross its target.
    """
    free = _Shooting(engine, None, first.z)
    edge = INSET * (regulation.highest - regulation.lowest)

    def settled(control: float, start: _Trial | None) -> tuple[_Trial, float]:
        start = first if start is None else start
        point, _ = free.solve(free.evaluate(start.z, start.combo, control))
        run = point.shot.run
        return point, float(run.end[engine.n + 1]) / (run.length * engine.tick) - regulation.target

    low, below = settled(regulation.lowest + edge, None)
    high, above = settled(regulation.highest - edge, low)
    if below * above > 0.0:
        return None
    for _ in range(HALVINGS):
        middle, gap = settled((low.control + high.control) / 2.0, low)
        if gap * below > 0.0:
            low, below = middle, gap
        else:
            high = middle
    return low
