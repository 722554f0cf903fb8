"""The command that solves component values from the simulation."""

from __future__ import annotations

import sys
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
    app.command()(size)


def size(
    file: ConverterFile,
    tolerance: Annotated[
        bool,
        typer.Option("--tolerance", help="Keep every limit with all values at the ends of their tolerances."),
    ] = False,
    anew: Annotated[
        bool,
        typer.Option("--anew", help="Look for the values that the file chooses or its parts bring, too."),
    ] = False,
    catalogue: Catalogues = None,
    changes: Set = None,
    ideal: Ideal = False,
    write: Annotated[bool, typer.Option("--write", help="Put the values under [chosen].")] = False,
    table: TableFiles = None,
    overwrite: Overwrite = False,
    json: AsJson = False,
) -> None:
    """Solve component values so that the simulated converter just keeps every limit at all corners.

    Shows where the textbook started, what decides each value, and what was saved or missing.  Values of the file stay.
    """
    from jump_lane.library.choices import size as solve

    require_outputs(file, table, None, overwrite)
    case = load_case(file, catalogue, changes, ideal)
    found = solve(case, tolerance=tolerance, anew=anew, watch=_progress if sys.stderr.isatty() else None)
    if write:
        note(f"wrote the values into {file}" if found.write(file) else f"{file} already has these values")
    finish(found, json, table=table, overwrite=overwrite)


def _progress(text: str) -> None:
    print(f"\r\x1b[K{text}", end="", file=sys.stderr, flush=True)
