"""Current-fed full bridge: a boost converter whose output goes through a transformer.

While all four switches conduct, L sees V_in; while one diagonal conducts alone, L hands its current over through the
transformer, which reflects V_or = n·(V_o + 2·V_F).  The control variable D is the part of each half period in which
all switches conduct.

        in ──L──┬── p ──S1──┬── a ── Np ── b ──┬──S3── p          ┌─D1─┬── out
                │           S2   (dot at a)    S4           Ns ──┤     C_o   load
        gnd ────┴───────────┴──────────────────┴──               └─D3─┴──
"""

from __future__ import annotations

from jump_lane.circuit.elements import Element, IdealTransformer, Inductor, Winding
from jump_lane.circuit.gates import Gates, Instant, complement, on, shifted
from jump_lane.derivation import CONTINUOUS, DISCONTINUOUS, REVERSED, Line
from jump_lane.topologies import blocks
from jump_lane.topologies.blocks import transformers
from jump_lane.topologies.blocks.rewriting import TWICE, rewritten
from jump_lane.topologies.page import Entry, Page, Point, Proof, Role

OFF = "(2*R_S1 + R_pT + n**2*(2*R_D1 + R_sT))"

SIZING: tuple[Entry, ...] = (
    Line("M", "V_o/V_in", "", "conversion ratio", blocks.DEFINITION),
    *transformers.turns_ratio("V_in/((1 - D_lim)*(V_o + 2*V_FD1))"),
    *transformers.reflected("2*V_FD1"),
    Line("D_i", "1 - V_in/(n*V_o)", "", "duty ratio with ideal parts", blocks.VOLT_SECONDS),
    *rewritten(
        (
            *blocks.lossy_duty(
                "V_or - n*R_Co*I_o",
                f"V_in + (R_S1 - {OFF} - n**2*R_Co)*I_or - 4*t_d*f_s*n*V_BD1",
                "(R_L + R_S1)*I_or",
                "I_or",
            ),
            Line(
                "V_1c",
                "V_in - (R_S1 + R_L)*I_c",
                "V",
                "inductor voltage, all switches on",
                blocks.WITH_LOSSES,
            ),
            *blocks.single_inductor_sizing("I_or", "I_max/n", "n"),
        ),
        TWICE,
    ),
    Line(
        "L_m",
        "V_or*(1 - D_c)*n/(2*f_s*r_m*I_max)",
        "H",
        "magnetising inductance for its asked ripple",
        blocks.VOLT_SECONDS,
        component=True,
    ),
)

