"""Switching energies of insulated-gate bipolar transistors, scaled from their test point."""

from __future__ import annotations

from collections.abc import Iterator

from jump_lane.catalogue.kinds import Igbt
from jump_lane.dissipation.commutation import Commutation
from jump_lane.dissipation.ledger import Entry, Gap, Loss
from jump_lane.dissipation.stage import Stage

TURN_ON, TURN_OFF = "turn-on energy", "turn-off energy"


def energies(stage: Stage, events: list[Commutation], temperatures: dict[str, float]) -> Iterator[Entry]:
    """Yield the switching losses of bipolar switches.

    Notes
    -----
    E = E_test·(I/I_test)^a·(V/V_test)^b at every edge where voltage and current overlap, V and I being those of
    the simulated waveforms; over temperature where a curve is given.  They contain the charge of the diode and of all
    capacitances.

    References
    ----------
    N. Mohan, T. M. Undeland and W. P. Robbins 2003, chapter 25; IEC 60747-9 (how the energies are measured).
    """
    for component in stage.of("switch"):
        part = component.part
        if not isinstance(part, Igbt):
            continue
        temperature = temperatures.get(component.name, stage.spec.thermal.unknown)
        share = 1.0 if part.energy_curve is None else max(part.energy_curve.extended(temperature), 0.0)
        for action, mechanism, energy, figure in (
            ("on", TURN_ON, part.turn_on_energy, "turn_on_energy"),
            ("off", TURN_OFF, part.turn_off_energy, "turn_off_energy"),
        ):
            edges = [e for e in events if e.component is component and e.action == action and e.hard]
            if energy is None or part.test_voltage is None or part.test_current is None:
                if edges:
                    text = f"{mechanism} is left out"
                    yield Gap(component.name, f"{figure}, test_voltage or test_current", text)
                continue
            total = share * sum(energy * scale(part, e.voltage, e.current) for e in edges)
            yield Loss(component.name, mechanism, total * stage.frequency, heats=component.name)


def scale(part: Igbt, voltage: float, current: float) -> float:
    """Return a switching energy over that at the test point, both of whose figures have to be known."""
    assert part.test_voltage is not None and part.test_current is not None
    in_current = (current / part.test_current) ** part.current_exponent
    return float(in_current * (voltage / part.test_voltage) ** part.voltage_exponent)
