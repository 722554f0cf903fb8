"""Inverting buck-boost: a negative output of smaller or larger magnitude than the input; V_o is its magnitude.

        in ──S1──┬── sw ──D1 (reversed)──┬── out (negative)
                 │                       │
                 L                      C_o   load
                 │                       │
        gnd ─────┴───────────────────────┴──

on      S1 conducts: L sees V_on = V_in, its current rises.
off     D1 conducts: L sees V_off = V_o reversed and hands its current over to the output.
idle    below the boundary load the current reaches zero and stays there.
"""

from __future__ import annotations

from jump_lane.circuit.elements import Element
from jump_lane.equations.sheet import WHOLE, Line
from jump_lane.topologies.blocks import averaged, capacitors, coil, roles
from jump_lane.topologies.blocks.coil import COIL
from jump_lane.topologies.blocks.sources import BOUNDARY_CONDITION, RIGHT_HALF_PLANE
from jump_lane.topologies.blocks.stress import stress
from jump_lane.topologies.page import Page, Ripple
from jump_lane.topologies.point import Point
from jump_lane.topologies.variant import Variant


def equations(v: Variant) -> tuple[Line, ...]:
    """Return its lines."""
    return (
        coil.ratio(),
        coil.ideal("V_o/(V_in + V_o)"),
        *coil.lossy_duty("V_in + V_o + V_FD1 - R_Co*I_o", "V_in + (R_S1 - R_D1 - R_Co)*I_o", "(R_L + R_S1)*I_o"),
        *coil.peak_ratio("R_L + R_S1"),
        *coil.volts("V_in - (R_S1 + R_L)*I_c", "V_o + V_FD1 + (R_D1 + R_L)*I_c"),
        *coil.handing_over(v),
        Line("K", "2*L*f_s/R_o", "", "conduction parameter", BOUNDARY_CONDITION, "min"),
        Line("K_crit", "(1 - D_i)**2", "", "conduction parameter at the boundary", BOUNDARY_CONDITION),
        *coil.handed_over(),
        Line("f_z", "D_2**2*R_o/(2*pi*D*L)", "Hz", "right-half-plane zero", RIGHT_HALF_PLANE, "min", modes=WHOLE),
        coil.ratio_left("D/(1 - D)"),
        *coil.carried("L", "I_o*(D + D_2)/D_2"),
        *capacitors.smoothing(COIL.during("D_2")),
        *stress("S1", COIL.during("D"), f"V_in + V_o + dV_o/2 + {v.drop('D1', 'I_Lpk')}"),
        *stress("D1", COIL.during("D_2"), "V_in + V_o + dV_o/2"),
        *capacitors.supplying(COIL.during("D")),
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
    inverting=True,
    roles=roles.SINGLE,
    ripples=(Ripple("L", "I_max*(V_in + V_o)/V_in"),),
    equations=equations,
    circuit=circuit,
    gates=roles.main_switch,
    figure=roles.panels("sw", "L"),
    averaged=averaged.handed(
        gain="(V_o + V_FD1)/(D*(1 - D))*(1 - D*r_a/R_o)/(1 + r_a/R_o)",
        zero="(1 - D)**2*R_o*(1 - D*r_a/R_o)/(2*pi*D*L)",
        gain_dcm="V_o/D",
        pole="1/(pi*R_o*C_o)",
    ),
)
