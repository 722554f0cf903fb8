"""Buck with tapped inductor: steps down far without short pulses; the rectifier carries n times the current.

        in ──S1── a ──N1──┬── tap ──N2──┬── out        n = (N1 + N2)/N2
                          D1           C_o   load
        gnd ──────────────┴─────────────┴──

on      S1 conducts: the whole winding sees V_on = V_in − V_o, its current rises and feeds the output.
off     D1 conducts at the tap: the whole winding sees V_off = n·V_o reversed, and n times its current flows to the output.
idle    below the boundary load the current reaches zero and stays there.
"""

from __future__ import annotations

from jump_lane.circuit.elements import Element, IdealTransformer, Inductor, Winding
from jump_lane.equations.sheet import CONTINUOUS, DISCONTINUOUS, Line
from jump_lane.topologies.blocks import capacitors, coil, roles, transformers
from jump_lane.topologies.blocks.coil import COIL
from jump_lane.topologies.blocks.sources import VOLT_SECONDS
from jump_lane.topologies.blocks.stress import stress
from jump_lane.topologies.page import Bound, Page, Ripple
from jump_lane.topologies.point import Point
from jump_lane.topologies.role import Role
from jump_lane.topologies.variant import Variant

IDLING = "sqrt(2*L*f_s*I_o*V_off/(V_on*(V_off + n*V_on)))"


def equations(v: Variant) -> tuple[Line, ...]:
    """Return its lines."""
    tapped = COIL.during("D_2").scaled("n")
    return (
        coil.ratio("min"),
        *transformers.turns_ratio("D_lim/(1 - D_lim)*max(V_in - V_o, 0.01*V_in)/(V_o + V_FD1)"),
        coil.ideal("n*V_o/(V_in - V_o + n*V_o)"),
        Line("I_c", "I_o/(D_i + n*(1 - D_i))", "A", "winding current with ideal parts", VOLT_SECONDS),
        *coil.volts("V_in - V_o - (R_S1 + R_pT + R_sT)*I_c", "n*(V_o + V_FD1 + (R_D1 + R_sT)*n*I_c)"),
        coil.balance(),
        *coil.sized(v, "V_on*D_c", load="(I_o/(D_c + n*(1 - D_c)))", full="(I_max/(D_c + n*(1 - D_c)))", phases="(D_c + n*(1 - D_c))"),
        *coil.times_of("L", {CONTINUOUS: "D_c", DISCONTINUOUS: IDLING}),
        *coil.carried("L", "I_o*(D + D_2)/(D + n*D_2)"),
        *capacitors.smoothing(COIL.during("D") + tapped),
        *stress("S1", COIL.during("D"), f"V_in + (n - 1)*V_o + abs(n - 1)*dV_o/2 + n*({v.drop('D1', 'n*I_Lpk')})", spike=True),
        *stress("D1", tapped, "V_o + (V_in - V_o)/n + abs(n - 1)*dV_o/(2*n)"),
        *capacitors.supplying(COIL.during("D")),
    )


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point."""
    upper = "T.p" if p["L_kT"] > 0.0 or p["R_pT"] > 0.0 else "a"
    lower = "T.s" if p["R_sT"] > 0.0 else "out"
    return (
        p.source(),
        p.switch("S1", "in", "a"),
        *transformers.path("k", "a", "T.p", p["L_kT"], p["R_pT"]),
        IdealTransformer("T", (Winding("N1", upper, "tap", p["n"] - 1.0), Winding("N2", "tap", lower, 1.0))),
        Inductor("L", upper, lower, p["L"]),
        *transformers.path("s", "T.s", "out", 0.0, p["R_sT"]),
        p.rectifier("D1", "gnd", "tap"),
        p.capacitor("C_o", "out", "gnd"),
        *p.load(),
    )


PAGE = Page(
    name="tapped-buck",
    title="Buck converter with tapped inductor",
    good_for="large steps down at a comfortable duty ratio; the tap brings the rectifier n times the current",
    conversion="0 < V_o < V_in",
    roles=(roles.S1, roles.D1, Role("T", "transformer"), Role("L", "magnetising"), roles.C_O, roles.C_I),
    ripples=(Ripple("L", "I_max/(D_i + n*(1 - D_i))"),),
    equations=equations,
    circuit=circuit,
    gates=roles.main_switch,
    duty_reserve=0.005,
    turns=(("N1 + N2 : N2", "n"),),
    bounds=(Bound("M", "D_lim", "the tap lies beyond the winding: raise duty_limit, or take a plain buck"),),
    figure=roles.panels("tap", "L"),
)
