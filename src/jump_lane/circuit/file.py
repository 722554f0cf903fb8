"""The circuit file: elements between named nodes, with gates in fractions of the period or in seconds (TOML)."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import Field, ValidationError

from jump_lane.circuit import elements as parts
from jump_lane.circuit.circuit import Circuit, validate
from jump_lane.circuit.control import DUTY, Control
from jump_lane.circuit.controlled import OwnControlTable, OwnEventTable, Table
from jump_lane.circuit.element_tables import ELEMENTS, ElementTable, SwitchTable
from jump_lane.circuit.gates import Gates, Instant, Interval
from jump_lane.circuit.timing import Known, edge, require_fit, wrapped
from jump_lane.errors import ConvergenceError, InputError, nearest
from jump_lane.quantities import CURRENT, FREQUENCY, PHASE, RATIO, TIME, VOLTAGE, parse
from jump_lane.quantities.fields import Given, Hertz, Phase, Ratio
from jump_lane.validation import bounded, explain, read_toml, tidied


class HoldTable(Table):
    """An average that the duty ratio, the phase or the frequency has to hold."""

    signal: str = Field(description="Which signal, such as 'load.v' or 'L.i'")
    average: Given = Field(description="Its average, such as '12 V'")
    by: Literal["duty", "phase", "frequency"] = Field(
        default="duty", description="What holds it, from its value in this file on"
    )
    between: Annotated[tuple[Given, Given] | None, Field(description="The range that it may move in")] = None


class CircuitTable(Table):
    """A circuit file."""

    title: str = ""
    frequency: Annotated[Hertz, Field(gt=0.0)]
    duty: Annotated[Ratio, Field(ge=0.0, le=1.0)] = 0.5
    phase: Annotated[Phase, Field(ge=-1.0, le=1.0)] = 0.0
    hold: HoldTable | None = None
    control: OwnControlTable | None = None
    event: list[OwnEventTable] = Field(default=[])
    element: dict[str, ElementTable]


@dataclass(frozen=True)
class Hold:
    """Which branch voltage or current the control variable holds, and at what average [V or A]."""

    branch: str
    voltage: bool
    average: float


@dataclass(frozen=True)
class CircuitFile:
    """A circuit as read from a file, with its title, what is to be held, and by what."""

    title: str
    circuit: Circuit
    hold: Hold | None
    control: Control = DUTY
    loop: OwnControlTable | None = None
    events: tuple[OwnEventTable, ...] = ()


def schema() -> dict[str, Any]:
    """Return the JSON Schema of the circuit file."""
    return tidied(bounded(CircuitTable, CircuitTable.model_json_schema()), "circuit")


def load(path: Path) -> CircuitFile:
    """Read and validate a circuit file.

    Raises
    ------
    InputError
        If it cannot be read, is not TOML, or does not describe a circuit.
    """
    return parse_circuit(read_toml(path), str(path))


def is_circuit(tables: dict[str, Any]) -> bool:
    """Tell whether tables are those of a circuit file rather than of a converter file."""
    return "element" in tables and "topology" not in tables


def unit_of(tables: dict[str, Any], key: str) -> str:
    """Return the unit of a key of a circuit file, such as ``element.L1.inductance``.

    Raises
    ------
    InputError
        If there is no such key, or it is no quantity.
    """
    table = CircuitTable.model_validate(tables)
    if key in ("frequency", "phase"):
        return "Hz" if key == "frequency" else ""
    first, _, rest = key.partition(".")
    name, _, figure = rest.partition(".")
    if first != "element" or name not in table.element:
        known = ["frequency", "phase", *(f"element.{n}" for n in table.element)]
        raise InputError(f"--vary {key}: no such key of the circuit file; {nearest(key, known)}")
    figures = {
        k: entry["x-unit"]
        for k, entry in type(table.element[name]).model_json_schema()["properties"].items()
        if "x-unit" in entry
    }
    if figure not in figures:
        raise InputError(f"--vary {key}: no such figure of {name}; {nearest(figure, figures)}")
    return str(figures[figure])


def parse_circuit(tables: dict[str, Any], where: str) -> CircuitFile:
    """Validate the tables of a circuit file read from `where`.

    Raises
    ------
    InputError
        If they do not describe a circuit.
    """
    try:
        table = CircuitTable.model_validate(tables)
    except ValidationError as error:
        problems = [explain(e, CircuitTable, ELEMENTS) for e in error.errors()]
        raise InputError("\n".join(f"{where}: {p}" for p in problems)) from None
    try:
        built = tuple(e for name, t in table.element.items() for e in t.build(name))
        control = _control(table)
        circuit = _circuit(table, control, built)
        validate(circuit)
        return CircuitFile(table.title, circuit, _hold(table), control, table.control, tuple(table.event))
    except (InputError, ConvergenceError) as error:
        raise InputError(f"{where}: {error}") from None


def _circuit(table: CircuitTable, control: Control, elements: tuple[parts.Element, ...]) -> Circuit:
    """Return the circuit, gated by what the file controls it with."""
    period, spans = 1.0 / table.frequency, _spans(table)
    moves = control.symbol == "frequency"
    fixed = {"D": Instant(table.duty), "phase": Instant(table.phase), "period": Instant(period)}

    def known(value: Instant) -> Known:
        return {**fixed, "period": 1.0 / value} if moves else {**fixed, control.symbol: value}

    def span(value: Instant) -> Instant:
        return known(value)["period"] / period

    def pattern(value: Instant) -> Gates:
        names, whole = known(value), span(value)
        found = {n: tuple(s(names) for s in each) for n, each in spans.items()}
        return {n: tuple((a * whole, b * whole) for a, b in each) for n, each in found.items()}

    start = {"D": table.duty, "phase": table.phase, "frequency": table.frequency}[control.symbol]
    return Circuit(elements, period, pattern, start, span)


def _spans(table: CircuitTable) -> dict[str, list[Callable[[Known], Interval]]]:
    """Return the on-intervals of every switch as functions of what its edges may depend on."""
    gated = {name: t for name, t in table.element.items() if isinstance(t, SwitchTable)}
    return {n: [_interval(a, b, f"element.{n}.gate") for a, b in t.gate] for n, t in gated.items()}


def _interval(first: str | float, last: str | float, where: str) -> Callable[[Known], Interval]:
    (start, timed), (end, also) = _edge(first, where), _edge(last, where)

    def at(known: Known) -> Interval:
        a, b = start(known), end(known)
        if timed or also:
            require_fit(a, b, known["period"].fraction, where)
        return wrapped(a, b, where)

    return at


def _edge(text: str | float, where: str) -> tuple[Callable[[Known], Instant], bool]:
    """Return an edge as a function of what it may depend on, and whether a time says where it is."""
    if isinstance(text, int | float):
        return edge(repr(float(text)), where), False
    try:
        return edge(repr(parse(text, RATIO)), where), False
    except InputError:
        pass
    try:
        return edge(f"{parse(text, TIME)!r}/period", where), True
    except InputError:
        return edge(text, where), "period" in text


def _control(table: CircuitTable) -> Control:
    """Return what holds the average: the duty ratio, the phase, or the frequency.

    Raises
    ------
    InputError
        If its range cannot be read, or is empty.
    """
    hold, f = table.hold, table.frequency
    by = "duty" if hold is None else hold.by
    control = {
        "duty": DUTY,
        "phase": Control("phase", "phase", -0.25, 0.25, PHASE),
        "frequency": Control("frequency", "frequency", f / WIDE, f * WIDE, FREQUENCY),
    }[by]
    if hold is None or hold.between is None:
        return control
    try:
        low, high = (parse(end, control.dimension) for end in hold.between)
    except InputError as error:
        raise InputError(f"hold.between: {error}") from None
    if not (low < high and (by != "frequency" or low > 0.0)):
        raise InputError(
            f"hold.between: read {hold.between[0]} to {hold.between[1]}, expected a range from low to high"
        )
    return replace(control, lowest=low, highest=high)


WIDE = 10.0
"""A frequency is looked for within so many times the one that the file gives, both ways."""


def _hold(table: CircuitTable) -> Hold | None:
    if table.hold is None:
        return None
    branch, _, what = table.hold.signal.rpartition(".")
    if what not in ("v", "i"):
        raise InputError(f"hold.signal: read {table.hold.signal!r}, expected an element followed by .v or .i")
    try:
        average = parse(table.hold.average, VOLTAGE if what == "v" else CURRENT)
    except InputError as error:
        raise InputError(f"hold.average: {error}") from None
    return Hold(branch, what == "v", average)
