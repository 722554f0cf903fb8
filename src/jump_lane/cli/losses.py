"""Commands about losses: where every watt goes at one operating point, and efficiency over many."""

from __future__ import annotations

from typing import Annotated

import typer

from jump_lane.cli.options import (
    AsJson,
    Catalogues,
    ClosedLoop,
    ConverterFile,
    Figure,
    InputVoltage,
    Load,
    Overwrite,
    Processes,
    Set,
    TableFiles,
    load_case,
    under_loop,
)
from jump_lane.cli.outputs import finish, progress, require_outputs


def register(app: typer.Typer) -> None:
    """Add the commands of this module."""
    app.command()(losses)
    app.command()(efficiency)


def losses(
    file: ConverterFile,
    input_voltage: InputVoltage = None,
    load: Load = None,
    all_corners: Annotated[
        bool, typer.Option("--all-corners", help="Loss, efficiency and hottest part at every corner instead.")
    ] = False,
    closed_loop: ClosedLoop = False,
    catalogue: Catalogues = None,
    changes: Set = None,
    table: TableFiles = None,
    figure: Figure = None,
    overwrite: Overwrite = False,
    json: AsJson = False,
) -> None:
    """Say where every watt goes at one operating point: by part and mechanism, with temperatures and ratings.

    The exit status is 1 if a part is outside its ratings, 3 if there is no stable temperature.
    """
    from jump_lane.library.losing import losses as find
    from jump_lane.library.losing import losses_at_corners

    require_outputs(file, table, figure, overwrite)
    case = under_loop(load_case(file, catalogue, changes), closed_loop)
    found = losses_at_corners(case) if all_corners else find(case, input_voltage=input_voltage, load=load)
    finish(found, json, table=table, figure=figure, overwrite=overwrite)


def efficiency(
    file: ConverterFile,
    over: Annotated[
        str,
        typer.Option(
            "--over", help="load (a curve for each input), map (input and load), frequency or temperature."
        ),
    ] = "load",
    points: Annotated[int, typer.Option("--points", min=2, max=200, help="Points along each axis.")] = 15,
    closed_loop: ClosedLoop = False,
    catalogue: Catalogues = None,
    changes: Set = None,
    processes: Processes = 2,
    table: TableFiles = None,
    figure: Figure = None,
    overwrite: Overwrite = False,
    json: AsJson = False,
) -> None:
    """Efficiency over load, input, frequency or ambient temperature, losses and temperatures solved at every point.

    Weights of loads under [efficiency] in the file give a weighted efficiency.  The exit status is 1 if that is
    below what the file asks, 3 if a point has no result.
    """
    from jump_lane.library.studies import efficiency as find

    require_outputs(file, table, figure, overwrite)
    case = under_loop(load_case(file, catalogue, changes), closed_loop)
    with progress() as watch:
        found = find(case, over=over, points=points, processes=processes, watch=watch)
    finish(found, json, table=table, figure=figure, overwrite=overwrite)
