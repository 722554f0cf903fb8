"""The command that runs a hand-written circuit file."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from jump_lane.cli.options import AsJson, ensure_compiled
from jump_lane.cli.render import note, show

if TYPE_CHECKING:
    from jump_lane.circuit.file import CircuitFile
    from jump_lane.switching.balance import Balance
    from jump_lane.switching.record import Recording


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
    json: AsJson = False,
    csv: Annotated[bool, typer.Option("--csv", help="Print CSV instead of tables.")] = False,
) -> None:
    """Run a circuit of your own to its periodic steady state and measure it."""
    from jump_lane.circuit.file import load

    loaded = load(file)
    ensure_compiled()
    from jump_lane.report.circuit import circuit_csv, circuit_view, select

    if settle is None:
        recording, closes, control = _steady(loaded)
        title = loaded.title or str(file)
    else:
        recording, closes, control = _settled(loaded, settle)
        title = f"{loaded.title or file}: period {settle} from all-zero states"
    names = select(recording, element or [])
    if csv:
        print(circuit_csv(recording, names), end="")
        return
    show(circuit_view(title, recording, closes, control, names), json)


def _steady(loaded: CircuitFile) -> tuple[Recording, Balance, float | None]:
    from jump_lane.switching import balance
    from jump_lane.switching.record import record
    from jump_lane.switching.steady import Regulation, steady_state

    held = None
    if loaded.hold is not None:
        held = Regulation(loaded.hold.branch, loaded.hold.average, loaded.hold.voltage)
    state = steady_state(loaded.circuit, held)
    recording = record(state)
    return recording, balance.require(recording), state.control if held else None


def _settled(loaded: CircuitFile, periods: int) -> tuple[Recording, Balance, None]:
    from jump_lane.switching.balance import balance
    from jump_lane.switching.settling import settle

    recording, remaining = settle(loaded.circuit, periods)
    note(f"the states still move by {100 * remaining:.2g} % of their size in a period")
    return recording, balance(recording), None
