"""A wound component computed from its own description alone: inductance, leakage, resistance, losses, temperature, mass, cost."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from jump_lane.catalogue.kinds import REFERENCE_TEMPERATURE
from jump_lane.magnetics.asked import Asked
from jump_lane.magnetics.burden import Burden
from jump_lane.magnetics.capacitance import between_windings, of_winding
from jump_lane.magnetics.copper import fields_of, resistance_matrix, window_of
from jump_lane.magnetics.core_loss import FluxLoss, biased, warmth
from jump_lane.magnetics.design import Wound
from jump_lane.magnetics.heat import hot_spot, rise_of
from jump_lane.magnetics.layers import Layer, copper_length, layers_of
from jump_lane.magnetics.magnetisation import FluxCurve, flux_curve, flux_density, saturation
from jump_lane.quantities.copper import DENSITY

Array = NDArray[np.float64]

ROUNDS, STEADY = 30, 0.01
"""Steps towards the temperature at which losses and heat agree, and how closely [K]."""

RUNAWAY = 400.0
"""A rise beyond that means that no temperature is found [K]."""


@dataclass(frozen=True)
class Proven:
    """What a wound component is and does.

    Attributes
    ----------
    build
        Of all layers [m]; `fill` over the window's width.
    inductance
        Of the magnetised path at no current, at 25 °C [H].
    leakage
        Seen at the first winding with each other one short-circuited [H], by its name.
    density
        Largest flux density in the smallest section [T]; `limit` is the saturation polarisation when hot.
    copper, core
        Losses at every corner [W], (c,).
    rise
        Of the surface at the worst corner [K]; `spot` more inside the winding.
    """

    wound: Wound
    layers: tuple[Layer, ...]
    build: float
    inductance: float
    leakage: Mapping[str, float]
    density: float
    limit: float
    copper: Array
    core: Array
    rise: float
    spot: float
    ambient: float
    curve: FluxCurve
    mass: float
    copper_mass: float
    cost: float | None
    capacitance: Mapping[str, float]

    @property
    def loss(self) -> float:
        """Loss at the worst corner [W]."""
        return float((self.copper + self.core).max())

    @property
    def worst(self) -> int:
        """The corner at which it loses most."""
        return int(np.argmax(self.copper + self.core))

    @property
    def temperature(self) -> float:
        """Of the hottest spot at the worst corner [°C]."""
        return self.ambient + self.rise + self.spot

    @property
    def fill(self) -> float:
        """Part of the window's width that is wound."""
        return self.build / self.wound.depth

    @property
    def volume(self) -> float:
        """Of the block around it [m³]."""
        return self.wound.core.block

    @property
    def footprint(self) -> float:
        """On the board [m²]."""
        return self.wound.core.footprint


def prove(asked: Asked, wound: Wound, exact: bool = True) -> Proven:
    """Compute a wound component under what is asked of it.

    Parameters
    ----------
    exact
        Whether the field of gaps and the leakage are taken in two dimensions.
    """
    layers, build = layers_of(wound)
    turns, ambient = asked.coil.turns_of(wound.turns[0]), asked.ambient
    rise, copper, core = _balanced(wound, layers, asked.burden, turns, ambient, exact)
    hot = flux_curve(wound.core, wound.material, wound.gap, turns, ambient + rise)
    cold = flux_curve(wound.core, wound.material, wound.gap, turns, REFERENCE_TEMPERATURE)
    copper_mass, cost = _copper(wound, layers)
    parts = [wound.core.cost, None if wound.bobbin is None else wound.bobbin.cost, cost]
    worst = int(np.argmax(copper + core))
    return Proven(
        wound, layers, build, cold.inductance, leakage_of(wound, layers) if exact else {}, asked.largest / (turns * wound.core.least_area),
        saturation(wound.material, ambient + rise), copper, core, rise, hot_spot(wound.core, float(copper[worst]), build), ambient, hot,
        wound.core.volume * wound.material.density + copper_mass, copper_mass,
        None if parts[0] is None or parts[2] is None else sum(p for p in parts if p is not None),
        _capacitances(wound, layers) if exact else {},
    )  # fmt: skip


def _balanced(
    wound: Wound, layers: tuple[Layer, ...], burden: Burden, turns: int, ambient: float, exact: bool
) -> tuple[float, Array, Array]:
    """Return the rise at which losses and heat agree, with the losses of winding and core at every corner there."""
    normal = np.array(
        [
            float(FluxLoss(wound.material, c.time, c.linkage).density(turns * wound.core.area))
            for c in burden.courses
        ]
    )
    normal = normal * wound.core.volume * np.array([_bias(wound, c.linkage, turns) for c in burden.courses])
    fields = fields_of(wound, layers, exact)
    rise, copper, core = 30.0, np.zeros(len(normal)), normal
    for _ in range(ROUNDS):
        copper = burden.copper(resistance_matrix(wound, layers, fields, burden.frequencies, ambient + rise))
        core = normal * warmth(wound.material, ambient + rise)
        following = rise_of(wound.core, float((copper + core).max()), ambient)
        if abs(following - rise) < STEADY:
            break
        rise = following
        if rise > RUNAWAY:
            return math.inf, copper, core
    return rise, copper, core


