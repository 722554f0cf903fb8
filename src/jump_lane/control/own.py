"""Circuits of one's own under control, and over time."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace

from jump_lane.circuit.circuit import Circuit
from jump_lane.circuit.control import Control
from jump_lane.circuit.controlled import OwnControlTable, OwnEventTable
from jump_lane.circuit.elements import (
    Capacitor,
    CurrentSource,
    Element,
    Inductor,
    Resistor,
    VoltageSource,
)
from jump_lane.circuit.file import CircuitFile
from jump_lane.circuit.law import Law, Peak, Row
from jump_lane.control.digital import Controller, Gains
from jump_lane.control.network import REFERENCE, Dynamics, operational, times, transconductance
from jump_lane.errors import InputError, nearest
from jump_lane.quantities import CAPACITANCE, RESISTANCE, parse, show
from jump_lane.spec.loop import Digital, Loop
from jump_lane.switching.changes import Change, Clocked
from jump_lane.switching.record import record
from jump_lane.switching.steady import SteadyState, steady_state
from jump_lane.switching.transient import Passage

NETWORK = ("R_1", "R_b", "R_2", "R_3", "C_1", "C_2", "C_3")

COMMAND = "command"


def law_of(loaded: CircuitFile) -> tuple[Law, Dynamics] | None:
    """Return the law that a circuit file gives; None for a digital controller or none at all.

    Raises
    ------
    InputError
        If something is missing or does not go together.
    """
    table = loaded.loop
    if table is None or table.digital is not None:
        return None
    dynamics = _dynamics(table)
    held = {REFERENCE: table.reference} if table.reference is not None else {}
    if table.command is not None:
        held["v_c"] = table.command
    outputs: dict[str, Row] = {COMMAND: dynamics.command}
    if table.peak is None:
        return Law(
            dynamics.rates, level=times(dynamics.command, 1.0 / table.ramp), held=held, outputs=outputs
        ), dynamics
    peak = table.peak
    row = {**dynamics.command, peak.signal: dynamics.command.get(peak.signal, 0.0) - peak.sense}
    ends = {peak.switch: Peak(row, peak.slope, peak.blanking)}
    return Law(dynamics.rates, peaks=ends, held=held, command=dynamics.command, outputs=outputs), dynamics


def _dynamics(table: OwnControlTable) -> Dynamics:
    if table.command is not None:
        if table.peak is None:
            raise InputError("control.command: read beside a ramp; expected control.peak with it")
        return Dynamics({}, {"v_c": 1.0}, lambda command, _: {"v_c": command})
    values = _values(table)
    maker = operational if table.amplifier == "operational" else transconductance
    return maker(values, table.signal)


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
    dimension = {"R": RESISTANCE, "C": CAPACITANCE}
    values = {name: parse(given, dimension[name[0]]) for name, given in table.values.items()}
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
    if d.sample > 0.0 and d.delay == 0:
        raise InputError("control.digital.delay: 0 with a sample within the period; expected at least 1")
    loop = Loop(
        kind="digital",
        digital=Digital(delay=d.delay, sample=d.sample, voltage_step=d.voltage_step, duty_step=d.duty_step),
    )
    gains = Gains(d.proportional, d.integral)
    return Controller(loop, gains, loaded.control, table.reference, start, rows=(table.signal,))


@dataclass(frozen=True)
class OwnRun:
    """A circuit over time."""

    title: str
    passage: Passage
    spans: tuple[tuple[float, float, str], ...]
    names: tuple[str, ...]
    complete: bool = True


def closed(loaded: CircuitFile, watched: Mapping[str, Row], inputs: tuple[str, ...]) -> SteadyState:
    """Return the steady state of a circuit under its law, or at its value of the control variable.

    Raises
    ------
    NoResultError
        If there is none.
    """
    found = law_of(loaded)
    plain = replace(loaded.circuit, law=None)
    start = steady_state(plain)
    if found is None:
        return steady_state(plain, None, start.states, watched=watched, inputs=inputs)
    law, dynamics = found
    circuit = replace(loaded.circuit, law=law)
    guess = {**start.states, **_rest(loaded, dynamics, start)}
    return steady_state(circuit, None, guess, watched=watched, inputs=inputs)


def _rest(loaded: CircuitFile, dynamics: Dynamics, start: SteadyState) -> Mapping[str, float]:
    table = loaded.loop
    assert table is not None
    if table.command is not None:
        return {"v_c": table.command}
    recording = record(start)
    held = recording.measures(table.signal).average
    command = start.control * table.ramp
    if table.peak is not None:
        largest = recording.measures(table.peak.signal).maximum
        command = table.peak.sense * largest + table.peak.slope * start.control * loaded.circuit.period
    return dynamics.rest(command, held)


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
    found = law_of(loaded)
    if found is not None:
        rows[COMMAND] = found[0].outputs[COMMAND]
    return rows


FIGURES = {
    "voltage": (VoltageSource, "voltage"),
    "current": (CurrentSource, "current"),
    "resistance": (Resistor, "resistance"),
    "inductance": (Inductor, "inductance"),
    "capacitance": (Capacitor, "capacitance"),
}


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
    rows = rows_of(loaded, signals)
    kinds = {e.name for e in loaded.circuit.elements if _is_source(e)}
    sources = tuple(dict.fromkeys(e.element for e in loaded.events if e.element in kinds))
    found = law_of(loaded)
    circuit = replace(loaded.circuit, law=None if found is None else found[0])
    plan = [
        _planned(circuit, loaded.control, e, k, end)
        for k, e in enumerate(sorted(loaded.events, key=lambda e: e.at))
    ]
    changes: list[Change] = []
    for event, _ in plan:
        circuit, more = _changes(circuit, event, loaded)
        changes += more
    start = replace(loaded.circuit, law=None if found is None else found[0])
    state = None if rest else closed(loaded, {}, ())
    states = {} if state is None else state.engine.named(state.start)
    clocked: Clocked | None = controller_of(loaded, loaded.circuit.control)
    combo = 0 if state is None else state.combo
    passage = Passage(start, rows, sources, sources, states, combo, clocked)
    marks = [(0.0, "from rest" if rest else "steady state"), *((e.at, words) for e, words in plan)]
    ends = [t for t, _ in marks[1:]] + [end]
    spans = tuple((t, e, w) for (t, w), e in zip(marks, ends, strict=True) if e > t)
    return OwnRun(loaded.title or name, passage, spans, tuple(rows)), changes


def _planned(
    circuit: Circuit, control: Control, event: OwnEventTable, k: int, end: float
) -> tuple[OwnEventTable, str]:
    where = f"event {k + 1} (at {show(event.at, 's')})"
    if event.at >= end:
        raise InputError(
            f"{where}: the run ends at {show(end, 's')}; expected a later --end, or an earlier event"
        )
    given = [f for f in FIGURES if getattr(event, f) is not None]
    said = [
        *given,
        *(["removed"] if event.removed else []),
        *(["control"] if event.control is not None else []),
    ]
    if len(said) != 1:
        raise InputError(
            f"{where}: read {' and '.join(said) or 'no change'}; expected one of {', '.join(FIGURES)}, removed, control"
        )
    if event.control is not None:
        control.read(str(event.control), f"{where}.control")
        return event, f"{control.symbol} = {event.control}"
    elements = {e.name: e for e in circuit.elements}
    if event.element not in elements:
        raise InputError(f"{where}.element: no element {event.element!r}; {nearest(event.element, elements)}")
    element = elements[event.element]
    if event.removed:
        if not isinstance(element, Resistor | CurrentSource):
            raise InputError(f"{where}.removed: {event.element} is neither a resistor nor a current source")
        return event, f"{event.element} removed"
    figure = given[0]
    kind, _ = FIGURES[figure]
    if not isinstance(element, kind):
        raise InputError(f"{where}.{figure}: {event.element} has no {figure}")
    units = {"voltage": "V", "current": "A", "resistance": "Ω", "inductance": "H", "capacitance": "F"}
    return event, f"{event.element}: {figure} → {show(getattr(event, figure), units[figure])}"


def _changes(circuit: Circuit, event: OwnEventTable, loaded: CircuitFile) -> tuple[Circuit, list[Change]]:
    if event.control is not None:
        if loaded.loop is not None:
            raise InputError(
                "event.control: the controller of the file sets it; without [control] it can step"
            )
        return circuit, [Change(event.at, control=loaded.control.read(str(event.control), "event.control"))]
    elements = list(circuit.elements)
    at = next(k for k, e in enumerate(elements) if e.name == event.element)
    element = elements[at]
    if isinstance(element, VoltageSource | CurrentSource):
        first = next(e for e in loaded.circuit.elements if e.name == event.element)
        wanted = 0.0 if event.removed else event.voltage if event.voltage is not None else event.current
        before, after = _value(element) - _value(first), (wanted or 0.0) - _value(first)
        key = "voltage" if isinstance(element, VoltageSource) else "current"
        elements[at] = _changed(element, key, after + _value(first))
        kept = replace(circuit, elements=tuple(elements))
        if event.over == 0.0:
            return kept, [Change(event.at, event.element, after)]
        slope = (after - before) / event.over
        return kept, [
            Change(event.at, event.element, before, slope),
            Change(event.at + event.over, event.element, after),
        ]
    if event.removed:
        a, b = next((a, b) for name, a, b in circuit.branches if name == event.element)
        elements[at] = CurrentSource(event.element, a, b, 0.0)
    else:
        figure = next(f for f in FIGURES if getattr(event, f) is not None)
        elements[at] = _changed(element, FIGURES[figure][1], getattr(event, figure))
    circuit = replace(circuit, elements=tuple(elements))
    return circuit, [Change(event.at, circuit=_sources_as_before(circuit, loaded))]


def _sources_as_before(circuit: Circuit, loaded: CircuitFile) -> Circuit:
    """Return a circuit with its sources as they were at first: what they have changed by is an input."""
    first = {e.name: e for e in loaded.circuit.elements if isinstance(e, VoltageSource | CurrentSource)}
    return replace(
        circuit, elements=tuple(first.get(e.name, e) if _is_source(e) else e for e in circuit.elements)
    )


def _is_source(element: Element) -> bool:
    return isinstance(element, VoltageSource | CurrentSource)


def _value(element: Element) -> float:
    assert isinstance(element, VoltageSource | CurrentSource)
    return element.voltage if isinstance(element, VoltageSource) else element.current


def _changed(element: Element, key: str, value: float) -> Element:
    return replace(element, **{key: value})  # type: ignore[arg-type]  # key is a field of it
