"""Commands on what frequency and angles do: gain, angles."""

from __future__ import annotations

from typing import Annotated

import typer

from jump_lane.cli.options import (
    AsJson,
    ConverterFile,
    Figure,
    Ideal,
    Overwrite,
    Processes,
    Set,
    TableFiles,
    load_case,
)
from jump_lane.cli.outputs import finish, progress, require_outputs


def register(app: typer.Typer) -> None:
    """Add the commands of this module."""
    app.command()(gain)
    app.command()(angles)


def gain(
    file: ConverterFile,
    frequencies: Annotated[int, typer.Option("--frequencies", min=2, max=1000, help="Frequencies.")] = 40,
    loads: Annotated[int, typer.Option("--loads", min=1, max=100, help="Loads.")] = 8,
    changes: Set = None,
    ideal: Ideal = False,
    processes: Processes = 2,
    table: TableFiles = None,
    figure: Figure = None,
    overwrite: Overwrite = False,
    json: AsJson = False,
) -> None:
    """Map the exact gain of a resonant converter over frequency and load; corners, overload, short circuit, start.

    The exit status is 1 if a corner cannot be held.
    """
    from jump_lane.library.tanks import gain as find

    require_outputs(file, table, figure, overwrite)
    case = load_case(file, None, changes, ideal)
    with progress() as watch:
        found = find(case, frequencies=frequencies, loads=loads, processes=processes, watch=watch)
    finish(found, json, table=table, figure=figure, overwrite=overwrite)


def angles(
    file: ConverterFile,
    across: Annotated[
        str, typer.Option("--across", metavar="ANGLE", help="First angle: phi, t1 or t2.")
    ] = "phi",
    up: Annotated[str, typer.Option("--up", metavar="ANGLE", help="Second angle.")] = "t1",
    points: Annotated[int, typer.Option("--points", min=2, max=400, help="Values of each angle.")] = 40,
    changes: Set = None,
    ideal: Ideal = False,
    processes: Processes = 2,
    table: TableFiles = None,
    figure: Figure = None,
    overwrite: Overwrite = False,
    json: AsJson = False,
) -> None:
    """Map power, rms current and soft switching of two bridges over two angles; operating points before and after
    optimisation for least rms current.

    The exit status is 1 if an operating point cannot be held.
    """
    from jump_lane.library.tanks import angles as find

    require_outputs(file, table, figure, overwrite)
    case = load_case(file, None, changes, ideal)
    with progress() as watch:
        found = find(case, across=across, up=up, points=points, processes=processes, watch=watch)
    finish(found, json, table=table, figure=figure, overwrite=overwrite)
