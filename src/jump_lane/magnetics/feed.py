"""A wound component back in the chain: as the part that stands in the power stage, with its real inductance, leakage and turns."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from typing import Any

import numpy as np

from jump_lane.catalogue.kinds import REFERENCE_TEMPERATURE, SATURATED
from jump_lane.catalogue.matrix import MatrixOverFrequency
from jump_lane.circuit.elements import IdealTransformer
from jump_lane.magnetics.asked import Asked, described
from jump_lane.magnetics.copper import fields_of, resistance_matrix, still_resistances, window_of
from jump_lane.magnetics.design import Wound
from jump_lane.magnetics.heat import dissipated
from jump_lane.magnetics.layers import Layer, layers_of
from jump_lane.magnetics.magnetisation import flux_curve
from jump_lane.magnetics.proof import leakage_of
from jump_lane.operating.wound import Coil
from jump_lane.spec import Spec
from jump_lane.topologies.design import Design, derive

DECADES = np.concatenate([[0.0], np.geomspace(1e3, 1e8, 41)])
"""Frequencies at which resistances are kept [Hz]."""

LEAST = 0.05
"""Least part of the leakage between two windings that is left to each of them."""


def with_wound(spec: Spec, without: Iterable[str] = ()) -> Spec:
    """Return a file's specification with every settled component as it is wound.

    Parameters
    ----------
    without
        Components that are left as the file says.

    Raises
    ------
    InputError
        If a table names what is not there.
    """
    names = [n for n, table in spec.wound.items() if table.settled and n not in without]
    if not names:
        return spec
    design = derive(spec)
    for name in names:
        spec = _fed(spec, design, name)
    return spec


def _fed(spec: Spec, design: Design, name: str) -> Spec:
    asked, wound = described(design, name)
    layers, _ = layers_of(wound)
    values, figures = values_of(asked, wound, layers), figures_of(asked, wound, layers)
    chosen = {**spec.chosen, **values}
    transformer = spec.transformer.model_copy(update={"turns_ratio": None})
    parts = {**spec.parts, **{role: dict(given) for role, given in figures.items() if given}}
    return spec.model_copy(update={"chosen": chosen, "transformer": transformer, "parts": parts})


def values_of(asked: Asked, wound: Wound, layers: tuple[Layer, ...]) -> dict[str, float]:
    """Return the component values that a warm wound component sets, by symbol: inductances, turns ratios, leakage."""
    design, coil = asked.design, asked.coil
    turns = coil.turns_of(wound.turns[0])
    real = flux_curve(wound.core, wound.material, wound.gap, turns, asked.hot).inductance
    out: dict[str, float] = {}
    if _coupled(design, coil):
        ratios = [w.turns / wound.windings[0].turns for w in wound.windings]
        return {name: real * ratio**2 for name, ratio in zip(coil.windings, ratios, strict=True)}
    symbols = (
        [r.name for r in design.page.roles if r.kind == "magnetising"]
        if len(coil.windings) > 1
        else [coil.name]
    )
    symbols = symbols or ["L_m"]
    for symbol in symbols:
        if _component(design, symbol):
            out[symbol] = real
    if len(coil.windings) < 2:
        return out
    out |= _ratios(design, coil, wound)
    star = star_of(wound, layers)
    for k, value in enumerate(star[1:], start=1):
        if _component(design, f"L_s{k}"):
            out[f"L_s{k}"] = value
    table = design.spec.wound.get(coil.name)
    if table is not None and table.least_leakage is not None and _component(design, "L_r"):
        out["L_r"] = min(leakage_of(wound, layers).values())
    return out


def _coupled(design: Design, coil: Coil) -> bool:
    """Tell whether a component is a pair of inductors on one core."""
    return any(r.name == coil.name and r.kind == "coupling" for r in design.page.roles)


def _component(design: Design, symbol: str) -> bool:
    """Tell whether a symbol is the value of a component."""
    line = design.sheet[symbol].line if symbol in design.sheet else None
    return line is not None and line.component


def _ratios(design: Design, coil: Coil, wound: Wound) -> dict[str, float]:
    """Return the turns ratios of the windings as they are wound, by symbol."""
    element = next(
        (
            e
            for e in design.page.circuit(design.point(0, 0))
            if isinstance(e, IdealTransformer) and e.name == coil.name
        ),
        None,
    )
    if element is None or "n" not in design.sheet:
        return {}
    first = next((k for k, w in enumerate(element.windings) if k and w.turns == 1.0), None)
    if first is None:
        return {}
    turns, out = wound.turns, {"n": wound.turns[0] / wound.turns[first]}
    for number, k in enumerate(range(first + 1, len(turns)), start=2):
        if _component(design, f"n_{number}"):
            out[f"n_{number}"] = turns[0] / turns[k]
    return out


def star_of(wound: Wound, layers: tuple[Layer, ...]) -> list[float]:
    """Return the leakage of every winding of a star [H], each seen at itself, that has the leakage of all pairs with the first."""
    pairs = list(leakage_of(wound, layers).values())
    if len(pairs) == 1:
        return [pairs[0], 0.0]
    energy = window_of(wound, layers).energy()
    scale = pairs[0] / _pair(energy, wound, 0, 1)
    found = []
    for j in range(1, len(wound.windings)):
        for k in range(j + 1, len(wound.windings)):
            between = scale * _pair(energy, wound, j, k)
            found.append(0.5 * (pairs[j - 1] + pairs[k - 1] - between))
    least = min(pairs)
    own = min(max(float(np.mean(found)), LEAST * least), (1.0 - LEAST) * least)
    ratios = [w.turns / wound.windings[0].turns for w in wound.windings[1:]]
    return [own, *((p - own) * r**2 for p, r in zip(pairs, ratios, strict=True))]


def _pair(energy: np.ndarray, wound: Wound, j: int, k: int) -> float:
    """Return the leakage of two windings per metre, seen at the first winding of all [H/m]."""
    first = wound.windings[0].turns
    current = np.zeros(len(wound.windings))
    current[j], current[k] = first / wound.windings[j].turns, -first / wound.windings[k].turns
    return float(current @ energy @ current)


def figures_of(asked: Asked, wound: Wound, layers: tuple[Layer, ...]) -> dict[str, Mapping[str, Any]]:
    """Return the figures of the part that a wound component is, by role."""
    design, coil = asked.design, asked.coil
    turns = coil.turns_of(wound.turns[0])
    curve = flux_curve(wound.core, wound.material, wound.gap, turns, asked.hot)
    cold = still_resistances(wound, layers, REFERENCE_TEMPERATURE).tolist()
    hot = resistance_matrix(wound, layers, fields_of(wound, layers), DECADES, asked.hot)
    rise = asked.table.temperature_rise
    shared = {
        **_core(wound, turns), "thermal_resistance": rise / dissipated(wound.core, rise, asked.ambient), "max_temperature": wound.material.max_temperature,
        "saturation": "; ".join(f"{i:.6g} A: {100.0 * part:.4f} %" for i, part in curve.left()),
    }  # fmt: skip
    if len(coil.windings) == 1:
        most = curve.current_of(SATURATED * min(coil.inductance, curve.inductance))
        ratio = hot[:, 0, 0] / hot[0, 0, 0]
        points = "; ".join(
            f"{f:.6g} Hz: {cold[0] * r:.6g} Ω" for f, r in zip(DECADES[1:], ratio[1:], strict=True)
        )
        own = {
            "resistance": cold[0],
            "ac_resistance": points,
            "saturation_current": most,
        }
        return {coil.name: shared | own}
    if _coupled(design, coil):
        left = max(1.0 - min(leakage_of(wound, layers).values()) / curve.inductance, 0.0)
        each = {name: {"resistance": cold[k]} for k, name in enumerate(coil.windings)}
        each[coil.windings[0]] |= {k: v for k, v in shared.items() if k != "saturation"}
        return {coil.name: {"factor": math.sqrt(left)}, **each}
    role = next(r.name for r in design.page.roles if r.kind == "transformer")
    matrix = MatrixOverFrequency(tuple(DECADES.tolist()), tuple(tuple(map(tuple, m)) for m in hot.tolist()))
    star = star_of(wound, layers)
    own = {
        "primary_resistance": cold[0], "secondary_resistance": cold[1], "leakage": star[0], "resistance_matrix": matrix,
    }  # fmt: skip
    return {role: shared | own}


def _core(wound: Wound, turns: int) -> dict[str, Any]:
    material = wound.material
    found: dict[str, Any] = {
        "turns": turns, "core_area": wound.core.area, "core_volume": wound.core.volume, "max_flux_density": material.saturation,
    }  # fmt: skip
    if material.core_pieces is not None:
        found["core_pieces"] = [list(p) for p in material.core_pieces]
    if material.core_curve is not None:
        curve = material.core_curve
        found["core_curve"] = "; ".join(
            f"{x:g} °C: {100.0 * y:g} %" for x, y in zip(curve.x, curve.y, strict=True)
        )
    return found
