"""The command that shows waveforms."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

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

if TYPE_CHECKING:
    from jump_lane.switching.record import Recording
    from jump_lane.switching.waveforms import Waveforms


def register(app: typer.Typer) -> None:
    """Add the commands of this module."""
    app.command()(waves)


def waves(
    file: ConverterFile,
    figure: Annotated[
        Path | None, typer.Option("--figure", metavar="PNG|SVG", help="Draw a figure into this file.")
    ] = None,
    csv: Annotated[
        Path | None, typer.Option("--csv", metavar="FILE", help="Write samples into this file.")
    ] = None,
    signal: Annotated[
        list[str] | None,
        typer.Option(
            "--signal", metavar="NAME", help="Signal instead of the usual ones, such as L.i; repeatable."
        ),
    ] = None,
    start: Annotated[str | None, typer.Option("--from", metavar="TIME", help="Start of the window.")] = None,
    end: Annotated[str | None, typer.Option("--to", metavar="TIME", help="End of the window.")] = None,
    periods: Annotated[int, typer.Option(min=1, max=100, help="Periods to draw.")] = 2,
    input_voltage: InputVoltage = None,
    load: Load = None,
    control: FixedControl = None,
    overwrite: Overwrite = False,
    json: AsJson = False,
) -> None:
    """Show one operating point: measures, the intervals of the period, a figure, samples."""
    from jump_lane.files import require_apart, require_free, write_whole
    from jump_lane.quantities import CURRENT, TIME, VOLTAGE
    from jump_lane.quantities import show as text
    from jump_lane.report.figures import Panel, figure_kind, source_of, waves_figure

    if figure is not None:
        figure_kind(figure)
    require_apart((file,), (figure, csv))
    for path in (figure, csv):
        if path is not None:
            require_free(path, overwrite)
    design = load_design(file).at(
        quantity(input_voltage, VOLTAGE, "--input-voltage"), quantity(load, CURRENT, "--load")
    )
    fixed = None if control is None else design.page.control.read(control, "--control")
    window = (quantity(start, TIME, "--from"), quantity(end, TIME, "--to"))
    ensure_compiled()
    from jump_lane.operating.point import solve
    from jump_lane.report.waves import samples_csv, waves_view

    state, recording = solve(design, control=fixed)
    panels = tuple(
        Panel(title, tuple(s for s in signals if source_of(s) in recording.names))
        for title, signals in ([(s, (s,)) for s in signal] if signal else design.page.figure)
    )
    _require_signals(signal or [], recording)
    names = tuple(dict.fromkeys(source_of(s) for p in panels for s in p.signals))
    found = {name: recording.measures(name) for name in names}
    title = (
        f"{design.spec.title or design.page.title}: {text(design.inputs[0], 'V')} in, "
        f"{text(design.loads[0], 'A')} load, {design.page.control.symbol} = {text(state.control)}"
    )
    view = recording.waveforms(names).repeated(periods)
    view = _windowed(view, window)
    notes = []
    if figure is not None:
        drawing = waves_figure(title, panels, view, found, figure_kind(figure))
        write_whole(figure, drawing, overwrite)
        notes.append(f"wrote {figure}")
    if csv is not None:
        write_whole(csv, samples_csv(view), overwrite)
        notes.append(f"wrote {csv}")
    show(waves_view(title, recording, found, design.inductors), json)
    for line in notes:
        note(line)


def _require_signals(signals: list[str], recording: Recording) -> None:
    for name in signals:
        recording.index(name.rstrip("~="))


def _windowed(view: Waveforms, window: tuple[float | None, float | None]) -> Waveforms:
    from jump_lane.errors import InputError
    from jump_lane.quantities import show as text

    last = float(view.time[-1])
    low = 0.0 if window[0] is None else window[0]
    high = last if window[1] is None else window[1]
    if not 0.0 <= low < high <= last * (1 + 1e-9):
        raise InputError(
            f"--from {text(low, 's')} --to {text(high, 's')}: "
            f"expected a window within 0 … {text(last, 's')} (--periods shows more)"
        )
    return view.between(low, high)
