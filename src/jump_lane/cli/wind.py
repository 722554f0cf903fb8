"""The command that finds a winding."""

from __future__ import annotations

from pathlib import Path
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
from jump_lane.cli.render import note


def register(app: typer.Typer) -> None:
    """Add the command of this module."""
    app.command()(wind)


def wind(
    file: ConverterFile,
    component: Annotated[
        str, typer.Argument(metavar="COMPONENT", help="An inductor or a transformer, such as L or T.")
    ],
    by: Annotated[
        str,
        typer.Option(
            "--by",
            help="What is to be small: loss, temperature, volume, height, footprint, mass, cost, or several: loss=1,volume=1.",
        ),
    ] = "loss=1,volume=1",
    count: Annotated[int, typer.Option("--list", min=1, max=200, help="Designs to list.")] = 10,
    number: Annotated[
        int | None,
        typer.Option("--show", min=1, metavar="N", help="Show a design of the list in detail, and draw it."),
    ] = None,
    sheet: Annotated[
        Path | None, typer.Option("--sheet", metavar="FILE", help="Write the winding sheet: .txt or .json.")
    ] = None,
    section: Annotated[
        Path | None,
        typer.Option("--section", metavar="FILE", help="Write the cross-section's geometry: .json or .dxf."),
    ] = None,
    catalogue: Catalogues = None,
    changes: Set = None,
    write: Annotated[
        bool, typer.Option("--write", help="Put the design into the file: the first, or that of --show.")
    ] = False,
    table: TableFiles = None,
    figure: Figure = None,
    overwrite: Overwrite = False,
    json: AsJson = False,
) -> None:
    """Find a winding: core, gap, turns, wires and their order, every limit kept at all corners.

    What the file fixes under [wound.NAME] stays; where nothing is left open it is shown in detail.
    """
    from jump_lane.files import require_apart, require_free
    from jump_lane.library import winding

    require_outputs(file, table, figure, overwrite)
    for path, endings in ((sheet, winding.SHEETS), (section, winding.SECTIONS)):
        if path is not None:
            winding.require_ending(path, endings)
            require_free(path, overwrite)
    require_apart((file,), (sheet, section, figure, *(table or [])))
    case = load_case(file, catalogue, changes)
    result: winding.WindResult | winding.WoundDesign
    if winding.is_settled(case, component):
        result = design = winding.wound(case, component)
    else:
        with progress("cores") as watch:
            found = winding.wind(
                case, component, by=by, count=max(count, number or 1), enough=number, watch=watch
            )
        design = found.design(number or 1)
        result = found if number is None else design
    if sheet is not None:
        winding.write_sheet(design, sheet, overwrite)
        note(f"wrote {sheet}")
    if section is not None:
        winding.write_section(design, section, overwrite)
        note(f"wrote {section}")
    if write:
        note(f"wrote {component} into {file}" if design.write(file) else f"{file} already has this design")
        note(f"the converter with it: {design.judgement}")
    finish(result, json, table=table, figure=figure, overwrite=overwrite)
