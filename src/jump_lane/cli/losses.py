"""Commands about losses: where every watt goes at one operating point, and efficiency over many."""

from __future__ import annotations

from typing import Annotated

import typer

from jump_lane.cli.options import (
    AsJson,
    Catalogues,
    ConverterFile,
    InputVoltage,
    Load,
    Overwrite,
    ensure_compiled,
    load_design,
    quantity,
)
from jump_lane.cli.outputs import Figure, Processes, Tables, collect, require_outputs, write_outputs
from jump_lane.cli.render import show


def register(app: typer.Typer) -> None:
    """Add the commands of this module."""
    app.command()(losses)
    app.command()(efficiency)


def losses(
    file: ConverterFile,
    input_voltage: InputVoltage = None,
    load: Load = None,
    catalogue: Catalogues = None,
    table: Tables = None,
    figure: Figure = None,
    overwrite: Overwrite = False,
    json: AsJson = False,
) -> None:
    """Say where every watt goes at one operating point: by part and mechanism, with temperatures and ratings.

    The exit status is 1 if a part is outside its ratings, 3 if there is no stable temperature.
    """
    from jump_lane.quantities import CURRENT, VOLTAGE

    require_outputs(file, table, figure, overwrite)
    design = load_design(file, catalogue).at(
        quantity(input_voltage, VOLTAGE, "--input-voltage"), quantity(load, CURRENT, "--load")
    )
    ensure_compiled()
    from jump_lane.losses.budget import budget
    from jump_lane.report.losses import losses_columns, losses_figure, losses_view

    found = budget(design)
    write_outputs(
        table, figure, overwrite, losses_columns(found), lambda kind: losses_figure(design, found, kind)
    )
    show(losses_view(design, found), json)


def efficiency(
    file: ConverterFile,
    over: Annotated[
        str,
        typer.Option(
            "--over", help="load (a curve for each input), map (input and load), frequency or temperature."
        ),
    ] = "load",
    points: Annotated[int, typer.Option("--points", min=2, max=200, help="Points along each axis.")] = 15,
    catalogue: Catalogues = None,
    processes: Processes = 2,
    table: Tables = None,
    figure: Figure = None,
    overwrite: Overwrite = False,
    json: AsJson = False,
) -> None:
    """Efficiency over load, input, frequency or ambient temperature, losses and temperatures solved at every point.

    Weights of loads under [efficiency] in the file give a weighted efficiency.  The exit status is 1 if that is
    below what the file asks, 3 if a point has no result.
    """
    from jump_lane.study import efficiency as study

    require_outputs(file, table, figure, overwrite)
    work = study.work(load_design(file, catalogue), over, points)
    ensure_compiled()
    from jump_lane.report.efficiency import efficiency_columns, efficiency_figure, efficiency_view

    found, complete = collect(study.run(work, processes), work.count)
    write_outputs(
        table,
        figure,
        overwrite,
        efficiency_columns(work, found),
        lambda kind: efficiency_figure(work, found, kind),
    )
    show(efficiency_view(work, found, complete), json)
    if not complete:
        raise typer.Exit(130)
