"""Four-switch buck-boost with a buck and a boost region: steps up or down without inverting, with little ripple.

One control variable u runs through both regions.  Below 1 it is the duty ratio of S1, S2 stays open and D2
conducts (buck region, V_o < V_in); above 1, S1 stays on, D1 open, and u − 1 is the duty ratio of S2 (boost region).

        in ──S1──┬── a ──L── b ──┬──D2──┬── out
                 │               │      │
                 D1              S2    C_o   load
                 │               │      │
        gnd ─────┴───────────────┴──────┴──
"""

from __future__ import annotations

from jump_lane.circuit.control import Control
from jump_lane.circuit.elements import Element
from jump_lane.circuit.gates import Gates, Instant, Interval, on
from jump_lane.equations.sheet import CONTINUOUS, DISCONTINUOUS, REVERSED, WHOLE, Line
from jump_lane.topologies import blocks
from jump_lane.topologies.page import ByTarget, Page, Proof
from jump_lane.topologies.point import Point
from jump_lane.topologies.role import Role

BUCK = "(1 - s_r)"
"""Factor that leaves the buck region; s_r leaves the boost region."""

SIZING: tuple[Line | ByTarget, ...] = (
    Line("M", "V_o/V_in", "", "conversion ratio", blocks.DEFINITION),
    Line("V_1k", "V_in - V_o - V_FD2 - (R_S1 + R_D2 + R_L)*I_o", "V", "inductor voltage, S1 on, buck", blocks.WITH_LOSSES),
    Line("V_2k", "V_o + V_FD1 + V_FD2 + (R_D1 + R_D2 + R_L)*I_o", "V", "reversed, S1 off, buck", blocks.WITH_LOSSES),
    Line("D_k", "min(1, V_2k/max(V_1k + V_2k, V_2k))", "", "duty ratio of S1, continuous", blocks.WITH_LOSSES),
    Line("s_r", "floor(D_k)", "", "1 in the boost region, 0 in the buck region", blocks.DEFINITION),
    Line("a_D", "V_o + V_FD2 - R_Co*I_o", "V", "energy balance, boost: factor of D'²", blocks.ENERGY),
    Line("b_D", "V_in + (R_S2 - R_D2 - R_Co)*I_o - 2*t_d*f_s*V_BD2", "V", "energy balance, boost: factor of −D'", blocks.ENERGY),
    Line("c_D", "(R_L + R_S1 + R_S2)*I_o", "V", "energy balance, boost: what is left", blocks.ENERGY),
    Line("D_s", "max(0, s_r*(1 - (b_D + sqrt(b_D**2 - 4*a_D*c_D))/(2*a_D)))", "", "duty ratio of S2, continuous", blocks.ENERGY),
    Line("D_c", f"{BUCK}*(D_k + 2*t_d*f_s*V_BD1/(V_1k + V_2k)) + s_r*(1 + D_s)", "", "u, continuous", blocks.DEFINITION),
    Line("D_pk", "1 - sqrt((R_L + R_S1 + R_S2)/R_o)", "", "duty ratio of S2 at the highest output", blocks.PEAK_RATIO, "min"),
    Line("M_pk", "sqrt(R_o/(R_L + R_S1 + R_S2))/2", "", "highest conversion ratio", blocks.PEAK_RATIO, "min"),
    Line("I_c", "I_o/(1 - D_s)", "A", "inductor current, continuous", blocks.VOLT_SECONDS),
    Line(
        "Psi",
        f"({BUCK}*V_2k*(1 - D_k) + s_r*(V_in - (R_S1 + R_S2 + R_L)*I_c)*D_s)/f_s",
        "V*s",
        "volt-seconds of the inductor, continuous",
        blocks.VOLT_SECONDS,
    ),
    Line("L_rip", "Psi/dI_ask", "H", "inductance for the ripple asked", blocks.VOLT_SECONDS),
    Line("L_crit", "Psi/(2*I_c)", "H", "critical inductance at the load", blocks.BOUNDARY_CONDITION),
    Line("L_full", "Psi*(1 - D_s)/(2*I_max)", "H", "critical inductance at full load", blocks.BOUNDARY_CONDITION),
    blocks.inductance("L", "L_rip", "L_crit", "L_full"),
    Line("I_B", "Psi*(1 - D_s)/(2*L)", "A", "boundary load current", blocks.BOUNDARY_CONDITION),
)

