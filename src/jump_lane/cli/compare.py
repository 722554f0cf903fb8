"""Commands that put converters side by side: compare, diff."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from jump_lane.cli.options import (
    AsJson,
    ConverterFile,
    Overwrite,
    Set,
    TableFiles,
    load_case,
)
from jump_lane.cli.outputs import finish, require_outputs


def register(app: typer.Typer) -> None:
    """Add the commands of this module."""
    app.command()(compare)
    app.command()(diff)


def compare(
    files: Annotated[
        list[Path], typer.Argument(metavar="FILE...", help="Converter files.", show_default=False)
    ],
    topology: Annotated[
        list[str] | None,
        typer.Option(
            "--topology", metavar="NAME", help="Try the one file's specification with this; repeatable."
        ),
    ] = None,
    every: Annotated[
        bool, typer.Option("--every", help="Try the one file's specification with every topology.")
    ] = False,
    isolated: Annotated[bool, typer.Option("--isolated", help="With every isolated topology.")] = False,
    changes: Set = None,
    table: TableFiles = None,
    overwrite: Overwrite = False,
    json: AsJson = False,
) -> None:
    """Put converters side by side: duty ratio, device stress, energy, capacitor currents, parts.

    Several files, or one file's specification alone with several topologies.
    """
    from jump_lane.library.sides import compare as find
    from jump_lane.library.words import list_topologies

    require_outputs(files[0], table, None, overwrite)
    names = list(topology or [])
    if every or isolated:
        listed = list_topologies()
        names = list(listed.isolated if isolated else listed.names)
    found = find([load_case(path, None, changes) for path in files], names)
    finish(found, json, table=table, overwrite=overwrite)


def diff(
    old: Annotated[Path, typer.Argument(metavar="OLD", help="A converter file.", show_default=False)],
    new: ConverterFile,
    changes: Set = None,
    table: TableFiles = None,
    overwrite: Overwrite = False,
    json: AsJson = False,
) -> None:
    """Show what differs between two converter files: keys, component values, derived values, verdicts.

    --set is applied to the new one.  The exit status is 1 if anything differs.
    """
    from jump_lane.library.words import diff as find

    require_outputs(old, table, None, overwrite)
    before, after = load_case(old), load_case(new, None, changes)
    finish(find(before, after), json, table=table, overwrite=overwrite)
