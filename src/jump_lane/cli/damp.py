"""The command damp."""

from __future__ import annotations

from typing import Annotated

import typer

from jump_lane.cli.options import (
    AsJson,
    ConverterFile,
    Figure,
    InputVoltage,
    Load,
    Overwrite,
    Set,
    TableFiles,
    load_case,
)
from jump_lane.cli.outputs import finish, require_outputs


def register(app: typer.Typer) -> None:
    """Add the command of this module."""
    app.command()(damp)


def damp(
    file: ConverterFile,
    device: Annotated[
        str,
        typer.Argument(metavar="DEVICE", help="A switch or rectifier with a [damping] table in the file."),
    ],
    input_voltage: InputVoltage = None,
    load: Load = None,
    changes: Set = None,
    table: TableFiles = None,
    figure: Figure = None,
    overwrite: Overwrite = False,
    json: AsJson = False,
) -> None:
    """Derive the damping of a ringing device from two measured frequencies, and simulate it without and with it."""
    from jump_lane.library.sides import damp as find

    require_outputs(file, table, figure, overwrite)
    case = load_case(file, None, changes)
    found = find(case, device, input_voltage=input_voltage, load=load)
    finish(found, json, table=table, figure=figure, overwrite=overwrite)
