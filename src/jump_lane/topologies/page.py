"""What a topology page has to say, and nothing else.

A page holds its equations as text, its circuit with named elements, its gate pattern as a function of the
control variable, and which measured signals prove which derived symbols.  Corners, regulation, verdicts,
figures and losses work from that.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping
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


@dataclass(frozen=True)
class ByTarget:
    """A line that depends on the conduction mode asked for."""

    lines: Mapping[str, Line]


@dataclass(frozen=True)
class Cases:
    """Lines that depend on a case: what the file asks for, or which data a part has.

    Attributes
    ----------
    of
        The case, from the file and from what is known so far.
    lines
        The lines of each case.
    """

    of: Callable[[Spec, Sheet], str]
    lines: Mapping[str, tuple[Line | ByTarget | Cases, ...]]


Entry = Line | ByTarget | Cases


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
    derived
        The mode of every corner, from what the sizing lines gave.
    shown
        The mode that a simulated period shows.
    """

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
class Proof:
    """A derived symbol and what proves it: a measure of a simulated signal.

    ``tolerance`` is how far derived and simulated value may lie apart before the table says so [1], relative
    to the derived value or, if given, to that of the symbol ``scale`` at the same corner.
    """

    symbol: str
    signal: str
    measure: str
    tolerance: float = 0.01
    scale: str = ""
    modes: tuple[str, ...] = ()
    needs: str = ""
    """Symbol that must not be zero: without leakage, say, nothing tells how two open switches share a voltage."""


@dataclass(frozen=True)
class Ask:
    """Something asked of a simulated quantity: it must not exceed a limit.

    A ripple current is not asked for where discontinuous conduction or its boundary is: it follows from that.

    Attributes
    ----------
    symbol, limit
        The quantity (a symbol with a proof) and the symbol of its limit.
    remedy
        The component that it is sized by.
    """

    symbol: str
    limit: str
    remedy: str


def _lines_of(entry: Entry) -> Iterator[Line]:
    if isinstance(entry, Line):
        yield entry
        yield from entry.through
    elif isinstance(entry, ByTarget):
        yield from entry.lines.values()
    else:
        for group in entry.lines.values():
            for line in group:
                yield from _lines_of(line)


def _targets_of(entry: Entry) -> Iterator[ByTarget]:
    if isinstance(entry, ByTarget):
        yield entry
    elif isinstance(entry, Cases):
        for group in entry.lines.values():
            for line in group:
                yield from _targets_of(line)


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
        For each inductor the symbol of its asked ripple and the formula of its average current at full load,
        which a relative ripple refers to.
    inverting
        Whether the output is negative; V_o is its magnitude then.
    sizing
        Lines up to the boundary load current ``I_B``, in continuous conduction: duty ratio, inductance.
    operation
        Lines in the conduction mode that each corner then has.
    circuit, gates
        Elements at an operating point, and the gate pattern as a function of the control variable.
    control
        What holds the output, with its range.
    start
        Element to symbol: where the simulation may start.
    idle
        Devices of which none conducts while the circuit idles in discontinuous conduction; the last one is the
        rectifier (or, where current may always reverse, the inductor) whose current tells reversed conduction.
    proofs, asks
        What is measured, and what is asked of it.
    figure
        Panels of the figure: title and signals.
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
        Part of the duty limit that is left to what the formulas of lost duty miss.
    quiet
        Inductor whose (all but) vanishing current tells that the circuit idles, where devices do not tell it.
    floor
        Symbol of the least inductor current, where the load alone does not tell whether it stops.
    looser
        Symbol to the least tolerance of all proofs where that symbol is not zero.
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
    averaged
        Lines of its averaged small-signal model (`jump_lane.topologies.blocks.averaged`); empty if it has none.
    splits
        Whether its resonant capacitor may be two, one to either rail of the input.
    """

    name: str
    title: str
    good_for: str
    conversion: str
    isolated: bool
    roles: tuple[Role, ...]
    ripples: tuple[tuple[str, str], ...]
    sizing: tuple[Entry, ...]
    operation: tuple[Entry, ...]
    circuit: Callable[[Point], tuple[Element, ...]]
    gates: Callable[[Instant, Point], Gates]
    proofs: tuple[Proof, ...]
    asks: tuple[Ask, ...]
    figure: tuple[tuple[str, tuple[str, ...]], ...]
    idle: tuple[str, ...]
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
    floor: str = ""
    looser: Mapping[str, float] = field(default_factory=dict)
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
    splits: bool = False
    averaged: tuple[Line, ...] = ()

    def lines(self) -> list[Line]:
        """Return every line of the page, those for all conduction targets included."""
        return [line for entry in (*self.sizing, *self.operation) for line in _lines_of(entry)]

    @cached_property
    def owners(self) -> Mapping[str, str]:
        """Return the component that each element of the circuit is, by their names; others are auxiliary."""
        return {element: role.name for role in self.roles for element in role.elements}

    @property
    def magnetising(self) -> str:
        """The element that is the magnetising inductance of the transformer; a resonant one plays no role of its own."""
        return next((role.name for role in self.roles if role.kind == "magnetising"), "L_m")

    @property
    def sized_by_mode(self) -> tuple[str, ...]:
        """Return the inductances that the conduction mode asked for sizes."""
        found = (t for entry in self.sizing for t in _targets_of(entry))
        return tuple(dict.fromkeys(line.symbol for target in found for line in target.lines.values()))

    def at(self, point: Point) -> Circuit:
        """Return the circuit at an operating point, at its derived value of the control variable."""
        pattern: GatePattern = lambda control: self.gates(control, point)  # noqa: E731
        span: Span = lambda control: Instant(1.0) if self.span is None else self.span(control, point)  # noqa: E731
        known, control = point[self.control.symbol], self.control.at(point.values)
        start = known if math.isfinite(known) else control.start
        start = min(max(start, control.lowest), control.highest) if self.span is not None else start
        elements = with_fewer_knots(tuple(point.saturated(e) for e in self.circuit(point)))
        return Circuit(elements, 1.0 / point[self.clock], pattern, start, span)
