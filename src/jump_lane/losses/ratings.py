"""Whether every part stays within its ratings, margins included, at a simulated operating point."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from jump_lane.catalogue.kinds import Capacitor, Diode, Igbt, Inductor, Mosfet, Transformer
from jump_lane.losses.core import coil_of, flux_linkage
from jump_lane.losses.ledger import Gap
from jump_lane.losses.stage import Component, Stage, current_of
from jump_lane.quantities import show


@dataclass(frozen=True)
class Rating:
    """One rating of one component.

    Attributes
    ----------
    what
        Which rating, in words.
    load, margin, limit
        What it bears, the margin to be kept (part of the load; kelvins for a temperature), and what it is rated for.
    """

    component: str
    what: str
    load: float
    margin: float
    limit: float
    unit: str

    @property
    def needed(self) -> float:
        """The rating that would do."""
        return self.load + self.margin if self.unit == "°C" else self.load * (1.0 + self.margin)

    @property
    def holds(self) -> bool:
        """Whether the part is rated for it."""
        return self.needed <= self.limit * (1.0 + 1e-9)

    def text(self) -> str:
        """Return what is broken, and by how much."""
        reserve = f"{self.margin:g} K" if self.unit == "°C" else f"{100.0 * self.margin:g} %"
        return (
            f"{self.component}: {self.what} of {show(self.load, self.unit)} with a margin of {reserve} needs "
            f"{show(self.needed, self.unit)}, it is rated for {show(self.limit, self.unit)}"
        )


def ratings(stage: Stage, temperatures: dict[str, float]) -> Iterator[Rating | Gap]:
    """Yield every rating of every part, or a gap where it is not known."""
    for component in stage.components:
        part = component.part
        if component.kind == "auxiliary" or part is None:
            continue
        for what, load, margin, limit, unit in _loads(stage, component):
            if limit is not None:
                yield Rating(component.name, what, load, margin, limit, unit)
            else:
                yield Gap(component.name, f"rating of {what}", "it is not checked")
        temperature = temperatures.get(component.name)
        if part.max_temperature is not None and temperature is not None:
            reserve = stage.spec.thermal.reserve
            yield Rating(component.name, "temperature", temperature, reserve, part.max_temperature, "°C")


Load = tuple[str, float, float, float | None, str]


def _loads(stage: Stage, component: Component) -> Iterator[Load]:
    part, margin = component.part, stage.spec.margin
    if isinstance(part, Mosfet | Igbt | Diode):
        current = stage.measures(f"{component.name}.i")
        effective = current.average if isinstance(part, Diode) else current.rms
        yield "voltage", _blocked(stage, component), margin.voltage, part.voltage, "V"
        yield "current", effective, margin.current, part.current, "A"
        if part.peak_current is not None:
            yield "peak current", current.peak, margin.current, part.peak_current, "A"
    elif isinstance(part, Capacitor):
        current = stage.measures(current_of(component))
        voltage = stage.measures("source.v" if not component.elements else f"{component.name}.v")
        yield "voltage", voltage.peak, margin.voltage, part.voltage, "V"
        limit = None if part.rms_current is None else part.rms_current * component.pieces
        yield "ripple current", current.ac_rms, 0.0, limit, "A"
    elif isinstance(part, Inductor):
        current = stage.measures(f"{component.name}.i")
        yield "saturation current", current.peak, margin.current, part.saturation_current, "A"
        yield "rms current", current.rms, 0.0, part.rms_current, "A"
    if isinstance(part, Inductor | Transformer) and part.max_flux_density is not None:
        coil = coil_of(component)
        if coil is not None and part.turns and part.core_area:
            peak = stage.measures(f"{coil.name}.i").peak
            flux = float(flux_linkage(coil, np.array(peak))) / (
                component.pieces * part.turns * part.core_area
            )
            yield "flux density", flux, 0.0, part.max_flux_density, "T"


def _blocked(stage: Stage, component: Component) -> float:
    """Return what a device blocks [V], with the allowance for spikes where the page derives one."""
    blocked = stage.recording.blocking(component.name)
    sheet = stage.design.sheet
    rated, own = f"V_{component.role}r", f"V_{component.role}"
    if rated in sheet and own in sheet and sheet[own].worst > 0.0:
        margin = 1.0 + stage.spec.margin.voltage
        return blocked * max(sheet[rated].worst / sheet[own].worst / margin, 1.0)
    return blocked
