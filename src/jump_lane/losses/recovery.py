"""Reverse recovery: charge that a diode gives back when it is forced to block."""

from __future__ import annotations

from collections.abc import Iterator

from jump_lane.catalogue.kinds import Diode, Gan, Igbt, Mosfet
from jump_lane.losses.commutation import Commutation, stops, turned_on
from jump_lane.losses.ledger import Entry, Gap, Loss
from jump_lane.losses.stage import Stage
from jump_lane.quantities import show

RECOVERY = "recovery of diodes"


def recovery(stage: Stage, events: list[Commutation]) -> Iterator[Entry]:
    """Yield the recovery losses, in the switch that forces the diode to block (else in the diode itself).

    Notes
    -----
    E = V·Q_rr, V being the simulated voltage that the diode then blocks.  Q_rr is taken in proportion to the
    simulated current before, from the test point (charge control, Q = τ·I); that the slope of the current raises
    it is not included.  A turn-on energy of a bipolar switch contains it already.  A Schottky, silicon-carbide or
    gallium-nitride device has none: its figure is 0, and its capacitive charge counts.

    References
    ----------
    N. Mohan, T. M. Undeland and W. P. Robbins 2003, chapter 20 (reverse recovery).
    """
    unknown: dict[str, float] = {}
    for stop in stops(stage):
        part = stop.component.part
        switch = turned_on(events, stop.edge)
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
        share = stop.current / part.recovery_current if part.recovery_current else 1.0
        name = switch.name if switch is not None else stop.component.name
        power = stop.voltage * part.recovery_charge * share * stage.frequency
        yield Loss(name, RECOVERY, power, heats=name)
    for name, cost in unknown.items():
        text = f"every 10 nC cost {show(cost, 'W')}"
        yield Gap(name, "recovery_charge", "reverse recovery is left out", text)
    yield from _hidden(stage)


def _hidden(stage: Stage) -> Iterator[Gap]:
    """Yield a gap for synchronous rectifiers without dead time, whose body diodes never conduct."""
    if stage.design.synchronous and stage.spec.switching.dead_time == 0.0:
        yield Gap(
            "switching",
            "dead_time",
            "body diodes never conduct, so that neither their conduction nor their recovery is there",
        )
