"""A power stage at an operating point, with what disturbs it and what is watched, in open loop or under a law."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from jump_lane.circuit.circuit import Circuit
from jump_lane.circuit.elements import CurrentSource
from jump_lane.circuit.law import Law, Row
from jump_lane.design.derive import Design
from jump_lane.errors import InputError
from jump_lane.operating.point import solve_point
from jump_lane.quantities import show
from jump_lane.switching.response import CONTROL, Responses
from jump_lane.switching.steady import SteadyState, steady_state
from jump_lane.topologies.point import Point

Complex = NDArray[np.complex128]

SOURCE, DISTURBANCE = "source", "disturbance"
"""Names of the input source and of a current that is drawn from the output beside the load."""


@dataclass(frozen=True)
class Stage:
    """A design at one corner.

    Attributes
    ----------
    i, j
        Which input and load.
    """

    design: Design
    i: int = 0
    j: int = 0

    @cached_property
    def point(self) -> Point:
        """The operating point."""
        return self.design.point(self.i, self.j)

    @property
    def v_in(self) -> float:
        """Input voltage [V]."""
        return self.point["V_in"]

    @property
    def i_o(self) -> float:
        """Load current [A]."""
        return self.point["I_o"]

    @property
    def words(self) -> str:
        """The corner in words."""
        return f"{show(self.v_in, 'V')}, {show(self.i_o, 'A')}"

    @property
    def string(self) -> bool:
        """Whether the load is a string of LEDs, whose current is held."""
        return self.point.kinds[0] == "leds"

    @property
    def held(self) -> str:
        """Signal that is held."""
        return "load.i" if self.string else "load.v"

    @property
    def target(self) -> float:
        """What its average is held at [V or A]."""
        return self.point["I_o"] if self.string else self.point["V_o"]

    @property
    def watched(self) -> dict[str, Row]:
        """Rows that are watched: what is held, input current, every inductor current, the first output."""
        rows: dict[str, Row] = {"held": {self.held: 1.0}, "input": {f"{SOURCE}.i": 1.0}}
        return {**rows, "output": {"load.v": 1.0}, **{name: {f"{name}.i": 1.0} for name in self.inductors}}

    @property
    def inductors(self) -> tuple[str, ...]:
        """Names of inductors in the circuit, those that carry the load first."""
        known = {name for name, _, _ in self.circuit.branches}
        return tuple(name for name in self.design.inductors if name in known)

    @cached_property
    def circuit(self) -> Circuit:
        """The circuit with a current that may be drawn from the first output besides."""
        circuit = self.design.page.at(self.point)
        a, b = next((a, b) for name, a, b in circuit.branches if name == "load")
        return replace(circuit, elements=(*circuit.elements, CurrentSource(DISTURBANCE, a, b, 0.0)))

    @cached_property
    def inputs(self) -> tuple[str, ...]:
        """Sources that may be changed."""
        names = {e.name for e in self.circuit.elements}
        return tuple(name for name in (SOURCE, DISTURBANCE) if name in names)

    @cached_property
    def open(self) -> SteadyState:
        """The steady state with the output held, the control fixed where it holds it.

        Raises
        ------
        NoResultError
            If the output cannot be held there.
        """
        found, _ = solve_point(self.design.page, self.point)
        circuit = replace(self.circuit, control=found.control)
        return steady_state(circuit, None, found.states, watched=self.watched, inputs=self.inputs)

    @cached_property
    def responses(self) -> Responses:
        """Small-signal answers in open loop."""
        return Responses(self.open)

    def plant(self, frequencies: NDArray[np.float64]) -> Complex:
        """Return the response of what is held to the control variable, as a modulator compares it, (f,)."""
        return self.responses.analyser(CONTROL, ("held",), frequencies)["held"]

    @cached_property
    def ended(self) -> tuple[str, ...]:
        """Switches whose pulses the control moves and ends."""
        engine = self.open.engine
        edges, found = engine.schedule(self.open.control), 0
        for k in np.flatnonzero(edges.slopes != 0.0):
            found |= int(edges.masks[k - 1]) & ~int(edges.masks[k])
        return tuple(name for bit, name in enumerate(engine.switches) if (found >> bit) & 1)

    def closed(self, law: Law, rest: Mapping[str, float], control: float | None = None) -> SteadyState:
        """Return the steady state under a law, from states of the law near those where it rests.

        The control tells the order of the edges, and where no comparator moves them their place; as in open loop unless given.

        Raises
        ------
        NoResultError
            If none is found.
        """
        start = self.open
        circuit = replace(self.circuit, control=start.control if control is None else control, law=law)
        guess = {**start.states, **rest}
        return steady_state(circuit, None, guess, watched=self.watched, inputs=self.inputs)


@dataclass(frozen=True)
class Corners:
    """A design at every corner of input and load that has a load, nominal input and full load among them; each is worked out once."""

    every: tuple[Stage, ...]
    nominal: Stage


def corners(design: Design) -> Corners:
    """Return the corners of a design."""
    rows, columns = design.shape
    found = [Stage(design, i, j) for i in range(rows) for j in range(columns)]
    loaded = [stage for stage in found if stage.i_o > 0.0] or found
    middle = Stage(design.at())
    same = [s for s in loaded if math.isclose(s.v_in, middle.v_in) and math.isclose(s.i_o, middle.i_o)]
    if not same:
        loaded, same = [*loaded, middle], [middle]
    return Corners(tuple(loaded), same[0])


def require_duty(design: Design) -> None:
    """Refuse a converter whose pulses an analogue modulator cannot end.

    Raises
    ------
    InputError
        If its control moves the period.
    """
    if design.page.span is not None:
        raise InputError(
            f"control.kind: {design.page.name} is controlled by its {design.control.words}, which moves the period; "
            "expected kind = 'digital', which latches it once a period"
        )


def degrees(value: complex) -> float:
    """Return the phase of a gain in (−360, 0] degrees."""
    angle = math.degrees(math.atan2(value.imag, value.real))
    return angle - 360.0 if angle > 0.0 else angle
