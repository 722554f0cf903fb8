"""A wound component back in the chain: as the part that stands in the power stage, with its real inductance, leakage and turns."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import combinations
from typing import Any

import numpy as np

from jump_lane.catalogue.kinds import REFERENCE_TEMPERATURE, SATURATED
from jump_lane.catalogue.matrix import MatrixOverFrequency
from jump_lane.catalogue.mutual import Pairs, written
from jump_lane.circuit.elements import IdealTransformer
from jump_lane.design.derive import Design, derive
from jump_lane.magnetics.asked import Asked, described
from jump_lane.magnetics.copper import fields_of, resistance_matrix, still_resistances, window_of
from jump_lane.magnetics.design import Wound
from jump_lane.magnetics.heat import dissipated
from jump_lane.magnetics.layers import Layer, layers_of
from jump_lane.magnetics.magnetisation import FluxCurve, flux_curve
from jump_lane.magnetics.proof import leakage_between, leakage_of
from jump_lane.operating.wound import Coil
from jump_lane.spec import Spec

DECADES = np.concatenate([[0.0], np.geomspace(1e3, 1e8, 41)])
"""Frequencies at which resistances are kept [Hz]."""

NOTHING = 1e-9
"""Part of the least leakage below which two secondaries share nothing."""

DEFINITE = 1e-3
"""Least eigenvalue of a leakage matrix, each winding's own leakage being 1."""

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


@dataclass(frozen=True)
class Warm:
    """A settled component at the hottest temperature asked for."""

    asked: Asked
    wound: Wound

    @cached_property
    def layers(self) -> tuple[Layer, ...]:
        """Its layers from the leg outwards."""
        return layers_of(self.wound)[0]

    @cached_property
    def turns(self) -> int:
        """Of the magnetised path."""
        return self.asked.coil.turns_of(self.wound.turns[0])

    @cached_property
    def curve(self) -> FluxCurve:
        """Flux linkage of the magnetised path over its current."""
        return flux_curve(self.wound.core, self.wound.material, self.wound.gap, self.turns, self.asked.hot)

    @cached_property
    def leakage(self) -> list[float]:
        """Seen at the first winding with each other one short-circuited [H]."""
        return list(leakage_of(self.wound, self.layers).values())

    @cached_property
    def star(self) -> Star:
        """Leakage of every winding, and what the secondaries share, that has the leakage of all pairs."""
        return star_of(self.wound, self.layers, self.leakage)


def _fed(spec: Spec, design: Design, name: str) -> Spec:
    warm = Warm(*described(design, name))
    transformer = spec.transformer.model_copy(update={"turns_ratio": None})
    parts = {**spec.parts, **{role: dict(given) for role, given in figures_of(warm).items()}}
    chosen = {**spec.chosen, **values_of(warm)}
    return spec.model_copy(update={"chosen": chosen, "transformer": transformer, "parts": parts})


def values_of(warm: Warm) -> dict[str, float]:
    """Return the component values that a component sets, by symbol: inductances, turns ratios, leakage."""
    design, coil, wound = warm.asked.design, warm.asked.coil, warm.wound
    real = warm.curve.inductance
    if _coupled(design, coil):
        return {w.name: real * (w.turns / wound.turns[0]) ** 2 for w in wound.windings}
    if len(coil.windings) < 2:
        return {coil.name: real}
    found = {design.page.magnetising: real, **ratios_of(design, coil, wound)}
    found |= {f"L_s{k}": value for k, value in enumerate(warm.star.own[1:], start=1)}
    if warm.asked.table.least_leakage is not None:
        found["L_r"] = min(warm.leakage)
    return {symbol: value for symbol, value in found.items() if design.chooses(symbol)}


def _coupled(design: Design, coil: Coil) -> bool:
    """Tell whether a component is a pair of inductors on one core."""
    return any(r.name == coil.name and r.kind == "coupling" for r in design.page.roles)


def secondary_of(design: Design, coil: Coil) -> int:
    """Return which winding is the first secondary: the one whose turns the page counts as one; there are two windings without such."""
    elements = design.page.circuit(design.point(0, 0))
    element = next((e for e in elements if isinstance(e, IdealTransformer) and e.name == coil.name), None)
    windings = () if element is None else element.windings
    return next((k for k, w in enumerate(windings) if k and w.turns == 1.0), 1)


