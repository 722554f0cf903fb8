"""The command that replaces ideal values by values that exist."""

from __future__ import annotations

from typing import Annotated

import typer

from jump_lane.cli.options import (
    AsJson,
    Catalogues,
    ConverterFile,
    Ideal,
    Overwrite,
    Set,
    TableFiles,
    load_case,
)
from jump_lane.cli.outputs import finish, require_outputs
from jump_lane.cli.render import note


def register(app: typer.Typer) -> None:
    """Add the command of this module."""
    app.command()(fit)


def fit(
    file: ConverterFile,
    series: Annotated[
        str, typer.Option("--series", help="Preferred values: E3 to E192 (IEC 60063).")
    ] = "E12",
    nearest: Annotated[
        bool, typer.Option("--nearest", help="Take the nearest preferred value, even below a minimum.")
    ] = False,
    catalogue: Catalogues = None,
    changes: Set = None,
    ideal: Ideal = False,
    write: Annotated[bool, typer.Option("--write", help="Put the choice into the file.")] = False,
    table: TableFiles = None,
    overwrite: Overwrite = False,
    json: AsJson = False,
) -> None:
    """Replace ideal values by values one can buy; show what that does to ripple, peak and mode."""
    from jump_lane.library.choices import fit as choose

    require_outputs(file, table, None, overwrite)
    case = load_case(file, catalogue, changes, ideal)
    found = choose(case, series=series, nearest=nearest)
    if write:
        changed = found.write(file)
        for symbol, why in found.left.items():
            note(f"{symbol} left as it is: {why}")
        note(f"wrote the choice into {file}" if changed else f"{file} already has this choice")
    finish(found, json, table=table, overwrite=overwrite)
