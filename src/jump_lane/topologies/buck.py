"""Buck: steps a voltage down, 0 < V_o < V_in.

While S1 conducts, the inductor sees V_1 = V_in − V_o and its current rises; while D1 conducts, it sees
V_2 = V_o and the current falls.  Below the boundary load the current reaches zero and idles there.

        in ──S1──┬── sw ──L──┬── out
                 │           │
                 D1         C_o   load
                 │           │
        gnd ─────┴───────────┴──
"""

from __future__ import annotations

from jump_lane.circuit.elements import Element
from jump_lane.equations.sheet import CONTINUOUS, DISCONTINUOUS, REVERSED, Line
from jump_lane.topologies import blocks
from jump_lane.topologies.blocks import averaged
from jump_lane.topologies.page import Page
from jump_lane.topologies.point import Point

STAGE = blocks.StepDown(on="V_in - V_o - (R_S1 + R_L)*{I}", off="V_o + V_FD1 + (R_D1 + R_L)*{I}")

SIZING = (
    Line("M", "V_o/V_in", "", "conversion ratio", blocks.DEFINITION, "min"),
    Line("D_i", "V_o/V_in", "", "duty ratio with ideal parts", blocks.VOLT_SECONDS),
    *STAGE.sizing(),
    Line("K", "2*L*f_s/R_o", "", "conduction parameter", blocks.BOUNDARY_CONDITION, "min"),
    Line("K_crit", "1 - D_i", "", "conduction parameter at the boundary", blocks.BOUNDARY_CONDITION),
)

OPERATION = (
    *STAGE.operation(),
    Line(
        "M_dcm",
        {CONTINUOUS: "D_i", DISCONTINUOUS: "2/(1 + sqrt(1 + 4*K/D**2))"},
        "",
        "conversion ratio at this duty ratio with ideal parts",
        blocks.DISCONTINUOUS_RATIO,
        "min",
    ),
    *blocks.inductor("L", "I_o", "dI_L", "D_1 + D_2"),
    *blocks.device("S1", "D_1", "I_m", "dI_L", "V_in + max(V_FD1 + R_D1*I_m, k_d*V_BD1)"),
    *blocks.device("D1", "D_2", "I_m", "dI_L", {CONTINUOUS: "V_in - R_S1*I_v", REVERSED: "V_in + max(-R_S1*I_v, k_d*V_BS1)"}, "rectifier"),
    *blocks.smoothing(blocks.triangle()),
    *blocks.chopped_input("D_1", "I_m", "dI_L"),
)


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point."""
    return (
        p.source(),
        p.switch("S1", "in", "sw"),
        p.rectifier("D1", "gnd", "sw"),
        p.inductor("L", "sw", "out"),
        p.capacitor("C_o", "out", "gnd"),
        *p.load(),
    )


PAGE = Page(
    name="buck",
    title="Buck (step-down) converter",
    good_for="point of load, battery to rail; continuous output current, chopped input current",
    conversion="0 < V_o < V_in",
    isolated=False,
    roles=blocks.SINGLE_ROLES,
    ripples=(("dI_ask", "I_max"),),
    sizing=SIZING,
    operation=OPERATION,
    circuit=circuit,
    gates=blocks.main_switch,
    start={"L": "I_Lv", "C_o": "V_o"},
    idle=("S1", "D1"),
    proofs=blocks.single_proofs(),
    asks=blocks.single_asks(),
    figure=blocks.panels("sw", "L"),
    averaged=averaged.filtered("R_L + D*R_S1 + (1 - D)*R_D1"),
)
