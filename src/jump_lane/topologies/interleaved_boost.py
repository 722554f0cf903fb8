"""Interleaved boost: N boost phases in parallel, shifted by equal parts of the period.

Every phase is a boost converter with the N-th part of the load.  The ripples of the input currents cancel in part
(wholly where N·D is a whole number), and the output capacitor is charged N times in a period.

               ┌──L1──┬── sw1 ──D1──┐
        in ────┤      S1            ├── out
               ├──L2──┬── sw2 ──D2──┤
               │      S2            C_o   load
               ⋮                    │
        gnd ────────────────────────┴──
"""

from __future__ import annotations

from jump_lane.circuit.elements import Element
from jump_lane.equations.sheet import CONTINUOUS, REVERSED, WHOLE, Line
from jump_lane.topologies import blocks
from jump_lane.topologies.page import Page, Proof
from jump_lane.topologies.point import Point

SIZING = (
    *blocks.shares(),
    Line("M", "V_o/V_in", "", "conversion ratio", blocks.DEFINITION),
    Line("D_i", "1 - V_in/V_o", "", "duty ratio with ideal parts", blocks.VOLT_SECONDS),
    *blocks.lossy_duty("V_o + V_FD1", "V_in + (R_S1 - R_D1)*I_ph - 2*t_d*f_s*V_BD1", "(R_L + R_S1)*I_ph", "I_ph"),
    Line("D_pk", "1 - sqrt((R_L + R_S1)/(N*R_o))", "", "duty ratio of the highest output", blocks.PEAK_RATIO, "min"),
    Line("M_pk", "sqrt(N*R_o/(R_L + R_S1))/2", "", "highest conversion ratio", blocks.PEAK_RATIO, "min"),
    Line("V_1c", "V_in - (R_S1 + R_L)*I_c", "V", "inductor voltage, switch on", blocks.WITH_LOSSES),
    *blocks.single_inductor_sizing("I_ph", "I_phf", "N"),
    Line("K", "2*L*f_s/(N*R_o)", "", "conduction parameter", blocks.BOUNDARY_CONDITION, "min"),
    Line("K_crit", "D_i*(1 - D_i)**2", "", "conduction parameter at the boundary", blocks.BOUNDARY_CONDITION),
)

OPERATION = (
    *blocks.handed_over("V_in - (R_S1 + R_L)*I_x", "V_o - V_in + V_FD1 + (R_D1 + R_L)*I_x", "V_o - V_in + V_FD1", "L", "I_ph"),
    Line("dI_L", "dI", "A", "ripple of one inductor, peak to peak", blocks.VOLT_SECONDS),
    Line("f_z", "D_2**2*R_o*N/(2*pi*L)", "Hz", "right-half-plane zero", blocks.RIGHT_HALF_PLANE, "min", modes=WHOLE),
    *blocks.inductor("L", "(D_1 + D_2)*I_m", "dI_L", "D_1 + D_2"),
    *blocks.together(blocks.Shape("I_pk", (("D_1", "0", "0"), ("D_2", "1", "I_v/I_pk")), "N")),
    *blocks.device("S1", "D_1", "I_m", "dI", "V_o + dV_o/2 + max(V_FD1 + R_D1*I_pk, k_d*V_BD1)"),
    *blocks.device(
        "D1", "D_2", "I_m", "dI", {CONTINUOUS: "V_o + dV_o/2 - R_S1*I_v", REVERSED: "V_o + dV_o/2 + max(-R_S1*I_v, k_d*V_BS1)"}, "rectifier"
    ),
    *blocks.together_drawn(blocks.triangle("dI", count="N")),
)


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point."""
    phases = [
        element
        for k in range(1, int(p["N"]) + 1)
        for element in (
            p.phase_inductor(f"L{k}", "in", f"sw{k}", "L"),
            p.switch(f"S{k}", f"sw{k}", "gnd"),
            p.rectifier(f"D{k}", f"sw{k}", "out"),
        )
    ]
    return (p.source(), *phases, p.capacitor("C_o", "out", "gnd"), *p.load())


PAGE = Page(
    name="interleaved-boost",
    title="Interleaved boost converter, 2 to 8 phases",
    good_for="higher power from a battery; small input ripple",
    conversion="V_o > V_in",
    isolated=False,
    roles=blocks.PHASE_ROLES,
    ripples=(("dI_ask", "I_max*V_o/(N*V_in)"),),
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
        Proof("I_Corms", "C_o.i", "rms", scale="I_Lpk"),
        *blocks.device_proofs("S1", "D1", shared=True),
        Proof("dI_in", "source.i", "peak_to_peak", scale="dI_L"),
        Proof("I_Cirms", "source.i", "ac_rms", scale="dI_L"),
    ),
    asks=blocks.single_asks(),
    figure=blocks.PHASE_PANELS,
)
