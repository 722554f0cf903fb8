"""The command that runs a hand-written circuit file."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from jump_lane.cli.options import AsJson, ensure_compiled
from jump_lane.cli.render import show
from jump_lane.errors import NoResultError

if TYPE_CHECKING:
    from jump_lane.circuit.file import CircuitFile
    from jump_lane.report.circuit import CircuitRun


def register(app: typer.Typer) -> None:
    """Add the commands of this module."""
    app.command()(circuit)


def circuit(
    file: Annotated[Path, typer.Argument(metavar="FILE", help="A circuit file.")],
    element: Annotated[
        list[str] | None,
        typer.Option("--element", metavar="NAME", help="Show this element only; repeatable."),
    ] = None,
    settle: Annotated[
        int | None,
        typer.Option(
            "--settle",
            min=1,
            max=1_000_000,
            help="From all-zero states, run so many periods; show the last one.",
        ),
    ] = None,
    force: Annotated[
        bool,
        typer.Option("--force", help="Show a result that cannot be trusted, with the reason; still exit 3."),
    ] = False,
    json: AsJson = False,
    csv: Annotated[bool, typer.Option("--csv", help="Print CSV instead of tables.")] = False,
) -> None:
    """Run a circuit of your own to its periodic steady state and measure it."""
    from jump_lane.circuit.file import load

    loaded = load(file)
    ensure_compiled()
    from jump_lane.report.circuit import circuit_csv, circuit_view, select

    run = _steady(loaded) if settle is None else _settled(loaded, settle)
    if run.doubts and not force:
        raise NoResultError("\n".join((*run.doubts, "(--force shows the figures all the same)")))
    title = loaded.title or str(file)
    if settle is not None:
        title = f"{title}: period {settle} from all-zero states"
    names = select(run.recording, element or [])
    if csv:
        print(circuit_csv(run.recording, names), end="")
        return
    show(circuit_view(title, run, names), json)


def _steady(loaded: CircuitFile) -> CircuitRun:
    from jump_lane.report.circuit import CircuitRun
    from jump_lane.switching.balance import balance, jumps, open_balances
    from jump_lane.switching.record import record
    from jump_lane.switching.steady import Regulation, steady_state

    held = None
    if loaded.hold is not None:
        held = Regulation(loaded.hold.branch, loaded.hold.average, loaded.hold.voltage)
    state = steady_state(loaded.circuit, held)
    recording = record(state)
    closes = balance(recording)
    doubts = (*jumps(recording), *open_balances(recording, closes))
    return CircuitRun(recording, closes, state.control if held else None, doubts)


def _settled(loaded: CircuitFile, periods: int) -> CircuitRun:
    from jump_lane.report.circuit import CircuitRun
    from jump_lane.switching.balance import balance, jumps
    from jump_lane.switching.settling import settle

    recording, remaining = settle(loaded.circuit, periods)
    notes = (f"the states still move by {100 * remaining:.2g} % of their size in a period", *jumps(recording))
    return CircuitRun(recording, balance(recording), None, recording.trespasses, notes)
