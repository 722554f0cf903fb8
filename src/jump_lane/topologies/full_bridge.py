"""Full bridge: four switches put the input to the primary in turn, one diagonal after the other.

        in ──┬──S1──┬── a ── Np ── b ──┬──S3──┬── in
             │      │   (dot at a)     │
             │      S2                 S4
             │      │                  │
        gnd ─┴──────┴──────────────────┴──

S1, S4 on  V_in is put to the primary.
between    nothing drives it; what rectifies shorts the secondary.
S2, S3 on  V_in is put to the primary the other way round.
"""

from __future__ import annotations

from jump_lane.circuit.elements import Element
from jump_lane.circuit.gates import Gates, Instant
from jump_lane.equations.sheet import Line
from jump_lane.topologies.blocks import both_ways, capacitors, secondary, transformers
from jump_lane.topologies.blocks.both_ways import Drive
from jump_lane.topologies.blocks.sources import KIRCHHOFF
from jump_lane.topologies.blocks.stress import stress, winding
from jump_lane.topologies.page import Page
from jump_lane.topologies.point import Point
from jump_lane.topologies.variant import Variant

DRIVE = Drive("V_in", "(2*R_S1 + R_pT)")


def equations(v: Variant) -> tuple[Line, ...]:
    """Return its lines."""
    blocking = "blocking capacitor in series with the primary, where one is wanted"
    return (
        *both_ways.sizing(v, DRIVE),
        *both_ways.operation(v, DRIVE),
        *stress("S1", both_ways.PULSE, f"V_in + {v.body('S1')}", within=both_ways.rough(v)),
        *winding("Np", "0", "I_S1rms*sqrt(2)"),
        Line("C_b", "I_S1/(f_s*r_C*V_in)", "F", blocking, KIRCHHOFF),
        *both_ways.secondary_side(v, DRIVE),
        *capacitors.supplying(both_ways.drawn(v)),
    )


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point."""
    a = "T.a" if p["R_pT"] > 0.0 else "a"
    return (
        p.source(),
        p.switch("S1", "in", "a", shares=True),
        p.switch("S2", "a", "gnd", shares=True),
        p.switch("S3", "in", "b", shares=True),
        p.switch("S4", "b", "gnd", shares=True),
        *transformers.path("a", "a", "T.a", 0.0, p["R_pT"]),
        *secondary.freewheels(p, ("a", "in"), ("gnd", "a"), ("b", "in"), ("gnd", "b")),
        *secondary.transformer(p, (("Np", a, "b"),)),
    )


def gates(duty: Instant, p: Point) -> Gates:
    """Return the gate pattern: S2 and S3 half a period after S1 and S4."""
    return secondary.in_turn(duty, p, ("S1", "S4"), ("S2", "S3"))


PAGE = Page(
    name="full-bridge",
    title="Full-bridge converter, hard-switched",
    good_for="isolated supplies of a kilowatt and more",
    conversion="0 < V_o < V_in/n (half with a current doubler, or half-wave)",
    equations=equations,
    circuit=circuit,
    gates=gates,
    **both_ways.FAMILY,
)
