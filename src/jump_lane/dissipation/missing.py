"""Figures that conduction losses need: which are missing, and what that costs in accuracy."""

from __future__ import annotations

from collections.abc import Iterator

from jump_lane.catalogue.kinds import Diode, Igbt, Mosfet
from jump_lane.design.components import Component
from jump_lane.dissipation.ledger import Gap
from jump_lane.dissipation.stage import Stage
from jump_lane.quantities import show


def missing(stage: Stage) -> Iterator[Gap]:
    """Yield a gap for every switch and diode without resistance, forward voltage or temperature curve."""
    for component in stage.of("switch", "rectifier"):
        yield from _device(stage, component)
    for component in stage.of("auxiliary"):
        element = component.elements[0]
        if getattr(element, "v_f", None) == 0.0:
            yield Gap(component.name, "forward voltage", "it is an ideal diode")


def _device(stage: Stage, component: Component) -> Iterator[Gap]:
    part, name = component.part, component.name
    current = stage.measures(f"{name}.i")
    per_milliohm = f"every 1 mΩ costs {show(1e-3 * current.rms**2, 'W')}"
    if getattr(part, "resistance", None) is None:
        yield Gap(name, "resistance", "it has none when conducting", per_milliohm)
    if isinstance(part, Mosfet | Igbt) and part.resistance and part.resistance_curve is None:
        cost = f"every 10 % it rises cost {show(0.1 * part.resistance * current.rms**2, 'W')}"
        yield Gap(name, "resistance_curve", "its resistance is taken as that at 25 °C", cost)
    per_tenth = f"every 0.1 V costs {show(0.1 * abs(current.average), 'W')}"
    if isinstance(part, Igbt) and part.on_voltage is None:
        yield Gap(name, "on_voltage", "it conducts without a threshold voltage", per_tenth)
    no_diode = part is None and component.kind == "rectifier" and not stage.design.synchronous
    if no_diode or (isinstance(part, Diode) and part.forward_voltage is None):
        yield Gap(name, "forward_voltage", "it conducts without a threshold voltage", per_tenth)
    if isinstance(part, Mosfet | Igbt) and stage.design.synchronous and part.body_voltage is None:
        dead = (
            stage.recording.measures(f"{name}.body.i") if f"{name}.body.i" in stage.recording.names else None
        )
        if dead is not None and dead.peak > 0.0:
            volts = f"every 0.1 V costs {show(0.1 * dead.average, 'W')}"
            yield Gap(name, "body_voltage", "that of silicon, 0.8 V, is taken", volts)
