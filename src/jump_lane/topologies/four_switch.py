"""Four-switch buck-boost, gated together: steps up or down without inverting.

        in ──S1──┬── a ──L── b ──┬──D2──┬── out
                 │               │      │
                 D1              S2    C_o   load
                 │               │      │
        gnd ─────┴───────────────┴──────┴──

on      S1 and S2 conduct: L sees V_on = V_in, its current rises.
off     D1 and D2 conduct: L sees V_off = V_o reversed.  No switch sees more than V_in at the input side and V_o at the output.
idle    below the boundary load the current reaches zero and stays there.
"""

from __future__ import annotations

from jump_lane.circuit.elements import Element
from jump_lane.equations.sheet import CONTINUOUS, DISCONTINUOUS, WHOLE, Line
from jump_lane.topologies.blocks import capacitors, coil, roles
from jump_lane.topologies.blocks.coil import COIL
from jump_lane.topologies.blocks.sources import BOUNDARY_CONDITION, RIGHT_HALF_PLANE
from jump_lane.topologies.blocks.stress import stress
from jump_lane.topologies.page import Page, Ripple
from jump_lane.topologies.point import Point
from jump_lane.topologies.role import Role
from jump_lane.topologies.variant import Variant


def equations(v: Variant) -> tuple[Line, ...]:
    """Return its lines."""
    drops, switches = "V_FD1 + V_FD2", "(R_S1 + R_S2 + R_L)"
    return (
        coil.ratio(),
        coil.ideal("V_o/(V_in + V_o)"),
        *coil.lossy_duty(f"V_in + V_o + {drops} - R_Co*I_o", "V_in + (R_S1 + R_S2 - R_D1 - R_D2 - R_Co)*I_o", f"{switches}*I_o"),
        *coil.peak_ratio("R_L + R_S1 + R_S2"),
        *coil.volts(f"V_in - {switches}*I_c", f"V_o + {drops} + (R_D1 + R_D2 + R_L)*I_c"),
        *coil.handing_over(v),
        Line("K", "2*L*f_s/R_o", "", "conduction parameter", BOUNDARY_CONDITION, "min"),
        Line("K_crit", "(1 - D_i)**2", "", "conduction parameter at the boundary", BOUNDARY_CONDITION),
        *coil.handed_over(),
        Line("f_z", "D_2**2*R_o/(2*pi*D*L)", "Hz", "right-half-plane zero", RIGHT_HALF_PLANE, "min", modes=WHOLE),
        coil.ratio_left("D/(1 - D)"),
        *coil.carried("L", "I_o*(D + D_2)/D_2"),
        *capacitors.smoothing(COIL.during("D_2")),
        *stress("S1", COIL.during("D"), f"V_in + {v.drop('D1', 'I_Lpk')}"),
        *stress("S2", COIL.during("D"), f"V_o + dV_o/2 + {v.drop('D2', 'I_Lpk')}"),
        *stress("D1", COIL.during("D_2"), {CONTINUOUS: "V_in", DISCONTINUOUS: "max(V_in, V_o + V_FD2)"}),
        *stress("D2", COIL.during("D_2"), "V_o + dV_o/2"),
        *capacitors.supplying(COIL.during("D")),
    )


ROLES = (roles.S1, Role("S2", "switch"), roles.D1, Role("D2", "rectifier"), roles.L, roles.C_O, roles.C_I)


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point."""
    return (
        p.source(),
        p.switch("S1", "in", "a"),
        p.rectifier("D1", "gnd", "a"),
        p.inductor("L", "a", "b"),
        p.switch("S2", "b", "gnd"),
        p.rectifier("D2", "b", "out"),
        p.capacitor("C_o", "out", "gnd"),
        *p.load(),
    )


PAGE = Page(
    name="four-switch",
    title="Four-switch buck-boost converter, gated together",
    good_for="battery across its output voltage with a single inductor; simple control, more ripple",
    conversion="V_o > 0, any magnitude",
    roles=ROLES,
    ripples=(Ripple("L", "I_max*(V_in + V_o)/V_in"),),
    equations=equations,
    circuit=circuit,
    gates=roles.both_switches,
    figure=roles.panels("a", "L"),
)
