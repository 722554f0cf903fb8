"""Results over many operating points: sweeps, maps of modes and efficiency, cross regulation."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from jump_lane.errors import InputError
from jump_lane.library.compiling import ready
from jump_lane.library.converter import CircuitCase, Converter, Quantity, takes_converter
from jump_lane.library.result import Result, Watch, gather
from jump_lane.report.export import Columns
from jump_lane.report.table import View

if TYPE_CHECKING:
    from jump_lane.study.circuit_sweep import CircuitSweep
    from jump_lane.study.cross import Cross
    from jump_lane.study.efficiency import Measured, Work
    from jump_lane.study.modes import ModeMap
    from jump_lane.study.sweep import Row, Sweep


@dataclass(frozen=True, repr=False)
class Swept(Result):
    """Simulated points along one or two axes, or of a table."""

    converter: Converter | CircuitCase
    work: Sweep | CircuitSweep
    rows: list[Row]
    complete: bool

    def view(self, every: bool = False) -> View:
        """Return the points, at most a screen of them unless all are wanted; two axes as a map of one quantity."""
        from jump_lane.report.sweep import sweep_view

        return replace(sweep_view(self.work, self.rows, self.complete, every), changes=self.converter.changes)

    def columns(self) -> Columns:
        """Return a row for each point: axes, control, mode, measures [SI], why there is none."""
        from jump_lane.report.sweep import sweep_columns

        return sweep_columns(self.work, self.rows)

    def drawing(self) -> Any:
        """Return every measure over the first axis, or a map where there are two long axes."""
        from jump_lane.report.sweep import sweep_figure

        return sweep_figure(self.work, self.rows)


@takes_converter
def sweep(
    converter: Converter,
    vary: Sequence[str] = (),
    *,
    points: Columns | None = None,
    measure: Sequence[str] = (),
    control: Quantity | None = None,
    processes: int = 1,
    watch: Watch | None = None,
) -> Swept:
    """Vary keys of a converter and simulate every point; component values stay as they are.

    Parameters
    ----------
    vary
        One or two axes: ``KEY=FROM..TO/POINTS``, the same with ``log`` behind it, or ``KEY=A,B,C``; a key of the file, a
        component (its value or names of parts), or the control itself.
    points
        Instead: headings (keys) to values, one point a row.
    measure
        Symbols, ``SIGNAL:MEASURE``, or ``efficiency``, ``loss``, ``hottest``, ``verdict``.
    control
        Run in open loop at this duty ratio, shift or whatever holds the output otherwise.
    processes
        Local processes that share the work.
    watch
        Told of progress.

    Raises
    ------
    InputError
        If a key cannot be varied or a measure is not known.
    """
    work = plan(converter, vary, points=points, measure=measure, control=control)
    return swept(converter, work, processes=processes, watch=watch)


def plan(
    case: Converter | CircuitCase,
    vary: Sequence[str] = (),
    *,
    points: Columns | None = None,
    measure: Sequence[str] = (),
    control: Quantity | None = None,
) -> Sweep | CircuitSweep:
    """Return what a sweep is to simulate; nothing is simulated yet."""
    if isinstance(case, Converter):
        from jump_lane.study import sweep as study

        return study.work(case.tables, case.design, vary, points, measure, control)
    from jump_lane.study import circuit_sweep

    if points is not None or control is not None:
        raise InputError("--points and --control: a circuit file is swept by --vary alone, its control as D")
    return circuit_sweep.work(case.tables, case.name, vary, measure)


def swept(
    case: Converter | CircuitCase,
    work: Sweep | CircuitSweep,
    *,
    processes: int = 1,
    watch: Watch | None = None,
) -> Swept:
    """Simulate the points of a sweep."""
    from jump_lane.study import circuit_sweep
    from jump_lane.study.sweep import Sweep, run

    ready()
    rows = run(work, processes) if isinstance(work, Sweep) else circuit_sweep.run(work, processes)
    got = gather(rows, work.count, watch)
    return Swept(case, work, got.rows, got.complete)


def read_points(path: Path) -> Columns:
    """Return the columns of a table of points (.csv or .parquet).

    Raises
    ------
    InputError
        If it cannot be read, or has no rows.
    """
    from jump_lane.report.export import read

    return read(path)


@dataclass(frozen=True, repr=False)
class Modes(Result):
    """The map of conduction modes over load and input voltage."""

    converter: Converter
    found: ModeMap
    complete: bool

    def view(self) -> View:
        """Return the derived boundary and the simulated mode at every point."""
        from jump_lane.report.modes import modes_view

        return replace(modes_view(self.found, self.complete), changes=self.converter.changes)

    def columns(self) -> Columns:
        """Return a row for each point."""
        from jump_lane.report.modes import modes_columns

        return modes_columns(self.found)

    def drawing(self) -> Any:
        """Return the map, and the control over load."""
        from jump_lane.report.modes import modes_figure

        return modes_figure(self.found)


@takes_converter
def modes(
    converter: Converter, *, inputs: int = 7, loads: int = 12, processes: int = 1, watch: Watch | None = None
) -> Modes:
    """Map the conduction mode over load and input voltage: derived boundary, simulated points.

    Parameters
    ----------
    inputs, loads
        Number of input voltages and of loads.
    """
    from jump_lane.study import modes as study
    from jump_lane.study.sweep import run

    work = study.work(converter.design, inputs, loads)
    ready()
    got = gather(run(work, processes), work.count, watch)
    return Modes(converter, study.assemble(work, got.rows), got.complete)


@dataclass(frozen=True, repr=False)
class CrossRegulation(Result):
    """Every output over the combinations of smallest and largest loads."""

    converter: Converter
    work: Cross
    rows: list[Row]
    complete: bool

    def view(self) -> View:
        """Return all outputs over the load matrix, and whether they stay in their bands."""
        from jump_lane.report.cross import cross_view
        from jump_lane.study.cross import bands

        found = cross_view(self.work, self.rows, bands(self.work, self.rows), self.complete)
        return replace(found, changes=self.converter.changes)

    def columns(self) -> Columns:
        """Return a row for each combination of loads [A]: voltages of all outputs [V]."""
        from jump_lane.report.cross import cross_columns

        return cross_columns(self.work, self.rows)


@takes_converter
def cross(converter: Converter, *, processes: int = 1, watch: Watch | None = None) -> CrossRegulation:
    """Simulate every output over all combinations of smallest and largest loads, at lowest and highest input.

    Raises
    ------
    InputError
        If there is one output only.
    """
    from jump_lane.study import cross as study
    from jump_lane.study.sweep import simulate

    work = study.plan(converter.design)
    ready()
    got = gather(simulate(list(work.spots), work.columns, processes), len(work.spots), watch)
    return CrossRegulation(converter, work, got.rows, got.complete)


@dataclass(frozen=True, repr=False)
class Efficiency(Result):
    """Efficiency over load, input, frequency or ambient temperature."""

    converter: Converter
    work: Work
    points: list[Measured]
    complete: bool

    def view(self) -> View:
        """Return efficiency, loss and highest temperature, and the weighted efficiency of the mission."""
        from jump_lane.report.efficiency import efficiency_view

        return replace(efficiency_view(self.work, self.points, self.complete), changes=self.converter.changes)

    def columns(self) -> Columns:
        """Return a row for each point."""
        from jump_lane.report.efficiency import efficiency_columns

        return efficiency_columns(self.work, self.points)

    def drawing(self) -> Any:
        """Return curves, or a map with lines of equal efficiency."""
        from jump_lane.report.efficiency import efficiency_figure

        return efficiency_figure(self.work, self.points)


@takes_converter
def efficiency(
    converter: Converter,
    *,
    over: str = "load",
    points: int = 15,
    processes: int = 1,
    watch: Watch | None = None,
) -> Efficiency:
    """Return efficiency over ``load``, ``map`` (input and load), ``frequency`` or ``temperature``.

    Parameters
    ----------
    over
        One of the four.
    points
        Points along each axis.

    Raises
    ------
    InputError
        If there is no such study.
    """
    from jump_lane.study import efficiency as study

    work = study.work(converter.design, over, points)
    ready()
    got = gather(study.run(work, processes), work.count, watch)
    return Efficiency(converter, work, got.rows, got.complete)
