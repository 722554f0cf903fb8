"""What happens to every switch and diode at the edges of the period: the instants that switching losses depend on."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Literal

from jump_lane.design.components import Component
from jump_lane.dissipation.stage import SILENT, Stage
from jump_lane.switching.record import Edge

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
    rise: float = 0.0
    """How long an inductance in the path holds the current back at turn-on [s]."""


@dataclass(frozen=True)
class Stop:
    """A diode that stops conducting and blocks.

    Attributes
    ----------
    edge, begun
        When it stops, and when its current began its last fall: the same edge if it is cut off at once.
    current, fall
        The current that it carried until then [A], and how long that falls [s].
    voltage
        What it blocks just after [V].
    """

    component: Component
    edge: Edge
    begun: Edge
    current: float
    fall: float
    voltage: float


def commutations(stage: Stage) -> list[Commutation]:
    """Return every turn-on and turn-off of every switch in the period.

    A rectifier that turns on at the very edge at which a switch commutates has its voltage taken away by that.
    """
    valves = [c for c in stage.of("switch", "rectifier") if f"{c.name}.gate" in stage.recording.names]
    found = [one for c in valves for edge in stage.recording.edges for one in _commutation(stage, c, edge)]
    found = [_held_back(stage, e) for e in found]
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


BRIEF = 0.02
"""A current is looked for no longer than this part of the period after a turn-on that an inductance holds back."""


def _held_back(stage: Stage, event: Commutation) -> Commutation:
    """Return a turn-on with the current that it takes over once leakage has let it: up to the stop of another diode."""
    if event.action != "on" or event.hard or not event.charged or stage.discharge(event.component) > 0.0:
        return event
    edges, period = stage.recording.edges, stage.recording.period
    at = edges.index(event.edge)
    for ahead in range(1, len(edges)):
        later = edges[(at + ahead) % len(edges)]
        rise = (later.time - event.edge.time) % period
        if rise > BRIEF * period:
            break
        current = stage.at(later, f"{event.component.name}.i")[0]
        stopped = any(
            stage.at(later, f"{c.name}.i")[0]
            <= SILENT * abs(current)
            < abs(stage.at(event.edge, f"{c.name}.i")[0])
            for c in stage.of("rectifier", "switch", "auxiliary")
            if c is not event.component and f"{c.name}.i" in stage.recording.names
        )
        if stopped and abs(current) > SILENT * stage.measures(f"{event.component.name}.i").peak:
            return replace(event, current=abs(current), hard=True, rise=rise)
    return event


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
    """Return every time that a diode, or the body diode of a switch, stops conducting and then blocks.

    Where an inductance lets its current fall, the stop begins with that fall.
    """
    found = []
    for component in stage.of("switch", "rectifier"):
        name = component.name
        signal = f"{name}.body.i" if f"{name}.body.i" in stage.recording.names else f"{name}.i"
        if signal == f"{name}.i" and f"{name}.gate" in stage.recording.names:
            continue
        peak = stage.measures(signal).peak
        least = max(SILENT * peak, 1e-12)
        edges = stage.recording.edges
        for k, edge in enumerate(edges):
            earlier = edges[k - 1]
            before, after = stage.at(edge, signal)
            carried = stage.at(earlier, signal)[1]
            voltage = abs(stage.at(edge, f"{name}.v")[1])
            own = stage.at(edge, f"{name}.gate")
            conducted = before > least or (carried > least and before <= least)
            stopped = conducted and abs(after) <= SILENT * peak and own[1] <= own[0]
            if not stopped or voltage <= SOFT * stage.recording.blocking(name):
                continue
            if before > least:
                found.append(Stop(component, edge, edge, before, 0.0, voltage))
            else:
                fall = (edge.time - earlier.time) % stage.recording.period
                found.append(Stop(component, edge, earlier, carried, fall, voltage))
    return found


def turned_on(events: list[Commutation], edge: Edge) -> Component | None:
    """Return the switch that turns on against a voltage at an edge, or at least turns on; None if none does."""
    here = [c for c in events if c.edge is edge and c.action == "on"]
    return next((c.component for c in sorted(here, key=lambda c: not c.charged)), None)
