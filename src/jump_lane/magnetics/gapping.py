"""The gap that a core needs for an inductance, and why it cannot be: flux, saturation, length, what powder leaves."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from jump_lane.catalogue.kinds import REFERENCE_TEMPERATURE
from jump_lane.catalogue.magnetic import Core, CoreMaterial
from jump_lane.magnetics.asked import Asked
from jump_lane.magnetics.magnetisation import (
    flux_curve,
    flux_density,
    permeability,
    saturation,
    saturation_currents,
)
from jump_lane.magnetics.reluctance import Gap, core_reluctance, gap_for

SOFT = 2.0
"""By how much the inductance of powder may exceed the one wanted where there is no current."""

LONGEST_GAP = 0.25
"""Part of the window's height that gaps may take: beyond that fringing is not what the model has."""

NEAR = 0.01
"""Part of a field by which it is moved for a slope."""

Array = NDArray[np.float64]

Gapped = tuple[float, bool] | str
"""Length of the gap [m] and whether the inductance falls short; or why there is none."""


def gaps_for(asked: Asked, core: Core, material: CoreMaterial, firsts: Sequence[int]) -> list[Gapped]:
    """Return for numbers of turns of the first winding the gap [m] that a material needs, and whether the inductance falls short; or why
    it cannot be."""
    table, coil = asked.table, asked.coil
    turns = np.array(firsts) * coil.path
    if (
        not coil.stores
        or coil.inductance == 0.0
        or material.powder
        or core.ring
        or table.fixed_gap is not None
    ):
        lengths = np.full(len(firsts), table.fixed_gap or 0.0)
    else:
        mu = permeability(material, REFERENCE_TEMPERATURE)
        lengths = gap_for(core, mu, turns, coil.inductance, table.gaps, table.gap_place)
    if table.gap_step and table.fixed_gap is None:
        lengths = table.gap_step * np.round(lengths / table.gap_step)
    if material.powder:
        low = coil.inductance * (1.0 - table.inductance_tolerance)
        return [_powdered(asked, core, material, float(t), low) for t in turns]
    return _judged(asked, core, material, turns, lengths)


def _judged(asked: Asked, core: Core, material: CoreMaterial, turns: Array, lengths: Array) -> list[Gapped]:
    """Judge flux, gap and inductance of a core with gaps, for numbers of turns."""
    table, coil = asked.table, asked.coil
    found: list[Gapped] = [(float(length), False) for length in lengths]

    def fell(reason: str, which: NDArray[np.bool_]) -> None:
        for k in np.flatnonzero(which):
            found[k] = found[k] if isinstance(found[k], str) else reason

    most = saturation(material, asked.hot) * (1.0 - table.flux_margin)
    fell("flux density", asked.largest / (turns * core.least_area) > most)
    if coil.inductance == 0.0:
        return found
    fell("gap", ~(lengths <= LONGEST_GAP * core.window_height))
    if table.gap is not None:
        fell("gap", ~((table.gap[0] * (1.0 - 1e-9) <= lengths) & (lengths <= table.gap[1] * (1.0 + 1e-9))))
    low = coil.inductance * (1.0 - table.inductance_tolerance)
    cold = turns**2 / core_reluctance(core, permeability(material, REFERENCE_TEMPERATURE))
    if not coil.stores:
        return [
            f if isinstance(f, str) else _magnetising(asked, core, material, turns[k], cold[k], f[0], low)
            for k, f in enumerate(found)
        ]
    fell("inductance", cold < low)
    fell("gap", np.full(len(turns), core.ring))
    whole, safe = np.maximum(np.round(turns), 1.0), np.nan_to_num(lengths)  # one that is no number fell out
    ends = saturation_currents(core, material, safe, whole, table.gaps, table.gap_place, asked.hot)
    fell("saturation", ends < asked.largest / coil.inductance)
    return found


def _magnetising(
    asked: Asked, core: Core, material: CoreMaterial, turns: float, cold: float, length: float, low: float
) -> Gapped:
    """Return the gap of a core that stores nothing, and whether its inductance, cold or at the peak, falls short of the least [H]."""
    gap = Gap(length, asked.table.gaps, asked.table.gap_place)
    curve = flux_curve(core, material, gap, max(round(turns), 1), asked.hot)
    return length, bool(min(cold, asked.largest / curve.current_at(asked.largest)) < low)


def _powdered(asked: Asked, core: Core, material: CoreMaterial, turns: float, low: float) -> Gapped:
    """Judge powder by what is left of its inductance at the largest flux: no less than the least, no more than twice."""
    alone = turns**2 / float(core_reluctance(core, permeability(material, REFERENCE_TEMPERATURE)))
    if asked.table.gap is not None and asked.table.gap[0] > 0.0:
        return "gap"
    most = 1.0 + asked.table.inductance_tolerance if asked.exact else SOFT
    if asked.coil.inductance == 0.0 or alone > most * asked.coil.inductance:
        return "inductance"
    current = asked.largest / asked.coil.inductance
    field = np.array([1.0 - NEAR, 1.0 + NEAR]) * turns * current / core.path
    density = flux_density(material, field, asked.hot)
    left = (density[1] - density[0]) / (field[1] - field[0]) * core.area / core.path * turns**2
    if density[1] > saturation(material, asked.hot) * (1.0 - asked.table.flux_margin):
        return "flux density"
    return "inductance" if left < low else (0.0, False)
