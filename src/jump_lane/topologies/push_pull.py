"""Push-pull: two switches at ground drive the halves of the primary in turn.

                    ┌── Np1 ── a ──S1── gnd
        in ── tap ──┤  (dot at the tap)
                    └── Np2 ── b ──S2── gnd
                       (dot at b)

S1 on   the input drives the first half of the primary; S2 sees twice the input voltage.
between both are open; what rectifies shorts the secondary.
S2 on   the input drives the second half, the other way round.
"""

from __future__ import annotations

from jump_lane.circuit.elements import Element
from jump_lane.circuit.gates import Gates, Instant
from jump_lane.equations.sheet import Line
from jump_lane.topologies.blocks import both_ways, capacitors, secondary, transformers
from jump_lane.topologies.blocks.both_ways import Drive
from jump_lane.topologies.blocks.stress import stress, winding
from jump_lane.topologies.page import Page
from jump_lane.topologies.point import Point
from jump_lane.topologies.variant import Variant

DRIVE = Drive("V_in", "(R_S1 + R_pT)")


def equations(v: Variant) -> tuple[Line, ...]:
    """Return its lines."""
    return (
        *both_ways.sizing(v, DRIVE),
        *both_ways.operation(v, DRIVE),
        *stress("S1", both_ways.PULSE, "2*V_in", spike=True, within=both_ways.rough(v)),
        *winding("Np1", "I_S1", "I_S1rms"),
        *both_ways.secondary_side(v, DRIVE),
        *capacitors.supplying(both_ways.drawn(v)),
    )


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point."""
    a, b = ("T.a", "T.b") if p["R_pT"] > 0.0 else ("a", "b")
    return (
        p.source(),
        *transformers.path("a", "T.a", "a", 0.0, p["R_pT"]),
        *transformers.path("b", "T.b", "b", 0.0, p["R_pT"]),
        p.switch("S1", "a", "gnd", shares=True),
        p.switch("S2", "b", "gnd", shares=True),
        *secondary.freewheels(p, ("gnd", "a"), ("gnd", "b")),
        *secondary.transformer(p, (("Np1", "in", a), ("Np2", b, "in"))),
    )


def gates(duty: Instant, p: Point) -> Gates:
    """Return the gate pattern: S2 half a period after S1."""
    return secondary.in_turn(duty, p, ("S1",), ("S2",))


PAGE = Page(
    name="push-pull",
    title="Push-pull converter",
    good_for="isolated supplies from a low input voltage: two switches at ground, one of them in the path",
    conversion="0 < V_o < V_in/n (half with a current doubler, or half-wave)",
    equations=equations,
    circuit=circuit,
    gates=gates,
    **both_ways.FAMILY,
)
