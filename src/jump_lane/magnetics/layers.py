"""Where every layer of a winding lies: from portions to layers, with breadth, position and length of a turn.

No nesting of round wires: each layer takes its largest outer diameter.  A helix of round wire needs the room of one turn more than it
has (Snelling 1969).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from jump_lane.catalogue.magnetic import Core
from jump_lane.magnetics.design import Winding, Wound

BULGE = 1.04
"""Turns are longer than the tightest: layers bulge over the faces of a leg."""


@dataclass(frozen=True)
class Layer:
    """One layer.

    Attributes
    ----------
    winding, portion
        Which winding, and which of the portions, it is of.
    turns
        Turns in it.
    x, y
        Distance of its middle from the leg, and of its lower end from the foot of the window [m].
    breadth, thickness
        Along the leg, and of its copper across [m].
    mean_turn
        Length of a turn [m].
    """

    winding: int
    portion: int
    turns: int
    x: float
    breadth: float
    thickness: float
    mean_turn: float
    y: float = 0.0


def turns_per_layer(winding: Winding, breadth: float) -> int:
    """Return how many turns a full layer has; none if not even one fits."""
    if winding.wire.form == "foil":
        return 1
    if winding.wire.form == "track":
        assert winding.wire.clearance is not None
        return max(int((breadth + winding.wire.clearance) / (NARROWEST + winding.wire.clearance)), 0)
    fitting = int(breadth / winding.outer + 1e-9)
    return max((fitting - winding.parallel) // winding.parallel, 0)


NARROWEST = 0.4e-3
"""Narrowest track of a board [m]."""


def turn_length(core: Core, x: float) -> float:
    """Return the length of a turn at a distance from the leg [m]."""
    if core.leg == "round":
        return BULGE * math.pi * (core.leg_width + 2.0 * x)
    if core.ring:
        return BULGE * (2.0 * (core.leg_width + core.leg_depth) + 8.0 * x)
    return BULGE * (2.0 * (core.leg_width + core.leg_depth) + 2.0 * math.pi * x)


def layers_of(wound: Wound) -> tuple[tuple[Layer, ...], float]:
    """Return all layers from the leg outwards, and the build that they need [m], insulation included.

    A portion whose wire does not fit the breadth at all has no end: its build is infinite.
    """
    out: list[Layer] = []
    x, build = wound.wall, 0.0
    for number, portion in enumerate(wound.order):
        winding = wound.windings[portion.winding]
        if number and portion.chamber != wound.order[number - 1].chamber:
            x = wound.wall
        elif number:
            x += wound.tape
        foot = wound.flange + wound.margin + portion.chamber * (wound.chamber_breadth + wound.divider)
        left = portion.turns
        while left:
            breadth = breadth_at(wound, x + 0.5 * winding.outer)
            full = turns_per_layer(winding, breadth)
            if full == 0:
                return tuple(out), math.inf
            turns = left if wound.core.ring and left <= full else math.ceil(left / math.ceil(left / full))
            middle = x + 0.5 * winding.outer
            out.append(
                Layer(
                    portion.winding, number, turns, middle, breadth, winding.copper,
                    turn_length(wound.core, middle), foot,
                )
            )  # fmt: skip
            left -= turns
            x += winding.outer
        build = max(build, x - wound.wall)
    return tuple(out), build


def breadth_at(wound: Wound, x: float) -> float:
    """Return the breadth of a layer whose middle is so far from the leg [m]; in a ring it shrinks with the radius."""
    return wound.breadth - 2.0 * math.pi * x if wound.core.ring else wound.chamber_breadth


def copper_length(wound: Wound, layers: tuple[Layer, ...], winding: int) -> float:
    """Return the length of the conductor of a winding [m]."""
    return sum(layer.turns * layer.mean_turn for layer in layers if layer.winding == winding)
