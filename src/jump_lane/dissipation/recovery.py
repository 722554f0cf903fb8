"""Reverse recovery: charge that a diode gives back when it is forced to block."""

from __future__ import annotations

import math
from collections.abc import Iterator

from jump_lane.catalogue.kinds import Diode, Gan, Igbt, Mosfet
from jump_lane.dissipation.commutation import Commutation, stops, turned_on
from jump_lane.dissipation.ledger import Entry, Gap, Loss
from jump_lane.dissipation.stage import Stage
from jump_lane.quantities import show

RECOVERY = "recovery of diodes"


def recovery(stage: Stage, events: list[Commutation], temperatures: dict[str, float]) -> Iterator[Entry]:
    """Yield the recovery losses, in the switch that forces the diode to block (else in the diode itself).

    Notes
    -----
    E = V·(Q_rr + I·t_rr), V being the simulated voltage that the diode then blocks; the second term, where t_rr is known,
    is the load current that flows at full voltage meanwhile.  Q_rr is taken from the test point with
    (I/I_test)^a, a = 1 where nothing is said (charge control, Q = τ·I), and over temperature where a curve is given.
    Where the current falls in a time t_f, because leakage or an idling inductor lets it, charge recombines meanwhile:
    dQ/dt = i − Q/τ leaves the part (τ/t_f)·(1 − exp(−t_f/τ)).  A turn-on energy of a bipolar switch contains the
    recovery already.  A Schottky, silicon-carbide or gallium-nitride device has none: its figure is 0, and its
    capacitive charge counts.

    References
    ----------
    N. Mohan, T. M. Undeland and W. P. Robbins 2003, chapter 20 (reverse recovery); B. J. Baliga 2008, chapter 5
    (charge control).
    """
    unknown: dict[str, float] = {}
    for stop in stops(stage):
        part = stop.component.part
        switch = turned_on(events, stop.begun)
        if isinstance(part, Gan) or (switch is not None and isinstance(switch.part, Igbt)):
            continue
        if isinstance(part, Diode) and part.recovery_charge is None and part.capacitive_charge is not None:
            continue
        if not isinstance(part, Diode | Mosfet | Igbt) or part.recovery_charge is None:
            name = stop.component.name
            unknown[name] = unknown.get(name, 0.0) + 1e-8 * stop.voltage * stage.frequency
            continue
        if part.recovery_current is None:
            effect = "the recovery charge is taken as it is, whatever the current"
            yield Gap(stop.component.name, "recovery_current", effect)
        temperature = temperatures.get(stop.component.name, stage.spec.thermal.unknown)
        charge = recovered(part, stop.current, stop.fall, temperature)
        if part.recovery_time is not None:
            charge += stop.current * part.recovery_time * left(part, stop.fall)
        name = switch.name if switch is not None else stop.component.name
        yield Loss(name, RECOVERY, stop.voltage * charge * stage.frequency, heats=name)
    for name, cost in unknown.items():
        text = f"every 10 nC cost {show(cost, 'W')}"
        yield Gap(name, "recovery_charge", "reverse recovery is left out", text)
    yield from _hidden(stage)


def recovered(part: Diode | Mosfet | Igbt, current: float, fall: float, temperature: float) -> float:
    """Return the charge that a diode gives back [C] after it carried a current [A] that fell for so long [s]."""
    assert part.recovery_charge is not None
    share = 1.0
    if part.recovery_current:
        share = (current / part.recovery_current) ** part.recovery_exponent
    if part.recovery_curve is not None:
        share *= max(part.recovery_curve.extended(temperature), 0.0)
    return part.recovery_charge * share * left(part, fall)


def left(part: Diode | Mosfet | Igbt, fall: float) -> float:
    """Return the part of the stored charge that is left after the current fell for so long [s]."""
    lifetime = part.recovery_time or 0.0
    if part.recovery_current and part.recovery_charge:
        lifetime = part.recovery_charge / part.recovery_current
    if fall <= 0.0:
        return 1.0
    if lifetime <= 0.0:
        return 0.0
    return lifetime / fall * (1.0 - math.exp(-fall / lifetime))


def _hidden(stage: Stage) -> Iterator[Gap]:
    """Yield a gap for synchronous rectifiers without dead time, whose body diodes never conduct."""
    if stage.design.synchronous and stage.spec.switching.dead_time == 0.0:
        yield Gap(
            "switching",
            "dead_time",
            "body diodes never conduct, so that neither their conduction nor their recovery is there",
        )
