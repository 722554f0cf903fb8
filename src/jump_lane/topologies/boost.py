"""Boost: steps a voltage up, V_o > V_in.

        in ──L──┬── sw ──D1──┬── out
                │            │
                S1          C_o   load
                │            │
        gnd ────┴────────────┴──

on      S1 conducts: L sees V_on = V_in, its current rises.
off     D1 conducts: L sees V_off = V_o − V_in reversed and hands its current over to the output.
idle    below the boundary load the current reaches zero and stays there.
"""

from __future__ import annotations

from jump_lane.circuit.elements import Element
from jump_lane.equations.sheet import WHOLE, Line
from jump_lane.topologies.blocks import averaged, capacitors, coil, roles
from jump_lane.topologies.blocks.coil import COIL
from jump_lane.topologies.blocks.sources import BOUNDARY_CONDITION, PEAK_RATIO, RIGHT_HALF_PLANE
from jump_lane.topologies.blocks.stress import stress
from jump_lane.topologies.page import Page, Ripple
from jump_lane.topologies.point import Point
from jump_lane.topologies.variant import Variant


def equations(v: Variant) -> tuple[Line, ...]:
    """Return its lines."""
    return (
        coil.ratio(),
        coil.ideal("1 - V_in/V_o"),
        *coil.lossy_duty("V_o + V_FD1 - R_Co*I_o", "V_in + (R_S1 - R_D1 - R_Co)*I_o", "(R_L + R_S1)*I_o"),
        Line("D_pk", "1 - sqrt((R_L + R_S1)/R_o)", "", "duty ratio of the highest output", PEAK_RATIO, "min"),
        Line("M_pk", "sqrt(R_o/(R_L + R_S1))/2", "", "highest conversion ratio", PEAK_RATIO, "min"),
        *coil.volts("V_in - (R_S1 + R_L)*I_c", "V_o - V_in + V_FD1 + (R_D1 + R_L)*I_c"),
        *coil.handing_over(v),
        Line("K", "2*L*f_s/R_o", "", "conduction parameter", BOUNDARY_CONDITION, "min"),
        Line("K_crit", "D_i*(1 - D_i)**2", "", "conduction parameter at the boundary", BOUNDARY_CONDITION),
        *coil.handed_over(),
        Line("f_z", "D_2**2*R_o/(2*pi*L)", "Hz", "right-half-plane zero", RIGHT_HALF_PLANE, "min", modes=WHOLE),
        coil.ratio_left("1/(1 - D)"),
        *coil.carried("L", "I_o*(D + D_2)/D_2"),
        *capacitors.smoothing(COIL.during("D_2")),
        *stress("S1", COIL.during("D"), f"V_o + dV_o/2 + {v.drop('D1', 'I_Lpk')}"),
        *stress("D1", COIL.during("D_2"), "V_o + dV_o/2"),
        *capacitors.supplying(COIL),
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
    roles=roles.SINGLE,
    ripples=(Ripple("L", "I_max*V_o/V_in"),),
    equations=equations,
    circuit=circuit,
    gates=roles.main_switch,
    figure=roles.panels("sw", "L"),
    averaged=averaged.handed(
        gain="(V_o + V_FD1)/(1 - D)*(1 - r_a/R_o)/(1 + r_a/R_o)",
        zero="(1 - D)**2*R_o*(1 - r_a/R_o)/(2*pi*L)",
        gain_dcm="2*V_o/D*(M - 1)/(2*M - 1)",
        pole="(2*M - 1)/((M - 1)*2*pi*R_o*C_o)",
    ),
)
