"""The command that solves component values from the simulation."""

from __future__ import annotations

import sys
from typing import Annotated

import typer

from jump_lane.cli.options import AsJson, Catalogues, ConverterFile, ensure_compiled, load_spec
from jump_lane.cli.render import note, show


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
    write: Annotated[bool, typer.Option("--write", help="Put the values under [chosen].")] = False,
    json: AsJson = False,
) -> None:
    """Solve component values so that the simulated converter just keeps every limit at all corners.

    Shows where the textbook started, what decides each value, and what was saved or missing.  Values of the file stay.
    """
    from jump_lane.errors import InputError, NoResultError
    from jump_lane.sizing.solve import size as solve
    from jump_lane.topologies.asked import unnamed

    spec = load_spec(file, catalogue)
    if anew:
        spec = unnamed(spec).model_copy(update={"chosen": {}})
    ensure_compiled()
    try:
        found = solve(spec, tolerance, _progress if sys.stderr.isatty() else lambda _: None)
    except (InputError, NoResultError) as error:
        raise type(error)(f"{file}: {error}") from None
    from jump_lane.report.size import size_view
    from jump_lane.study.check import check
    from jump_lane.topologies.design import derive

    after = derive(spec.model_copy(update={"chosen": {**spec.chosen, **found.values}}))
    if write:
        from jump_lane.files import edit
        from jump_lane.study.write import with_values

        units = {s: (v, after.sheet[s].unit) for s, v in found.values.items()}
        changed = edit(file, lambda text: with_values(text, units))
        note(f"wrote the values into {file}" if changed else f"{file} already has these values")
    show(size_view(found, check(after)), json)


def _progress(text: str) -> None:
    print(f"\r\x1b[K{text}", end="", file=sys.stderr, flush=True)