OPERATION = (
    Line(
        "V_id",
        f"{BUCK}*abs(V_in - V_o - V_FD2)*(V_o + V_FD1 + V_FD2)/(V_in + V_FD1) + s_r*abs(V_o + V_FD2 - V_in)",
        "V",
        "voltage that sets the peak in discontinuous conduction",
        blocks.DISCONTINUOUS_RATIO,
    ),
    Line(
        "I_x",
        {CONTINUOUS: "I_c", DISCONTINUOUS: "sqrt(I_o*V_id/(2*L*f_s))"},
        "A",
        "current that sets the drops (half the peak in discontinuous conduction)",
        blocks.WITH_LOSSES,
    ),
    Line(
        "V_1",
        f"{BUCK}*(V_in - V_o - V_FD2 - (R_S1 + R_D2 + R_L)*I_x) + s_r*(V_in - (R_S1 + R_S2 + R_L)*I_x)",
        "V",
        "inductor voltage, current rising",
        blocks.WITH_LOSSES,
    ),
    Line(
        "V_2",
        f"{BUCK}*(V_o + V_FD1 + V_FD2 + (R_D1 + R_D2 + R_L)*I_x) + s_r*(V_o + V_FD2 - V_in + (R_S1 + R_D2 + R_L)*I_x + R_Co*(I_x - I_o))",
        "V",
        "inductor voltage reversed, current falling",
        blocks.WITH_LOSSES,
    ),
    Line(
        "D_p",
        {
            CONTINUOUS: "D_c - s_r",
            REVERSED: "D_c - s_r - t_d*f_s",
            DISCONTINUOUS: f"sqrt(2*L*f_s*I_o*V_2/V_1)*sqrt({BUCK}/(V_1 + V_2) + s_r/V_1)",
        },
        "",
        "duty ratio of the switch that is working",
        blocks.DISCONTINUOUS_RATIO,
    ),
    Line("D", "s_r + D_p", "", "control variable u that holds the output", blocks.DEFINITION),
    Line("D_1", {CONTINUOUS: "D_p", REVERSED: "D_p + t_d*f_s"}, "", "rising part of the period", blocks.KIRCHHOFF),
    Line(
        "D_2",
        {CONTINUOUS: "1 - D_1", DISCONTINUOUS: "D_1*V_1/V_2"},
        "",
        "falling part of the period (second interval)",
        blocks.DISCONTINUOUS_RATIO,
    ),
    Line("dI_L", "V_1*D_1/(f_s*L)", "A", "inductor ripple, peak to peak", blocks.VOLT_SECONDS),
    Line(
        "I_m", {CONTINUOUS: f"{BUCK}*I_o + s_r*I_o/D_2", DISCONTINUOUS: "dI_L/2"}, "A", "middle of the inductor's slope", blocks.KIRCHHOFF
    ),
    Line("f_z", "D_2**2*R_o/(2*pi*L*s_r)", "Hz", "right-half-plane zero, boost region", blocks.RIGHT_HALF_PLANE, "min", modes=WHOLE),
    *blocks.inductor("L", "(D_1 + D_2)*I_m", "dI_L", "D_1 + D_2"),
    Line("d_S1", "D_1 + s_r*D_2", "", "part of the period in which S1 carries current", blocks.KIRCHHOFF),
    Line("d_D2", f"D_2 + {BUCK}*D_1", "", "part of the period in which D2 carries current", blocks.KIRCHHOFF),
    Line("I_S1", "d_S1*I_m", "A", "average current of switch S1", blocks.RMS_VALUES),
    Line("I_S1rms", "sqrt(d_S1*(I_m**2 + dI_L**2/12))", "A", "rms current of switch S1", blocks.RMS_VALUES),
    Line("I_D1", f"{BUCK}*D_2*I_m", "A", "average current of rectifier D1", blocks.RMS_VALUES),
    Line("I_S2", "s_r*D_1*I_m", "A", "average current of switch S2", blocks.RMS_VALUES),
    Line("I_D2", "d_D2*I_m", "A", "average current of rectifier D2", blocks.RMS_VALUES),
    Line("I_D2rms", "sqrt(d_D2*(I_m**2 + dI_L**2/12))", "A", "rms current of rectifier D2", blocks.RMS_VALUES),
    *blocks.smoothing(blocks.Shape("I_Lpk", (("D_1", f"{BUCK}*I_Lv/I_Lpk", BUCK), ("D_2", "1", "I_Lv/I_Lpk")))),
    Line("k_d", "min(1, 1e9*t_d*f_s)", "", "1 with dead time, 0 without", blocks.DEFINITION),
    Line("I_S1pk", "I_Lpk", "A", "peak current of switch S1", blocks.KIRCHHOFF),
    Line("I_D1pk", f"{BUCK}*I_Lpk", "A", "peak current of rectifier D1", blocks.KIRCHHOFF),
    Line("I_S2pk", "s_r*I_Lpk", "A", "peak current of switch S2", blocks.KIRCHHOFF),
    Line("I_D2pk", "I_Lpk", "A", "peak current of rectifier D2", blocks.KIRCHHOFF),
    Line(
        "V_S1",
        f"{BUCK}*(V_in + max(V_FD1 + R_D1*I_Lpk, k_d*V_BD1))",
        "V",
        "voltage that switch S1 blocks (it stays closed in the boost region)",
        blocks.KIRCHHOFF,
    ),
    Line("V_D1", "V_in - R_S1*I_Lv", "V", "voltage that rectifier D1 blocks", blocks.KIRCHHOFF),
    Line("V_S2", "V_o + dV_o/2 + max(V_FD2 + R_D2*I_Lpk, s_r*k_d*V_BD2)", "V", "voltage that switch S2 blocks", blocks.KIRCHHOFF),
    Line(
        "V_D2",
        "s_r*(V_o + dV_o/2 - R_S2*I_Lv)",
        "V",
        "voltage that rectifier D2 blocks (it always conducts in the buck region)",
        blocks.KIRCHHOFF,
    ),
    Line("V_S1r", "(1 + m_V)*V_in", "V", "voltage rating S1 and D1 should have", blocks.MARGIN),
    Line("V_S2r", "(1 + m_V)*(V_o + dV_o/2)", "V", "voltage rating S2 and D2 should have", blocks.MARGIN),
    *blocks.chopped_input("d_S1", "I_m", "dI_L"),
)


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


