"""Commands on control: loop, transient."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from jump_lane.cli.options import (
    AnyFile,
    AsJson,
    Figure,
    Ideal,
    InputVoltage,
    Load,
    Overwrite,
    Set,
    TableFiles,
    load_any,
)
from jump_lane.cli.outputs import finish, progress, require_outputs


def register(app: typer.Typer) -> None:
    """Add the commands of this module."""
    app.command()(loop)
    app.command()(transient)


def loop(
    file: AnyFile,
    responses: Annotated[
        bool,
        typer.Option("--responses", help="Show what source and load see instead: line response, impedances."),
    ] = False,
    exact: Annotated[
        bool,
        typer.Option("--exact", help="Keep derived values of components instead of those of E96 and E24."),
    ] = False,
    tolerance: Annotated[
        bool,
        typer.Option(
            "--tolerance", help="Prove it with parts off by their tolerances too, at the worst corners."
        ),
    ] = False,
    least_capacitor: Annotated[
        bool,
        typer.Option(
            "--least-capacitor",
            help="Find the least output capacitance that keeps control.deviation instead.",
        ),
    ] = False,
    measured: Annotated[
        Path | None,
        typer.Option(
            "--measured",
            metavar="CSV",
            help="Fit what is not known to a measured loop gain (frequency [Hz], gain [dB], phase [°]) and design anew.",
        ),
    ] = None,
    unknown: Annotated[
        list[str] | None,
        typer.Option(
            "--unknown",
            metavar="NAME",
            help="With --measured: gain, bandwidth, R_2, C_o, parts.C_o.resistance …; repeatable [default: gain, bandwidth].",
        ),
    ] = None,
    input_voltage: InputVoltage = None,
    load: Load = None,
    signal: Annotated[
        str | None, typer.Option("--signal", metavar="NAME", help="Circuit file: whose response is wanted.")
    ] = None,
    to: Annotated[
        str | None,
        typer.Option(
            "--to", metavar="SOURCE", help="Circuit file: the source that it answers [default: the control]."
        ),
    ] = None,
    changes: Set = None,
    ideal: Ideal = False,
    table: TableFiles = None,
    figure: Figure = None,
    overwrite: Overwrite = False,
    json: AsJson = False,
) -> None:
    """Design the loop that the file asks for under [control], and prove it at every corner: margins, multipliers.

    Input voltage and load are the operating point of responses and measurement.  The exit status is 1 if something asked is not met.
    """
    from jump_lane.errors import InputError
    from jump_lane.library.converter import CircuitCase
    from jump_lane.library.loops import LoopResult, ResponseResult
    from jump_lane.library.loops import least_capacitor as smallest
    from jump_lane.library.loops import loop as find
    from jump_lane.library.loops import responses as answer
    from jump_lane.library.measured import fit_loop
    from jump_lane.library.own_loops import circuit_loop
    from jump_lane.library.studies import read_points

    require_outputs(file, table, figure, overwrite)
    if (input_voltage or load) and not responses and measured is None:
        raise InputError(
            "--input-voltage and --load are the operating point of --responses and --measured; the loop is proven at every corner"
        )
    if unknown and measured is None:
        raise InputError("--unknown: what is fitted to a measurement; expected --measured CSV with it")
    case = load_any(file, None, changes, ideal)
    if isinstance(case, CircuitCase):
        own = circuit_loop(case.loaded, signal=signal or "", to=to or "", name=case.name)
        finish(own, json, table=table, figure=figure, overwrite=overwrite)
        return
    if signal or to:
        raise InputError("--signal and --to are for circuit files; expected --responses for a converter file")
    if least_capacitor:
        with progress("loops") as watch:
            least = smallest(case, exact=exact, watch=watch)
        finish(least, json, table=table, figure=figure, overwrite=overwrite)
        return
    if measured is not None:
        table_read = read_points(measured)
        fitted = fit_loop(
            case,
            table_read,
            unknown or ("gain", "bandwidth"),
            where=str(measured),
            input_voltage=input_voltage,
            load=load,
            exact=exact,
        )
        finish(fitted, json, table=table, figure=figure, overwrite=overwrite)
        return
    found: LoopResult | ResponseResult
    found = (
        answer(case, input_voltage=input_voltage, load=load)
        if responses
        else find(case, exact=exact, tolerance=tolerance)
    )
    finish(found, json, table=table, figure=figure, overwrite=overwrite)


def transient(
    file: AnyFile,
    end: Annotated[
        str | None, typer.Option("--end", metavar="TIME", help="How long [default: beyond the last event].")
    ] = None,
    from_rest: Annotated[
        bool, typer.Option("--from-rest", help="Start with nothing charged instead of in the steady state.")
    ] = False,
    open_loop: Annotated[
        bool, typer.Option("--open-loop", help="Leave the control as it is, though the file has a loop.")
    ] = False,
    band: Annotated[
        str, typer.Option("--band", metavar="PART", help="Part of the output in which it counts as settled.")
    ] = "2 %",
    signal: Annotated[
        list[str] | None,
        typer.Option("--signal", metavar="NAME", help="Circuit file: follow this signal; repeatable."),
    ] = None,
    input_voltage: InputVoltage = None,
    load: Load = None,
    changes: Set = None,
    ideal: Ideal = False,
    table: TableFiles = None,
    figure: Figure = None,
    overwrite: Overwrite = False,
    json: AsJson = False,
) -> None:
    """Run a converter over time: start-up, load and input steps, set-point changes, as its [[event]] tables say.

    The exit status is 1 if something asked is not met on the way.
    """
    from jump_lane.library.converter import CircuitCase
    from jump_lane.library.loops import transient as run
    from jump_lane.library.own_loops import circuit_transient

    require_outputs(file, table, figure, overwrite)
    case = load_any(file, None, changes, ideal)
    with progress() as watch:
        if isinstance(case, CircuitCase):
            own = circuit_transient(
                case.loaded, signals=signal or (), end=end, from_rest=from_rest, name=case.name, watch=watch
            )
            finish(own, json, table=table, figure=figure, overwrite=overwrite)
            return
        found = run(
            case,
            end=end,
            from_rest=from_rest,
            open_loop=open_loop,
            band=band,
            input_voltage=input_voltage,
            load=load,
            watch=watch,
        )
    finish(found, json, table=table, figure=figure, overwrite=overwrite)
