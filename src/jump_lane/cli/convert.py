"""The command that converts units."""

from __future__ import annotations

from typing import Annotated

import typer

from jump_lane.cli.options import AsJson
from jump_lane.cli.outputs import finish


def register(app: typer.Typer) -> None:
    """Add the commands of this module."""
    app.command(context_settings={"ignore_unknown_options": True})(convert)


def convert(
    quantity: Annotated[
        list[str], typer.Argument(metavar="VALUE UNIT WANTED", help="Such as 3.2 kOe A/m, or 24 AWG mm².")
    ],
    impedance: Annotated[
        str | None,
        typer.Option("--impedance", metavar="Ω", help="What joins volts, amperes and watts in decibels."),
    ] = None,
    json: AsJson = False,
) -> None:
    """Convert a quantity: magnetic units, wire gauges, air flow, thermal, energy, decibels above a unit, all others."""
    from jump_lane.errors import InputError
    from jump_lane.library.words import convert as find

    if len(quantity) < 2:
        raise InputError(
            f"convert: read {' '.join(quantity)!r}; expected value, unit and unit wanted, such as 3.2 kOe A/m"
        )
    finish(find(" ".join(quantity[:-1]), quantity[-1], impedance=impedance), json)
