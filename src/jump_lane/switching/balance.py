"""Self-checks of a periodic steady state: energy, charge and volt-seconds have to close."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from jump_lane.circuit.circuit import Circuit
from jump_lane.circuit.elements import Capacitor, CoupledInductors, Inductor
from jump_lane.errors import BalanceError
from jump_lane.switching.network import Array
from jump_lane.switching.record import Recording

LIMIT = 1e-7
JUMP = 1e-6
"""A state that changes by more than this part of its largest value at an instant jumps."""

SMALL = 1e-3
"""A current or voltage below this part of the largest one is measured against that part."""


RETURNED = 2e-12
"""Part of the charge of a capacitance that may be missing after a period: how closely a state is found."""


@dataclass(frozen=True)
class Balance:
    """What does not close, relative to what flows.

    Attributes
    ----------
    energy
        Average power into inductances and capacitances over the power turned over.
    charge
        Largest average capacitor current, less what rounding explains, over its rms value (or a thousandth of the largest
        current).
    volt_seconds
        Largest average voltage of an inductance over its rms value (likewise).
    turnover
        Power that flows or swings to and fro [W]: what the branches take, or the largest product of rms voltage and current of
        what stores.
    impulses
        Whether states jump in the period (flux or charge forced together), which dissipates energy.
    """

    energy: float
    charge: float
    volt_seconds: float
    turnover: float
    impulses: bool


def _storage(circuit: Circuit) -> tuple[list[tuple[str, float]], list[tuple[str, float]]]:
    """Return (branch, series resistance) of all inductances and of all capacitances."""
    inductive = [(e.name, e.resistance) for e in circuit.elements if isinstance(e, Inductor)]
    inductive += [
        (w.name, w.resistance)
        for e in circuit.elements
        if isinstance(e, CoupledInductors)
        for w in e.windings
    ]
    capacitive = [(e.name, e.resistance) for e in circuit.elements if isinstance(e, Capacitor)]
    return inductive, capacitive


def balance(recording: Recording) -> Balance:
    """Measure how well a recording closes.

    Notes
    -----
    In a periodic state the average voltage of an inductance and the average current of a capacitance vanish,
    and so does the average power of both (R. W. Erickson and D. Maksimović 2001, section 2.2).
    """
    circuit = recording.engine.circuit
    inductive, capacitive = _storage(circuit)
    count, stored = len(recording.network.branches), inductive + capacitive
    resistances = np.array([r for _, r in stored])
    at = np.array([recording.index(f"{name}.v") for name, _ in stored], dtype=np.int64)
    averages, rms, powers = recording.averages, recording.rms, recording.branch_powers
    turnover = max(float(np.abs(powers).sum()), float((rms[at] * rms[at + count]).max(initial=0.0)))
    energy = abs(float((powers[at] - resistances * rms[at + count] ** 2).sum()))
    across = np.abs(averages[at] - resistances * averages[at + count])[: len(inductive)]
    flux = _open(recording, across, at[: len(inductive)], float(rms[:count].max()))
    held = at[len(inductive) :]
    charges = np.array([e.capacitance for e in circuit.elements if isinstance(e, Capacitor)]) * rms[held]
    into = np.maximum(np.abs(averages[held + count]) - RETURNED * charges / recording.period, 0.0)
    charge = _open(recording, into, held + count, float(rms[count : 2 * count].max()))
    return Balance(
        energy=energy / max(turnover, 1e-12),
        charge=charge,
        volt_seconds=flux,
        turnover=turnover,
        impulses=bool(recording.engine.statistics.jumps),
    )


def _open(recording: Recording, gaps: Array, signals: NDArray[np.int64], largest: float) -> float:
    """Return the largest average that ought to vanish, less what rounding explains, over the rms value of its signal."""
    left = np.maximum(gaps - recording.average_doubts(signals), 0.0)
    scale = np.maximum(recording.rms[signals], max(SMALL * largest, 1e-150))
    return float((left / scale).max(initial=0.0))


def open_balances(recording: Recording, found: Balance) -> Iterator[str]:
    """Yield why a recording cannot be trusted, in words: a diode that breaks its law, balances that do not close."""
    for trespass in recording.trespasses[:1]:
        yield f"{trespass}: a commutation was missed"
    for what, value in (
        ("energy", found.energy),
        ("charge", found.charge),
        ("volt-second", found.volt_seconds),
    ):
        if not (np.isfinite(value) and value <= LIMIT):
            yield f"the {what} balance does not close: {value:.1e} is left, {LIMIT:.0e} is allowed"


def jumps(recording: Recording) -> Iterator[str]:
    """Yield where the states jump, in words: what is forced to change without a path."""
    network, trace = recording.network, recording.trace
    if network.size == 0:
        return
    largest = np.zeros(network.size)
    for _, states in recording.grids:
        largest = np.maximum(largest, np.abs(network.to_si @ states[:, : network.size].T).max(axis=1))
    for k, tick in enumerate(trace.ticks):
        before = network.to_si @ recording.grids[k - 1][1][-1, : network.size]
        after = network.to_si @ recording.grids[k][1][0, : network.size]
        change = np.abs(after - before) / np.maximum(largest, 1e-150)
        at = int(np.argmax(change))
        if change[at] > JUMP:
            name = network.states[at]
            unit = "A" if at < network.size - _capacitors(recording) else "V"
            yield (
                f"{name} jumps from {before[at]:.4g} {unit} to {after[at]:.4g} {unit} at "
                f"{tick * recording.engine.tick:.4g} s: "
                + ("nothing takes its current" if unit == "A" else "another voltage is switched onto it")
            )


def _capacitors(recording: Recording) -> int:
    return sum(isinstance(e, Capacitor) for e in recording.engine.circuit.elements)


def require(recording: Recording) -> Balance:
    """Return the balance of a recording, or refuse the recording.

    Raises
    ------
    BalanceError
        If energy, charge or volt-seconds do not close to 1e-7, or a diode breaks its law anywhere.  Where states jump,
        impulses carry charge and flux that no average shows, and the check is left to the caller, who is told by
        ``impulses``.
    """
    found = balance(recording)
    if not found.impulses or recording.trespasses:
        for reason in open_balances(recording, found):
            raise BalanceError(reason)
    return found
