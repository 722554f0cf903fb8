"""Boost: steps a voltage up, V_o > V_in.

While S1 conducts, the inductor sees V_1 = V_in and its current rises; while D1 conducts, it sees
V_2 = V_o − V_in and hands its current over to the output.

        in ──L──┬── sw ──D1──┬── out
                │            │
                S1          C_o   load
                │            │
        gnd ────┴────────────┴──
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
    Line("D_i", "1 - V_in/V_o", "", "duty ratio with ideal parts", blocks.VOLT_SECONDS),
    *blocks.lossy_duty("V_o + V_FD1 - R_Co*I_o", "V_in + (R_S1 - R_D1 - R_Co)*I_o - 2*t_d*f_s*V_BD1", "(R_L + R_S1)*I_o"),
    Line("D_pk", "1 - sqrt((R_L + R_S1)/R_o)", "", "duty ratio of the highest output", blocks.PEAK_RATIO, "min"),
    Line("M_pk", "sqrt(R_o/(R_L + R_S1))/2", "", "highest conversion ratio", blocks.PEAK_RATIO, "min"),
    Line("V_1c", "V_in - (R_S1 + R_L)*I_c", "V", "inductor voltage, S1 on", blocks.WITH_LOSSES),
    *blocks.single_inductor_sizing(),
    Line("K", "2*L*f_s/R_o", "", "conduction parameter", blocks.BOUNDARY_CONDITION, "min"),
    Line("K_crit", "D_i*(1 - D_i)**2", "", "conduction parameter at the boundary", blocks.BOUNDARY_CONDITION),
)

OPERATION = (
    *blocks.handed_over("V_in - (R_S1 + R_L)*I_x", "V_o - V_in + V_FD1 + (R_D1 + R_L)*I_x + R_Co*(I_x - I_o)", "V_o - V_in + V_FD1", "L"),
    Line("dI_L", "dI", "A", "inductor ripple, peak to peak", blocks.VOLT_SECONDS),
    blocks.ratio_left("1/(1 - D)"),
    Line("f_z", "D_2**2*R_o/(2*pi*L)", "Hz", "right-half-plane zero", blocks.RIGHT_HALF_PLANE, "min", modes=WHOLE),
    *blocks.inductor("L", "(D_1 + D_2)*I_m", "dI_L", "D_1 + D_2"),
    *blocks.smoothing(blocks.delivered()),
    *blocks.device("S1", "D_1", "I_m", "dI", "V_o + dV_o/2 + max(V_FD1 + R_D1*I_pk, k_d*V_BD1)"),
    *blocks.device(
        "D1", "D_2", "I_m", "dI", {CONTINUOUS: "V_o + dV_o/2 - R_S1*I_v", REVERSED: "V_o + dV_o/2 + max(-R_S1*I_v, k_d*V_BS1)"}, "rectifier"
    ),
    *blocks.supplying(blocks.triangle("dI_L")),
)


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point."""
    return (
        p.source(),
        p.inductor("L", "in", "sw"),
        p.switch("S1", "sw", "gnd"),
        p.rectifier("D1", "sw", "out"),
        p.capacitor("C_o", "out", "gnd"),
        *p.load(),
    )


PAGE = Page(
    name="boost",
    title="Boost (step-up) converter",
    good_for="battery to a higher bus; continuous input current, chopped output current",
    conversion="V_o > V_in",
    isolated=False,
    roles=blocks.SINGLE_ROLES,
    ripples=(("dI_ask", "I_max*V_o/V_in"),),
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
        gain="(V_o + V_FD1)/(1 - D)*(1 - r_a/R_o)/(1 + r_a/R_o)",
        zero="(1 - D)**2*R_o*(1 - r_a/R_o)/(2*pi*L)",
        gain_dcm="2*V_o/D*(M - 1)/(2*M - 1)",
        pole="(2*M - 1)/((M - 1)*2*pi*R_o*C_o)",
    ),
)