def gates(control: Instant, p: Point) -> Gates:
    """Return the gate pattern: S1 works below u = 1, S2 above; synchronous D1 and D2 in the rest."""
    boost = control.fraction > 1.0
    first: tuple[Interval, ...] = on(0.0, 1.0) if boost else on(0.0, control)
    second: tuple[Interval, ...] = on(0.0, control - 1.0) if boost else ()
    return {"S1": first, "S2": second, **p.rectify(D1=first, D2=second)}


PAGE = Page(
    name="four-switch-regions",
    title="Four-switch buck-boost converter, buck and boost regions",
    good_for="battery across its output voltage with a single inductor; less ripple than gated together",
    conversion="V_o > 0, any magnitude",
    isolated=False,
    roles=(
        Role("S1", "switch"),
        Role("S2", "switch"),
        Role("D1", "rectifier"),
        Role("D2", "rectifier"),
        Role("L", "inductor"),
        Role("C_o", "capacitor"),
        Role("C_i", "capacitor"),
    ),
    ripples=(("dI_ask", "I_max*max(V_o/V_in, 1)"),),
    sizing=SIZING,
    operation=OPERATION,
    circuit=circuit,
    gates=gates,
    control=Control("D", "control through both regions (below 1 stepping down, above 1 up)", highest=2.0),
    start={"L": "I_Lv", "C_o": "V_o"},
    idle=("S2", "D2"),
    proofs=(
        Proof("V_o", "load.v", "average"),
        *blocks.inductor_proofs("L"),
        *blocks.output_proofs(),
        Proof("I_S1pk", "S1.i", "maximum"),
        Proof("I_D1pk", "D1.i", "maximum", scale="I_Lpk"),
        Proof("I_S2pk", "S2.i", "maximum", scale="I_Lpk"),
        Proof("I_D2pk", "D2.i", "maximum"),
        Proof("V_S1", "S1.v", "maximum", scale="V_in", modes=(CONTINUOUS,)),
        Proof("V_D1", "D1.v", "reverse", modes=(CONTINUOUS,)),
        Proof("V_S2", "S2.v", "maximum", modes=(CONTINUOUS,)),
        Proof("V_D2", "D2.v", "reverse", scale="V_o", modes=(CONTINUOUS,)),
        Proof("I_S1", "S1.i", "average", 0.02),
        Proof("I_S1rms", "S1.i", "rms", 0.02),
        Proof("I_D1", "D1.i", "average", 0.02, "I_Lpk"),
        Proof("I_S2", "S2.i", "average", 0.02, "I_Lpk"),
        Proof("I_D2", "D2.i", "average", 0.02),
        Proof("I_D2rms", "D2.i", "rms", 0.02),
        Proof("I_Cirms", "source.i", "ac_rms", scale="I_Lpk"),
    ),
    asks=blocks.single_asks(),
    figure=(
        ("gate", ("S1.gate", "S2.gate")),
        ("inductor current", ("L.i",)),
        ("switch nodes", ("@a", "@b")),
        ("rectifier currents", ("D1.i", "D2.i")),
        ("output ripple", ("load.v~",)),
        ("output level", ("load.v=",)),
    ),
)
