"""Resistance of all windings together over frequency: what their currents, with their phases, cost in each other's field.

P = ½·Iᴴ·R(f)·I with peak phasors, R(f) = Σ over layers of MLT·(o·e·eᵀ + f·m·mᵀ), e and m being ΔH and H_m of a layer per ampere
in each winding.  Formulas for one current alone are 17 to 73 % wrong where windings carry currents at different times.

References
----------
J. H. Spreen, "Electrical terminal representation of conductor loss in transformers", IEEE Trans. Power Electronics 5 (1990) 424-429.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from jump_lane.magnetics.design import Winding, Wound
from jump_lane.magnetics.eddy import of_litz, of_round, strip
from jump_lane.magnetics.layers import Layer
from jump_lane.magnetics.window import Block, Window
from jump_lane.quantities.copper import STILL, resistivity

Array = NDArray[np.float64]

ACROSS = 24
"""Points along a layer where the field of gaps is taken."""


def layer_terms(layer: Layer, winding: Winding, frequency: Array, rho: float) -> tuple[Array, Array]:
    """Return o and f [Ω·m] of a layer over frequency, (f,) each (see `eddy`)."""
    wire, count = winding.wire, layer.turns * winding.parallel
    if wire.flat:
        assert wire.thickness is not None
        gaps = 0.0 if wire.clearance is None else (layer.turns - 1) * wire.clearance
        porosity = max(1.0 - gaps / layer.breadth, 0.05)
        return strip(layer.breadth, wire.thickness, porosity, frequency, rho)
    assert wire.diameter is not None
    if wire.form == "litz":
        return of_litz(layer.breadth, count, wire.strands, wire.diameter, frequency, rho)
    return of_round(layer.breadth, count, wire.diameter, frequency, rho)


def plain_fields(layers: tuple[Layer, ...], windings: int, share: float) -> tuple[Array, Array]:
    """Return ΔH and H_m of every layer per ampere in each winding [1/m], (l, w) each, in one dimension.

    Parameters
    ----------
    share
        Of the magnetomotive force of the gaps that is in the wound leg: 1 for a ground one, ½ for a spacer.
    """
    turns = np.zeros((len(layers), windings))
    for k, layer in enumerate(layers):
        turns[k, layer.winding] = layer.turns
    breadth = np.array([layer.breadth for layer in layers])[:, None]
    middle = np.cumsum(turns, axis=0) - 0.5 * turns - share * turns.sum(0)
    return turns / breadth, middle / breadth


@dataclass(frozen=True)
class Fields:
    """Squares of the fields of every layer per ampere in each winding [1/m²], (l, w, w): of ΔH, and the mean of that in its middle.

    Neither frequency nor temperature moves them.
    """

    across: Array
    middle: Array


def fields_of(wound: Wound, layers: tuple[Layer, ...], exact: bool = True) -> Fields:
    """Return the fields of a component.

    Parameters
    ----------
    exact
        Whether they are taken in two dimensions: wires near a gap see more.  Windings side by side have none in one; a ring, which
        has no gap, none in two.
    """
    share = 0.5 if wound.gap.place == "spacer" else 1.0
    across, middle = plain_fields(layers, len(wound.windings), share)
    plane = (exact or wound.chambers > 1) and not wound.core.ring
    return Fields(_squares(across), field_squares(wound, layers) if plane else _squares(middle))


def _squares(field: Array) -> Array:
    return np.asarray(field[:, :, None] * field[:, None, :])


def resistance_matrix(
    wound: Wound, layers: tuple[Layer, ...], fields: Fields, frequency: Array, temperature: float
) -> Array:
    """Return R(f) [Ω], (f, w, w), at a temperature of the copper [°C]."""
    n, rho = len(wound.windings), float(resistivity(temperature))
    out = np.zeros((len(frequency), n, n))
    for layer, across, middle in zip(layers, fields.across, fields.middle, strict=True):
        own, field = layer_terms(layer, wound.windings[layer.winding], np.maximum(frequency, STILL), rho)
        out += layer.mean_turn * (own[:, None, None] * across + field[:, None, None] * middle)
    return out


def still_resistances(wound: Wound, layers: tuple[Layer, ...], temperature: float) -> Array:
    """Return the resistance of each winding to direct current [Ω], (w,)."""
    fields = fields_of(wound, layers, exact=False)
    return np.diagonal(resistance_matrix(wound, layers, fields, np.zeros(1), temperature)[0]).copy()


def window_of(wound: Wound, layers: tuple[Layer, ...], terms: int = 40) -> Window:
    """Return the window with every layer in it, and the gaps of the wound leg; a ring is unrolled, and closed in itself."""
    height = wound.core.window_height
    blocks = []
    for a in layers:
        low, high = (0.0, height) if wound.core.ring else (a.y, a.y + a.breadth)
        inner, outer = max(a.x - 0.5 * a.thickness, 1e-6), a.x + 0.5 * a.thickness
        blocks.append(Block(a.winding, inner, outer, low, high, a.turns))
    return Window(
        wound.core.window_width, wound.core.window_height, blocks, len(wound.windings), gaps_of(wound), terms
    )


def gaps_of(wound: Wound) -> list[tuple[float, float]]:
    """Return from where to where each gap in the wound leg lies, evenly along the window [m]."""
    gap, height = wound.gap, wound.core.window_height
    if gap.length <= 0.0:
        return []
    number = 1 if gap.place == "spacer" else gap.number
    each = gap.length / number
    middles = [height * (k + 0.5) / number for k in range(number)]
    return [(m - 0.5 * each, m + 0.5 * each) for m in middles]


def field_squares(wound: Wound, layers: tuple[Layer, ...]) -> Array:
    """Return the mean of H·Hᵀ over every layer per ampere in each winding [1/m²], (l, w, w), from the field of the window.

    With a spacer half of the magnetomotive force is in the wound leg, and the other half spreads along the far wall; the far one is
    taken as even.
    """
    window = window_of(wound, layers)
    height = wound.core.window_height
    out = []
    for layer in layers:
        y = layer.y + layer.breadth * (np.arange(ACROSS) + 0.5) / ACROSS
        h_x, h_y = window.field(np.full(ACROSS, layer.x), y)
        if wound.gap.place == "spacer":
            total = np.bincount([a.winding for a in layers], [a.turns for a in layers], len(wound.windings))
            h_y = h_y + 0.5 * (total / height)[:, None]
        out.append((h_x @ h_x.T + h_y @ h_y.T) / ACROSS)
    return np.array(out)
