"""Commands over many operating points: sweep, modes."""

from __future__ import annotations

from typing import Annotated

import typer

from jump_lane.cli.options import (
    AsJson,
    ConverterFile,
    FixedControl,
    Overwrite,
    ensure_compiled,
    load_design,
)
from jump_lane.cli.outputs import Figure, Processes, Tables, collect, require_outputs, write_outputs
from jump_lane.cli.render import show


def register(app: typer.Typer) -> None:
    """Add the commands of this module."""
    app.command()(sweep)
    app.command()(modes)
    app.command()(cross)


def sweep(
    file: ConverterFile,
    vary: Annotated[
        list[str],
        typer.Option(
            "--vary",
            metavar="KEY=VALUES",
            help="Key of the file and its values: FROM..TO/POINTS, FROM..TO/POINTSlog or A,B,C; once or twice.",
        ),
    ],
    measure: Annotated[
        list[str] | None,
        typer.Option("--measure", metavar="NAME", help="Symbol or SIGNAL:MEASURE to collect; repeatable."),
    ] = None,
    control: FixedControl = None,
    processes: Processes = 2,
    table: Tables = None,
    figure: Figure = None,
    overwrite: Overwrite = False,
    json: AsJson = False,
) -> None:
    """Vary one or two keys of the file and simulate every point; components stay as they are."""
    from jump_lane.errors import InputError
    from jump_lane.spec import tables_of
    from jump_lane.study import sweep as study

    require_outputs(file, table, figure, overwrite)
    if len(vary) > 2:
        raise InputError("--vary: one or two keys can be varied")
    tables = tables_of(file)
    design = study.prepare(tables, str(file))
    axes = tuple(study.read_axis(text, design) for text in vary)
    fixed = None if control is None else design.page.control.read(control, "--control")
    work = study.Sweep(design, axes, study.columns(design, measure or []), fixed, tables)
    ensure_compiled()
    from jump_lane.report.sweep import sweep_columns, sweep_figure, sweep_view

    rows, complete = collect(study.run(work, processes), work.count)
    write_outputs(
        table, figure, overwrite, sweep_columns(work, rows), lambda kind: sweep_figure(work, rows, kind)
    )
    show(sweep_view(work, rows, complete), json)
    if not complete:
        raise typer.Exit(130)


def modes(
    file: ConverterFile,
    inputs: Annotated[int, typer.Option("--inputs", min=1, max=200, help="Input voltages.")] = 7,
    loads: Annotated[int, typer.Option("--loads", min=2, max=200, help="Loads.")] = 12,
    processes: Processes = 2,
    table: Tables = None,
    figure: Figure = None,
    overwrite: Overwrite = False,
    json: AsJson = False,
) -> None:
    """Map the conduction mode over load and input voltage: derived boundary, simulated points, duty ratio."""
    from jump_lane.study import modes as study

    require_outputs(file, table, figure, overwrite)
    work = study.work(load_design(file), inputs, loads)
    ensure_compiled()
    from jump_lane.report.modes import modes_columns, modes_figure, modes_view
    from jump_lane.study.sweep import run

    rows, complete = collect(run(work, processes), work.count)
    found = study.assemble(work, rows)
    write_outputs(table, figure, overwrite, modes_columns(found), lambda kind: modes_figure(found, kind))
    show(modes_view(found, complete), json)
    if not complete:
        raise typer.Exit(130)


def cross(file: ConverterFile, processes: Processes = 2, json: AsJson = False) -> None:
    """Cross regulation: every output over all combinations of smallest and largest loads.

    The exit status is 1 if an output strays further than its voltage_band.
    """
    from jump_lane.study import cross as study
    from jump_lane.study.sweep import simulate

    work = study.plan(load_design(file))
    ensure_compiled()
    from jump_lane.report.cross import cross_view

    rows, complete = collect(simulate(list(work.spots), work.columns, processes), len(work.spots))
    show(cross_view(work, rows, study.bands(work, rows), complete), json)
