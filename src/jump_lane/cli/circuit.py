"""The command that runs a hand-written circuit file."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from jump_lane.cli.options import AsJson, Figure, FixedControl, Overwrite, Set, TableFiles
from jump_lane.cli.outputs import finish, require_outputs


def register(app: typer.Typer) -> None:
    """Add the commands of this module."""
    app.command()(circuit)


def circuit(
    file: Annotated[Path, typer.Argument(metavar="FILE", help="A circuit file.")],
    element: Annotated[
        list[str] | None,
        typer.Option("--element", metavar="NAME", help="Show this element only; repeatable."),
    ] = None,
    settle: Annotated[
        int | None,
        typer.Option(
            "--settle",
            min=1,
            max=1_000_000,
            help="From all-zero states, run so many periods; show the last one.",
        ),
    ] = None,
    control: FixedControl = None,
    force: Annotated[
        bool,
        typer.Option("--force", help="Show a result that cannot be trusted, with the reason; still exit 3."),
    ] = False,
    changes: Set = None,
    table: TableFiles = None,
    figure: Figure = None,
    overwrite: Overwrite = False,
    json: AsJson = False,
) -> None:
    """Run a circuit of your own to its periodic steady state and measure it.

    waves, measure and sweep take circuit files as well, with all their options.
    """
    from jump_lane.library.converter import load_circuit
    from jump_lane.library.own import run_circuit

    require_outputs(file, table, figure, overwrite)
    case = load_circuit(file, changes or ())
    loaded = file if case is None else case.loaded
    found = run_circuit(
        loaded, elements=element or (), settle=settle, control=control, force=force, name=str(file)
    )
    finish(found, json, table=table, figure=figure, overwrite=overwrite)
