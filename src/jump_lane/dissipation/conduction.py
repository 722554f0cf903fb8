"""Conduction losses: what the simulated circuit itself dissipates."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from jump_lane.circuit.elements import Capacitor, Diode, Inductor, Resistor, Switch
from jump_lane.design.components import Component
from jump_lane.design.named import figures
from jump_lane.dissipation.bundle import heated
from jump_lane.dissipation.ledger import Loss
from jump_lane.dissipation.stage import Stage

CHANNEL, BODY, FORWARD = "conduction", "body diode", "conduction"
WINDING, SERIES = "winding, direct current", "series resistance"
CLAMP = "clamp and damping"
FORCED = "leakage, forced to zero"
"""Energy of a leakage whose current has no path when a switch opens: that avalanches, and is heated by it."""

NOTHING = 1e-9
"""Part of the input power that is none."""

CUT = 1e-6
"""Part of a current by which it has to jump to be cut off; one that flows on is the same on both sides of an edge."""

RESISTIVE = ("resistance", "primary_resistance", "secondary_resistance")
THRESHOLD = ("forward_voltage", "on_voltage")
"""Figures that resistive losses, and those of a threshold voltage, go with."""


def conduction(stage: Stage) -> Iterator[Loss]:
    """Yield what every component dissipates in the simulated circuit.

    Notes
    -----
    Average of v·i over the period, exactly from the moments of the states; for a resistance that is R·I_rms²,
    for a diode V_F·I_avg + R·I_rms² (N. Mohan, T. M. Undeland and W. P. Robbins 2003, chapters 20 and 22).
    """
    for component in stage.components:
        for element in component.elements:
            yield from _of(stage, component, element)


def _of(stage: Stage, component: Component, element: object) -> Iterator[Loss]:
    name, recording = component.name, stage.recording
    if isinstance(element, Switch):
        body = recording.power(f"{element.name}.body") if element.body is not None else 0.0
        yield Loss(name, CHANNEL, recording.power(element.name) - body, True, name)
        if element.body is not None:
            yield Loss(name, BODY, body, True, name)
    elif isinstance(element, Diode):
        mechanism = FORWARD if component.role else CLAMP
        yield Loss(name, mechanism, recording.power(element.name), True, name)
    elif isinstance(element, Inductor):
        own = element.resistance * stage.measures(f"{element.name}.i").rms ** 2
        yield Loss(name, WINDING, own, True, heated(stage, component))
        forced = recording.power(element.name) - own
        if recording.engine.statistics.jumps and forced > NOTHING * abs(recording.power("source")):
            taking = _avalanching(stage, element)
            for switch in taking:
                yield Loss(switch, FORCED, forced / len(taking), True, switch)
            if not taking:
                yield Loss(name, FORCED, forced, True)
    elif isinstance(element, Capacitor):
        yield Loss(
            name, SERIES, element.resistance * stage.measures(f"{element.name}.i").rms ** 2, True, name
        )
    elif isinstance(element, Resistor):
        mechanism = WINDING if component.kind == "transformer" else CLAMP
        yield Loss(name, mechanism, recording.power(element.name), True, name)


def _avalanching(stage: Stage, leakage: Inductor) -> list[str]:
    """Return the switches that open as the current of a leakage is cut off: they take its energy."""
    found: dict[str, None] = {}
    for edge in stage.recording.edges:
        before, after = stage.at(edge, f"{leakage.name}.i")
        if abs(before - after) <= CUT * abs(before):
            continue
        for switch in stage.of("switch"):
            was_on, is_on = stage.at(edge, f"{switch.name}.gate")
            if is_on < was_on:
                found[switch.name] = None
    return list(found)


@dataclass(frozen=True)
class Heat:
    """How the conduction loss of a component depends on its temperature, its currents as simulated.

    Attributes
    ----------
    square, average
        Loss from resistance and from a threshold voltage [W] at the temperature of the simulation.
    fixed
        What does not depend on temperature: the discharge of a capacitance that the circuit has beside a switch.
    component, simulated_at, frequency
        What it is of, that temperature [°C], and the frequency at which its resistance is taken [Hz].
    """

    component: Component
    square: float
    average: float
    fixed: float
    simulated_at: float
    frequency: float

    @property
    def whole(self) -> float:
        """Return the conduction loss as simulated [W]."""
        return self.square + self.average + self.fixed

    def at(self, temperature: float) -> float:
        """Return the conduction loss at a temperature [W]."""
        now, then = self._figures(temperature), self._figures(self.simulated_at)
        resistive = next((now[k] / then[k] for k in RESISTIVE if then.get(k)), 1.0)
        threshold = next((now[k] / then[k] for k in THRESHOLD if then.get(k)), 1.0)
        return self.square * resistive + self.average * threshold + self.fixed

    def _figures(self, temperature: float) -> dict[str, float]:
        part = self.component.part
        return {} if part is None else figures(part, temperature, self.frequency, self.component.pieces)


def heat(stage: Stage, component: Component, simulated_at: float) -> Heat:
    """Return how the simulated loss of a component depends on temperature (body diodes and what avalanches apart)."""
    total = sum(
        loss.power
        for element in component.elements
        for loss in _of(stage, component, element)
        if loss.mechanism not in (BODY, FORCED)
    )
    threshold = 0.0
    for element in component.elements:
        if isinstance(element, Diode):
            threshold += element.v_f * stage.measures(f"{element.name}.i").average
        elif isinstance(element, Switch) and element.threshold > 0.0:
            threshold += element.threshold * max(stage.measures(f"{element.name}.on.i").average, 0.0)
    fixed = min(_discharged(stage, component), total - threshold)
    return Heat(component, total - threshold - fixed, threshold, fixed, simulated_at, stage.frequency)


def _discharged(stage: Stage, component: Component) -> float:
    """Return the power with which a switch discharges the capacitances at its node, where the circuit has them [W].

    It turns on against V, and both that beside it and that beside its counterpart change by V: C·V² each time.
    """
    name = component.name
    if f"C_{name}.i" not in stage.recording.names:
        return 0.0
    capacitance = stage.point[f"C_{component.role}"]
    energy = 0.0
    for edge in stage.recording.edges:
        was, is_on = stage.at(edge, f"{name}.gate")
        if is_on > was:
            energy += capacitance * stage.at(edge, f"{name}.v")[0] ** 2
    return energy * stage.frequency
