"""Overlap of voltage and current while a gate takes a transistor through its plateau."""

from __future__ import annotations

from collections.abc import Iterator

from jump_lane.catalogue.kinds import Igbt, Mosfet, Part
from jump_lane.circuit.elements import Capacitor
from jump_lane.design.components import Component
from jump_lane.dissipation.commutation import Commutation
from jump_lane.dissipation.ledger import Entry, Gap, Loss
from jump_lane.dissipation.stage import Stage
from jump_lane.errors import InputError
from jump_lane.quantities import show
from jump_lane.spec.surroundings import Driver

TURN_ON, TURN_OFF, GATE = "turn-on overlap", "turn-off overlap", "gate drive"


def overlap(stage: Stage, events: list[Commutation]) -> Iterator[Entry]:
    """Yield the overlap losses of field-effect transistors.

    Notes
    -----
    E = ½·V·I·t, V and I being those of the simulated waveforms at that edge.  The time t is that in which the gate
    current moves the charge from threshold to plateau (while the current changes) and the gate-drain charge (while
    the voltage changes); see `transition`.  Where leakage holds the current back at turn-on for a time t_L, it takes the
    part t_L/t of the voltage, and E is as much smaller.  Where the circuit has capacitance C at the node, turn-off costs
    E = I²·t²/(24·C) (a current that falls straight while C is charged).  Without voltage or current nothing is lost.
    A stray inductance L of the loop takes ½·L·I² of that at turn-on, and gives it back at turn-off.

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
                here = [e for e in own if e.action == action]
                if here:
                    lost = stage.frequency * sum(_energy(stage, part, e) for e in here)
                    yield Loss(component.name, mechanism, lost, heats=component.name)


def _energy(stage: Stage, part: Mosfet, event: Commutation) -> float:
    """Return the overlap energy of one edge [J]."""
    time = transition(part, stage.spec.driver, event.action, event.current)
    if event.hard:
        whole = 0.5 * event.voltage * event.current * time
        kept = 0.5 * stage.spec.driver.loop_inductance * event.current**2
        held = whole * max(1.0 - event.rise / time, 0.0) if time > 0.0 else 0.0
        return max(held - kept, 0.0) if event.action == "on" else held + kept
    if event.action == "off" and stage.discharge(event.component) > 0.0:
        capacitance = _beside(stage, event.component)
        whole = 0.5 * stage.recording.blocking(event.component.name) * event.current * time
        return min((event.current * time) ** 2 / (24.0 * capacitance), whole)
    return 0.0


MOVES = 0.5
"""A terminal whose potential swings by more than this part of what the switch blocks is the one it lets go."""


def _beside(stage: Stage, component: Component) -> float:
    """Return the capacitance that the circuit has at the node that a switch lets go [F], its own included."""
    recording, switch = stage.recording, component.elements[0]
    least = MOVES * recording.blocking(component.name)
    loose = {
        node
        for node in (switch.a, switch.b)  # type: ignore[union-attr]
        if f"@{node}" in recording.names and recording.measures(f"@{node}").peak_to_peak > least
    }
    devices = {f"C_{c.name}" for c in stage.components}
    return sum(
        e.capacitance
        for e in recording.engine.circuit.elements
        if isinstance(e, Capacitor)
        and e.name in devices
        and (e.name == f"C_{component.name}" or loose & {e.a, e.b})
    )


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


def transition(part: Mosfet, driver: Driver, action: str, current: float = 0.0) -> float:
    """Return how long voltage and current overlap at turn-on or turn-off [s].

    Notes
    -----
    t = (Q_gs2 + Q_gd)/I_g + L_s·I/V_g with Q_gs2 = Q_gs·(1 − V_th/V_pl), and I_g = V_g/R: V_g = V_dr − V_pl and
    R = R_dr + R_g at turn-on, V_g = V_pl − V_off and R = R_off + R_g at turn-off.  The inductance L_s that the source
    current shares with the gate drive takes L_s·I/t_i of V_g while the current changes, t_i = (R·Q_gs2 + L_s·I)/V_g.

    Raises
    ------
    InputError
        If the driver does not reach the plateau.
    """
    plateau, inner = plateau_of(part, current), part.gate_resistance or 0.0
    share = 1.0 - (part.threshold_voltage or 0.0) / plateau if plateau > 0.0 else 1.0
    charge = (part.gate_source_charge or 0.0) * max(share, 0.0) + (part.gate_drain_charge or 0.0)
    if not reaches(part, driver) or driver.voltage <= plateau:
        raise InputError(
            f"driver.voltage: {show(driver.voltage, 'V')} does not exceed the gate plateau of {part.name}, "
            f"{show(plateau, 'V')}"
        )
    linked = (part.source_inductance or 0.0) * current
    if action == "on":
        return (charge * (driver.on_resistance + inner) + linked) / (driver.voltage - plateau)
    return (charge * (driver.off_resistance + inner) + linked) / (plateau - driver.off_voltage)


def plateau_of(part: Mosfet, current: float) -> float:
    """Return the gate plateau at a current [V]: threshold + I/g where both are known, else the figure as it is."""
    if part.transconductance and part.threshold_voltage is not None and current > 0.0:
        return part.threshold_voltage + current / part.transconductance
    return part.plateau_voltage or 0.0


def reaches(part: Mosfet, driver: Driver) -> bool:
    """Tell whether a driver takes a gate beyond its plateau, as far as that is known."""
    return part.plateau_voltage is None or driver.voltage > part.plateau_voltage


def gate_drive(stage: Stage, events: list[Commutation]) -> Iterator[Entry]:
    """Yield what charging the gates takes: Q_g·(V_on − V_off) each time (Mohan et al. 2003, chapter 28).

    Where the gate voltage of the figure is known, the charge is taken in proportion to it.
    """
    swing = stage.spec.driver.swing
    for component in stage.of("switch", "rectifier"):
        times = sum(e.component is component and e.action == "on" for e in events)
        part = component.part
        if times == 0:
            continue
        if isinstance(part, Mosfet | Igbt) and part.gate_charge is not None:
            charge = part.gate_charge
            if part.gate_charge_voltage:
                charge *= swing / part.gate_charge_voltage
            yield Loss(component.name, GATE, times * charge * swing * stage.frequency)
        else:
            cost = f"every 10 nC cost {show(times * 1e-8 * swing * stage.frequency, 'W')}"
            yield Gap(component.name, "gate_charge", "gate drive is left out", cost)
