"""Zeta: steps up or down without inverting, with continuous output current.

While S1 conducts, L1 sees V_in and L2 sees V_in + V_Cs − V_o = V_in; while D1 conducts, both see V_o reversed.
The coupling capacitor holds V_Cs = V_o.

        in ──S1──┬── a ──C_s──┬── b ──L2──┬── out
                 │            │           │
                 L1           D1         C_o   load
                 │            │           │
        gnd ─────┴────────────┴───────────┴──
"""

from __future__ import annotations

from jump_lane.circuit.elements import Element
from jump_lane.equations.sheet import CONTINUOUS, REVERSED, Line
from jump_lane.topologies import blocks
from jump_lane.topologies.page import Page
from jump_lane.topologies.point import Point

SIZING = blocks.pair_sizing()

OPERATION = (
    *blocks.pair_operation("V_o + V_FD1 + R_D1*I_x + R_L2*I_o"),
    Line("V_Cs", "V_o - R_L1*I_L1 + R_L2*I_L2", "V", "voltage of the coupling capacitor", blocks.VOLT_SECONDS),
    *blocks.coupling_capacitor(),
    *blocks.smoothing(blocks.triangle("dI_L2")),
    *blocks.device("S1", "D_1", "I_m", "dI", "V_in + V_Cs + dV_Cs/2 + max(V_FD1 + R_D1*I_v, k_d*V_BD1)"),
    *blocks.device(
        "D1",
        "D_2",
        "I_m",
        "dI",
        {CONTINUOUS: "V_in + V_Cs + dV_Cs/2 - R_S1*I_v", REVERSED: "V_in + V_Cs + dV_Cs/2 + max(-R_S1*I_v, k_d*V_BS1)"},
        "rectifier",
    ),
    *blocks.chopped_input("D_1", "I_m", "dI"),
)


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point."""
    return (
        p.source(),
        p.switch("S1", "in", "a"),
        *p.coupled("T", ("L1", "a", "gnd"), ("L2", "b", "out")),
        p.capacitor("C_s", "b", "a"),
        p.rectifier("D1", "gnd", "b"),
        p.capacitor("C_o", "out", "gnd"),
        *p.load(),
    )


PAGE = Page(
    name="zeta",
    title="Zeta converter",
    good_for="quiet output across the input range; input current chopped",
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
