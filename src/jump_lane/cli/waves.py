"""Commands on one operating point: waves shows it, measure reads it with cursors."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from jump_lane.cli.options import (
    AsJson,
    ConverterFile,
    Figure,
    FixedControl,
    Ideal,
    InputVoltage,
    Load,
    Overwrite,
    Set,
    TableFiles,
    load_any,
)
from jump_lane.cli.outputs import finish, require_outputs

if TYPE_CHECKING:
    from jump_lane.library.converter import CircuitCase, Converter
    from jump_lane.library.points import Simulation

Signals = Annotated[
    list[str] | None,
    typer.Option(
        "--signal", metavar="NAME", help="Signal instead of the usual ones, such as L.i; repeatable."
    ),
]
Start = Annotated[
    str | None, typer.Option("--from", metavar="TIME", help="First cursor, or start of the window.")
]
End = Annotated[str | None, typer.Option("--to", metavar="TIME", help="Second cursor, or end of the window.")]


def register(app: typer.Typer) -> None:
    """Add the commands of this module."""
    app.command()(waves)
    app.command()(measure)


def simulated(
    case: Converter | CircuitCase, input_voltage: str | None, load: str | None, control: str | None
) -> Simulation:
    """Return the simulated operating point of a converter or circuit; compiles first, once what is asked is sound."""
    from jump_lane.errors import InputError
    from jump_lane.library import points
    from jump_lane.library.converter import CircuitCase

    if isinstance(case, CircuitCase):
        if input_voltage is not None or load is not None:
            raise InputError(
                "--input-voltage and --load: a circuit file says itself; --set element.NAME.KEY=VALUE changes it"
            )
        from jump_lane.library.own import run_circuit

        return run_circuit(
            case.loaded, control=None if control is None else control.rpartition("=")[2]
        ).simulation
    return points.simulate(case, input_voltage=input_voltage, load=load, control=control)


def _pair(plane: str | None, figure: Path | None) -> tuple[str, ...]:
    """Return the two signals of a plane; none where none is asked."""
    from jump_lane.errors import InputError

    if plane is None:
        return ()
    names = tuple(name.strip() for name in plane.split(","))
    if len(names) != 2 or figure is None:
        raise InputError(f"--plane {plane}: expected two signals, such as C_r.v,L_r.i, and --figure")
    return names


def _core(case: Converter | CircuitCase, found: Simulation, core: str, figure: Path | None) -> Any:
    """Return the flux of a wound core drawn."""
    from jump_lane.errors import InputError
    from jump_lane.library.converter import Converter
    from jump_lane.library.winding import core_drawing

    if figure is None or not isinstance(case, Converter):
        raise InputError(f"--core {core}: expected a converter file, and --figure")
    return core_drawing(case, found, core)


def waves(
    file: ConverterFile,
    figure: Figure = None,
    table: TableFiles = None,
    csv: Annotated[
        Path | None,
        typer.Option("--csv", metavar="FILE", help="Write the samples that are drawn into this file."),
    ] = None,
    settings: Annotated[
        Path | None,
        typer.Option(
            "--settings",
            metavar="FILE",
            help="Write what sets this point for other programs (.json, .toml, .csv): voltages, instants of gates, parts.",
        ),
    ] = None,
    plane: Annotated[
        str | None,
        typer.Option(
            "--plane", metavar="X,Y", help="Draw one signal over another instead, such as C_r.v,L_r.i."
        ),
    ] = None,
    core: Annotated[
        str | None,
        typer.Option(
            "--core", metavar="NAME", help="Draw flux density over field of a wound core instead, such as T."
        ),
    ] = None,
    signal: Signals = None,
    start: Start = None,
    end: End = None,
    periods: Annotated[int, typer.Option(min=1, max=100, help="Periods to draw.")] = 2,
    input_voltage: InputVoltage = None,
    load: Load = None,
    control: FixedControl = None,
    changes: Set = None,
    ideal: Ideal = False,
    overwrite: Overwrite = False,
    json: AsJson = False,
) -> None:
    """Show one operating point of a converter or circuit file: measures, the intervals of the period, a figure, samples.

    All signals over one period are written by --table, those that the figure shows by --csv.
    """
    from jump_lane.cli.render import note
    from jump_lane.files import require_apart, require_free, write_whole
    from jump_lane.report.table import to_csv
    from jump_lane.report.waves import sample_columns

    require_outputs(file, table, figure, overwrite)
    if csv is not None or settings is not None:
        require_apart((file,), (csv, figure, settings))
    for path in (csv, settings):
        if path is not None:
            require_free(path, overwrite)
    pair = _pair(plane, figure)
    case = load_any(file, None, changes, ideal)
    found = simulated(case, input_voltage, load, control)
    shown = found.window(signal or (), periods, start, end)
    drawing = found.drawing(shown) if figure is not None else None
    drawing = found.plane(*pair) if pair else drawing
    if core is not None:
        drawing = _core(case, found, core, figure)
    if settings is not None:
        from jump_lane.library.points import settings_text

        write_whole(settings, settings_text(settings, found), overwrite)
        note(f"wrote {settings}")
    if csv is not None:
        columns = sample_columns(shown.waveforms)
        rows = [tuple(f"{v:.9g}" for v in row) for row in zip(*columns.values(), strict=True)]
        write_whole(csv, to_csv(tuple(columns), rows), overwrite)
        note(f"wrote {csv}")
    finish(
        found, json, view=found.view(shown), table=table, figure=figure, drawing=drawing, overwrite=overwrite
    )


def measure(
    file: ConverterFile,
    signal: Signals = None,
    start: Start = None,
    end: End = None,
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
    table: TableFiles = None,
    input_voltage: InputVoltage = None,
    load: Load = None,
    control: FixedControl = None,
    changes: Set = None,
    ideal: Ideal = False,
    overwrite: Overwrite = False,
    json: AsJson = False,
) -> None:
    """Measure signals between two cursors (value, slope, average, rms, ripple, charge), or their spectrum."""
    from jump_lane.errors import InputError
    from jump_lane.library import points

    require_outputs(file, table, figure, overwrite)
    if figure is not None and harmonics is None:
        raise InputError("--figure: draws a spectrum; expected --harmonics too")
    found = simulated(load_any(file, None, changes, ideal), input_voltage, load, control)
    result = (
        points.measure(found, signal or (), start, end)
        if harmonics is None
        else points.spectrum(found, signal or (), harmonics, decibel)
    )
    finish(result, json, table=table, figure=figure, overwrite=overwrite)
