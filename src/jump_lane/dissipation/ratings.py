"""Whether every part stays within its ratings, margins included, at a simulated operating point."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from jump_lane.catalogue.kinds import Inductor, Transformer
from jump_lane.design.components import Component, current_of
from jump_lane.dissipation.core import coil_of, linkage
from jump_lane.dissipation.ledger import Gap
from jump_lane.dissipation.stage import Stage
from jump_lane.judge.rating import AVERAGE, BLOCKED, EFFECTIVE, GATED, PEAK, Rating, ratings_of
from jump_lane.judge.stress import settled_peak


def ratings(stage: Stage, temperatures: dict[str, float]) -> Iterator[Rating | Gap]:
    """Yield every rating of every part as simulated, or a gap where it is not known."""
    for component in stage.components:
        part = component.part
        if component.kind == "auxiliary" or part is None:
            continue
        name = component.name
        for rated in ratings_of(part, component.pieces, stage.spec.margin):
            if rated.limit is None:
                yield Gap(name, f"rating of {rated.what}", "it is not checked")
            else:
                load = _load(stage, component, rated.quantity)
                yield Rating(name, rated.what, load, rated.margin, rated.limit, rated.unit)
        yield from _flux_density(stage, component)
        if part.max_temperature is not None and name in temperatures:
            reserve = stage.spec.thermal.reserve
            yield Rating(name, "temperature", temperatures[name], reserve, part.max_temperature, "°C")


def _load(stage: Stage, component: Component, quantity: str) -> float:
    """Return what a component bears, spikes of leakage included.

    Where the circuit has a capacitance beside a switch, its discharge at turn-on, which only the channel limits, does
    not count as a current of the circuit: the peak is then taken before each edge, and once that is over.
    """
    if quantity == GATED:
        return stage.spec.driver.voltage
    if quantity == BLOCKED:
        if component.kind == "capacitor":
            return stage.measures(f"{component.name}.v" if component.elements else "source.v").peak
        return stage.recording.blocking(component.name) * stage.design.spike(component.role.replace("_", ""))
    current = stage.measures(current_of(component))
    if component.kind == "capacitor":
        return current.ac_rms
    over = stage.discharge(component)
    if quantity == PEAK and over > 0.0:
        return settled_peak(stage.recording, f"{component.name}.i", over)
    return {AVERAGE: current.average, EFFECTIVE: current.rms, PEAK: current.peak}[quantity]


def _flux_density(stage: Stage, component: Component) -> Iterator[Rating]:
    part, coil = component.part, coil_of(component)
    if not isinstance(part, Inductor | Transformer) or part.max_flux_density is None or coil is None:
        return
    if part.turns and part.core_area:
        flux = float(np.abs(linkage(stage, coil)[1]).max())
        flux /= component.pieces * part.turns * part.core_area
        yield Rating(component.name, "flux density", flux, 0.0, part.max_flux_density, "T")
