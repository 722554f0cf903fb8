"""What the steady state of a hand-written circuit shows."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from jump_lane.circuit.control import DUTY, Control
from jump_lane.circuit.elements import Diode, Switch
from jump_lane.errors import InputError, nearest
from jump_lane.operating.polarity import warnings
from jump_lane.quantities import show, show_percent
from jump_lane.report.export import Columns
from jump_lane.report.table import Table, View
from jump_lane.report.waves import interval_table, measures_data, measures_table
from jump_lane.switching.balance import Balance
from jump_lane.switching.record import Recording


def select(recording: Recording, elements: list[str]) -> list[str]:
    """Return the branches to show: those named (an element with windings stands for all), or all.

    Raises
    ------
    InputError
        If there is no such element.
    """
    inner = {v.name for v in recording.network.valves if v.within}
    branches = [b for b in recording.network.branches if b not in inner]
    if not elements:
        return branches
    out = []
    for name in elements:
        found = [b for b in branches if b == name or b.startswith(f"{name}.")]
        if not found:
            raise InputError(f"no element {name!r}; {nearest(name, branches)}")
        out += found
    return out


@dataclass(frozen=True)
class CircuitRun:
    """What came of a circuit: recording, balances, control variable if it holds an average, why not to trust it."""

    recording: Recording
    closes: Balance
    control: float | None
    doubts: tuple[str, ...] = ()
    notes: tuple[str, ...] = ()
    held_by: Control = DUTY


def circuit_view(title: str, run: CircuitRun, names: list[str]) -> View:
    """Show measures of elements, conduction and blocking of valves, powers, intervals, balances."""
    recording, closes, control = run.recording, run.closes, run.control
    signals = [f"{b}.{q}" for b in names for q in ("v", "i")]
    found = {s: recording.measures(s) for s in signals}
    valves = [b for b in names if b in _valves(recording)]
    tables = [measures_table(title, found)]
    if valves:
        tables.append(_valve_table(recording, valves))
    tables.append(_power_table(recording, names))
    tables.append(interval_table(recording, ()))
    data: dict[str, Any] = {
        "title": title,
        "period": recording.period,
        "control": control,
        "held_by": run.held_by.symbol,
        "measures": measures_data(found),
        "power": {b: recording.power(b) for b in names},
        "conduction": {
            v: {"fraction": recording.fraction(v, f"{v}.body"), "blocking": recording.blocking(v)}
            for v in valves
        },
        "balance": {"energy": closes.energy, "charge": closes.charge, "volt_seconds": closes.volt_seconds},
        "stretches": [
            {"from": s.start, "to": s.end, "conducting": list(s.conducting)} for s in recording.stretches
        ],
    }
    notes = [
        f"balances: energy {closes.energy:.1e}, charge {closes.charge:.1e}, volt-seconds {closes.volt_seconds:.1e}"
    ]
    notes = [*run.notes, *(f"not to be trusted: {text}" for text in run.doubts), *notes]
    if closes.impulses:
        notes.append("states jump in the period: impulses carry charge or flux, and dissipate energy")
    if control is not None:
        notes.append(f"held with {run.held_by.symbol} = {run.held_by.shown(control, recording.period)}")
    found_warnings = list(warnings(recording))
    notes.extend(f"warning: {text}" for text in found_warnings)
    data |= {"warnings": found_warnings, "states_jump": closes.impulses, "doubts": list(run.doubts)}
    return View("circuit", data, tuple(tables), tuple(notes), exit_status=3 if run.doubts else 0)


def _valves(recording: Recording) -> set[str]:
    return {e.name for e in recording.engine.circuit.elements if isinstance(e, Switch | Diode)}


def _valve_table(recording: Recording, valves: list[str]) -> Table:
    rows = tuple(
        (v, show_percent(recording.fraction(v, f"{v}.body")), show(recording.blocking(v), "V"))
        for v in valves
    )
    return Table("Valves", ("valve", "conducts>", "blocks>"), rows)


def _power_table(recording: Recording, names: list[str]) -> Table:
    powers = {b: recording.power(b) for b in names}
    largest = max((abs(p) for p in powers.values()), default=0.0)
    rows = tuple((b, show(p if abs(p) > 1e-9 * largest else 0.0, "W")) for b, p in powers.items())
    return Table("Average power taken", ("element", "power>"), rows)


def circuit_columns(recording: Recording, names: list[str]) -> Columns:
    """Return a row for each signal: average, rms, extremes."""
    signals = [f"{b}.{q}" for b in names for q in ("v", "i")]
    measures = [recording.measures(s) for s in signals]
    out: Columns = {"signal": signals, "unit": ["V" if s.endswith(".v") else "A" for s in signals]}
    for key, heading in (
        ("average", "average"),
        ("rms", "rms"),
        ("minimum", "minimum"),
        ("maximum", "maximum"),
        ("peak_to_peak", "peak to peak"),
    ):
        out[heading] = [getattr(m, key) for m in measures]
    return out
