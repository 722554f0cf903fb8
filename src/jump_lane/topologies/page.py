"""What a topology page has to say, and nothing else.

A page holds its equations as text, its circuit with named elements, its gate pattern as a function of the
control variable, and which measured signals prove which derived symbols.  Corners, regulation, verdicts,
figures and losses work from that.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from itertools import pairwise

from jump_lane.catalogue.curve import Curve
from jump_lane.circuit.circuit import Circuit
from jump_lane.circuit.elements import (
    BodyDiode,
    Capacitor,
    CurrentSource,
    Diode,
    Element,
    Inductor,
    Resistor,
    Switch,
    VoltageSource,
    Winding,
    coupled_pair,
)
from jump_lane.circuit.gates import GatePattern, Gates, Instant, Interval, complement
from jump_lane.derivation import Line, Sheet
from jump_lane.spec import Spec

BODY_VOLTAGE = 0.8
"""Forward voltage of a body diode [V] where none is given: that of silicon."""


SHARING = 1e-5
"""Resistance that makes ideal phases share their current, relative to that of the load."""


@dataclass(frozen=True)
class Datum:
    """One figure of a real part: its key in the file, the symbol it becomes, unit, meaning, default."""

    key: str
    symbol: str
    unit: str
    meaning: str
    default: float = 0.0


@dataclass(frozen=True)
class Role:
    """A component of a page, and what a real part may bring along.

    Data symbols follow from the component's name without underscores, here ``X``: R_X (resistance when
    conducting, winding resistance, ESR), V_FX (forward voltage), V_BX and R_BX (body diode).
    """

    name: str
    kind: str
    element: str = ""
    """Element that stands for all made alike; empty where it is called like the component."""

    @property
    def tag(self) -> str:
        """Return the name as it stands in symbols."""
        return self.name.replace("_", "")

    @property
    def data(self) -> tuple[Datum, ...]:
        """Return what a part in this role is described by."""
        if self.kind == "coupling":
            return (Datum("factor", f"k_{self.tag}", "", f"coupling factor of {self.name}"),)
        if self.kind == "magnetising":
            return ()
        if self.kind == "transformer":
            return (
                Datum(
                    "leakage",
                    f"L_k{self.tag}",
                    "H",
                    f"leakage inductance of {self.name}, seen at the primary",
                ),
                Datum("primary_resistance", f"R_p{self.tag}", "Ω", f"primary resistance of {self.name}"),
                Datum("secondary_resistance", f"R_s{self.tag}", "Ω", f"secondary resistance of {self.name}"),
            )
        resistance = {
            "switch": "on-resistance",
            "rectifier": "resistance when conducting",
            "inductor": "winding resistance",
            "capacitor": "equivalent series resistance",
        }[self.kind]
        data = [Datum("resistance", f"R_{self.tag}", "Ω", f"{resistance} of {self.name}")]
        if self.kind == "rectifier":
            data.append(Datum("forward_voltage", f"V_F{self.tag}", "V", f"forward voltage of {self.name}"))
        if self.kind == "switch":
            data.append(
                Datum("output_capacitance", f"C_{self.tag}", "F", f"output capacitance of {self.name}")
            )
            data.append(
                Datum("on_voltage", f"V_T{self.tag}", "V", f"on-state voltage at no current of {self.name}")
            )
        if self.kind in ("switch", "rectifier"):
            data.append(
                Datum(
                    "body_voltage",
                    f"V_B{self.tag}",
                    "V",
                    f"forward voltage of the body diode of {self.name}",
                    BODY_VOLTAGE,
                )
            )
            data.append(
                Datum(
                    "body_resistance", f"R_B{self.tag}", "Ω", f"resistance of the body diode of {self.name}"
                )
            )
        return tuple(data)


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
    lines: Mapping[str, tuple[Line | ByTarget, ...]]


Entry = Line | ByTarget | Cases


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
        The component to raise if the limit is broken; the quantity is inversely proportional to it, except
        for the part ``share``, which only ``otherwise`` mends.
    """

    symbol: str
    limit: str
    remedy: str
    share: str = ""
    otherwise: str = ""


