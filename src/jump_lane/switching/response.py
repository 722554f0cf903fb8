"""How a converter answers small signals: exact responses, sampled and as an analyser sees them, loop gain, multipliers.

References
----------
R. D. Middlebrook, "Measurement of loop gain in feedback systems", Int. J. Electronics 38 (1975) 485-512 (what an analyser
sees).
D. J. Packard, "Discrete modeling and analysis of switching regulators", California Institute of Technology (1976)
(sampled response of a switched converter).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from jump_lane.errors import ConvergenceError
from jump_lane.switching.engine import Engine
from jump_lane.switching.linear import Complex, Event, Linear, exponential, linearise
from jump_lane.switching.network import Array
from jump_lane.switching.runs import Run
from jump_lane.switching.steady import SteadyState
from jump_lane.switching.turning import Turning

CONTROL = "control"
"""The input of an open loop: the control variable, as a modulator compares it at each edge."""

TOGETHER = 256
"""Frequencies that are worked out at once: some megabytes for twenty states."""


class Responses:
    """Small-signal answers of a steady state, whose engine watches the rows that are asked for and has the inputs."""

    def __init__(self, state: SteadyState) -> None:
        self.state = state
        self.engine = state.engine
        self._rows = list(self.engine.watched)

    @cached_property
    def linear(self) -> Linear:
        """The steady state taken apart.

        Raises
        ------
        ConvergenceError
            If an event cannot be taken apart, or there is no clock.
        """
        return linearise(self.state)

    @cached_property
    def period(self) -> float:
        """Length of the period [s]."""
        return self._run.length * self.engine.tick

    @cached_property
    def _run(self) -> Run:
        return self.engine.run(self.state.start, self.state.combo, self.state.control, tangents=True)

    def _row(self, name: str, configuration: int) -> Array:
        return np.asarray(self.engine.shown(configuration)[self._rows.index(name)])

    # --- what an analyser sees -----------------------------------------------------------------------------

    def analyser(self, source: str, outputs: tuple[str, ...], frequencies: Array) -> dict[str, Complex]:
        """Return the component of each output at each frequency per unit of an input that is a sine for all time.

        Parameters
        ----------
        source
            `CONTROL`, a source among the engine's inputs, or a reference of its law.
        outputs
            Watched rows.
        frequencies
            [Hz], (f,); aliases, which come out at other frequencies, are not counted.

        Returns
        -------
        dict of (f,)
            Complex gains.
        """
        shares = [np.asarray(frequencies[k : k + TOGETHER]) for k in range(0, len(frequencies), TOGETHER)]
        table = np.concatenate([self._at(source, outputs, 2.0 * math.pi * f) for f in shares])
        return {name: table[:, k] for k, name in enumerate(outputs)}

    def _at(self, source: str, outputs: tuple[str, ...], omega: Array) -> Complex:
        """Solve for the deviation that repeats in the frame that turns with each sine, and average the outputs there, (f, o)."""
        linear, unknown = self.linear, self.linear.unknown
        forced = None if source == CONTROL else self.engine.layout.at[source]
        # columns: what the deviation at the start of the period contributes, and last the input
        course = self._forced(np.tile(linear.start(1, complex), (len(omega), 1, 1)), forced)
        gathered = np.zeros((len(omega), len(outputs), course.shape[-1]), dtype=complex)
        shifts: list[Complex] = []
        for k, event in enumerate(linear.events):
            shift = linear.shift(k, course, shifts, omega)
            if forced is None:
                shift[:, -1] += event.shift
            shifts.append(shift)
            behind = event.onto @ event.state
            for i, name in enumerate(outputs):
                step = self._row(name, event.before) @ event.state - self._row(name, event.after) @ behind
                gathered[:, i] += step * shift
            course = self._forced(linear.across(k, course, shift), forced)
            whole, part = self._stretches[k].at(omega, forced)
            for i, name in enumerate(outputs):
                gathered[:, i] += ((self._row(name, event.after) @ part)[:, None] @ course)[:, 0]
            course = whole @ course
        closing = np.eye(len(unknown)) - course[:, unknown, :-1]
        start = np.linalg.solve(closing, course[:, unknown, -1:])
        return np.asarray((gathered[:, :, :-1] @ start + gathered[:, :, -1:])[..., 0] / self.period)

    def _forced(self, course: Complex, forced: int | None) -> Complex:
        """Let an entry of z be the sine itself."""
        if forced is not None:
            course[..., forced, -1] = 1.0
        return course

    @cached_property
    def _stretches(self) -> list[Turning]:
        linear = self.linear
        return [Turning(linear.rate(k), linear.still, h) for k, h in enumerate(linear.durations)]

    # --- sampled -------------------------------------------------------------------------------------------

    @cached_property
    def tangent(self) -> Array:
        """Derivatives of the state at the end of the period by that at its start and, last, by the control, (u, u+1)."""
        return np.asarray(self._run.tangent[:-1][:, self.engine.unknown].T)

    @property
    def multipliers(self) -> Complex:
        """Floquet multipliers, the largest first."""
        return multipliers(self.tangent[:, :-1])

    def sampled(self, output: str, frequencies: Array, part: float = 0.0) -> Complex:
        """Return the response of an output to the control as it is latched at the clock, (f,); see `seen` for ``part``."""
        row, direct = self.seen(output, part)
        phi, gamma = self.tangent[:, :-1], self.tangent[:, -1:]
        return resolvent(phi, gamma, row[None], self.period, frequencies)[:, 0, 0] + direct

    def seen(self, output: str, part: float = 0.0) -> tuple[Array, float]:
        """Return what an output, looked at after a part of the period, owes to the state at the start, (u,), and to the control.

        With a part of 0 it is looked at just before the clock.
        """
        linear, at = self.linear, part * self.period
        if part == 0.0:
            return self._row(output, linear.events[-1].after)[linear.unknown], 0.0
        course = linear.start(1)
        shifts: list[Array] = []
        for k, event in enumerate(linear.events):
            if event.time > at:
                break
            shift = linear.shift(k, course, shifts)
            shift[-1] += event.shift
            shifts.append(shift)
            left = min(at - event.time, linear.durations[k])
            course = exponential(linear.rate(k) * left) @ linear.across(k, course, shift)
            row = self._row(output, event.after) @ course
        return np.asarray(row[:-1]), float(row[-1])

    # --- loop ----------------------------------------------------------------------------------------------

    @cached_property
    def opened(self) -> Opened:
        """The loop opened at its comparators.

        Raises
        ------
        ConvergenceError
            If no comparator brings an edge: the loop is at a limit.
        """
        return _opened(self)


@dataclass(frozen=True)
class Opened:
    """A loop opened at its k comparators, whose instants are free.

    Attributes
    ----------
    phi, gamma
        Map of the deviation over a period with these instants fixed, (u, u), and what a later instant adds [per s], (u, k).
    seen
        Guards at the comparators from the deviation at the start, (k, u).
    direct
        The same from the instants, slopes of the guards on the diagonal [per s], (k, k).
    command
        As ``seen``, of what the law contributes to the guards; None where that is all of it.
    """

    phi: Array
    gamma: Array
    seen: Array
    direct: Array
    command: Array | None
    period: float

    def loop_gain(self, frequencies: Array) -> Complex:
        """Return the loop gain as the comparators see it, (f,): 1 + L = 0 at the multipliers."""
        inner = np.asarray(np.linalg.solve(self.direct, self.seen), dtype=np.float64)
        return _gain(self.phi, self.gamma, inner, self.period, frequencies)

    def outer_gain(self, frequencies: Array) -> Complex:
        """Return the gain of the loop opened where the law commands the comparators, the rest of the guards closed, (f,)."""
        if self.command is None:
            return self.loop_gain(frequencies)
        inside = np.linalg.solve(self.direct, self.seen - self.command)
        closed = self.phi - self.gamma @ inside
        outer = np.asarray(np.linalg.solve(self.direct, self.command), dtype=np.float64)
        return _gain(closed, self.gamma, outer, self.period, frequencies)

    @property
    def multipliers(self) -> Complex:
        """Floquet multipliers of the closed loop, the largest first."""
        return multipliers(self.phi - self.gamma @ np.linalg.solve(self.direct, self.seen))


def _gain(phi: Array, gamma: Array, row: Array, period: float, frequencies: Array) -> Complex:
    """Return det(1 + row (z − Φ)⁻¹ Γ) − 1, which for one comparator is the gain itself."""
    open_loop = resolvent(phi, gamma, row, period, frequencies)
    if open_loop.shape[1] == 1:
        return np.asarray(open_loop[:, 0, 0])
    return np.asarray(np.linalg.det(np.eye(open_loop.shape[1]) + open_loop) - 1.0)


def multipliers(period_map: Array) -> Complex:
    """Return the eigenvalues of the map of a period, the largest first."""
    found = np.linalg.eigvals(period_map).astype(complex)
    return np.asarray(found[np.argsort(-np.abs(found), kind="stable")])


def resolvent(phi: Array, gamma: Array, rows: Array, period: float, frequencies: Array) -> Complex:
    """Return rows (z − Φ)⁻¹ Γ at z = e^{jωT}, (f, rows, columns)."""
    z = np.exp(2j * math.pi * np.asarray(frequencies) * period)
    turning = z[:, None, None] * np.eye(len(phi)) - phi
    return np.asarray(rows @ np.linalg.solve(turning, np.broadcast_to(gamma, (len(z), *gamma.shape))))


def _opened(responses: Responses) -> Opened:
    """Carry deviations and the instants of the comparators through the period."""
    linear, engine = responses.linear, responses.engine
    size = len(linear.unknown)
    trips = [k for k, e in enumerate(linear.events) if e.trip >= 0 and e.guard is not None]
    if not trips:
        raise ConvergenceError(
            "no comparator brings an edge in the steady state: the loop is at a limit of its pulse width and has no gain there"
        )
    count = len(trips)
    course = linear.start(count)
    shifts: list[Array] = []
    seen, direct, commands = np.zeros((count, size)), np.zeros((count, count)), np.zeros((count, size))
    for k, event in enumerate(linear.events):
        if k in trips:
            i = trips.index(k)
            assert event.guard is not None
            row = event.guard @ course
            seen[i], direct[i] = row[:size], row[size:]
            direct[i, i] = event.slope
            commands[i] = (_command(engine, event, event.guard) @ course)[:size]
            shift = np.zeros(size + count)
            shift[size + i] = 1.0
        else:
            shift = linear.shift(k, course, shifts)
        shifts.append(shift)
        course = exponential(linear.rate(k) * linear.durations[k]) @ linear.across(k, course, shift)
    end = course[linear.unknown]
    inner = engine.circuit.law is not None and engine.circuit.law.level is None
    return Opened(end[:, :size], end[:, size:], seen, direct, commands if inner else None, linear.period)


def _command(engine: Engine, event: Event, guard: Array) -> Array:
    """Return the part of a guard, which is scaled, that the command of the law makes up."""
    law = engine.layout.law
    whole = engine.layout.over(engine.layout.trips[event.trip].guard, engine.signals(event.before))
    largest = int(np.argmax(np.abs(whole)))
    scale = guard[largest] / whole[largest]
    return np.asarray(engine.layout.over(law.command, engine.signals(event.before)) * scale)