OPERATION = (
    *rewritten(
        (
            *blocks.handed_over(
                "V_in - (R_S1 + R_L)*I_x",
                f"V_or - V_in + ({OFF} + R_L)*I_x + n*R_Co*(n*I_x - I_o)",
                "V_or - V_in",
                "L",
                "I_or",
            ),
            Line("dI_L", "dI", "A", "inductor ripple, peak to peak", blocks.VOLT_SECONDS),
            Line(
                "f_z",
                "D_2**2*n**2*R_o/(2*pi*L)",
                "Hz",
                "right-half-plane zero",
                blocks.RIGHT_HALF_PLANE,
                "min",
            ),
            *blocks.inductor("L", "(D_1 + D_2)*I_m", "dI_L", "D_1 + D_2"),
            Line(
                "dI_Lm",
                {CONTINUOUS: "V_or*D_2/(f_s*L_m)", DISCONTINUOUS: "0*V_or/(f_s*L_m)"},
                "A",
                "ripple of the magnetising current, peak to peak",
                blocks.VOLT_SECONDS,
            ),
            Line("I_sa", "n*(I_pk + dI_Lm/2)", "A", "first current of the secondary", blocks.KIRCHHOFF),
            Line("I_sb", "n*(I_v - dI_Lm/2)", "A", "last current of the secondary", blocks.KIRCHHOFF, "min"),
            Line(
                "I_rect",
                "sqrt(D_2*(I_sa**2 + I_sa*I_sb + I_sb**2)/3)",
                "A",
                "rms current of the rectifiers together",
                blocks.RMS_VALUES,
            ),
            *blocks.chopped_output(peak="I_sa", valley="I_sb", rms="I_rect", ripple="(I_sa - I_sb)"),
        ),
        TWICE | {"R_o": "R_o"},
    ),
    Line("I_S1", "I_L/2", "A", "average current of a switch", blocks.KIRCHHOFF),
    Line(
        "I_S1rms",
        "sqrt((D_2/2 + D_1/4)*(I_m**2 + dI**2/12))",
        "A",
        "rms current of a switch",
        blocks.RMS_VALUES,
    ),
    Line("I_S1pk", "I_pk", "A", "peak current of a switch", blocks.KIRCHHOFF),
    Line(
        "V_S1",
        "n*(V_o + dV_o/2) + R_S1*I_pk + max(2*n*V_FD1 + (R_pT + n**2*(2*R_D1 + R_sT))*I_pk, k_d*2*n*V_BD1)",
        "V",
        "voltage that a switch blocks, without the spike of leakage",
        blocks.KIRCHHOFF,
    ),
    Line(
        "V_S1r",
        "(1 + m_V)*(1 + m_sp)*V_S1",
        "V",
        "voltage rating a switch should have, with a spike",
        blocks.MARGIN,
    ),
    Line("I_S1r", "(1 + m_I)*I_S1pk", "A", "peak current rating a switch should have", blocks.MARGIN),
    Line("I_D1", "I_o/2", "A", "average current of a rectifier", blocks.KIRCHHOFF),
    Line("I_D1rms", "I_rect/sqrt(2)", "A", "rms current of a rectifier", blocks.RMS_VALUES),
    Line("I_D1pk", "I_sa", "A", "peak current of a rectifier", blocks.KIRCHHOFF),
    Line(
        "V_D1",
        "V_o + dV_o/2 + V_FD1 + R_D1*n*I_pk",
        "V",
        "voltage that a rectifier blocks",
        blocks.KIRCHHOFF,
    ),
    Line("V_D1r", "(1 + m_V)*V_D1", "V", "voltage rating a rectifier should have", blocks.MARGIN),
    Line("I_D1r", "(1 + m_I)*I_D1pk", "A", "peak current rating a rectifier should have", blocks.MARGIN),
    *transformers.winding("Np", "0*I_o", "I_rect/n"),
    *transformers.winding("Ns", "0*I_o", "I_rect"),
    *rewritten(blocks.smooth_input("L"), TWICE),
)


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point."""
    a = "T.a" if p["R_pT"] > 0.0 else "a"
    s = "T.s" if p["R_sT"] > 0.0 else "s1"
    return (
        p.source(),
        p.inductor("L", "in", "p"),
        p.switch("S1", "p", "a", "S1", shares=True),
        p.switch("S2", "a", "gnd", "S1", shares=True),
        p.switch("S3", "p", "b", "S1", shares=True),
        p.switch("S4", "b", "gnd", "S1", shares=True),
        *transformers.path("a", "a", "T.a", 0.0, p["R_pT"]),
        Inductor("L_m", a, "b", p["L_m"]),
        IdealTransformer("T", (Winding("Np", a, "b", p["n"]), Winding("Ns", s, "s2", 1.0))),
        *transformers.path("s", "s1", "T.s", 0.0, p["R_sT"]),
        p.rectifier("D1", "s1", "out", shares=True),
        p.rectifier("D2", "s2", "out", "D1", shares=True),
        p.rectifier("D3", "gnd", "s1", "D1", shares=True),
        p.rectifier("D4", "gnd", "s2", "D1", shares=True),
        p.capacitor("C_o", "out", "gnd"),
        *p.load(),
    )


def gates(duty: Instant, p: Point) -> Gates:
    """Return the gate pattern: both diagonals conduct for more than half of the period, so that they overlap."""
    one = on(0.0, 0.5 + duty / 2)
    two = shifted(one, 0.5)
    primary = {"S1": one, "S4": one, "S2": two, "S3": two}
    if not p.synchronous:
        return primary
    dead = p["t_d"] * p["f_s"]
    off_two, off_one = complement(two, dead), complement(one, dead)
    return {**primary, "D1": off_two, "D4": off_two, "D2": off_one, "D3": off_one}


SPIKE = (
    "Leakage inductance is not simulated here: without a clamp it would interrupt the inductor current. "
    "V_S1r has room for its spike (margin.spike)."
)

PAGE = Page(
    name="current-fed-full-bridge",
    title="Current-fed full bridge (isolated boost)",
    good_for="isolated step-up from a battery: continuous input current, low voltage on the switches",
    conversion="V_o > V_in/n",
    isolated=True,
    roles=(
        Role("S1", "switch"),
        Role("D1", "rectifier"),
        Role("T", "transformer"),
        Role("L_m", "magnetising"),
        Role("L", "inductor"),
        Role("C_o", "capacitor"),
        Role("C_i", "capacitor"),
    ),
    ripples=(("dI_ask", "I_max*V_o/V_in"),),
    sizing=SIZING,
    operation=OPERATION,
    circuit=circuit,
    gates=gates,
    start={"L": "I_Lv", "C_o": "V_o"},
    idle=("L",),
    quiet="L",
    duty_limit=0.5,
    turns=transformers.TURNS,
    caveats={"L_kT": SPIKE},
    proofs=(
        Proof("V_o", "load.v", "average"),
        *blocks.inductor_proofs("L"),
        *blocks.output_proofs(),
        Proof("I_S1", "S1.i", "average", 0.02),
        Proof("I_S1rms", "S1.i", "rms", 0.02),
        Proof("I_S1pk", "S1.i", "maximum", 0.02),
        Proof("V_S1", "S1.v", "maximum"),
        *blocks.rectifier_proofs("D1"),
        Proof("dI_Lm", "L_m.i", "peak_to_peak", 0.02, modes=(CONTINUOUS, REVERSED)),
        Proof("I_Cirms", "source.i", "ac_rms"),
    ),
    asks=blocks.single_asks(),
    figure=(
        ("gate", ("S1.gate", "S2.gate")),
        ("inductor current", ("L.i",)),
        ("device currents", ("S1.i", "D1.i")),
        ("bridge voltage", ("@p",)),
        ("output ripple", ("load.v~",)),
        ("output level", ("load.v=",)),
    ),
)
