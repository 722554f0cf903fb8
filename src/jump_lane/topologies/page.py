"""What a topology page has to say, and nothing else.

A page holds its equations as text, its circuit with named elements, its gate pattern as a function of the
control variable, and which measured signals prove which derived symbols.  Corners, regulation, verdicts,
figures and losses work from that.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from jump_lane.circuit.circuit import Circuit
from jump_lane.circuit.control import DUTY, Control
from jump_lane.circuit.elements import Element, with_fewer_knots
from jump_lane.circuit.gates import GatePattern, Gates, Instant, Span
from jump_lane.equations.sheet import Line, Sheet
from jump_lane.spec import Spec
from jump_lane.topologies.point import Point
from jump_lane.topologies.role import Role
from jump_lane.topologies.variant import Variant, every_variant


class Measured(Protocol):
    """What is read off a signal, in its unit."""

    @property
    def average(self) -> float:
        """Mean value."""


class Seen(Protocol):
    """What a page may ask of a simulated period; `jump_lane.switching` knows more of it."""

    period: float

    def measures(self, name: str) -> Measured:
        """Return what is read off a signal."""

    def value_at(self, name: str, time: float, after: bool = True) -> float:
        """Return a signal at an instant [s], at a jump just after or just before it."""

    def carrying(self, *valves: str) -> float:
        """Return the part of the period in which any of some valves carries a current."""

    def turn_on_voltage(self, switch: str) -> float:
        """Return the largest voltage that a switch turns on against [V]."""


@dataclass(frozen=True)
class Naming:
    """Modes of a circuit that has no boundary of conduction: how they are told from formulas, and from what is simulated.

    Attributes
    ----------
    symbol
        The last symbol that they follow from.
    derived
        The mode of every corner, from what is known by then.
    shown
        The mode that a simulated period shows.
    """

    symbol: str
    derived: Callable[[Sheet], NDArray[np.str_]]
    shown: Callable[[Seen, Point], str]


@dataclass(frozen=True)
class Gain:
    """How the gain of a tank follows from frequency and load.

    Attributes
    ----------
    harmonic
        Formula by the first harmonic, over the frequency x in units of the resonance f_0 and symbols of the page.
    stated
        Symbols that say what remains beyond the loads asked.
    """

    harmonic: str
    stated: tuple[str, ...] = ("I_ovl", "I_sc", "f_st")


@dataclass(frozen=True)
class Angled:
    """Angles that may be set apart from each other, in parts of the period.

    Attributes
    ----------
    symbols
        Their symbols, the one that usually holds the output first.
    gates
        The gate pattern at given angles.
    least
        Formulas of the angles with the least rms current, by symbol.
    plain
        Formulas of the angles as they are usually taken.
    leads
        Switch whose current is looked at.
    levels, capacitances
        Symbols of the voltage that each switch blocks, and of its output capacitance.
    drives
        For each switch the current that swings its leg over before it turns on: signal and sign.
    """

    symbols: tuple[str, ...]
    gates: Callable[[Mapping[str, float], Point], Gates]
    least: Mapping[str, str]
    plain: Mapping[str, str]
    leads: str
    levels: Mapping[str, str]
    capacitances: Mapping[str, str]
    drives: Mapping[str, tuple[str, float]]


@dataclass(frozen=True)
class Side:
    """That what is held may be met twice: which of the two states is meant, and how it is found.

    Attributes
    ----------
    reserve
        Positive on the side that is meant, in a simulated period.
    name
        What the other side is, and what mends it.
    short, over
        What mends an output that stays below what is asked, and one that stays above.
    """

    reserve: Callable[[Seen, Point], float]
    name: str
    short: str
    over: str


@dataclass(frozen=True)
class Bound:
    """A condition that every corner of a design has to fulfil: a symbol must not exceed a limit."""

    symbol: str
    limit: str
    otherwise: str
    """What it means if it does, and what mends it."""


@dataclass(frozen=True)
class Ripple:
    """A ripple current that may be asked of an inductor.

    Attributes
    ----------
    component
        The inductor, which is sized by it and by the conduction mode.
    average
        Formula of its average current at full load, which a relative ripple refers to.
    asked
        Symbol of what is asked.
    of
        Symbol of the ripple; empty for that of the component.
    """

    component: str
    average: str
    asked: str = "dI_ask"
    of: str = ""

    @property
    def ask(self) -> Ask:
        """What is asked of it."""
        return Ask(self.of or f"dI_{self.component.replace('_', '')}", self.asked, self.component)


@dataclass(frozen=True)
class Ask:
    """Something asked of a simulated quantity: it must not exceed a limit.

    A ripple current is not asked for where discontinuous conduction or its boundary is: it follows from that.

    Attributes
    ----------
    symbol, limit
        The quantity (a line with a proof) and the symbol of its limit.
    remedy
        The component that it is sized by.
    """

    symbol: str
    limit: str
    remedy: str


@dataclass(frozen=True)
class Page:
    """A topology.

    Attributes
    ----------
    name, title, good_for, conversion, isolated
        What it is called, and what is said of it in the list of topologies.
    roles
        Its components.
    ripples
        The ripple currents that may be asked.
    beside
        Inductors of no such ripple whose currents stop with theirs.
    inverting
        Whether the output is negative; V_o is its magnitude then.
    equations
        Its lines, once a variant is settled: up to the boundary load current ``I_B`` (or what else tells its modes) in
        continuous conduction, then in the mode that each corner has.
    circuit, gates
        Elements at an operating point, and the gate pattern as a function of the control variable.
    control
        What holds the output, with its range.
    start
        Element to symbol: where the simulation may start, beyond what the components' own symbols say.
    idle
        Devices of which none conducts while the circuit idles in discontinuous conduction; the last one is the
        rectifier (or, where current may always reverse, the inductor) whose current tells reversed conduction.
    caveats
        Symbol to what its derivation leaves out; said where the symbol is not zero.
    bounds
        Conditions of the circuit, such as the reset of a core.
    turns
        Winding ratios: how they are written (``N_p : N_s``) and the symbol of the ratio to 1.
    duty_limit, duty_limits
        Largest duty ratio that the turns ratio is derived from where the file says nothing, and what it is behind
        secondary sides that need another.
    duty_reserve
        Part of the duty limit that is left, with real parts, to what the formulas of lost duty miss.
    quiet
        Inductor whose (all but) vanishing current tells that the circuit idles, where devices do not tell it.
    outputs
        How many outputs it can have.
    reversible
        Whether the current reverses at light load even behind a diode.
    secondaries
        What may rectify behind its transformer, what is usual first; none where the circuit leaves no choice.
    clock
        Symbol of the frequency that the file gives: instants are fractions of its period.
    span
        The period in that unit as a function of the control variable, where that moves it.
    bodies
        Whether switches have body diodes, and legs dead time, whatever rectifies.
    naming, side, gain, angled
        Modes of their own, which of two states is meant, and what is mapped: gain over frequency, or what angles do.
    soft
        Whether every switch is meant to turn on without voltage at any load.
    returns
        Whether power may flow from the output to the input: both sides are bridges.
    varied
        The page as the file wants it, where it says what holds the output.
    modulations
        How its angles may be set.
    averaged
        Lines of its averaged small-signal model (`jump_lane.topologies.blocks.averaged`); empty if it has none.
    splits
        Whether its resonant capacitor may be two, one to either rail of the input.
    """

    name: str
    title: str
    good_for: str
    conversion: str
    roles: tuple[Role, ...]
    equations: Callable[[Variant], tuple[Line, ...]]
    circuit: Callable[[Point], tuple[Element, ...]]
    gates: Callable[[Instant, Point], Gates]
    figure: tuple[tuple[str, tuple[str, ...]], ...]
    isolated: bool = False
    idle: tuple[str, ...] = ("S1", "D1")
    ripples: tuple[Ripple, ...] = ()
    beside: tuple[str, ...] = ()
    control: Control = DUTY
    inverting: bool = False
    start: Mapping[str, str] = field(default_factory=dict)
    caveats: Mapping[str, str] = field(default_factory=dict)
    bounds: tuple[Bound, ...] = ()
    turns: tuple[tuple[str, str], ...] = ()
    duty_limit: float = 0.45
    duty_limits: Mapping[str, float] = field(default_factory=dict)
    duty_reserve: float = 0.0
    quiet: str = ""
    outputs: int = 1
    reversible: bool = False
    secondaries: tuple[str, ...] = ()
    clock: str = "f_s"
    span: Callable[[Instant, Point], Instant] | None = None
    bodies: bool = False
    naming: Naming | None = None
    side: Side | None = None
    gain: Gain | None = None
    angled: Angled | None = None
    soft: bool = False
    returns: bool = False
    varied: Callable[[Spec], Page] | None = None
    modulations: tuple[str, ...] = ()
    averaged: tuple[Line, ...] = ()
    splits: bool = False

    def lines_of(self, variant: Variant) -> tuple[Line, ...]:
        """Return the lines of a variant."""
        if variant not in self._written:
            self._written[variant] = self.equations(variant)
        return self._written[variant]

    @cached_property
    def _written(self) -> dict[Variant, tuple[Line, ...]]:
        return {}

    @cached_property
    def lines(self) -> tuple[Line, ...]:
        """Every line of the page, those of all its variants included."""
        every = every_variant(self.secondaries, self.outputs, self.modulations)
        found = (line for variant in every for line in self.lines_of(variant))
        return tuple({(line.symbol, str(line.text)): line for line in found}.values())

    @cached_property
    def used(self) -> frozenset[str]:
        """The symbols in the formulas of its lines."""
        return frozenset(name for line in self.lines for name in line.names)

    @cached_property
    def units(self) -> Mapping[str, str]:
        """The components that have a value, with its unit."""
        return {line.symbol: line.unit for line in self.lines if line.component}

    @cached_property
    def owners(self) -> Mapping[str, str]:
        """The component that each element of the circuit is, by their names; others are auxiliary."""
        return {element: role.name for role in self.roles for element in role.elements}

    @property
    def asks(self) -> tuple[Ask, ...]:
        """What may be asked of the ripples of its inductors and its output."""
        output = (Ask("dV_o", "dV_ask", "C_o"),) if self.naming is None else ()
        return (*dict.fromkeys(ripple.ask for ripple in self.ripples), *output)

    @cached_property
    def starts(self) -> Mapping[str, str]:
        """Element to symbol: where the simulation may start."""
        usual: dict[str, str] = {}
        for role in self.roles:
            if role.kind in ("inductor", "magnetising"):
                usual |= dict.fromkeys(role.elements, f"I_{role.tag}v")
            if role.kind == "capacitor" and role.name != "C_i":
                usual[role.name] = f"V_{role.tag}"
        return usual | {"C_o": "V_o"} | dict(self.start)

    @property
    def decides(self) -> str:
        """The symbol after which the mode of every corner is known."""
        return "I_B" if self.naming is None else self.naming.symbol

    @property
    def magnetising(self) -> str:
        """The element that is the magnetising inductance of the transformer; a resonant one plays no role of its own."""
        return next((role.name for role in self.roles if role.kind == "magnetising"), "L_m")

    @property
    def sized_by_mode(self) -> tuple[str, ...]:
        """The inductances that the conduction mode asked for sizes."""
        return tuple(dict.fromkeys((*(ripple.component for ripple in self.ripples), *self.beside)))

    def at(self, point: Point) -> Circuit:
        """Return the circuit at an operating point, at its derived value of the control variable."""
        pattern: GatePattern = lambda control: self.gates(control, point)  # noqa: E731
        span: Span = lambda control: Instant(1.0) if self.span is None else self.span(control, point)  # noqa: E731
        known, control = point[self.control.symbol], self.control.at(point.values)
        start = known if math.isfinite(known) else control.start
        start = min(max(start, control.lowest), control.highest) if self.span is not None else start
        elements = with_fewer_knots(tuple(point.saturated(e) for e in self.circuit(point)))
        return Circuit(elements, 1.0 / point[self.clock], pattern, start, span)
