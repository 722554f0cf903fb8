"""Buck: steps a voltage down, 0 < V_o < V_in.

        in ──S1──┬── sw ──L──┬── out
                 │           │
                 D1         C_o   load
                 │           │
        gnd ─────┴───────────┴──

on      S1 conducts: L sees V_on = V_in − V_o, its current rises.
off     D1 conducts: L sees V_off = V_o reversed, its current falls.
idle    below the boundary load the current reaches zero and stays there.
"""

from __future__ import annotations

from jump_lane.circuit.elements import Element
from jump_lane.equations.sheet import CONTINUOUS, DISCONTINUOUS, Line
from jump_lane.topologies.blocks import averaged, capacitors, coil, roles
from jump_lane.topologies.blocks.coil import COIL
from jump_lane.topologies.blocks.sources import BOUNDARY_CONDITION, DISCONTINUOUS_RATIO
from jump_lane.topologies.blocks.stress import stress
from jump_lane.topologies.page import Page, Ripple
from jump_lane.topologies.point import Point
from jump_lane.topologies.variant import Variant


def equations(v: Variant) -> tuple[Line, ...]:
    """Return its lines."""
    return (
        coil.ratio("min"),
        coil.ideal("V_o/V_in"),
        *coil.volts("V_in - V_o - (R_S1 + R_L)*I_o", "V_o + V_FD1 + (R_D1 + R_L)*I_o"),
        *coil.stepping_down(v),
        Line("K", "2*L*f_s/R_o", "", "conduction parameter", BOUNDARY_CONDITION, "min"),
        Line("K_crit", "1 - D_i", "", "conduction parameter at the boundary", BOUNDARY_CONDITION),
        *coil.fed(),
        Line(
            "M_dcm",
            {CONTINUOUS: "D_i", DISCONTINUOUS: "2/(1 + sqrt(1 + 4*K/D**2))"},
            "",
            "conversion ratio at this duty ratio with ideal parts",
            DISCONTINUOUS_RATIO,
            "min",
        ),
        *coil.carried("L", "I_o"),
        *stress("S1", COIL.during("D"), f"V_in + {v.drop('D1', 'I_Lpk')}"),
        *stress("D1", COIL.during("D_2"), "V_in"),
        *capacitors.smoothing(COIL),
        *capacitors.supplying(COIL.during("D")),
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
    roles=roles.SINGLE,
    ripples=(Ripple("L", "I_max"),),
    equations=equations,
    circuit=circuit,
    gates=roles.main_switch,
    figure=roles.panels("sw", "L"),
    averaged=averaged.filtered("R_L + D*R_S1 + (1 - D)*R_D1"),
)
