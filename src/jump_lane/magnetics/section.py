"""The cross-section of a wound component to scale, as shapes: core, gaps, bobbin, insulation, and every conductor.

It is the window right of the wound leg, which lies at x = 0; of a ring the window unrolled along its inner circumference.
"""

from __future__ import annotations

import io
import math
from dataclasses import asdict, dataclass
from typing import Any

from jump_lane.magnetics.copper import gaps_of
from jump_lane.magnetics.design import BUNDLE
from jump_lane.magnetics.proof import Proven


@dataclass(frozen=True)
class Shape:
    """A rectangle (x, y: lower left corner; width, height) or a circle (x, y: centre; width: diameter) [m].

    Attributes
    ----------
    what
        core, gap, bobbin, copper, enamel, insulation or margin.
    winding, turn
        Of a conductor: the winding, and which of its turns, from its start.
    """

    what: str
    kind: str
    x: float
    y: float
    width: float
    height: float
    winding: str = ""
    turn: int = 0


def section(found: Proven) -> list[Shape]:
    """Return every shape of the cross-section."""
    return [*_core(found), *_bobbin(found), *_windings(found)]


def _core(found: Proven) -> list[Shape]:
    core = found.wound.core
    w, h = core.window_width, core.window_height
    leg = 0.5 * core.leg_width
    yoke = max(0.5 * (core.height - h), 0.3 * leg) if not core.ring else leg
    wall = max(0.5 * core.width - leg - w, 0.4 * leg) if not core.ring else 0.0
    out = [Shape("core", "rectangle", -leg, -yoke, leg, h + 2.0 * yoke)]
    if not core.ring:
        out += [
            Shape("core", "rectangle", 0.0, -yoke, w, yoke),
            Shape("core", "rectangle", 0.0, h, w, yoke),
            Shape("core", "rectangle", w, -yoke, wall, h + 2.0 * yoke),
        ]
    for low, high in gaps_of(found.wound):
        out.append(Shape("gap", "rectangle", -leg, low, leg, high - low))
        if found.wound.gap.place == "spacer":
            out.append(Shape("gap", "rectangle", w, low, wall, high - low))
    return out


def _bobbin(found: Proven) -> list[Shape]:
    wound = found.wound
    if wound.bobbin is None or wound.core.ring:
        return []
    w, h = wound.core.window_width, wound.core.window_height
    wall, flange, gap = wound.wall, wound.flange, 0.05e-3
    pitch, depth = wound.chamber_breadth + wound.divider, w - wall - gap
    first = flange + wound.margin + wound.chamber_breadth
    walls = [
        Shape("bobbin", "rectangle", wall, first + k * pitch, depth, wound.divider)
        for k in range(wound.chambers - 1)
    ]
    return [
        *walls,
        Shape("bobbin", "rectangle", gap, 0.0, wall - gap, h),
        Shape("bobbin", "rectangle", wall, 0.0, w - wall - gap, flange),
        Shape("bobbin", "rectangle", wall, h - flange, w - wall - gap, flange),
    ]


def _windings(found: Proven) -> list[Shape]:
    wound = found.wound
    out: list[Shape] = []
    total = [0] * len(wound.windings)
    before = None
    for layer in found.layers:
        winding = wound.windings[layer.winding]
        left, base = layer.x - 0.5 * winding.outer, layer.y
        joined = before is not None and before != layer.portion
        if joined and left > wound.wall + 1e-9 and wound.tape > 0.0:
            out.append(
                Shape(
                    "insulation",
                    "rectangle",
                    left - wound.tape,
                    base - wound.margin,
                    wound.tape,
                    layer.breadth + 2.0 * wound.margin,
                )
            )
        if wound.margin > 0.0:
            for y in (base - wound.margin, base + layer.breadth):
                out.append(Shape("margin", "rectangle", left, y, winding.outer, wound.margin))
        breadth = wound.core.window_height if wound.core.ring else layer.breadth
        out += _layer(found, layer.winding, layer.turns, left, base, breadth, total[layer.winding])
        total[layer.winding] += layer.turns
        before = layer.portion
    return out


def _layer(
    found: Proven, k: int, turns: int, left: float, base: float, breadth: float, done: int
) -> list[Shape]:
    winding = found.wound.windings[k]
    if winding.wire.flat:
        clearance = winding.wire.clearance or 0.0
        each = (breadth - (turns - 1) * clearance) / turns
        return [
            Shape(
                "copper",
                "rectangle",
                left,
                base + n * (each + clearance),
                winding.copper,
                each,
                winding.name,
                done + n + 1,
            )
            for n in range(turns)
        ]
    count = turns * winding.parallel
    pitch = breadth / (count + winding.parallel) if count > 1 else breadth / 2.0
    pitch = max(pitch, min(winding.outer, breadth / max(count, 1)))
    out = []
    for n in range(count):
        y = base + min((n + 0.5) * pitch, breadth - 0.5 * winding.outer)
        x, turn = left + 0.5 * winding.outer, done + n // winding.parallel + 1
        out.append(Shape("enamel", "circle", x, y, winding.outer, winding.outer, winding.name, turn))
        out.append(Shape("copper", "circle", x, y, winding.copper, winding.copper, winding.name, turn))
    return out


def data(shapes: list[Shape]) -> dict[str, Any]:
    """Return shapes as plain data for a field solver."""
    return {
        "unit": "m",
        "depth": "the mean length of a turn stands in the sheet",
        "shapes": [asdict(s) for s in shapes],
    }


def dxf(shapes: list[Shape]) -> str:
    """Return shapes as a drawing for exchange (DXF), one layer each for core, gap, bobbin, insulation and every winding, in mm."""
    import ezdxf
    from ezdxf import units

    document = ezdxf.new("R2010")  # type: ignore[attr-defined]
    document.units = units.MM
    model = document.modelspace()
    for name in dict.fromkeys(_layer_name(s) for s in shapes):
        document.layers.add(name)
    for s in shapes:
        attributes = {"layer": _layer_name(s)}
        x, y, w, h = (1e3 * v for v in (s.x, s.y, s.width, s.height))
        if s.kind == "circle":
            model.add_circle((x, y), 0.5 * w, dxfattribs=attributes)
        else:
            corners = [(x, y), (x + w, y), (x + w, y + h), (x, y + h)]
            model.add_lwpolyline(corners, close=True, dxfattribs=attributes)
    out = io.StringIO()
    document.write(out)
    return out.getvalue()


def _layer_name(shape: Shape) -> str:
    return f"{shape.what} {shape.winding}".strip()


def shares(found: Proven) -> dict[str, float]:
    """Return which parts of the window copper, insulation and air take; bobbin and margins are insulation, and so is what litz has
    between its strands."""
    core, shapes = found.wound.core, section(found)
    litz = {w.name for w in found.wound.windings if w.wire.form == "litz"}
    copper = sum(_area(s) / (BUNDLE**2 if s.winding in litz else 1.0) for s in shapes if s.what == "copper")
    wires = sum(
        _area(s) for s in shapes if s.what == "enamel" or (s.what == "copper" and s.kind == "rectangle")
    )
    other = sum(_area(s) for s in shapes if s.what in ("insulation", "margin", "bobbin"))
    whole = core.window_width * core.window_height
    return {
        "copper": copper / whole,
        "insulation": (wires + other - copper) / whole,
        "air": 1.0 - (wires + other) / whole,
    }


def _area(shape: Shape) -> float:
    return shape.width * shape.height * (0.25 * math.pi if shape.kind == "circle" else 1.0)
