"""Circuits of one's own under control, and over time."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace

from jump_lane.circuit.circuit import Circuit
from jump_lane.circuit.controlled import FIGURES, OwnControlTable, OwnEventTable
from jump_lane.circuit.elements import (
    Capacitor,
    CurrentSource,
    Element,
    Inductor,
    Resistor,
    VoltageSource,
)
from jump_lane.circuit.file import CircuitFile
from jump_lane.circuit.law import Law, Row
from jump_lane.control.analogue import DIMENSIONS
from jump_lane.control.digital import Controller, Gains
from jump_lane.control.events import ramped, require_within
from jump_lane.control.modulator import FIXED, Modulator
from jump_lane.control.network import REFERENCE, Dynamics, operational, transconductance
from jump_lane.errors import InputError, nearest
from jump_lane.quantities import parse, show
from jump_lane.spec.loop import Digital, Loop
from jump_lane.switching.changes import Change
from jump_lane.switching.record import record
from jump_lane.switching.steady import SteadyState, steady_state
from jump_lane.switching.transient import Passage

NETWORK = ("R_1", "R_b", "R_2", "R_3", "C_1", "C_2", "C_3")


@dataclass(frozen=True)
class OwnLoop:
    """What controls a circuit of one's own without a clock of its own: a network, and what its output is compared with."""

    table: OwnControlTable
    dynamics: Dynamics
    modulator: Modulator

    @property
    def law(self) -> Law:
        """The law that both make."""
        table = self.table
        held = {REFERENCE: table.reference, "v_c": table.command}
        return self.modulator.law(self.dynamics, {k: v for k, v in held.items() if v is not None})

    def rest(self, start: SteadyState) -> Mapping[str, float]:
        """Return where the states of the law rest, about, from the steady state in open loop."""
        if self.table.command is not None:
            return {}
        held = record(start).measures(self.table.signal).average
        return self.dynamics.rest(self.modulator.command(start), held)


def analogue(loaded: CircuitFile) -> OwnLoop | None:
    """Return the analogue loop that a circuit file gives; None for a digital controller or none at all.

    Raises
    ------
    InputError
        If something is missing or does not go together.
    """
    table = loaded.loop
    if table is None or table.digital is not None:
        return None
    peak = table.peak
    modulator = Modulator(table.ramp)
    if peak is not None:
        modulator = Modulator(
            sensed={peak.switch: peak.signal}, sense=peak.sense, slope=peak.slope, blanking=peak.blanking
        )
    return OwnLoop(table, _dynamics(table), modulator)


def under_law(loaded: CircuitFile) -> Circuit:
    """Return the circuit of a file with the law that it gives, if it gives one."""
    found = analogue(loaded)
    return replace(loaded.circuit, law=None if found is None else found.law)


def _dynamics(table: OwnControlTable) -> Dynamics:
    if table.command is not None:
        if table.peak is None:
            raise InputError("control.command: read beside a ramp; expected control.peak with it")
        return FIXED
    maker = operational if table.amplifier == "operational" else transconductance
    return maker(_values(table), table.signal)


def _values(table: OwnControlTable) -> dict[str, float]:
    for name in table.values:
        if name not in NETWORK:
            raise InputError(f"control.values: no component {name!r} of a network; {nearest(name, NETWORK)}")
    missing = [s for s in ("R_1", "R_b", "C_1") if s not in table.values]
    missing += [
        s for s, other in (("C_2", "R_2"), ("C_3", "R_3")) if other in table.values and s not in table.values
    ]
    if missing or table.reference is None or not table.signal:
        named = [f"values.{s}" for s in missing]
        named += ["reference"] if table.reference is None else []
        named += [] if table.signal else ["signal"]
        raise InputError(f"control: {', '.join(named)} expected, for the network around the amplifier")
    values = {name: parse(given, DIMENSIONS[name[0]]) for name, given in table.values.items()}
    if any(not v > 0.0 for v in values.values()):
        raise InputError("control.values: expected components above 0")
    return {
        **values,
        "V_ref": float(table.reference),
        "g_m": table.transconductance,
        "A_0": math.inf if table.gain is None else 10.0 ** (table.gain / 20.0),
        "f_u": math.inf if table.bandwidth is None else table.bandwidth,
    }


def controller_of(loaded: CircuitFile, start: float) -> Controller | None:
    """Return the digital controller of a circuit file at rest at a value of the control; None if it has none."""
    table = loaded.loop
    if table is None or table.digital is None:
        return None
    if table.reference is None or not table.signal:
        raise InputError("control: reference and signal expected, for a digital controller")
    d = table.digital
    shared = {"delay", "sample", "voltage_step", "duty_step"}
    loop = Loop(kind="digital", digital=Digital(**d.model_dump(include=shared)))
    gains = Gains(d.proportional, d.integral)
    return Controller(loop, gains, loaded.control, table.reference, start, rows=(table.signal,))


@dataclass(frozen=True)
class OwnRun:
    """A circuit over time."""

    title: str
    passage: Passage
    spans: tuple[tuple[float, float, str], ...]
    complete: bool = True


def closed(loaded: CircuitFile, watched: Mapping[str, Row], inputs: tuple[str, ...]) -> SteadyState:
    """Return the steady state of a circuit under its law, or at its value of the control variable.

    Raises
    ------
    NoResultError
        If there is none.
    """
    start = steady_state(loaded.circuit)
    found = analogue(loaded)
    if found is None:
        return steady_state(loaded.circuit, None, start.states, watched=watched, inputs=inputs)
    guess = {**start.states, **found.rest(start)}
    return steady_state(under_law(loaded), None, guess, watched=watched, inputs=inputs)


