"""The command that scales a converter."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from jump_lane.cli.options import AsJson, ConverterFile, Ideal, Overwrite, Set, TableFiles, load_case
from jump_lane.cli.outputs import finish, require_outputs


def register(app: typer.Typer) -> None:
    """Add the commands of this module."""
    app.command()(scale)


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
    from jump_lane.library.scaling import scale as find

    require_outputs(file, table, None, overwrite)
    if scaled is not None:
        require_apart((file,), (scaled,))
        require_free(scaled, overwrite)
    found = find(load_case(file, None, changes, ideal), voltage=voltage, power=power, frequency=frequency)
    if scaled is not None:
        write_whole(scaled, found.text, overwrite)
        note(f"wrote {scaled}")
    finish(found, json, table=table, overwrite=overwrite)
