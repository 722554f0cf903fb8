"""Commands over many operating points: sweep, modes, cross."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from jump_lane.cli.options import (
    AsJson,
    ClosedLoop,
    ConverterFile,
    Figure,
    FixedControl,
    Ideal,
    Overwrite,
    Processes,
    Set,
    TableFiles,
    held_by_loop,
    load_any,
    load_case,
)
from jump_lane.cli.outputs import finish, progress, require_outputs


def register(app: typer.Typer) -> None:
    """Add the commands of this module."""
    app.command()(sweep)
    app.command()(modes)
    app.command()(cross)


def sweep(
    file: ConverterFile,
    vary: Annotated[
        list[str] | None,
        typer.Option(
            "--vary",
            metavar="KEY=VALUES",
            help="Key, component or control and its values: FROM..TO/POINTS, FROM..TO/POINTSlog or A,B,C (names of parts "
            "too); once or twice.",
        ),
    ] = None,
    points: Annotated[
        Path | None,
        typer.Option(
            "--points", metavar="FILE", help="Take the points from a table (.csv or .parquet) instead."
        ),
    ] = None,
    measure: Annotated[
        list[str] | None,
        typer.Option(
            "--measure",
            metavar="NAME",
            help="Symbol, SIGNAL:MEASURE, efficiency, loss, hottest, hottest_part or verdict; repeatable.",
        ),
    ] = None,
    control: FixedControl = None,
    closed_loop: ClosedLoop = False,
    every: Annotated[bool, typer.Option("--all", help="Show every point.")] = False,
    changes: Set = None,
    ideal: Ideal = False,
    processes: Processes = 2,
    table: TableFiles = None,
    figure: Figure = None,
    overwrite: Overwrite = False,
    json: AsJson = False,
) -> None:
    """Vary keys of a file, components, parts or the control, and simulate every point; components stay as they are.

    A circuit file can be swept too: --vary element.L1.inductance=10u,22u or D=0.2..0.8/7.
    """
    from jump_lane.library.studies import plan, read_points, swept

    require_outputs(file, table, figure, overwrite)
    case = load_any(file, None, changes, ideal)
    if closed_loop:
        case = held_by_loop(case, control)
    listed = None if points is None else read_points(points)
    work = plan(case, vary or (), points=listed, measure=measure or (), control=control)
    with progress() as watch:
        found = swept(case, work, processes=processes, watch=watch)
    finish(found, json, view=found.view(every), table=table, figure=figure, overwrite=overwrite)


def modes(
    file: ConverterFile,
    inputs: Annotated[int, typer.Option("--inputs", min=1, max=200, help="Input voltages.")] = 7,
    loads: Annotated[int, typer.Option("--loads", min=2, max=200, help="Loads.")] = 12,
    changes: Set = None,
    ideal: Ideal = False,
    processes: Processes = 2,
    table: TableFiles = None,
    figure: Figure = None,
    overwrite: Overwrite = False,
    json: AsJson = False,
) -> None:
    """Map the conduction mode over load and input voltage: derived boundary, simulated points, duty ratio."""
    from jump_lane.library.studies import modes as find

    require_outputs(file, table, figure, overwrite)
    case = load_case(file, None, changes, ideal)
    with progress() as watch:
        found = find(case, inputs=inputs, loads=loads, processes=processes, watch=watch)
    finish(found, json, table=table, figure=figure, overwrite=overwrite)


def cross(
    file: ConverterFile,
    changes: Set = None,
    ideal: Ideal = False,
    processes: Processes = 2,
    table: TableFiles = None,
    overwrite: Overwrite = False,
    json: AsJson = False,
) -> None:
    """Cross regulation: every output over all combinations of smallest and largest loads.

    The exit status is 1 if an output strays further than its voltage_band.
    """
    from jump_lane.library.studies import cross as find

    require_outputs(file, table, None, overwrite)
    case = load_case(file, None, changes, ideal)
    with progress() as watch:
        found = find(case, processes=processes, watch=watch)
    finish(found, json, table=table, overwrite=overwrite)
