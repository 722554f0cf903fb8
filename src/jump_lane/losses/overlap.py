"""Overlap of voltage and current while a gate takes a transistor through its plateau."""

from __future__ import annotations

from collections.abc import Iterator

from jump_lane.catalogue.kinds import Igbt, Mosfet, Part
from jump_lane.errors import InputError
from jump_lane.losses.commutation import Commutation
from jump_lane.losses.ledger import Entry, Gap, Loss
from jump_lane.losses.stage import Stage
from jump_lane.quantities import show
from jump_lane.surroundings import Driver

TURN_ON, TURN_OFF, GATE = "turn-on overlap", "turn-off overlap", "gate drive"


def overlap(stage: Stage, events: list[Commutation]) -> Iterator[Entry]:
    """Yield the overlap losses of field-effect transistors.

    Notes
    -----
    E = ½·V·I·t, V and I being those of the simulated waveforms at that edge.  The time t is that in which the gate
    current moves the charge from threshold to plateau (while the current changes) and the gate-drain charge (while
    the voltage changes); see `transition`.  Without voltage or current at the edge nothing is lost.

    References
    ----------
    N. Mohan, T. M. Undeland and W. P. Robbins 2003, chapter 22 (switching of power field-effect transistors).
    """
    for component in stage.of("switch", "rectifier"):
        part = component.part
        own = [e for e in events if e.component is component]
        hard = [e for e in own if e.hard]
        if hard and not isinstance(part, Igbt):
            yield from _gaps(stage, component.name, part, hard)
        if (
            isinstance(part, Mosfet)
            and part.gate_drain_charge is not None
            and part.plateau_voltage is not None
        ):
            for action, mechanism in (("on", TURN_ON), ("off", TURN_OFF)):
                power = 0.5 * stage.frequency * sum(e.voltage * e.current for e in hard if e.action == action)
                if any(e.action == action for e in own):
                    lost = power * transition(part, stage.spec.driver, action)
                    yield Loss(component.name, mechanism, lost, heats=component.name)


def _gaps(stage: Stage, name: str, part: Part | None, hard: list[Commutation]) -> Iterator[Gap]:
    """Yield what is not known of the gate of a transistor that switches hard."""
    if not isinstance(part, Mosfet) or part.gate_drain_charge is None or part.plateau_voltage is None:
        yield _unknown(stage, name, hard)
    elif part.gate_source_charge is None:
        yield Gap(name, "gate_source_charge", "the current is taken to change at once")
    elif part.threshold_voltage is None:
        effect = "the whole gate-source charge is taken to move while the current changes: too much"
        yield Gap(name, "threshold_voltage", effect)


def _unknown(stage: Stage, name: str, hard: list[Commutation]) -> Gap:
    per_second = sum(0.5 * e.voltage * e.current for e in hard) * stage.frequency
    return Gap(
        name,
        "gate_drain_charge or plateau_voltage",
        "overlap at turn-on and turn-off is left out",
        f"every 10 ns of it at each of {len(hard)} edges cost {show(per_second * 1e-8, 'W')} together",
    )


def transition(part: Mosfet, driver: Driver, action: str) -> float:
    """Return how long voltage and current overlap at turn-on or turn-off [s].

    Notes
    -----
    t = (Q_gs2 + Q_gd)/I_g with Q_gs2 = Q_gs·(1 − V_th/V_pl), and I_g = (V_dr − V_pl)/(R_dr + R_g) at turn-on,
    (V_pl − V_off)/(R_off + R_g) at turn-off.

    Raises
    ------
    InputError
        If the driver does not reach the plateau.
    """
    plateau, inner = part.plateau_voltage or 0.0, part.gate_resistance or 0.0
    share = 1.0 - (part.threshold_voltage or 0.0) / plateau if plateau > 0.0 else 1.0
    charge = (part.gate_source_charge or 0.0) * max(share, 0.0) + (part.gate_drain_charge or 0.0)
    if not reaches(part, driver):
        raise InputError(
            f"driver.voltage: {show(driver.voltage, 'V')} does not exceed the gate plateau of {part.name}, "
            f"{show(plateau, 'V')}"
        )
    if action == "on":
        return charge * (driver.on_resistance + inner) / (driver.voltage - plateau)
    return charge * (driver.off_resistance + inner) / (plateau - driver.off_voltage)


def reaches(part: Mosfet, driver: Driver) -> bool:
    """Tell whether a driver takes a gate beyond its plateau, as far as that is known."""
    return part.plateau_voltage is None or driver.voltage > part.plateau_voltage


def gate_drive(stage: Stage, events: list[Commutation]) -> Iterator[Entry]:
    """Yield what charging the gates takes: Q_g·(V_on − V_off) each time (Mohan et al. 2003, chapter 28)."""
    swing = stage.spec.driver.swing
    for component in stage.of("switch", "rectifier"):
        times = sum(e.component is component and e.action == "on" for e in events)
        part = component.part
        if times == 0:
            continue
        if isinstance(part, Mosfet | Igbt) and part.gate_charge is not None:
            yield Loss(component.name, GATE, times * part.gate_charge * swing * stage.frequency)
        else:
            cost = f"every 10 nC cost {show(times * 1e-8 * swing * stage.frequency, 'W')}"
            yield Gap(component.name, "gate_charge", "gate drive is left out", cost)
