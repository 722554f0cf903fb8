"""Buck with tapped inductor: steps down far without short pulses; the rectifier carries n times the current.

While S1 conducts, the whole winding sees V_1 = V_in − V_o; while D1 conducts at the tap, it sees V_2 = n·V_o, and n times its current flows to the output.

        in ──S1── a ──N1──┬── tap ──N2──┬── out        n = (N1 + N2)/N2
                          D1           C_o   load
        gnd ──────────────┴─────────────┴──
"""

from __future__ import annotations

from jump_lane.circuit.elements import Element, IdealTransformer, Inductor, Winding
from jump_lane.equations.sheet import CONTINUOUS, DISCONTINUOUS, REVERSED, Line
from jump_lane.topologies import blocks
from jump_lane.topologies.blocks import transformers
from jump_lane.topologies.page import Bound, Entry, Page
from jump_lane.topologies.point import Point
from jump_lane.topologies.role import Role

KEEP, BALANCE, NODES, DROPS = blocks.DEFINITION, blocks.VOLT_SECONDS, blocks.KIRCHHOFF, blocks.WITH_LOSSES
EDGE = blocks.BOUNDARY_CONDITION
ON, OFF = "V_in - V_o - (R_S1 + R_pT + R_sT)*{I}", "n*(V_o + V_FD1 + (R_D1 + R_sT)*n*{I})"
BLOCKED = {CONTINUOUS: "V_o + (V_in - V_o)/n", REVERSED: "V_o + (V_in - V_o + k_d*V_BS1)/n"}
WHOLE = "D_c + n*(1 - D_c)"

SIZING: tuple[Entry, ...] = (
    Line("M", "V_o/V_in", "", "conversion ratio", KEEP, "min"),
    *transformers.turns_ratio("D_lim/(1 - D_lim)*max(V_in - V_o, 0.01*V_in)/(V_o + V_FD1)"),
    Line("D_i", "n*V_o/(V_in - V_o + n*V_o)", "", "duty ratio with ideal parts", BALANCE),
    Line("I_i", "I_o/(D_i + n*(1 - D_i))", "A", "winding current with ideal parts", BALANCE),
    Line("V_1c", ON.format(I="I_i"), "V", "winding voltage, S1 on", DROPS),
    Line("V_2c", OFF.format(I="I_i"), "V", "winding voltage reversed, S1 off", DROPS),
    Line("D_c", "(V_2c + 2*t_d*f_s*n*V_BD1)/(V_1c + V_2c)", "", "duty ratio with drops, continuous", BALANCE),
    Line("L_rip", "V_1c*D_c/(f_s*dI_ask)", "H", "inductance for the ripple asked", BALANCE),
    Line("L_crit", f"V_1c*D_c*({WHOLE})/(2*f_s*I_o)", "H", "critical inductance", EDGE),
    Line("L_full", f"V_1c*D_c*({WHOLE})/(2*f_s*I_max)", "H", "the same at full load", EDGE),
    blocks.inductance("L", "L_rip", "L_crit", "L_full"),
    Line("I_B", f"V_1c*D_c*({WHOLE})/(2*f_s*L)", "A", "boundary load current", EDGE),
)

IDLING = "sqrt(I_o*(V_o + V_FD1)*(V_in - V_o)/(2*L*f_s*(V_in + V_FD1)))"
MIDDLE = {CONTINUOUS: "I_o/(D_1 + n*D_2)", DISCONTINUOUS: "dI_L/2"}
DUTY = {
    CONTINUOUS: "(V_2 + 2*t_d*f_s*n*V_BD1)/(V_1 + V_2)",
    REVERSED: "(V_2 + t_d*f_s*(n*V_BD1 - V_BS1))/(V_1 + V_2) - t_d*f_s",
    DISCONTINUOUS: "sqrt(2*L*f_s*I_o*V_2/(V_1*(V_2 + n*V_1)))",
}
DELIVERED = blocks.Shape("(n*I_Lpk)", (("D_1", "I_Lv/(n*I_Lpk)", "1/n"), ("D_2", "1", "I_Lv/I_Lpk")))

OPERATION = (
    Line("I_x", {CONTINUOUS: "I_i", DISCONTINUOUS: IDLING}, "A", "current that sets the drops", DROPS),
    Line("V_1", ON.format(I="I_x"), "V", "winding voltage, S1 on", DROPS),
    Line("V_2", OFF.format(I="I_x"), "V", "winding voltage reversed, S1 off", DROPS),
    Line("D", DUTY, "", "duty ratio that holds the output", blocks.DISCONTINUOUS_RATIO),
    *blocks.pulse_times(),
    Line("dI_L", "V_1*D_1/(f_s*L)", "A", "ripple of the winding current, peak to peak", BALANCE),
    Line("I_m", MIDDLE, "A", "middle of its slopes", NODES),
    *blocks.inductor("L", "(D_1 + D_2)*I_m", "dI_L", "D_1 + D_2"),
    *blocks.device("S1", "D_1", "I_m", "dI_L", "V_in + (n - 1)*V_o + n*max(V_FD1 + R_D1*n*I_Lpk, k_d*V_BD1)"),
    *blocks.device("D1", "D_2", "(n*I_m)", "(n*dI_L)", BLOCKED, "rectifier"),
    blocks.with_spike("S1"),
    *blocks.smoothing(DELIVERED),
    *blocks.chopped_input("D_1", "I_m", "dI_L"),
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
    isolated=False,
    roles=(*blocks.SINGLE_ROLES[:2], Role("T", "transformer"), Role("L", "magnetising"), *blocks.SINGLE_ROLES[3:]),
    ripples=(("dI_ask", "I_max/(D_i + n*(1 - D_i))"),),
    sizing=SIZING,
    operation=OPERATION,
    circuit=circuit,
    gates=blocks.main_switch,
    start={"L": "I_Lv", "C_o": "V_o"},
    idle=("S1", "D1"),
    duty_reserve=0.005,
    looser={"R_pT": 0.03},
    turns=(("N1 + N2 : N2", "n"),),
    bounds=(Bound("M", "D_lim", "the tap lies beyond the winding: raise duty_limit, or take a plain buck"),),
    proofs=blocks.single_proofs(),
    asks=blocks.single_asks(),
    figure=blocks.panels("tap", "L"),
)
