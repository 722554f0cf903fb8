"""Interleaved boost: N boost phases in parallel, shifted by equal parts of the period.

               ┌──L1──┬── sw1 ──D1──┐
        in ────┤      S1            ├── out
               ├──L2──┬── sw2 ──D2──┤
               │      S2            C_o   load
               ⋮                    │
        gnd ────────────────────────┴──

Every phase is a boost converter with the N-th part of the load.  The ripples of the input currents cancel in part
(wholly where N·D is a whole number), and the output capacitor is charged N times in a period.
"""

from __future__ import annotations

from jump_lane.circuit.elements import Element
from jump_lane.equations.sheet import WHOLE, Line, Proof
from jump_lane.topologies.blocks import capacitors, coil, roles
from jump_lane.topologies.blocks.coil import COIL
from jump_lane.topologies.blocks.shape import Shape
from jump_lane.topologies.blocks.sources import BOUNDARY_CONDITION, PEAK_RATIO, PIECES, RIGHT_HALF_PLANE
from jump_lane.topologies.blocks.stress import stress
from jump_lane.topologies.interleaved_buck import ALL, SHARES
from jump_lane.topologies.page import Page, Ripple
from jump_lane.topologies.point import Point
from jump_lane.topologies.variant import Variant


def equations(v: Variant) -> tuple[Line, ...]:
    """Return its lines."""
    delivered = Shape((("D", "0", "0"), ("D_2", "I_Lpk", "I_Lv")), count="N")
    return (
        *SHARES,
        coil.ratio(),
        coil.ideal("1 - V_in/V_o"),
        *coil.lossy_duty("V_o + V_FD1", "V_in + (R_S1 - R_D1)*I_ph", "(R_L + R_S1)*I_ph", "I_ph"),
        Line("D_pk", "1 - sqrt((R_L + R_S1)/(N*R_o))", "", "duty ratio of the highest output", PEAK_RATIO, "min"),
        Line("M_pk", "sqrt(N*R_o/(R_L + R_S1))/2", "", "highest conversion ratio", PEAK_RATIO, "min"),
        *coil.volts("V_in - (R_S1 + R_L)*I_c", "V_o - V_in + V_FD1 + (R_D1 + R_L)*I_c"),
        *coil.handing_over(v, load="I_ph", full="I_phf", phases="N"),
        Line("K", "2*L*f_s/(N*R_o)", "", "conduction parameter", BOUNDARY_CONDITION, "min"),
        Line("K_crit", "D_i*(1 - D_i)**2", "", "conduction parameter at the boundary", BOUNDARY_CONDITION),
        *coil.handed_over(load="I_ph", element="L1"),
        Line("f_z", "D_2**2*R_o*N/(2*pi*L)", "Hz", "right-half-plane zero", RIGHT_HALF_PLANE, "min", modes=WHOLE),
        *coil.carried("L", "I_ph*(D + D_2)/D_2", element="L1"),
        *capacitors.together(delivered, "I_Lpk"),
        *stress("S1", COIL.during("D"), f"V_o + dV_o/2 + {v.drop('D1', 'I_Lpk')}"),
        *stress("D1", COIL.during("D_2"), "V_o + dV_o/2"),
        Line(
            "dI_in",
            ALL.peak_to_peak,
            "A",
            "ripple of the input current, peak to peak",
            PIECES,
            proof=Proof("source.i", "peak_to_peak", scale="dI_L"),
        ),
        *capacitors.together_drawn(ALL, "dI_L"),
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
    roles=roles.PHASES,
    ripples=(Ripple("L", "I_max*V_o/(N*V_in)"),),
    equations=equations,
    circuit=circuit,
    gates=roles.phase_switches,
    figure=roles.PHASE_PANELS,
)
