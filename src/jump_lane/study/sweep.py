"""Sweeps: one or two keys of the converter file varied, every point simulated, over local processes."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from copy import deepcopy
from dataclasses import dataclass, field
from functools import partial
from typing import Any

import numpy as np

from jump_lane.circuit.circuit import Circuit, terminals
from jump_lane.circuit.elements import Switch
from jump_lane.errors import InputError, JumpLaneError, nearest
from jump_lane.quantities import DIMENSIONS, Dimension, dimension_of, parse, show
from jump_lane.spec import Spec, parse_spec
from jump_lane.study.pool import spread
from jump_lane.topologies.design import Design, derive

INPUT, LOAD = "input.voltage", "output.current"
"""The two keys that set the operating point; all others change the converter."""

UNITS = {
    INPUT: "V",
    LOAD: "A",
    "output.voltage": "V",
    "switching.frequency": "Hz",
    "switching.dead_time": "s",
    "thermal.junction": "°C",
}
CHUNK = 16

MOST_POINTS = 10_000
"""Points of one axis; of all together a hundred times as many."""


@dataclass(frozen=True)
class Axis:
    """A key of the converter file and the values it takes, in SI units."""

    key: str
    values: tuple[float, ...]
    unit: str


@dataclass(frozen=True)
class Column:
    """A measure to collect: heading, signal, measure of it, unit."""

    name: str
    signal: str
    measure: str
    unit: str


@dataclass(frozen=True)
class Row:
    """One point: values on the axes, derived and simulated control, mode, measures; or why there is none."""

    index: int
    axes: tuple[float, ...]
    control: float = float("nan")
    mode: str = ""
    measures: tuple[float, ...] = ()
    failure: str = ""


@dataclass(frozen=True)
class Sweep:
    """What to vary and what to collect."""

    design: Design
    axes: tuple[Axis, ...]
    columns: tuple[Column, ...]
    control: float | None = None
    tables: dict[str, Any] = field(default_factory=dict)

    @property
    def count(self) -> int:
        """Number of points."""
        return math.prod(len(a.values) for a in self.axes)


def read_axis(text: str, design: Design) -> Axis:
    """Read an axis: ``KEY=FROM..TO/POINTS``, the same with ``log`` behind it, or ``KEY=A,B,C``.

    Raises
    ------
    InputError
        Saying what was expected.
    """
    key, _, values = text.partition("=")
    unit = _unit(key, design)
    dimension = _dimension(unit)
    try:
        spans = ".." in values
        found = _span(values, dimension) if spans else tuple(parse(v, dimension) for v in values.split(","))
    except (InputError, ValueError) as error:
        raise InputError(
            f"--vary {text}: {error}; expected KEY=FROM..TO/POINTS, KEY=FROM..TO/POINTSlog or KEY=A,B,C"
        ) from None
    if key == design.page.control.symbol:
        for value in found:
            design.page.control.within(value, f"--vary {key}")
    return Axis(key, found, unit)


def _span(values: str, dimension: Dimension) -> tuple[float, ...]:
    ends, _, count = values.partition("/")
    low, high = (parse(e, dimension) for e in ends.split("..", 1))
    logarithmic = count.endswith("log")
    points = int(count.removesuffix("log"))
    if not 2 <= points <= MOST_POINTS:
        raise ValueError(f"2 to {MOST_POINTS} points")
    if logarithmic and not (low > 0.0 and high > 0.0):
        raise ValueError("a logarithmic axis needs positive ends")
    space = np.geomspace(low, high, points) if logarithmic else np.linspace(low, high, points)
    return tuple(float(v) for v in space)


def _unit(key: str, design: Design) -> str:
    units = dict(UNITS) | {design.page.control.symbol: design.page.control.unit}
    units |= {f"chosen.{name}": design.sheet[name].unit for name in design.components()}
    units |= {f"parts.{r.name}.{d.key}": d.unit for r in design.page.roles for d in r.data}
    if key not in units:
        raise InputError(f"--vary: {key!r} cannot be varied; {nearest(key, units)}")
    return units[key]


def _dimension(unit: str) -> Dimension:
    return dimension_of(unit) or next(d for d in DIMENSIONS if d.unit == unit)


def columns(design: Design, names: list[str]) -> tuple[Column, ...]:
    """Return the measures to collect: symbols that have a proof, or ``signal:measure``.

    Without names those that something is asked of, and the peak of the switch.

    Raises
    ------
    InputError
        If there is no such symbol or measure.
    """
    proofs = {p.symbol: p for p in design.proofs}
    known = ("average", "rms", "minimum", "maximum", "peak_to_peak", "ac_rms")
    chosen = names or [a.symbol for a in design.asks]
    signals = signals_of(design.circuit(0, 0))
    out = []
    for name in chosen:
        signal, _, measure = name.partition(":")
        if name in proofs:
            proof = proofs[name]
            out.append(Column(name, proof.signal, proof.measure, design.sheet[name].unit))
        elif measure in known and signal in signals:
            out.append(Column(name, signal, measure, "A" if signal.endswith(".i") else "V"))
        else:
            hint = nearest(signal, signals) if measure in known else nearest(name, proofs)
            raise InputError(
                f"--measure {name}: {hint}; expected a symbol or SIGNAL:MEASURE ({', '.join(known)})"
            )
    return tuple(out)


def signals_of(circuit: Circuit) -> set[str]:
    """Return the names of the signals that a recording of a circuit has."""
    found = set()
    for element in circuit.elements:
        for name, a, b in terminals(element):
            found |= {f"{name}.v", f"{name}.i", f"@{a}", f"@{b}"}
        if isinstance(element, Switch):
            found |= {f"{element.name}.gate", *([f"{element.name}.body.i"] if element.body else [])}
    return found


@dataclass(frozen=True)
class Spot:
    """A row to fill, and where its operating point lies in a design."""

    row: Row
    design: Design
    at: tuple[int, int]
    control: float | None = None
    """Where the control is fixed; None lets it hold the output."""


def plan(sweep: Sweep) -> list[Spot | Row]:
    """Return where every point lies in which design, or the row that says why there is none."""
    slow = [a for a in sweep.axes if a.key not in (INPUT, LOAD, sweep.design.page.control.symbol)]
    inputs, loads = _operating_axes(sweep)
    grids: dict[tuple[float, ...], Design | str] = {}
    out: list[Spot | Row] = []
    for index, at in enumerate(np.ndindex(*(len(a.values) for a in sweep.axes))):
        values = {a.key: a.values[k] for a, k in zip(sweep.axes, at, strict=True)}
        setting = tuple(values[a.key] for a in slow)
        if setting not in grids:
            grids[setting] = _design(sweep, slow, setting, inputs, loads)
        found = grids[setting]
        row = Row(index, tuple(values.values()))
        if isinstance(found, str):
            out.append(Row(index, row.axes, failure=found))
            continue
        i = inputs.index(values[INPUT]) if INPUT in values else 0
        j = loads.index(values[LOAD]) if LOAD in values else 0
        out.append(Spot(row, found, (i, j), values.get(sweep.design.page.control.symbol, sweep.control)))
    return out


def _operating_axes(sweep: Sweep) -> tuple[tuple[float, ...], tuple[float, ...]]:
    by_key = {a.key: a.values for a in sweep.axes}
    at = sweep.design.at()
    return by_key.get(INPUT, at.inputs), by_key.get(LOAD, at.loads)


def _design(
    sweep: Sweep,
    slow: list[Axis],
    setting: tuple[float, ...],
    inputs: tuple[float, ...],
    loads: tuple[float, ...],
) -> Design | str:
    """Return the design with some keys set, components kept, or why there is none."""
    try:
        spec = _with(sweep.tables, dict(zip((a.key for a in slow), setting, strict=True))) if slow else None
        return sweep.design.grid(inputs, loads, spec)
    except JumpLaneError as error:
        return str(error)


def _with(tables: dict[str, Any], values: dict[str, float]) -> Spec:
    changed = deepcopy(tables)
    for key, value in values.items():
        *path, last = key.split(".")
        at: Any = changed
        for part in path:
            if isinstance(at.get(part), str):
                at[part] = {"part": at[part]}
            at = at.setdefault(part, {})
            at = at[0] if isinstance(at, list) else at
        at[last] = value
    return parse_spec(changed, "sweep")


def run_spot(spot: Spot, wanted: tuple[Column, ...]) -> Row:
    """Simulate one point; what has no result keeps its reason."""
    from jump_lane.operating.mode import simulated_mode
    from jump_lane.operating.point import solve

    row, page = spot.row, spot.design.page
    derived = spot.design.sheet[page.control.symbol].corner(*spot.at)
    if spot.control is None and not page.control.lowest <= derived <= page.control.highest:
        return Row(row.index, row.axes, failure=_out_of_reach(spot))
    try:
        state, recording = solve(spot.design, *spot.at, spot.control)
        measured = tuple(float(getattr(recording.measures(c.signal), c.measure)) for c in wanted)
    except JumpLaneError as error:
        return Row(row.index, row.axes, failure=str(error))
    return Row(row.index, row.axes, state.control, simulated_mode(page, recording), measured)


def _out_of_reach(spot: Spot) -> str:
    design = spot.design
    wanted = show(design.sheet["V_o"].corner(*spot.at), "V")
    return f"{wanted} cannot be reached from {design.corner_name(spot.at)}: {design.page.conversion}"


def run(sweep: Sweep, processes: int = 1) -> Iterator[Row]:
    """Yield the rows of a sweep as they are ready, in any order.

    Parameters
    ----------
    processes
        How many local processes share the work; 1 runs here.
    """
    if sweep.count > 100 * MOST_POINTS:
        raise InputError(f"--vary: {sweep.count} points are asked for; expected {100 * MOST_POINTS} at most")
    points = plan(sweep)
    yield from (point for point in points if isinstance(point, Row))
    ready = [point for point in points if isinstance(point, Spot)]
    yield from simulate(ready, sweep.columns, processes)


def _run_spots(spots: Sequence[Spot], wanted: tuple[Column, ...]) -> Iterator[Row]:
    return (run_spot(spot, wanted) for spot in spots)


def simulate(ready: list[Spot], wanted: tuple[Column, ...], processes: int) -> Iterator[Row]:
    """Yield the simulated rows of operating points, over so many local processes."""
    call = partial(_run_spots, wanted=wanted)
    yield from spread(ready, call, processes, CHUNK)


def prepare(tables: dict[str, Any], where: str) -> Design:
    """Return the design of a converter file's tables."""
    return derive(parse_spec(tables, where))
