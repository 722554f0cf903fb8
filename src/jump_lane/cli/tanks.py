"""Commands on what frequency, angles and size do: gain, angles, scale."""

from __future__ import annotations

from pathlib import Path
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
    app.command()(scale)


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


def scale(
    file: ConverterFile,
    scaled: Annotated[
        Path | None,
        typer.Argument(metavar="NEW", help="The converter file to write; without it only tables are shown."),
    ] = None,
    voltage: Annotated[str | None, typer.Option(metavar="V", help="Nominal input voltage wanted.")] = None,
    power: Annotated[str | None, typer.Option(metavar="W", help="Full power wanted.")] = None,
    frequency: Annotated[str | None, typer.Option(metavar="Hz", help="Frequency wanted.")] = None,
    changes: Set = None,
    ideal: Ideal = False,
    table: TableFiles = None,
    overwrite: Overwrite = False,
    json: AsJson = False,
) -> None:
    """Scale a converter to another voltage, power and frequency: every waveform keeps its shape, which is proven.

    A design at 1 V, 1 W and 1 Hz is a normalised one. The exit status is 1 if a waveform has changed its shape.
    """
    from jump_lane.cli.render import note
    from jump_lane.files import require_apart, require_free, write_whole
    from jump_lane.library.tanks import scale as find

    require_outputs(file, table, None, overwrite)
    if scaled is not None:
        require_apart((file,), (scaled,))
        require_free(scaled, overwrite)
    found = find(load_case(file, None, changes, ideal), voltage=voltage, power=power, frequency=frequency)
    if scaled is not None:
        write_whole(scaled, found.text, overwrite)
        note(f"wrote {scaled}")
    finish(found, json, table=table, overwrite=overwrite)