def ratios_of(design: Design, coil: Coil, wound: Wound) -> dict[str, float]:
    """Return the turns ratios of the windings as they are wound, by symbol: n to the first secondary, n_2 to the next and so on."""
    first, turns = secondary_of(design, coil), wound.turns
    further = enumerate(turns[first + 1 :], start=2)
    return {"n": turns[0] / turns[first], **{f"n_{number}": turns[0] / t for number, t in further}}


@dataclass(frozen=True)
class Star:
    """Leakage inductances: ``own`` of every winding [H], each seen at itself, and ``shared`` by two secondaries [H]."""

    own: list[float]
    shared: Pairs


def star_of(wound: Wound, layers: tuple[Layer, ...], pairs: Sequence[float]) -> Star:
    """Return the leakage that has that of all pairs of windings, from that of all pairs with the first [H].

    Seen from the first winding the secondaries have the matrix (P_j + P_k − P_jk)/2 of the leakage P of pairs
    (R. W. Erickson and D. Maksimović 1998, extended cantilever).  The first winding takes the mean of what two of them share,
    as far as an inductance is left to every current; what is left over they share as mutual inductances.
    """
    if len(pairs) == 1:
        return Star([pairs[0], 0.0], {})
    energy, count = window_of(wound, layers).energy(), len(pairs)
    matrix = np.diag(np.array(pairs, float))
    for j, k in combinations(range(count), 2):
        between = leakage_between(wound, layers, energy, j + 1, k + 1)
        matrix[j, k] = matrix[k, j] = 0.5 * (pairs[j] + pairs[k] - between)
    matrix = definite(matrix)
    least = min(pairs)
    most = min((1.0 - LEAST) * least, (1.0 - LEAST) / float(np.linalg.inv(matrix).sum()))
    first = min(max(float(matrix[np.triu_indices(count, 1)].mean()), min(LEAST * least, most)), most)
    ratios = np.array([w.turns / wound.windings[0].turns for w in wound.windings[1:]])
    left = (matrix - first) * np.outer(ratios, ratios)
    shared = {
        (j + 1, k + 1): float(left[j, k])
        for j, k in combinations(range(count), 2)
        if abs(matrix[j, k] - first) > NOTHING * least
    }
    return Star([first, *np.diag(left).tolist()], shared)


def definite(matrix: np.ndarray) -> np.ndarray:
    """Return a leakage matrix [H] of which every current stores energy, as a field's does; lengths of turns are means."""
    scale = np.sqrt(np.outer(matrix.diagonal(), matrix.diagonal()))
    values, vectors = np.linalg.eigh(matrix / scale)
    if values[0] >= DEFINITE:
        return matrix
    return np.asarray((vectors * np.maximum(values, DEFINITE)) @ vectors.T * scale)


def figures_of(warm: Warm) -> dict[str, Mapping[str, Any]]:
    """Return the figures of the part that a component is, by role."""
    asked, wound, layers, curve = warm.asked, warm.wound, warm.layers, warm.curve
    design, coil = asked.design, asked.coil
    cold = still_resistances(wound, layers, REFERENCE_TEMPERATURE).tolist()
    hot = resistance_matrix(wound, layers, fields_of(wound, layers), DECADES, asked.hot)
    rise = asked.table.temperature_rise
    shared = {
        **_core(wound, warm.turns), "thermal_resistance": rise / dissipated(wound.core, rise, asked.ambient), "max_temperature": wound.material.max_temperature,
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
    matrix = MatrixOverFrequency(tuple(DECADES.tolist()), tuple(tuple(map(tuple, m)) for m in hot.tolist()))
    if _coupled(design, coil):
        left = max(1.0 - min(warm.leakage) / curve.inductance, 0.0)
        each = {name: {"resistance": cold[k]} for k, name in enumerate(coil.windings)}
        each[coil.windings[0]] |= {k: v for k, v in shared.items() if k != "saturation"}
        each[coil.windings[0]]["resistance_matrix"] = matrix
        return {coil.name: {"factor": math.sqrt(left)}, **each}
    role = next(r.name for r in design.page.roles if r.kind == "transformer")
    first = secondary_of(design, coil)
    apart = design.chooses("L_s1")  # else the page has all of it at the primary
    own = {
        "primary_resistance": cold[0], "secondary_resistance": cold[first], "resistance_matrix": matrix,
        "leakage": warm.star.own[0] if apart else warm.leakage[first - 1],
    }  # fmt: skip
    if apart and warm.star.shared:
        own["mutual_leakage"] = written(warm.star.shared)
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
