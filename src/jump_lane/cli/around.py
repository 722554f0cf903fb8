"""The command about what stands around the power stage."""

from __future__ import annotations

from typing import Annotated

import typer

from jump_lane.cli.options import (
    AsJson,
    Catalogues,
    ConverterFile,
    Figure,
    Overwrite,
    Set,
    TableFiles,
    load_case,
)
from jump_lane.cli.outputs import finish, progress, require_outputs


def register(app: typer.Typer) -> None:
    """Add the commands of this module."""
    app.command()(around)


def around(
    file: ConverterFile,
    sections: Annotated[
        list[str] | None,
        typer.Argument(
            metavar="[SECTION...]",
            help="divider, adjust, feedback, filter, bank, gate or protection, or one of several by its key, such as bank.C_o; "
            "all that the file asks by default.",
            show_default=False,
        ),
    ] = None,
    write: Annotated[
        bool, typer.Option("--write", help="Put what was chosen (the filter's inductance) into the file.")
    ] = False,
    catalogue: Catalogues = None,
    changes: Set = None,
    table: TableFiles = None,
    figure: Figure = None,
    overwrite: Overwrite = False,
    json: AsJson = False,
) -> None:
    """Work out what stands around the power stage: divider and adjustment of the output, isolated feedback, filters, banks of
    capacitors, gate drive, fuse and inrush.

    Currents, impedances and loops are those of the simulated converter.  The exit status is 1 if something asked is not met.
    """
    from jump_lane.cli.render import note
    from jump_lane.library.around import around as find

    require_outputs(file, table, figure, overwrite)
    case = load_case(file, catalogue, changes)
    with progress("sections") as watch:
        found = find(case, sections or (), watch=watch)
    drawing = None if figure is None else found.drawing()
    if table:
        found.columns()  # what cannot be written is refused before the file is changed
    if write:
        note(f"wrote {', '.join(found.write(file)) or 'nothing'} into {file}")
    finish(found, json, table=table, figure=figure, drawing=drawing, overwrite=overwrite)
