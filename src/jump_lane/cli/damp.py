"""The command damp."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from jump_lane.cli.options import (
    AsJson,
    ConverterFile,
    InputVoltage,
    Load,
    Overwrite,
    ensure_compiled,
    load_design,
    quantity,
)
from jump_lane.cli.render import note, show


def register(app: typer.Typer) -> None:
    """Add the command of this module."""
    app.command()(damp)


def damp(
    file: ConverterFile,
    device: Annotated[
        str,
        typer.Argument(metavar="DEVICE", help="A switch or rectifier with a [damping] table in the file."),
    ],
    input_voltage: InputVoltage = None,
    load: Load = None,
    figure: Annotated[
        Path | None, typer.Option("--figure", metavar="PNG|SVG", help="Draw a figure into this file.")
    ] = None,
    overwrite: Overwrite = False,
    json: AsJson = False,
) -> None:
    """Derive the damping of a ringing device from two measured frequencies, and simulate it without and with it."""
    from jump_lane.files import require_free, write_whole
    from jump_lane.quantities import CURRENT, VOLTAGE
    from jump_lane.report.figures import figure_kind

    if figure is not None:
        figure_kind(figure)
        require_free(figure, overwrite)
    design = load_design(file).at(
        quantity(input_voltage, VOLTAGE, "--input-voltage"), quantity(load, CURRENT, "--load")
    )
    from jump_lane.topologies.blocks.damping import derive_damping

    derive_damping(design, device)
    ensure_compiled()
    from jump_lane.report.damping import damping_figure, damping_view
    from jump_lane.study.damping import compare_damping

    found = compare_damping(design, device)
    if figure is not None:
        write_whole(figure, damping_figure(found, figure_kind(figure)), overwrite)
    show(damping_view(found), json)
    if figure is not None:
        note(f"wrote {figure}")
