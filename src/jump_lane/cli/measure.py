"""The command that measures waveforms with two cursors, and their spectrum."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from jump_lane.cli.options import (
    AsJson,
    ConverterFile,
    FixedControl,
    InputVoltage,
    Load,
    Overwrite,
    ensure_compiled,
    load_design,
    quantity,
)
from jump_lane.cli.render import note, show

LONGEST = 1000
"""Periods that two cursors may span."""


def register(app: typer.Typer) -> None:
    """Add the commands of this module."""
    app.command()(measure)


def measure(
    file: ConverterFile,
    signal: Annotated[
        list[str] | None, typer.Option("--signal", metavar="NAME", help="Signal to measure; repeatable.")
    ] = None,
    start: Annotated[
        str | None,
        typer.Option("--from", metavar="TIME", help="First cursor [default: start of the period]."),
    ] = None,
    end: Annotated[
        str | None, typer.Option("--to", metavar="TIME", help="Second cursor [default: one period later].")
    ] = None,
    harmonics: Annotated[
        int | None,
        typer.Option("--harmonics", min=1, max=1000, help="Show the spectrum up to this harmonic."),
    ] = None,
    decibel: Annotated[
        bool, typer.Option("--decibel", help="Amplitudes in decibels above 1 µV or 1 µA.")
    ] = False,
    figure: Annotated[
        Path | None, typer.Option("--figure", metavar="PNG|SVG", help="Draw the spectrum into this file.")
    ] = None,
    input_voltage: InputVoltage = None,
    load: Load = None,
    control: FixedControl = None,
    overwrite: Overwrite = False,
    json: AsJson = False,
) -> None:
    """Measure signals between two cursors (value, slope, average, rms, ripple, charge), or their spectrum."""
    from jump_lane.errors import InputError
    from jump_lane.files import require_apart, require_free, write_whole
    from jump_lane.quantities import CURRENT, TIME, VOLTAGE
    from jump_lane.quantities import show as text
    from jump_lane.report.figures import figure_kind, spectrum_figure

    if figure is not None:
        figure_kind(figure)
        require_apart((file,), (figure,))
        require_free(figure, overwrite)
        if harmonics is None:
            raise InputError("--figure: draws a spectrum; expected --harmonics too")
    design = load_design(file).at(
        quantity(input_voltage, VOLTAGE, "--input-voltage"), quantity(load, CURRENT, "--load")
    )
    period = design.sheet["T_s"].worst
    first = quantity(start, TIME, "--from") or 0.0
    last = quantity(end, TIME, "--to")
    cursors = (first, first + period if last is None else last)
    if not 0.0 <= cursors[0] < cursors[1]:
        raise InputError(
            f"--from {text(cursors[0], 's')} --to {text(cursors[1], 's')}: expected 0 ≤ from < to"
        )
    if cursors[1] > LONGEST * period:
        raise InputError(
            f"--to {text(cursors[1], 's')}: expected {LONGEST} periods ({text(LONGEST * period, 's')}) at most"
        )
    fixed = None if control is None else design.page.control.read(control, "--control")
    ensure_compiled()
    from jump_lane.operating.point import solve
    from jump_lane.report.measure import measure_view, spectrum_view
    from jump_lane.switching.waveforms import harmonics as analyse

    state, recording = solve(design, control=fixed)
    names = signal or [f"{name}.i" for name in design.inductors] + ["load.v"]
    for name in names:
        recording.index(name)
    title = (
        f"{design.spec.title or design.page.title}: {text(design.inputs[0], 'V')} in, "
        f"{text(design.loads[0], 'A')} load, {design.page.control.symbol} = {text(state.control)}"
    )
    if harmonics is None:
        show(measure_view(title, recording, names, cursors), json)
        return
    spectra = {
        name: analyse(recording.samples_between(name, 0.0, period), period, harmonics) for name in names
    }
    if figure is not None:
        write_whole(figure, spectrum_figure(title, spectra, decibel, figure_kind(figure)), overwrite)
        note(f"wrote {figure}")
    show(spectrum_view(title, spectra, decibel), json)