def rows_of(loaded: CircuitFile, signals: tuple[str, ...]) -> dict[str, Row]:
    """Return the rows to follow: what is asked for; else currents of inductors, voltages of capacitors, what is held.

    Raises
    ------
    InputError
        If there is no such signal.
    """
    names = list(signals)
    if not names:
        for e in loaded.circuit.elements:
            if isinstance(e, Inductor):
                names.append(f"{e.name}.i")
            elif isinstance(e, Capacitor):
                names.append(f"{e.name}.v")
    rows: dict[str, Row] = {n: {n: 1.0} for n in names}
    if loaded.loop is not None and loaded.loop.signal:
        rows.setdefault(loaded.loop.signal, {loaded.loop.signal: 1.0})
    found = analogue(loaded)
    return rows if found is None else {**rows, **found.law.outputs}


CHANGING = {
    "voltage": VoltageSource,
    "current": CurrentSource,
    "resistance": Resistor,
    "inductance": Inductor,
    "capacitance": Capacitor,
}
"""What has a figure that an event may set."""


def prepared(
    loaded: CircuitFile, signals: tuple[str, ...], end: float, rest: bool, name: str
) -> tuple[OwnRun, list[Change]]:
    """Return a run of a circuit file that is ready to start, and what changes on its way.

    Raises
    ------
    InputError
        If an event cannot happen.
    NoResultError
        If there is no steady state to start from.
    """
    circuit = start = under_law(loaded)
    events = sorted(loaded.events, key=lambda e: e.at)
    words, changes = [], []
    for k, event in enumerate(events):
        where = f"event {k + 1} (at {show(event.at, 's')})"
        require_within(event.at, end, where)
        words.append(_required(circuit, loaded, event, where))
        circuit, more = _changes(circuit, event, loaded)
        changes += more
    sources = tuple(dict.fromkeys(c.name for c in changes if c.name))
    state = None if rest else closed(loaded, {}, ())
    states, combo = ({}, 0) if state is None else (state.engine.named(state.start), state.combo)
    clocked = controller_of(loaded, loaded.circuit.control)
    passage = Passage(start, rows_of(loaded, signals), sources, sources, states, combo, clocked)
    marks = [(0.0, "from rest" if rest else "steady state")]
    marks += [(e.at, w) for e, w in zip(events, words, strict=True)]
    ends = [t for t, _ in marks[1:]] + [end]
    spans = tuple((t, e, w) for (t, w), e in zip(marks, ends, strict=True) if e > t)
    return OwnRun(loaded.title or name, passage, spans), changes


def _required(circuit: Circuit, loaded: CircuitFile, event: OwnEventTable, where: str) -> str:
    """Refuse an event that cannot happen to a circuit; return it in words."""
    if event.control is not None:
        if loaded.loop is not None:
            raise InputError(
                f"{where}.control: the controller of the file sets it; without [control] it can step"
            )
        loaded.control.read(str(event.control), f"{where}.control")
        return f"{loaded.control.symbol} = {event.control}"
    elements = {e.name: e for e in circuit.elements}
    if event.element not in elements:
        raise InputError(f"{where}.element: no element {event.element!r}; {nearest(event.element, elements)}")
    element, figure = elements[event.element], event.figure
    if event.removed:
        if not isinstance(element, Resistor | CurrentSource):
            raise InputError(f"{where}.removed: {event.element} is neither a resistor nor a current source")
        return f"{event.element} removed"
    if not isinstance(element, CHANGING[figure]):
        raise InputError(f"{where}.{figure}: {event.element} has no {figure}")
    return f"{event.element}: {figure} → {show(getattr(event, figure), FIGURES[figure])}"


def _changes(circuit: Circuit, event: OwnEventTable, loaded: CircuitFile) -> tuple[Circuit, list[Change]]:
    """Return the circuit behind an event, and what changes; sources stay what they were at first, with increments beside them."""
    if event.control is not None:
        return circuit, [Change(event.at, control=loaded.control.read(str(event.control), "control"))]
    element = next(e for e in circuit.elements if e.name == event.element)
    if isinstance(element, VoltageSource | CurrentSource):
        first = next(e for e in loaded.circuit.elements if e.name == event.element)
        wanted = 0.0 if event.removed else float(getattr(event, event.figure))
        other = _with_value(element, wanted)
        before, after = _value(element) - _value(first), wanted - _value(first)
        changes = list(ramped(event.element, event.at, event.over, before, after))
        return _with_element(circuit, other), changes
    if event.removed:
        a, b = next((a, b) for name, a, b in circuit.branches if name == event.element)
        other = CurrentSource(event.element, a, b, 0.0)
    else:
        other = replace(element, **{event.figure: getattr(event, event.figure)})
    circuit = _with_element(circuit, other)
    return circuit, [Change(event.at, circuit=_sources_as_before(circuit, loaded))]


def _with_element(circuit: Circuit, other: Element) -> Circuit:
    elements = tuple(other if e.name == other.name else e for e in circuit.elements)
    return replace(circuit, elements=elements)


def _sources_as_before(circuit: Circuit, loaded: CircuitFile) -> Circuit:
    """Return a circuit with its sources as they were at first: what they have changed by is an input."""
    first = {e.name: e for e in loaded.circuit.elements if isinstance(e, VoltageSource | CurrentSource)}
    return replace(circuit, elements=tuple(first.get(e.name, e) for e in circuit.elements))


def _value(element: Element) -> float:
    assert isinstance(element, VoltageSource | CurrentSource)
    return element.voltage if isinstance(element, VoltageSource) else element.current


def _with_value(element: VoltageSource | CurrentSource, value: float) -> Element:
    if isinstance(element, VoltageSource):
        return replace(element, voltage=value)
    return replace(element, current=value)
