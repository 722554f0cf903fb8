"""The command compare."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from jump_lane.cli.options import AsJson
from jump_lane.cli.render import show


def register(app: typer.Typer) -> None:
    """Add the command of this module."""
    app.command()(compare)


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
    json: AsJson = False,
) -> None:
    """Put converters side by side: duty ratio, device stress, energy, capacitor currents, parts.

    Several files, or one file's specification alone with several topologies.
    """
    from jump_lane.errors import InputError
    from jump_lane.report.compare import compare_view
    from jump_lane.spec import load
    from jump_lane.study.compare import candidate, of_topologies
    from jump_lane.topologies import page, pages

    names = list(topology or [])
    if every or isolated:
        names = [p.name for p in pages() if p.isolated or not isolated]
    if names and len(files) > 1:
        raise InputError("compare: several topologies are tried with one file, not with several")
    if not names and len(files) == 1:
        raise InputError("compare: one file; expected several, or --topology, --every or --isolated")
    for name in names:
        page(name)
    specs = [load(path) for path in files]
    if names:
        show(compare_view(specs[0].title or str(files[0]), list(of_topologies(specs[0], names))), json)
        return
    found = [candidate(str(path), spec) for path, spec in zip(files, specs, strict=True)]
    show(compare_view("Converters", found), json)
