"""Commands about losses: where every watt goes at one operating point."""

from __future__ import annotations

import typer

from jump_lane.cli.options import (
    AsJson,
    ConverterFile,
    InputVoltage,
    Load,
    Overwrite,
    Shelves,
    ensure_compiled,
    load_design,
    quantity,
)
from jump_lane.cli.outputs import Figure, Tables, require_outputs, write_outputs
from jump_lane.cli.render import show


def register(app: typer.Typer) -> None:
    """Add the commands of this module."""
    app.command()(losses)


def losses(
    file: ConverterFile,
    input_voltage: InputVoltage = None,
    load: Load = None,
    shelf: Shelves = None,
    table: Tables = None,
    figure: Figure = None,
    overwrite: Overwrite = False,
    json: AsJson = False,
) -> None:
    """Say where every watt goes at one operating point: by part and mechanism, with temperatures and ratings.

    The exit status is 1 if a part is outside its ratings, 3 if there is no stable temperature.
    """
    from jump_lane.quantities import CURRENT, VOLTAGE

    require_outputs(table, figure, overwrite)
    design = load_design(file, shelf).at(
        quantity(input_voltage, VOLTAGE, "--input-voltage"), quantity(load, CURRENT, "--load")
    )
    ensure_compiled()
    from jump_lane.losses.budget import budget
    from jump_lane.report.losses import losses_columns, losses_figure, losses_view

    found = budget(design)
    write_outputs(
        table, figure, overwrite, losses_columns(found), lambda kind: losses_figure(design, found, kind)
    )
    show(losses_view(design, found), json)
