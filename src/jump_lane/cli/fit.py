"""The command that replaces ideal values by values that exist."""

from __future__ import annotations

import os
from typing import Annotated

import typer

from jump_lane.cli.options import AsJson, Catalogues, ConverterFile, ensure_compiled, load_spec
from jump_lane.cli.render import note, show


def register(app: typer.Typer) -> None:
    """Add the commands of this module."""
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
    write: Annotated[bool, typer.Option("--write", help="Put the choice into the file.")] = False,
    json: AsJson = False,
) -> None:
    """Replace ideal values by values one can buy; show what that does to ripple, peak and mode."""
    from jump_lane.catalogue.load import load as load_parts
    from jump_lane.errors import InputError
    from jump_lane.files import edit
    from jump_lane.quantities.preferred import decade
    from jump_lane.study.fit import fit as choose

    decade(series)
    spec = load_spec(file, catalogue)
    listed = tuple(part for path in catalogue or () for part in load_parts(path))
    try:
        found = choose(spec, listed, series, nearest)
    except InputError as error:
        raise InputError(f"{file}: {error}") from None
    ensure_compiled()
    from jump_lane.report.fit import fit_view
    from jump_lane.study.check import check

    view = fit_view(found, check(found.after))
    if write:
        from jump_lane.study.write import with_choices

        lists = [os.path.relpath(path, file.parent) for path in catalogue or ()]
        changed = edit(file, lambda text: with_choices(text, found, lists))
        for choice in found.choices:
            if choice.best.broken:
                note(f"{choice.symbol} left as it is: {choice.best.broken[0]}")
        note(f"wrote the choice into {file}" if changed else f"{file} already has this choice")
    show(view, json)