@dataclass(frozen=True)
class Point:
    """One operating point: every symbol's value there, how the rectifier is made, and what the load is.

    ``secondary`` is what rectifies behind a transformer that is driven both ways.
    """

    values: Mapping[str, float]
    synchronous: bool
    kind: str = "resistance"
    secondary: str = "centre-tap"
    curves: Mapping[str, Curve] = field(default_factory=dict)
    """Component to the part of its inductance left over current [A]."""

    def __getitem__(self, symbol: str) -> float:
        return self.values[symbol]

    def source(self, a: str = "in", b: str = "gnd") -> VoltageSource:
        """Return the input source, turned so that its current is the one it delivers."""
        return VoltageSource("source", b, a, -self["V_in"])

    def switch(self, name: str, a: str, b: str, role: str = "", shares: bool = False) -> Switch:
        """Return a controlled switch that blocks positive voltage from a to b; with body diode if synchronous.

        ``role`` names the component whose data it has, where that is called differently; see `rectifier` for
        ``shares``.
        """
        x = role or name
        body = BodyDiode(self[f"V_B{x}"], self[f"R_B{x}"]) if self.synchronous else None
        resistance = max(self[f"R_{x}"], self._least() if shares else 0.0)
        return Switch(name, a, b, resistance, body, self[f"V_T{x}"])

    def rectifier(self, name: str, anode: str, cathode: str, role: str = "", shares: bool = False) -> Element:
        """Return a diode, or the switch that stands in for it.

        Only resistance makes devices in parallel paths share a current (``shares``); ideal ones get 1e-5 of
        V_o/I_o, which nothing else shows.
        """
        x = role or name
        least = self._least() if shares else 0.0
        resistance = max(self[f"R_{x}"], least)
        if not self.synchronous:
            return Diode(name, anode, cathode, self[f"V_F{x}"], resistance)
        body = BodyDiode(self[f"V_B{x}"], max(self[f"R_B{x}"], least), forward=True)
        return Switch(name, anode, cathode, resistance, body)

    def _least(self) -> float:
        return SHARING * self["V_o"] / max(self["I_o"], 1e-3)

    def rectify(self, **intervals: tuple[Interval, ...]) -> Gates:
        """Return the gates of synchronous rectifiers: on while their ``intervals`` are off, less the dead time."""
        if not self.synchronous:
            return {}
        dead = self["t_d"] * self["f_s"]
        return {name: complement(spans, dead) for name, spans in intervals.items()}

    def inductor(self, name: str, a: str, b: str) -> Inductor:
        """Return an inductor with its winding resistance, and saturating as its part does."""
        return self._coil(name, a, b, name, self[f"R_{name.replace('_', '')}"])

    def _coil(self, name: str, a: str, b: str, role: str, resistance: float) -> Inductor:
        if role not in self.curves:
            return Inductor(name, a, b, self[role], resistance)
        first, knots = saturating(self[role], self.curves[role])
        return Inductor(name, a, b, first, resistance, knots)

    def phase_inductor(self, name: str, a: str, b: str, role: str) -> Inductor:
        """Return the inductor of one of several phases.

        Only resistance makes phases share the current; ideal ones get 1e-5 of V_o/I_o, which nothing else shows.
        """
        return self._coil(name, a, b, role, max(self[f"R_{role}"], self._least()))

    def capacitor(self, name: str, a: str, b: str) -> Capacitor:
        """Return a capacitor with its equivalent series resistance."""
        return Capacitor(name, a, b, self[name], self[f"R_{name.replace('_', '')}"])

    def coupled(
        self, core: str, first: tuple[str, str, str], second: tuple[str, str, str]
    ) -> tuple[Element, ...]:
        """Return two inductors (name, a, b), on one core where a coupling factor is given."""
        k = self[f"k_{core}"]
        if k == 0.0:
            return (self.inductor(*first), self.inductor(*second))
        one, two = (Winding(name, a, b, 1.0, self[f"R_{name}"]) for name, a, b in (first, second))
        return (coupled_pair(core, one, two, (self[first[0]], self[second[0]]), k),)

    def load(self, a: str = "out", b: str = "gnd") -> tuple[Element, ...]:
        """Return the load as it behaves about the operating point; its voltage is that of ``load``.

        A constant power P takes i = P/v, here by its tangent at V_o: a negative resistance −V_o²/P beside a
        current source of 2·P/V_o.
        """
        voltage, current = self["V_o"], self["I_o"]
        if self.kind == "leds":
            resistance = 1.0 / self["g_o"]
            return (Diode("load", a, b, voltage - resistance * current, resistance),)
        if self.kind == "current" or current == 0.0:
            return (CurrentSource("load", a, b, current),)
        if self.kind == "power":
            return (
                CurrentSource("load", a, b, 2.0 * current),
                Resistor("load.slope", a, b, -voltage / current),
            )
        return (Resistor("load", a, b, voltage / current),)


def saturating(inductance: float, curve: Curve) -> tuple[float, tuple[tuple[float, float], ...]]:
    """Return the inductance at first, and from which current on which inductance holds.

    Parameters
    ----------
    inductance
        What 100 % of the curve stands for [H].
    curve
        Part of the (incremental) inductance left over current [A]; between two points the mean of both is taken,
        so that the flux is right at every point.
    """
    x, y = curve.starting(curve.y[0]).x, curve.starting(curve.y[0]).y
    means = [(a + b) / 2.0 for a, b in pairwise(y)] + [y[-1]]
    knots, last = [], means[0]
    for current, share in zip(x[1:], means[1:], strict=True):
        if share < last:
            knots.append((current, inductance * share))
            last = share
    return inductance * means[0], tuple(knots)


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
    control, highest
        Symbol of the control variable, which lies between 0 and ``highest``.
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
    duty_limit
        Largest duty ratio that the turns ratio is derived from where the file says nothing.
    quiet
        Inductor whose (all but) vanishing current tells that the circuit idles, where devices do not tell it.
    looser
        Symbol to the least tolerance of all proofs where that symbol is not zero.
    outputs
        How many outputs it can have.
    reversible
        Whether the current reverses at light load even behind a diode.
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
    control: str = "D"
    highest: float = 1.0
    inverting: bool = False
    start: Mapping[str, str] = field(default_factory=dict)
    caveats: Mapping[str, str] = field(default_factory=dict)
    bounds: tuple[Bound, ...] = ()
    turns: tuple[tuple[str, str], ...] = ()
    duty_limit: float = 0.45
    quiet: str = ""
    looser: Mapping[str, float] = field(default_factory=dict)
    outputs: int = 1
    reversible: bool = False

    def lines(self) -> list[Line]:
        """Return every line of the page, those for all conduction targets included."""
        return [line for entry in (*self.sizing, *self.operation) for line in _lines_of(entry)]

    def at(self, point: Point) -> Circuit:
        """Return the circuit at an operating point, at its derived value of the control variable."""
        pattern: GatePattern = lambda control: self.gates(control, point)  # noqa: E731
        return Circuit(self.circuit(point), point["T_s"], pattern, point[self.control])
