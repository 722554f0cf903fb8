"""Capacitances of layered windings; ±30 % are to be allowed.

Between layers C0 = ε0·ε_r·b·MLT/d, d = distance of centres − 1.15·d_cu + 0.26·pitch: −0.4 to −2.7 % against finite differences, −13 %
where layers touch.

References
----------
E. C. Snelling, "Soft Ferrites", 1969 (capacitance between layers of round wire; energy of layers wound to and fro).
"""

from __future__ import annotations

from itertools import pairwise

from jump_lane.magnetics.design import Wound
from jump_lane.magnetics.layers import Layer

EPSILON_0, RELATIVE = 8.8541878128e-12, 3.5
"""Permittivity of free space [F/m], and of enamel with tape, 3 to 4."""

CLOSEST = 20e-6
"""Least distance that counts [m]."""


def between(wound: Wound, one: Layer, other: Layer) -> float:
    """Return the capacitance between two layers [F]."""
    winding = wound.windings[one.winding]
    apart = other.x - one.x
    if winding.wire.flat:
        distance = apart - 0.5 * (one.thickness + other.thickness)
    else:
        pitch = one.breadth / max(one.turns * winding.parallel, 1)
        distance = (
            apart - 1.15 * 0.5 * (one.thickness + other.thickness) + 0.26 * min(pitch, 2.0 * winding.outer)
        )
    length = 0.5 * (one.mean_turn + other.mean_turn)
    return EPSILON_0 * RELATIVE * one.breadth * length / max(distance, CLOSEST)


def of_winding(wound: Wound, layers: tuple[Layer, ...], winding: int) -> float:
    """Return the capacitance across a winding [F] by the energy between its layers, wound to and fro: 4·C0·(n − 1)/(3·n²)."""
    own = [layer for layer in layers if layer.winding == winding]
    neighbours = [(a, b) for a, b in pairwise(layers) if a.winding == b.winding == winding]
    if len(own) < 2 or not neighbours:
        return 0.0
    mean = sum(between(wound, a, b) for a, b in neighbours) / len(neighbours)
    return 4.0 * mean * len(neighbours) / (3.0 * len(own) ** 2)


def between_windings(wound: Wound, layers: tuple[Layer, ...]) -> float:
    """Return the capacitance from the first winding to all others [F], as common mode sees it."""
    return sum(between(wound, a, b) for a, b in pairwise(layers) if (a.winding == 0) != (b.winding == 0))
