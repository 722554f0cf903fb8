"""SEPIC: steps up or down without inverting, V_o > 0.

While S1 conducts, L1 sees V_in and L2 the voltage V_Cs = V_in of the coupling capacitor; while D1 conducts, both
see V_o reversed and hand the sum of their currents over to the output.

        in ──L1──┬── a ──C_s──┬── b ──D1──┬── out
                 │            │           │
                 S1           L2         C_o   load
                 │            │           │
        gnd ─────┴────────────┴───────────┴──
"""

from __future__ import annotations

from jump_lane.circuit.elements import Element
from jump_lane.equations.sheet import CONTINUOUS, REVERSED, Line
from jump_lane.topologies import blocks
from jump_lane.topologies.page import Page
from jump_lane.topologies.point import Point

SIZING = blocks.pair_sizing(" - R_Co")

OPERATION = (
    *blocks.pair_operation("V_o + V_FD1 + R_D1*I_x + R_L2*I_o + R_Co*(I_x - I_o)"),
    Line("V_Cs", "V_in - R_L1*I_L1 + R_L2*I_L2", "V", "voltage of the coupling capacitor", blocks.VOLT_SECONDS),
    Line("f_z2", "D_2**2*R_o/(2*pi*D_1*L_e)", "Hz", "right-half-plane zero, above the resonance of C_s", blocks.ZEROS, "min"),
    *blocks.coupling_capacitor(),
    *blocks.smoothing(blocks.delivered()),
    *blocks.device("S1", "D_1", "I_m", "dI", "V_Cs + dV_Cs/2 + V_o + max(V_FD1 + R_D1*I_v, k_d*V_BD1)"),
    *blocks.device(
        "D1",
        "D_2",
        "I_m",
        "dI",
        {CONTINUOUS: "V_Cs + dV_Cs/2 + V_o - R_S1*I_v", REVERSED: "V_Cs + dV_Cs/2 + V_o + max(-R_S1*I_v, k_d*V_BS1)"},
        "rectifier",
    ),
    *blocks.supplying(blocks.triangle("dI_L1")),
)


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point."""
    return (
        p.source(),
        *p.coupled("T", ("L1", "in", "a"), ("L2", "gnd", "b")),
        p.switch("S1", "a", "gnd"),
        p.capacitor("C_s", "a", "b"),
        p.rectifier("D1", "b", "out"),
        p.capacitor("C_o", "out", "gnd"),
        *p.load(),
    )


PAGE = Page(
    name="sepic",
    title="SEPIC (single-ended primary-inductor converter)",
    good_for="battery across its output voltage; continuous input current",
    conversion="V_o > 0, any magnitude",
    isolated=False,
    roles=blocks.PAIR_ROLES,
    ripples=blocks.RIPPLES,
    sizing=SIZING,
    operation=OPERATION,
    circuit=circuit,
    gates=blocks.main_switch,
    start={"L1": "I_L1v", "L2": "I_L2v", "C_s": "V_Cs", "C_o": "V_o"},
    idle=("S1", "D1"),
    proofs=blocks.pair_proofs(),
    asks=blocks.pair_asks(),
    caveats=blocks.ONE_CORE,
    figure=blocks.panels("a", "L1", "L2"),
)
