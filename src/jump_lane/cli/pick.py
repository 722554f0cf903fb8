"""The command that chooses parts."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from jump_lane.cli.options import (
    AsJson,
    Catalogues,
    ClosedLoop,
    ConverterFile,
    Overwrite,
    Processes,
    Set,
    TableFiles,
    load_case,
    under_loop,
)
from jump_lane.cli.outputs import finish, progress, require_outputs
from jump_lane.cli.render import note

if TYPE_CHECKING:
    from jump_lane.library.converter import Converter


def register(app: typer.Typer) -> None:
    """Add the command of this module."""
    app.command()(pick)


def pick(
    file: ConverterFile,
    choose: Annotated[
        list[str] | None,
        typer.Option(
            "--choose",
            metavar="NAME",
            help="A component to choose, such as S1; repeatable [default: switches, rectifiers and inductors for "
            "which the file names no part].",
        ),
    ] = None,
    same: Annotated[
        list[str] | None,
        typer.Option("--same", metavar="NAME,NAME", help="Components that get the same part; repeatable."),
    ] = None,
    by: Annotated[
        str,
        typer.Option("--by", help="What is to be small: loss, temperature, cost, or a sum: loss=1,cost=0.5."),
    ] = "loss",
    most: Annotated[int, typer.Option("--most", min=1, help="Combinations to simulate at most.")] = 2000,
    top: Annotated[int, typer.Option("--top", min=1, help="Combinations to prove at all corners.")] = 5,
    wind: Annotated[
        str | None,
        typer.Option(
            "--wind", metavar="NAME", help="Choose the winding of this component as well, such as L or T."
        ),
    ] = None,
    windings: Annotated[int, typer.Option("--windings", min=1, help="Windings to combine with parts.")] = 4,
    closed_loop: ClosedLoop = False,
    catalogue: Catalogues = None,
    changes: Set = None,
    processes: Processes = 2,
    write: Annotated[bool, typer.Option("--write", help="Put the best parts into the file.")] = False,
    table: TableFiles = None,
    overwrite: Overwrite = False,
    json: AsJson = False,
) -> None:
    """Choose parts of a catalogue: within ratings and margins at all corners, ranked by simulated loss.

    Without a catalogue of one's own (in the file, or --catalogue) the shipped samples are tried.  The exit status is 1
    if none of the best combinations keeps everything.
    """
    from jump_lane.library.choices import pick as find

    require_outputs(file, table, None, overwrite)
    case = under_loop(load_case(file, catalogue, changes), closed_loop)
    if wind is not None:
        _together(file, case, wind, windings, choose or (), by, write, (table, overwrite, json))
        return
    groups = [[name.strip() for name in text.split(",")] for text in same or ()]
    with progress() as watch:
        found = find(
            case,
            choose=choose or (),
            same=groups,
            by=by,
            most=most,
            top=top,
            processes=processes,
            watch=watch,
        )
    if write and not found.complete:
        note(f"{file} left as it is: interrupted")
    elif write and not found.best:
        note(f"{file} left as it is: no combination keeps everything")
    elif write:
        found.write(file)
        note(f"wrote the parts into {file}")
    finish(found, json, table=table, overwrite=overwrite)


def _together(
    file: Path,
    case: Converter,
    component: str,
    windings: int,
    choose: Sequence[str],
    by: str,
    write: bool,
    output: tuple[list[Path] | None, bool, bool],
) -> None:
    """Choose the winding of a component and parts together."""
    from jump_lane.library.joint import pick_together

    table, overwrite, json = output
    with progress("windings") as watch:
        found = pick_together(case, component, windings=windings, choose=choose, by=by, watch=watch)
    if write:
        note(
            f"wrote {component} and the parts into {file}"
            if found.write(file)
            else f"{file} already has them"
        )
    finish(found, json, table=table, overwrite=overwrite)
