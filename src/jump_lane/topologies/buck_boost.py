"""Inverting buck-boost: a negative output of smaller or larger magnitude than the input.

While S1 conducts, the inductor sees V_1 = V_in and its current rises; while D1 conducts, it sees V_2 = V_o and
hands its current over to the output.  V_o is the magnitude of the output voltage.

        in ──S1──┬── sw ──D1 (reversed)──┬── out (negative)
                 │                       │
                 L                      C_o   load
                 │                       │
        gnd ─────┴───────────────────────┴──
"""

from __future__ import annotations

from jump_lane.circuit.elements import Element
from jump_lane.equations.sheet import CONTINUOUS, REVERSED, WHOLE, Line
from jump_lane.topologies import blocks
from jump_lane.topologies.blocks import averaged
from jump_lane.topologies.page import Page
from jump_lane.topologies.point import Point

SIZING = (
    Line("M", "V_o/V_in", "", "conversion ratio", blocks.DEFINITION),
    Line("D_i", "V_o/(V_in + V_o)", "", "duty ratio with ideal parts", blocks.VOLT_SECONDS),
    *blocks.lossy_duty("V_in + V_o + V_FD1 - R_Co*I_o", "V_in + (R_S1 - R_D1 - R_Co)*I_o - 2*t_d*f_s*V_BD1", "(R_L + R_S1)*I_o"),
    *blocks.peak_ratio("R_L + R_S1"),
    Line("V_1c", "V_in - (R_S1 + R_L)*I_c", "V", "inductor voltage, S1 on", blocks.WITH_LOSSES),
    *blocks.single_inductor_sizing(),
    Line("K", "2*L*f_s/R_o", "", "conduction parameter", blocks.BOUNDARY_CONDITION, "min"),
    Line("K_crit", "(1 - D_i)**2", "", "conduction parameter at the boundary", blocks.BOUNDARY_CONDITION),
)

OPERATION = (
    *blocks.handed_over("V_in - (R_S1 + R_L)*I_x", "V_o + V_FD1 + (R_D1 + R_L)*I_x + R_Co*(I_x - I_o)", "V_o + V_FD1", "L"),
    Line("dI_L", "dI", "A", "inductor ripple, peak to peak", blocks.VOLT_SECONDS),
    Line("f_z", "D_2**2*R_o/(2*pi*D_1*L)", "Hz", "right-half-plane zero", blocks.RIGHT_HALF_PLANE, "min", modes=WHOLE),
    blocks.ratio_left("D/(1 - D)"),
    *blocks.inductor("L", "(D_1 + D_2)*I_m", "dI_L", "D_1 + D_2"),
    *blocks.smoothing(blocks.delivered()),
    *blocks.device("S1", "D_1", "I_m", "dI", "V_in + V_o + dV_o/2 + max(V_FD1 + R_D1*I_pk, k_d*V_BD1)"),
    *blocks.device(
        "D1",
        "D_2",
        "I_m",
        "dI",
        {CONTINUOUS: "V_in + V_o + dV_o/2 - R_S1*I_v", REVERSED: "V_in + V_o + dV_o/2 + max(-R_S1*I_v, k_d*V_BS1)"},
        "rectifier",
    ),
    *blocks.chopped_input("D_1", "I_m", "dI"),
)


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point."""
    return (
        p.source(),
        p.switch("S1", "in", "sw"),
        p.inductor("L", "sw", "gnd"),
        p.rectifier("D1", "out", "sw"),
        p.capacitor("C_o", "gnd", "out"),
        *p.load("gnd", "out"),
    )


PAGE = Page(
    name="buck-boost",
    title="Inverting buck-boost converter",
    good_for="negative supply from a positive bus; input and output currents chopped",
    conversion="V_o < 0, any magnitude",
    isolated=False,
    inverting=True,
    roles=blocks.SINGLE_ROLES,
    ripples=(("dI_ask", "I_max*(V_in + V_o)/V_in"),),
    sizing=SIZING,
    operation=OPERATION,
    circuit=circuit,
    gates=blocks.main_switch,
    start={"L": "I_Lv", "C_o": "V_o"},
    idle=("S1", "D1"),
    proofs=blocks.single_proofs(),
    asks=blocks.single_asks(),
    figure=blocks.panels("sw", "L"),
    averaged=averaged.handed(
        gain="(V_o + V_FD1)/(D*(1 - D))*(1 - D*r_a/R_o)/(1 + r_a/R_o)",
        zero="(1 - D)**2*R_o*(1 - D*r_a/R_o)/(2*pi*D*L)",
        gain_dcm="V_o/D",
        pole="1/(pi*R_o*C_o)",
    ),
)
