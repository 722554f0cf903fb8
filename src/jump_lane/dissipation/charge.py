"""Capacitance of switches and diodes: discharged where a switch turns on against a voltage, charged through it."""

from __future__ import annotations

from collections.abc import Iterator

from jump_lane.catalogue.kinds import Diode, Igbt, Mosfet, Part
from jump_lane.design.components import Component
from jump_lane.dissipation.commutation import Commutation, stops, turned_on
from jump_lane.dissipation.ledger import Entry, Gap, Loss
from jump_lane.dissipation.stage import Stage
from jump_lane.quantities import show
from jump_lane.switching.record import Edge

DISCHARGE, CHARGING = "output capacitance", "charging of other devices"


def stored(part: Part | None, voltage: float) -> tuple[float, float] | None:
    """Return charge [C] and energy [J] of a part's capacitance at a voltage [V], or None if it is not known.

    Notes
    -----
    From a curve C(v): Q = ∫C dv and E = ∫v·C dv.  From an energy-related capacitance: E = ½·C·V², and Q = C·V with the
    charge-related one (the same where that is not given).
    From the capacitive charge Q_c of a diode at V_c, taking an abrupt junction, C ∝ 1/√v: Q = Q_c·√(V/V_c) and
    E = Q·V/3.

    References
    ----------
    S. M. Sze and K. K. Ng 2007, chapter 2 (depletion capacitance).
    """
    if isinstance(part, Mosfet):
        if part.output_capacitance_curve is not None:
            curve = part.output_capacitance_curve
            return curve.moment(voltage), curve.moment(voltage, 1)
        if part.output_capacitance is not None:
            charged = part.charge_capacitance or part.output_capacitance
            return charged * voltage, 0.5 * part.output_capacitance * voltage**2
    if isinstance(part, Diode) and part.capacitive_charge is not None and part.charge_voltage:
        charge = part.capacitive_charge * (voltage / part.charge_voltage) ** 0.5
        return charge, charge * voltage / 3.0
    return None


def output_charge(stage: Stage, events: list[Commutation]) -> Iterator[Entry]:
    """Yield what hard turn-on costs in capacitance: its own discharged, that of the others charged.

    Notes
    -----
    A switch that turns on at voltage V dissipates the energy E(V) it stores.  A device that blocks V afterwards is
    charged through it: of Q·V taken from the circuit, Q·V − E stay behind as heat.  A switch whose voltage is gone
    before it turns on loses nothing, provided that the current which takes it away brings enough charge in the time
    there is; else what remains of the voltage is lost (see `_remainder`).  Where the circuit has that capacitance
    as an element, its discharge is part of the simulated conduction loss.

    References
    ----------
    R. W. Erickson and D. Maksimović 2001, section 4.3.4 (switching loss from device capacitance).
    """
    unknown: dict[str, float] = {}
    for event in (e for e in events if stage.discharge(e.component) == 0.0):
        if event.swing is not None:
            yield from _remainder(stage, event)
        if not event.charged or isinstance(event.component.part, Igbt):  # its energies contain all charges
            continue
        name = event.component.name
        own = stored(event.component.part, event.voltage)
        if own is None:
            unknown[name] = unknown.get(name, 0.0) + 0.5e-10 * event.voltage**2 * stage.frequency
        else:
            yield Loss(name, DISCHARGE, own[1] * stage.frequency, heats=name)
        yield from _others(stage, event, unknown)
    yield from _stopped(stage, events, unknown)
    for name, cost in unknown.items():
        component = next(c for c in stage.components if c.name == name)
        diode = component.kind == "rectifier" and not stage.design.synchronous
        figure = "capacitive_charge" if diode else "output_capacitance"
        text = f"every 100 pF cost {show(cost, 'W')}"
        yield Gap(name, figure, "its charge and discharge are left out", text)


def _others(stage: Stage, event: Commutation, unknown: dict[str, float]) -> Iterator[Entry]:
    """Yield what charging other devices costs in the switch that turns on; note those whose charge is unknown."""
    for other in stage.of("switch", "rectifier"):
        if other is event.component:
            continue
        rise = _rise(stage, other, event.edge)
        if rise is None:
            continue
        before, after = stored(other.part, rise[0]), stored(other.part, rise[1])
        if before is None or after is None:
            lost = 0.5e-10 * (rise[1] - rise[0]) ** 2 * stage.frequency
            unknown[other.name] = unknown.get(other.name, 0.0) + lost
            continue
        lost = rise[1] * (after[0] - before[0]) - (after[1] - before[1])
        name = event.component.name
        yield Loss(name, CHARGING, lost * stage.frequency, heats=name)


def _stopped(stage: Stage, events: list[Commutation], unknown: dict[str, float]) -> Iterator[Entry]:
    """Yield what charging a diode costs that leakage lets stop a little later than the switch turns on."""
    for stop in stops(stage):
        if stop.edge is stop.begun:
            continue
        switch = turned_on(events, stop.begun)
        if switch is None or isinstance(switch.part, Igbt) or stage.discharge(switch) > 0.0:
            continue
        known = stored(stop.component.part, stop.voltage)
        name = stop.component.name
        if known is None:
            unknown[name] = unknown.get(name, 0.0) + 0.5e-10 * stop.voltage**2 * stage.frequency
            continue
        lost = stop.voltage * known[0] - known[1]
        yield Loss(switch.name, CHARGING, lost * stage.frequency, heats=switch.name)


def _remainder(stage: Stage, event: Commutation) -> Iterator[Entry]:
    """Yield what is lost where the current is too small to take the whole voltage away before turn-on.

    Notes
    -----
    Q = |I|·t is brought, Q_own(V) + Σ Q_other(V) is needed; of the voltage V·(1 − Q/Q_needed) is taken to be left.
    """
    assert event.swing is not None
    edge, brought = event.swing
    name = event.component.name
    voltage = abs(stage.at(edge, f"{name}.v")[0])
    own = stored(event.component.part, voltage)
    others = [
        o for o in stage.of("switch", "rectifier") if o is not event.component and _rise(stage, o, edge)
    ]
    parts = [(o.part, stored(o.part, voltage)) for o in others]
    if own is None or any(known is None for _, known in parts):
        effect = "the current is taken to remove the whole voltage before it turns on"
        yield Gap(name, "output_capacitance, its own or another's", effect)
        return
    needed = own[0] + sum(known[0] for _, known in parts if known is not None)
    left = voltage * (1.0 - brought / needed) if needed > 0.0 else 0.0
    if left <= 0.0:
        return
    remaining = stored(event.component.part, left)
    assert remaining is not None
    yield Loss(name, DISCHARGE, remaining[1] * stage.frequency, heats=name)
    for part, known in parts:
        before = stored(part, voltage - left)
        assert known is not None and before is not None
        lost = voltage * (known[0] - before[0]) - (known[1] - before[1])
        yield Loss(name, CHARGING, lost * stage.frequency, heats=name)


def _rise(stage: Stage, component: Component, edge: Edge) -> tuple[float, float] | None:
    """Return the blocked voltage before and after an edge at which a device comes to block more."""
    was, blocks = stage.at(edge, f"{component.name}.v")
    before, after = max(was if blocks > 0.0 else -was, 0.0), abs(blocks)
    gate = stage.at(edge, f"{component.name}.gate")[1]
    conducts = (
        abs(stage.at(edge, f"{component.name}.i")[1]) > 1e-9 * stage.measures(f"{component.name}.i").peak
    )
    if gate > 0.5 or conducts or after <= before + 0.01 * stage.recording.blocking(component.name):
        return None
    return before, after
