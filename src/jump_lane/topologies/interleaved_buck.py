"""Interleaved buck: N buck phases in parallel, shifted by equal parts of the period.

Every phase is a buck converter with the N-th part of the load.  The ripples of the inductor currents cancel in
part at the output (wholly where N·D is a whole number).

        in ──S1──┬── sw1 ──L1──┐
             S2──┼── sw2 ──L2──┼── out
              ⋮  D1, D2 …      C_o   load
        gnd ─────┴─────────────┴──
"""

from __future__ import annotations

from jump_lane.circuit.elements import Element
from jump_lane.equations.sheet import CONTINUOUS, REVERSED, Line
from jump_lane.topologies import blocks
from jump_lane.topologies.page import ByTarget, Page, Proof
from jump_lane.topologies.point import Point

STAGE = blocks.StepDown(on="V_in - V_o - (R_S1 + R_L)*{I}", off="V_o + V_FD1 + (R_D1 + R_L)*{I}", load="I_ph", full="I_phf", phases="N")

SIZING: tuple[Line | ByTarget, ...] = (
    *blocks.shares(),
    Line("M", "V_o/V_in", "", "conversion ratio", blocks.DEFINITION, "min"),
    Line("D_i", "V_o/V_in", "", "duty ratio with ideal parts", blocks.VOLT_SECONDS),
    *STAGE.sizing(),
    Line("K", "2*L*f_s/(N*R_o)", "", "conduction parameter", blocks.BOUNDARY_CONDITION, "min"),
    Line("K_crit", "1 - D_i", "", "conduction parameter at the boundary", blocks.BOUNDARY_CONDITION),
)

OPERATION = (
    *STAGE.operation(),
    *blocks.inductor("L", "I_ph", "dI_L", "D_1 + D_2"),
    *blocks.device("S1", "D_1", "I_m", "dI_L", "V_in + max(V_FD1 + R_D1*I_m, k_d*V_BD1)"),
    *blocks.device("D1", "D_2", "I_m", "dI_L", {CONTINUOUS: "V_in - R_S1*I_v", REVERSED: "V_in + max(-R_S1*I_v, k_d*V_BS1)"}, "rectifier"),
    *blocks.together(blocks.triangle(count="N")),
    *blocks.together_drawn(blocks.Shape("I_pk", (("D_1", "I_v/I_pk", "1"),), "N")),
)


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point."""
    phases = [
        element
        for k in range(1, int(p["N"]) + 1)
        for element in (
            p.switch(f"S{k}", "in", f"sw{k}"),
            p.rectifier(f"D{k}", "gnd", f"sw{k}"),
            p.phase_inductor(f"L{k}", f"sw{k}", "out", "L"),
        )
    ]
    return (p.source(), *phases, p.capacitor("C_o", "out", "gnd"), *p.load())


PAGE = Page(
    name="interleaved-buck",
    title="Interleaved buck converter, 2 to 8 phases",
    good_for="high current at low voltage; small output ripple",
    conversion="0 < V_o < V_in",
    isolated=False,
    roles=blocks.PHASE_ROLES,
    ripples=(("dI_ask", "I_max/N"),),
    sizing=SIZING,
    operation=OPERATION,
    circuit=circuit,
    gates=blocks.phase_switches,
    start=blocks.PHASE_START,
    idle=("S1", "D1"),
    proofs=(
        Proof("V_o", "load.v", "average"),
        Proof("D", "S1.gate", "average"),
        *blocks.inductor_proofs("L", element="L1"),
        Proof("dV_o", "load.v", "peak_to_peak", 0.05, "dV_ask"),
        Proof("I_Corms", "C_o.i", "rms", scale="dI_L"),
        *blocks.device_proofs("S1", "D1", shared=True),
        Proof("I_Cirms", "source.i", "ac_rms", scale="I_Lpk"),
    ),
    asks=blocks.single_asks(),
    figure=blocks.PHASE_PANELS,
)
