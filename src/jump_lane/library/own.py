"""A circuit of one's own."""

from __future__ import annotations

import os
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from jump_lane.errors import NoResultError
from jump_lane.library.compiling import ready
from jump_lane.library.converter import Quantity
from jump_lane.library.points import Simulation
from jump_lane.library.result import Result
from jump_lane.report.export import Columns
from jump_lane.report.table import View

if TYPE_CHECKING:
    from jump_lane.circuit.file import CircuitFile
    from jump_lane.report.circuit import CircuitRun


@dataclass(frozen=True, repr=False)
class OwnCircuit(Result):
    """The steady state of a circuit of one's own."""

    title: str
    run: CircuitRun
    branches: tuple[str, ...]

    @property
    def simulation(self) -> Simulation:
        """The same as any other operating point, for figures, cursors and spectra."""
        panels = tuple((f"{b}.{q}", (f"{b}.{q}",)) for b in self.branches[:3] for q in ("i", "v"))
        return Simulation(self.title, self.run.recording, panels, (), self.run.control)

    def view(self) -> View:
        """Return measures of elements, conduction and blocking of valves, powers, intervals, balances."""
        from jump_lane.report.circuit import circuit_view

        return circuit_view(self.title, self.run, list(self.branches))

    def columns(self) -> Columns:
        """Return a row for each signal: average, rms, extremes."""
        from jump_lane.report.circuit import circuit_columns

        return circuit_columns(self.run.recording, list(self.branches))

    def drawing(self) -> Any:
        """Return voltages and currents of the first elements over two periods."""
        return self.simulation.drawing()


def run_circuit(
    source: str | os.PathLike[str] | CircuitFile,
    *,
    elements: Sequence[str] = (),
    settle: int | None = None,
    control: Quantity | None = None,
    force: bool = False,
    name: str = "circuit",
) -> OwnCircuit:
    """Run a circuit of one's own to its periodic steady state.

    Parameters
    ----------
    source
        A circuit file, or what is loaded of one.
    elements
        Elements to show; all by default.
    settle
        Periods to run from all-zero states instead; the last one is shown.
    control
        Value of the control variable, where the gates depend on it and nothing is to be held.
    force
        Whether a result that cannot be trusted is returned with its reason.
    name
        What to call the circuit where it has no title and no file.

    Raises
    ------
    InputError
        If the file is not valid, or names no such element.
    NoResultError
        If there is no trustworthy steady state.
    """
    from jump_lane.circuit.file import CircuitFile
    from jump_lane.circuit.file import load as load_circuit
    from jump_lane.report.circuit import select

    loaded = source if isinstance(source, CircuitFile) else load_circuit(Path(source))
    title = loaded.title or (name if isinstance(source, CircuitFile) else os.fspath(source))
    fixed = None if control is None else loaded.control.read(str(control), "control")
    ready()
    run = _steady(loaded, fixed) if settle is None else _settled(loaded, settle)
    if run.doubts and not force:
        raise NoResultError("\n".join((*run.doubts, "(--force shows the figures all the same)")))
    if settle is not None:
        title = f"{title}: period {settle} from all-zero states"
    return OwnCircuit(title, run, tuple(select(run.recording, list(elements))))


def _steady(loaded: CircuitFile, control: float | None) -> CircuitRun:
    from jump_lane.operating.own import steady
    from jump_lane.report.circuit import CircuitRun
    from jump_lane.switching.balance import balance

    if control is not None:
        loaded = replace(loaded, circuit=replace(loaded.circuit, control=control), hold=None)
    state, recording, doubts = steady(loaded)
    shown = control if loaded.hold is None else state.control
    return CircuitRun(recording, balance(recording), shown, doubts, held_by=loaded.control)


def _settled(loaded: CircuitFile, periods: int) -> CircuitRun:
    from jump_lane.report.circuit import CircuitRun
    from jump_lane.switching.balance import balance, jumps
    from jump_lane.switching.settling import settle

    recording, remaining = settle(loaded.circuit, periods)
    notes = (f"the states still move by {100 * remaining:.2g} % of their size in a period", *jumps(recording))
    return CircuitRun(recording, balance(recording), None, recording.trespasses, notes)
