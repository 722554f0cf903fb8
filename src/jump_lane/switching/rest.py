"""What a state is compared with where it is small: what the sources of a circuit would bring into it."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from jump_lane.circuit.circuit import Circuit
from jump_lane.circuit.elements import Capacitor, CoupledInductors, CurrentSource, Inductor, VoltageSource

MANY = 100.0
"""How many times what its sources bring a circuit at rest is taken to hold: it may step up, or ring."""


def energy_at_rest(circuit: Circuit) -> float:
    """Return the energy that a state at rest is compared with [J].

    That is twice the energy of all capacitors at the largest source voltage and of all inductors at the largest source
    current, many times: a converter that steps up, or rings, has more than its sources bring.  Where they bring none, it is one
    joule.
    """
    currents = [abs(e.current) for e in circuit.elements if isinstance(e, CurrentSource)]
    capacitance = sum(e.capacitance for e in circuit.elements if isinstance(e, Capacitor))
    inductance = sum(e.inductance for e in circuit.elements if isinstance(e, Inductor))
    for pair in (e for e in circuit.elements if isinstance(e, CoupledInductors)):
        inductance += sum(row[k] for k, row in enumerate(pair.inductance))
    brought = capacitance * _largest_voltage(circuit) ** 2 + inductance * max(currents, default=0.0) ** 2
    return MANY * brought or 1.0


def states_at_rest(circuit: Circuit, states: Sequence[str]) -> NDArray[np.float64]:
    """Return how large each state is taken to be at rest, √J, (n,).

    A capacitor has its own part of that energy: a guard that reads a small one has to be known more closely than a large one
    beside it would allow.  An inductor may have all of it.
    """
    voltage, whole = _largest_voltage(circuit), energy_at_rest(circuit)
    held = {e.name: MANY * e.capacitance * voltage**2 for e in circuit.elements if isinstance(e, Capacitor)}
    return np.sqrt([held.get(name) or whole for name in states])


def _largest_voltage(circuit: Circuit) -> float:
    return max((abs(e.voltage) for e in circuit.elements if isinstance(e, VoltageSource)), default=0.0)
