"""Push-pull: two switches at ground drive the halves of the primary in turn.

While S1 conducts, the input drives the first half of the primary, while S2 conducts the second one; a switch that is
open sees twice the input voltage.

                    ┌── Np1 ── a ──S1── gnd
        in ── tap ──┤  (dot at the tap)
                    └── Np2 ── b ──S2── gnd
                       (dot at b)
"""

from __future__ import annotations

from jump_lane.circuit.control import HALF
from jump_lane.circuit.elements import Element
from jump_lane.circuit.gates import Gates, Instant
from jump_lane.equations.sheet import CONTINUOUS, REVERSED
from jump_lane.topologies import blocks
from jump_lane.topologies.blocks import rectifying, transformers
from jump_lane.topologies.blocks.both_ways import Drive, secondaries, stages
from jump_lane.topologies.page import Page
from jump_lane.topologies.point import Point

DRIVE = Drive("V_in", "(R_S1 + R_pT)")

OPERATION = (
    *secondaries.both_ways_operation(DRIVE),
    *blocks.ramped_device(
        "S1",
        "D_p",
        "I_p1",
        "I_p2",
        {CONTINUOUS: "2*V_in - (R_S1 + R_pT)*I_v/n", REVERSED: "2*V_in - (R_S1 + R_pT)*I_v/n + k_d*V_BS1"},
        up="D_q",
    ),
    blocks.with_spike("S1"),
    *transformers.winding("Np1", "I_S1", "I_S1rms"),
    *secondaries.whole_input(),
    *secondaries.rectifiers(DRIVE),
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
        *rectifying.freewheels(p, ("gnd", "a"), ("gnd", "b")),
        *rectifying.transformer(p, (("Np1", "in", a), ("Np2", b, "in"))),
    )


def gates(duty: Instant, p: Point) -> Gates:
    """Return the gate pattern: S2 half a period after S1."""
    return rectifying.in_turn(duty, p, ("S1",), ("S2",))


PAGE = Page(
    name="push-pull",
    title="Push-pull converter",
    good_for="isolated supplies from a low input voltage: two switches at ground, one of them in the path",
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
