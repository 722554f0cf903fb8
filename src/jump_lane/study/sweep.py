"""Sweeps: keys of the converter file varied along axes or by a table, every point simulated, over local processes."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import partial
from typing import TYPE_CHECKING, Any

import numpy as np

from jump_lane.circuit.circuit import Circuit, terminals
from jump_lane.circuit.elements import Switch
from jump_lane.design.derive import Design, derive
from jump_lane.equations.formula import pretty
from jump_lane.errors import InputError, JumpLaneError, nearest
from jump_lane.quantities import show
from jump_lane.spec import Spec, parse_spec
from jump_lane.study.axes import MOST_POINTS, Axis, Setting, column_axis, controls, read_axis
from jump_lane.study.pool import spread
from jump_lane.study.tables import with_value

if TYPE_CHECKING:
    from jump_lane.dissipation.ledger import Gap

INPUT, LOAD = "input.voltage", "output.current"
"""The two keys that set the operating point; all others change the converter."""

OUTCOMES = {"efficiency": "", "loss": "W", "hottest": "°C", "hottest_part": "", "verdict": ""}
"""What is not measured on a signal, with its unit: losses and temperatures are solved for it, or everything is judged."""

KNOWN = ("average", "rms", "minimum", "maximum", "peak_to_peak", "ac_rms")
"""Measures of a signal."""

CHUNK = 16


@dataclass(frozen=True)
class Column:
    """A measure to collect: heading, signal, measure of it, unit; without a signal one of `OUTCOMES`."""

    name: str
    signal: str
    measure: str
    unit: str

    def show(self, value: Setting) -> str:
        """Return a value as text."""
        return value if isinstance(value, str) else show(value, self.unit)


@dataclass(frozen=True)
class Row:
    """One point: values on the axes, derived and simulated control, mode, measures, figures not known; or why there is none."""

    index: int
    axes: tuple[Setting, ...]
    control: float = float("nan")
    mode: str = ""
    measures: tuple[Setting, ...] = ()
    failure: str = ""
    gaps: tuple[Gap, ...] = ()

    @property
    def at(self) -> tuple[float, ...]:
        """Where it lies, on axes that have numbers."""
        return tuple(float(v) for v in self.axes)

    @property
    def numbers(self) -> tuple[float, ...]:
        """What was measured, where that is numbers."""
        return tuple(float(v) for v in self.measures)


@dataclass(frozen=True)
class Sweep:
    """What to vary and what to collect.

    Attributes
    ----------
    zipped
        Whether the axes go together, point by point, as the rows of a table do; else every combination is a point.
    """

    design: Design
    axes: tuple[Axis, ...]
    columns: tuple[Column, ...]
    control: float | None = None
    tables: dict[str, Any] = field(default_factory=dict)
    zipped: bool = False

    @property
    def title(self) -> str:
        """What is swept."""
        return self.design.title

    @property
    def symbol(self) -> str:
        """Symbol of the control."""
        return self.design.page.control.symbol

    @property
    def count(self) -> int:
        """Number of points."""
        return len(self.axes[0].values) if self.zipped else math.prod(len(a.values) for a in self.axes)

    def points(self) -> Iterator[tuple[Setting, ...]]:
        """Yield the values of all axes at every point."""
        if self.zipped:
            yield from zip(*(a.values for a in self.axes), strict=True)
            return
        for at in np.ndindex(*(len(a.values) for a in self.axes)):
            yield tuple(a.values[k] for a, k in zip(self.axes, at, strict=True))


def work(
    tables: dict[str, Any],
    design: Design,
    vary: Sequence[str],
    points: Mapping[str, Sequence[Any]] | None,
    measure: Sequence[str],
    control: Setting | None,
) -> Sweep:
    """Plan a sweep; see the library's `sweep`.

    Raises
    ------
    InputError
        If a key cannot be varied, a measure is not known, or both axes and a table of points are given.
    """
    if bool(vary) == bool(points):
        raise InputError("--vary: expected one or two keys to vary, or a table of --points")
    if len(vary) > 2:
        raise InputError("--vary: one or two keys can be varied; --points takes a table of any number")
    axes = tuple(read_axis(text, design) for text in vary) or tuple(
        column_axis(heading, values, design) for heading, values in (points or {}).items()
    )
    fixed = None if control is None else design.control.read(str(control), "--control")
    wanted = columns(design, list(measure), fixed is not None or any(controls(a, design) for a in axes))
    if fixed is not None and any(not c.signal for c in wanted):
        raise InputError(
            "--control: losses and verdicts are found with the output held; expected one or the other"
        )
    return Sweep(design, axes, wanted, fixed, tables, bool(points))


def columns(design: Design, names: list[str], open_loop: bool = False) -> tuple[Column, ...]:
    """Return the measures to collect: symbols that have a proof, ``signal:measure``, or one of `OUTCOMES`.

    Without names those that something is asked of, in open loop the outputs first.

    Raises
    ------
    InputError
        If there is no such symbol or measure.
    """
    proofs = design.proofs
    if not names:
        count = len(design.spec.output) if open_loop else 0
        outputs = tuple(
            Column(_suffixed("V_o", k), f"{_suffixed('load', k)}.v", "average", "V") for k in range(count)
        )
        return (
            (*outputs, *columns(design, [a.symbol for a in design.asks if a.symbol in proofs]))
            if design.asks
            else outputs
        )
    signals = signals_of(design.circuit(0, 0))
    out = []
    for name in (_plain(n, proofs) for n in names):
        signal, _, measure = name.partition(":")
        if name in proofs:
            proof = proofs[name]
            out.append(Column(name, proof.signal, proof.measure, design.sheet[name].unit))
        elif name in OUTCOMES:
            out.append(Column(name, "", name, OUTCOMES[name]))
        elif measure in KNOWN and signal in signals:
            out.append(Column(name, signal, measure, "A" if signal.endswith(".i") else "V"))
        else:
            hint = nearest(signal, signals) if measure in KNOWN else nearest(name, {*proofs, *OUTCOMES})
            raise InputError(
                f"--measure {name}: {hint}; expected a symbol, one of {', '.join(OUTCOMES)}, or SIGNAL:MEASURE "
                f"({', '.join(KNOWN)})"
            )
    return tuple(out)


def _plain(name: str, symbols: Iterable[str]) -> str:
    """Return a symbol as formulas have it, where it is typed as it is printed."""
    return next((s for s in symbols if pretty(s) == name), name)


def _suffixed(name: str, k: int) -> str:
    return name if k == 0 else f"{name}{k + 1}"


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
    keys = [a.key for a in sweep.axes]
    fast = (INPUT, LOAD, sweep.design.page.control.symbol)
    slow = [k for k, key in enumerate(keys) if key not in fast]
    every = list(sweep.points())
    groups: dict[tuple[Setting, ...], list[int]] = {}
    for index, values in enumerate(every):
        groups.setdefault(tuple(values[k] for k in slow), []).append(index)
    out: list[Spot | Row] = []
    for setting, members in groups.items():
        spec = _set(sweep, [keys[k] for k in slow], setting)
        rows = [(index, dict(zip(keys, every[index], strict=True))) for index in members]
        out += _placed(sweep, spec, rows)
    return out


def _set(sweep: Sweep, keys: list[str], setting: tuple[Setting, ...]) -> Spec | str | None:
    """Return what is asked with some keys set, why it cannot be, or None where nothing is set."""
    if not keys:
        return None
    tables = sweep.tables
    try:
        for key, value in zip(keys, setting, strict=True):
            tables = with_value(tables, tuple(key.split(".")), value)
        return parse_spec(tables, "sweep").with_catalogues(sweep.design.spec.catalogue.files)
    except JumpLaneError as error:
        return str(error)


def _placed(
    sweep: Sweep, spec: Spec | str | None, rows: list[tuple[int, dict[str, Setting]]]
) -> Iterator[Spot | Row]:
    """Yield the points of one design: over the grid of their inputs and loads, or each input by itself if few share it."""
    at = sweep.design.at()
    symbol = sweep.design.page.control.symbol
    groups: dict[tuple[float, ...], list[tuple[int, dict[str, Setting]]]] = {}
    inputs = tuple(dict.fromkeys(float(values.get(INPUT, at.inputs[0])) for _, values in rows))
    for row in rows:
        own = (float(row[1].get(INPUT, at.inputs[0])),)
        groups.setdefault(own if sweep.zipped else inputs, []).append(row)
    for share, members in groups.items():
        loads = tuple(dict.fromkeys(float(values.get(LOAD, at.loads[0])) for _, values in members))
        found = spec if isinstance(spec, str) else _grid(sweep.design, share, loads, spec)
        rows_of, columns_of = ({v: k for k, v in enumerate(each)} for each in (share, loads))
        for index, values in members:
            place = Row(index, tuple(values.values()))
            if isinstance(found, str):
                yield Row(index, place.axes, failure=found)
                continue
            i = rows_of[float(values.get(INPUT, at.inputs[0]))]
            j = columns_of[float(values.get(LOAD, at.loads[0]))]
            control = values.get(symbol, sweep.control)
            yield Spot(place, found, (i, j), None if control is None else float(control))


def _grid(
    design: Design, inputs: tuple[float, ...], loads: tuple[float, ...], spec: Spec | None
) -> Design | str:
    """Return the design with components kept over inputs and loads, or why there is none."""
    try:
        if spec is not None and spec.topology != design.page.name:
            return derive(spec).grid(inputs, loads)
        return design.grid(inputs, loads, spec)
    except JumpLaneError as error:
        return str(error)


def run_spot(spot: Spot, wanted: tuple[Column, ...]) -> Row:
    """Simulate one point; what has no result keeps its reason."""
    from jump_lane.operating.mode import simulated_mode
    from jump_lane.operating.point import solve_point

    row, page = spot.row, spot.design.page
    derived = spot.design.sheet[page.control.symbol].corner(*spot.at)
    reached = page.control.lowest <= derived <= page.control.highest
    if spot.control is None and page.control.sure and not reached:
        return Row(row.index, row.axes, failure=_out_of_reach(spot))
    point = spot.design.point(*spot.at)
    try:
        state, recording = solve_point(page, point, spot.control)
        outcomes, gaps = _outcomes(spot, [c.name for c in wanted if not c.signal])
        measured = tuple(
            float(getattr(recording.measures(c.signal), c.measure)) if c.signal else outcomes[c.name]
            for c in wanted
        )
    except JumpLaneError as error:
        return Row(row.index, row.axes, failure=str(error))
    mode = simulated_mode(page, point, recording)
    return Row(row.index, row.axes, state.control, mode, measured, gaps=gaps)


def _outcomes(spot: Spot, names: Sequence[str]) -> tuple[dict[str, Setting], tuple[Gap, ...]]:
    """Return losses, temperatures and the verdict of a point, as far as they are wanted, and what is not known of them."""
    found: dict[str, Setting] = {}
    gaps: tuple[Gap, ...] = ()
    if set(names) - {"verdict"}:
        from jump_lane.dissipation.budget import budget

        lost = budget(spot.design, *spot.at)
        gaps = lost.gaps
        found = {
            "efficiency": lost.efficiency,
            "loss": lost.loss,
            "hottest": lost.hottest,
            "hottest_part": lost.hottest_part or "–",
        }
    if "verdict" in names:
        from jump_lane.study.check import check_corner

        found["verdict"] = check_corner(spot.design, *spot.at).verdict
    return found, gaps


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
