"""Full bridge: four switches put the input to the primary in turn, one diagonal after the other.

S1 and S4 put V_in to the primary, S2 and S3 the other way round; nothing drives it in between.

        in ──┬──S1──┬── a ── Np ── b ──┬──S3──┬── in
             │      │   (dot at a)     │
             │      S2                 S4
             │      │                  │
        gnd ─┴──────┴──────────────────┴──
"""

from __future__ import annotations

from jump_lane.circuit.control import HALF
from jump_lane.circuit.elements import Element
from jump_lane.circuit.gates import Gates, Instant
from jump_lane.equations.sheet import Line
from jump_lane.topologies import blocks
from jump_lane.topologies.blocks import rectifying, transformers
from jump_lane.topologies.blocks.both_ways import Drive, secondaries, stages
from jump_lane.topologies.page import Page
from jump_lane.topologies.point import Point

DRIVE = Drive("V_in", "(2*R_S1 + R_pT)", bodies="2")

OPERATION = (
    *secondaries.both_ways_operation(DRIVE),
    *secondaries.leg_switch(),
    *transformers.winding("Np", "0", "I_prms"),
    Line("C_b", "I_S1/(f_s*r_C*V_in)", "F", "blocking capacitor in series with the primary, where one is wanted", blocks.KIRCHHOFF),
    *secondaries.whole_input(),
    *secondaries.rectifiers(DRIVE),
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
        *rectifying.freewheels(p, ("a", "in"), ("gnd", "a"), ("b", "in"), ("gnd", "b")),
        *rectifying.transformer(p, (("Np", a, "b"),)),
    )


def gates(duty: Instant, p: Point) -> Gates:
    """Return the gate pattern: S2 and S3 half a period after S1 and S4."""
    return rectifying.in_turn(duty, p, ("S1", "S4"), ("S2", "S3"))


PAGE = Page(
    name="full-bridge",
    title="Full-bridge converter, hard-switched",
    good_for="isolated supplies of a kilowatt and more",
    conversion="0 < V_o < V_in/n (half with a current doubler, or half-wave)",
    isolated=True,
    roles=secondaries.ROLES,
    ripples=(("dI_ask", "I_max*k_L"),),
    sizing=stages.both_ways_sizing(DRIVE),
    operation=OPERATION,
    circuit=circuit,
    gates=gates,
    start=secondaries.START,
    idle=("L1",),
    quiet="L1",
    floor="I_f",
    control=HALF,
    duty_limit=0.42,
    turns=transformers.TURNS,
    looser=transformers.LOOSER,
    bounds=secondaries.BOUNDS,
    caveats=secondaries.CAVEATS,
    proofs=secondaries.both_ways_proofs(),
    asks=blocks.single_asks(),
    secondaries=stages.SIDES,
    figure=secondaries.PANELS,
)
