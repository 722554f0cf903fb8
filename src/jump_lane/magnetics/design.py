"""A wound component as it can be wound: core, gap, windings, and in which order they lie.  Everything else follows from this."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

from jump_lane.catalogue.magnetic import Bobbin, Core, CoreMaterial, Wire
from jump_lane.magnetics.reluctance import Gap

BUNDLE = 1.155
"""Diameter of a bundle of round strands over that of one times the root of their number."""

GRADES = {1: "overall", 2: "overall_2", 3: "overall_3", 0: "triple"}
"""Which diameter a grade of insulation has; 0 is triple-insulated."""


@dataclass(frozen=True)
class Winding:
    """One winding.

    Attributes
    ----------
    name
        As in the circuit.
    parallel
        Wires side by side that make one conductor.
    grade
        Of the insulation: 1, 2, 3, or 0 for triple insulation.
    """

    name: str
    turns: int
    wire: Wire
    parallel: int = 1
    grade: int = 2

    @property
    def outer(self) -> float:
        """Largest diameter of a wire with its insulation [m]; of a strip its thickness with the insulation beside it."""
        if self.wire.flat:
            assert self.wire.thickness is not None and self.wire.insulation is not None
            return self.wire.thickness + self.wire.insulation
        found: float | None = getattr(self.wire, GRADES[self.grade])
        assert self.wire.overall is not None
        return self.wire.overall if found is None else found

    @property
    def copper(self) -> float:
        """Thickness of the copper across the layer: a diameter, of litz that of the bundle without insulation, or of a strip [m]."""
        if self.wire.flat:
            assert self.wire.thickness is not None
            return self.wire.thickness
        assert self.wire.diameter is not None
        if self.wire.form == "litz":
            return self.wire.diameter * BUNDLE * math.sqrt(self.wire.strands)
        return self.wire.diameter


@dataclass(frozen=True)
class Portion:
    """Some turns of a winding that are wound together, in one of several chambers that lie along the leg."""

    winding: int
    turns: int
    chamber: int = 0


@dataclass(frozen=True)
class Wound:
    """A wound component.

    Attributes
    ----------
    order
        Portions from the leg outwards.
    margin
        Left free at each end of the layers for creepage [m].
    tape
        Thickness of insulation between two portions [m].
    """

    core: Core
    material: CoreMaterial
    gap: Gap
    windings: tuple[Winding, ...]
    order: tuple[Portion, ...]
    bobbin: Bobbin | None = None
    margin: float = 0.0
    tape: float = 0.0

    @property
    def wall(self) -> float:
        """Thickness between leg and first layer [m]."""
        return WRAP if self.bobbin is None else self.bobbin.wall

    @property
    def flange(self) -> float:
        """What a bobbin takes at each end of the leg [m]."""
        return 0.0 if self.bobbin is None or self.core.ring else self.bobbin.flange

    @property
    def breadth(self) -> float:
        """Breadth that layers may have [m]."""
        return self.core.window_height - 2.0 * self.flange - 2.0 * self.margin

    @property
    def chambers(self) -> int:
        """Chambers along the leg."""
        return 1 + max((p.chamber for p in self.order), default=0)

    @property
    def divider(self) -> float:
        """Thickness of the wall between two chambers [m]: that of a flange, or what creepage needs."""
        return max(self.flange, 2.0 * self.margin, WRAP)

    @property
    def chamber_breadth(self) -> float:
        """Breadth that layers of one chamber may have [m]; all chambers are alike."""
        return (self.breadth - (self.chambers - 1) * self.divider) / self.chambers

    @property
    def depth(self) -> float:
        """Build that layers may have [m]; a ring keeps a hole to wind through."""
        if self.core.ring:
            return RING * self.core.window_width - self.wall
        return self.core.window_width - self.wall

    @cached_property
    def turns(self) -> tuple[int, ...]:
        """Turns of the windings."""
        return tuple(w.turns for w in self.windings)


NEXT = -1
"""Stands in an order where another chamber begins."""

WRAP = 0.3e-3
"""What insulates a ring, or a core without a bobbin [m]."""

RING = 0.55
"""Part of the inner radius of a ring that may be filled: the rest lets the shuttle through."""


def portions(order: Sequence[tuple[int, float]], turns: Sequence[int]) -> tuple[Portion, ...]:
    """Return portions of windings from the leg outwards.

    Parameters
    ----------
    order
        Winding and its share of the turns, from the leg outwards; the shares of each winding add up to 1.  `NEXT` instead begins
        another chamber.
    """
    left = list(turns)
    share = [1.0] * len(turns)
    out: list[Portion] = []
    chamber = 0
    for k, part in order:
        if k == NEXT:
            chamber += 1
            continue
        wanted = left[k] if abs(share[k] - part) < 1e-9 else round(turns[k] * part)
        wanted = min(max(wanted, 1), left[k])
        left[k] -= wanted
        share[k] -= part
        if wanted:
            out.append(Portion(k, wanted, chamber))
    return tuple(out)