def _bias(wound: Wound, linkage: Array, turns: int) -> float:
    """Return the factor of the core loss for the direct flux beneath the ripple."""
    if wound.material.bias_loss is None:
        return 1.0
    field = np.linspace(0.0, 2e4, 400)
    middle = 0.5 * float(linkage.max() + linkage.min()) / (turns * wound.core.area)
    return biased(
        wound.material,
        float(np.interp(abs(middle), flux_density(wound.material, field, REFERENCE_TEMPERATURE), field)),
    )


def leakage_of(wound: Wound, layers: tuple[Layer, ...], terms: int = 40) -> dict[str, float]:
    """Return the leakage inductance of the first winding with each other one short-circuited [H], by the other one's name.

    Energy of the window's field times the length of a turn where that energy is, within 0.2 % of finite differences of a round core.
    """
    if len(wound.windings) < 2:
        return {}
    energy = window_of(wound, layers, terms).energy()
    others = enumerate(wound.windings[1:], start=1)
    return {other.name: leakage_between(wound, layers, energy, 0, k) for k, other in others}


def leakage_between(wound: Wound, layers: tuple[Layer, ...], energy: Array, one: int, other: int) -> float:
    """Return the leakage inductance of two windings, seen at the first of all [H], from the window's energy, (w, w) [H/m]."""
    first, turns = wound.windings[0].turns, (wound.windings[one].turns, wound.windings[other].turns)
    current = np.zeros(len(wound.windings))
    current[one], current[other] = first / turns[0], -first / turns[1]
    return float(current @ energy @ current) * _weighted_turn(layers, one, other, *turns)


def _weighted_turn(layers: tuple[Layer, ...], one: int, other: int, first: int, second: int) -> float:
    """Return the length of a turn, weighted by H² of two windings that carry opposite ampere-turns, in one dimension."""
    if len({layer.y for layer in layers}) > 1:  # side by side: the field is in all of both
        own = [layer for layer in layers if layer.winding in (one, other)]
        return sum(layer.mean_turn for layer in own) / len(own)
    weights, lengths, field = [], [], 0.0
    before: Layer | None = None
    for layer in layers:
        step = (
            layer.turns / first
            if layer.winding == one
            else -layer.turns / second
            if layer.winding == other
            else 0.0
        )
        if before is not None:
            room = (layer.x - 0.5 * layer.thickness) - (before.x + 0.5 * before.thickness)
            weights.append(max(room, 0.0) * field**2)
            lengths.append(0.5 * (layer.mean_turn + before.mean_turn))
        weights.append(layer.thickness * (field**2 + field * step + step**2 / 3.0))
        lengths.append(layer.mean_turn)
        field, before = field + step, layer
    total = sum(weights)
    return (
        sum(w * length for w, length in zip(weights, lengths, strict=True)) / total
        if total > 0.0
        else lengths[0]
    )


def _copper(wound: Wound, layers: tuple[Layer, ...]) -> tuple[float, float | None]:
    """Return the mass of all copper [kg] and what it costs, if every wire says so."""
    mass, cost = 0.0, 0.0
    known = True
    for k, winding in enumerate(wound.windings):
        own = copper_length(wound, layers, k) * winding.parallel * _section(wound, layers, k) * DENSITY
        mass += own
        known = known and winding.wire.cost_of_mass is not None
        cost += own * (winding.wire.cost_of_mass or 0.0)
    return mass, cost if known else None


def _section(wound: Wound, layers: tuple[Layer, ...], k: int) -> float:
    """Return the copper section of one wire of a winding [m²]."""
    wire = wound.windings[k].wire
    if wire.flat:
        assert wire.thickness is not None
        own = [layer for layer in layers if layer.winding == k]
        most = max(layer.turns for layer in own)
        room = own[0].breadth - (most - 1) * (wire.clearance or 0.0)
        return wire.thickness * room / most
    assert wire.diameter is not None
    return math.pi / 4.0 * wire.diameter**2 * wire.strands


def _capacitances(wound: Wound, layers: tuple[Layer, ...]) -> dict[str, float]:
    out = {w.name: of_winding(wound, layers, k) for k, w in enumerate(wound.windings)}
    if len(wound.windings) > 1:
        out["between"] = between_windings(wound, layers)
    return out
