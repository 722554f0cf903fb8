"""Self-checks of a periodic steady state: energy, charge and volt-seconds have to close."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from jump_lane.circuit.circuit import Circuit
from jump_lane.circuit.elements import Capacitor, CoupledInductors, Inductor
from jump_lane.errors import BalanceError
from jump_lane.switching.record import Recording

LIMIT = 1e-7
JUMP = 1e-6
"""A state that changes by more than this part of its largest value at an instant jumps."""

SMALL = 1e-3
"""A current or voltage below this part of the largest one is measured against that part."""


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
    impulses
        Whether states jump in the period (flux or charge forced together), which dissipates energy.
    """

    energy: float
    charge: float
    volt_seconds: float
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
    inductive, capacitive = _storage(recording.engine.circuit)
    count = len(recording.network.branches)
    turnover = sum(abs(power) for power in recording.powers.values())
    largest_voltage = float(recording.rms[:count].max())
    largest_current = float(recording.rms[count : 2 * count].max())
    stored, charge, flux = 0.0, 0.0, 0.0
    for name, resistance in inductive + capacitive:
        current = recording.measures(f"{name}.i")
        voltage = recording.measures(f"{name}.v")
        stored += recording.power(name) - resistance * current.rms**2
        turnover = max(turnover, voltage.rms * current.rms)
        if (name, resistance) in capacitive:
            gap = max(abs(current.average) - recording.average_doubt(f"{name}.i"), 0.0)
            charge = max(charge, gap / max(current.rms, SMALL * largest_current, 1e-150))
        else:
            gap = abs(voltage.average - resistance * current.average) - recording.average_doubt(f"{name}.v")
            flux = max(flux, gap / max(voltage.rms, SMALL * largest_voltage, 1e-150))
    return Balance(
        energy=float(abs(stored) / max(turnover, 1e-12)),
        charge=float(charge),
        volt_seconds=float(flux),
        impulses=bool(recording.engine.statistics.jumps),
    )


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
