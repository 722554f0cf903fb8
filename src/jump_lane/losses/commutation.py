"""What happens to every switch and diode at the edges of the period: the instants that switching losses depend on."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Literal

from jump_lane.losses.stage import SILENT, Stage
from jump_lane.switching.record import Edge
from jump_lane.topologies.components import Component

SOFT = 0.02
"""A switch whose voltage is below this part of the largest it blocks turns on without voltage."""


@dataclass(frozen=True)
class Commutation:
    """One switch turning on or off.

    Attributes
    ----------
    voltage
        Magnitude it blocks just before turning on, or just after turning off [V].
    current
        Magnitude it carries just after turning on, or just before turning off [A].
    hard
        Whether voltage and current overlap: both are there, and their product is power taken.
    charged
        Whether it turns on against a voltage that nothing else takes away, so that its capacitance is discharged.
    swing
        Where a current takes the voltage away before it turns on: the edge at which that begins, and the charge
        that the current brings until then [C].
    """

    component: Component
    edge: Edge
    action: Literal["on", "off"]
    voltage: float
    current: float
    hard: bool
    charged: bool
    swing: tuple[Edge, float] | None = None


@dataclass(frozen=True)
class Stop:
    """A diode forced to stop conducting: what, when, the current just before [A], the voltage just after [V]."""

    component: Component
    edge: Edge
    current: float
    voltage: float


def commutations(stage: Stage) -> list[Commutation]:
    """Return every turn-on and turn-off of every switch in the period.

    A rectifier that turns on at the very edge at which a switch commutates has its voltage taken away by that.
    """
    valves = [c for c in stage.of("switch", "rectifier") if f"{c.name}.gate" in stage.recording.names]
    found = [one for c in valves for edge in stage.recording.edges for one in _commutation(stage, c, edge)]
    busy = {e.edge.time for e in found if e.component.kind == "switch"}
    return [
        replace(e, charged=False) if e.component.kind == "rectifier" and e.edge.time in busy else e
        for e in found
    ]


def _commutation(stage: Stage, component: Component, edge: Edge) -> Iterator[Commutation]:
    name = component.name
    was, is_on = stage.at(edge, f"{name}.gate")
    if was == is_on:
        return
    voltages, currents = stage.at(edge, f"{name}.v"), _currents(stage, component, edge)
    bodies = stage.at(edge, f"{name}.body.i")
    turns_on = is_on > was
    v, i = (voltages[0], currents[1]) if turns_on else (voltages[1], currents[0])
    body = bodies[0] if turns_on else bodies[1]
    blocked, carried = stage.recording.blocking(name), stage.measures(f"{name}.i").peak
    stands = abs(v) > SOFT * blocked and body <= SILENT * carried
    flows = abs(i) > SILENT * carried
    hard = stands and flows and v * i > 0.0
    taken_away = flows and v * i < 0.0 and stage.discharge(component) == 0.0
    charged = turns_on and stands and not taken_away
    swing = _swing(stage, name, edge) if turns_on and not stands and body > SILENT * carried else None
    yield Commutation(component, edge, "on" if turns_on else "off", abs(v), abs(i), hard, charged, swing)


def _currents(stage: Stage, component: Component, edge: Edge) -> tuple[float, float]:
    """Return the current of a switch before and after an edge, without the discharge of a capacitance beside it."""
    signal = f"{component.name}.i"
    before, after = stage.at(edge, signal)
    over = stage.discharge(component)
    return before, stage.recording.value_at(signal, edge.time + over) if over > 0.0 else after


def _swing(stage: Stage, name: str, edge: Edge) -> tuple[Edge, float] | None:
    """Return the edge at which the voltage of a switch went before it turned on, and the charge brought since."""
    edges = stage.recording.edges
    at = edges.index(edge)
    least = SOFT * stage.recording.blocking(name)
    for back in range(1, len(edges)):
        earlier = edges[at - back]
        before, after = stage.at(earlier, f"{name}.v")
        if abs(before) > least and abs(after) <= max(least, abs(stage.at(edge, f"{name}.v")[0]) * 1.5):
            length = (edge.time - earlier.time) % stage.recording.period
            start, end = stage.at(earlier, f"{name}.i")[1], stage.at(edge, f"{name}.i")[0]
            return earlier, abs(start + end) / 2.0 * length
    return None


def stops(stage: Stage) -> list[Stop]:
    """Return every time that a diode, or the body diode of a switch, is forced to stop conducting."""
    found = []
    for component in stage.of("switch", "rectifier"):
        name = component.name
        signal = f"{name}.body.i" if f"{name}.body.i" in stage.recording.names else f"{name}.i"
        if signal == f"{name}.i" and f"{name}.gate" in stage.recording.names:
            continue
        peak = stage.measures(signal).peak
        for edge in stage.recording.edges:
            before, after = stage.at(edge, signal)
            voltage = abs(stage.at(edge, f"{name}.v")[1])
            own = stage.at(edge, f"{name}.gate")
            stopped = before > max(SILENT * peak, 1e-12) and abs(after) <= SILENT * peak
            if stopped and own[1] <= own[0] and voltage > SOFT * stage.recording.blocking(name):
                found.append(Stop(component, edge, before, voltage))
    return found


def turned_on(events: list[Commutation], edge: Edge) -> Component | None:
    """Return the switch that turns on against a voltage at an edge, or at least turns on; None if none does."""
    here = [c for c in events if c.edge is edge and c.action == "on"]
    return next((c.component for c in sorted(here, key=lambda c: not c.charged)), None)
