"""Current-fed full bridge: a boost converter whose output goes through a transformer.

While all four switches conduct, L sees V_in; while one diagonal conducts alone, L hands its current over through the
transformer, which reflects V_or = n·(V_o + N_D·V_F), behind a bridge (N_D = 2) or a centre tap (N_D = 1).  The control variable D is the part of each half period in which
all switches conduct.

        in ──L──┬── p ──S1──┬── a ── Np ── b ──┬──S3── p          ┌─D1─┬── out
                │           S2   (dot at a)    S4           Ns ──┤     C_o   load
        gnd ────┴───────────┴──────────────────┴──               └─D3─┴──
"""

from __future__ import annotations

from dataclasses import replace

from jump_lane.circuit.elements import Element, Inductor, Winding
from jump_lane.circuit.gates import Gates, Instant, complement, on, shifted
from jump_lane.equations.sheet import CONTINUOUS, DISCONTINUOUS, REVERSED, WHOLE, Line
from jump_lane.topologies import blocks
from jump_lane.topologies.blocks import flybacks, rectifying, transformers, turning
from jump_lane.topologies.blocks.rewriting import TWICE, rewritten
from jump_lane.topologies.page import Cases, Entry, Page, Proof
from jump_lane.topologies.point import Point
from jump_lane.topologies.role import Role

OFF = "(2*R_S1 + R_pT + n**2*(N_D*R_D1 + R_sT))"

CLAMP = rewritten((*flybacks.dissipating_clamp("2*(k_cl*V_or - V_in)*(k_cl - 1)*V_or/(f_s*L_kT*I_pk0**2)"),), TWICE | {"L_m": "L"})

SIZING: tuple[Entry, ...] = (
    Line("M", "V_o/V_in", "", "conversion ratio", blocks.DEFINITION),
    Cases(
        transformers.secondary,
        {
            kind: (Line("N_D", count, "", "rectifiers in the path of the current", blocks.DEFINITION),)
            for kind, count in {"bridge": "2", "centre-tap": "1"}.items()
        },
    ),
    *transformers.turns_ratio("V_in/((1 - D_lim)*(V_o + N_D*V_FD1))"),
    *transformers.reflected("N_D*V_FD1"),
    Line("D_i", "1 - V_in/(n*V_o)", "", "duty ratio with ideal parts", blocks.VOLT_SECONDS),
    *rewritten(
        (
            *blocks.lossy_duty(
                "V_or - n*R_Co*I_o", f"V_in + (R_S1 - {OFF} - n**2*R_Co)*I_or - 2*N_D*t_d*f_s*n*V_BD1", "(R_L + R_S1)*I_or", "I_or"
            ),
            Line("V_1c", "V_in - (R_S1 + R_L)*I_c", "V", "inductor voltage, all switches on", blocks.WITH_LOSSES),
            *blocks.single_inductor_sizing("I_or", "I_max/n", "n"),
        ),
        TWICE,
    ),
    Line(
        "L_m",
        "(1 + m_L)*V_or*(1 - D_c)*n/(2*f_s*r_m*I_max)",
        "H",
        "magnetising inductance for its asked ripple, with margin",
        blocks.VOLT_SECONDS,
        component=True,
    ),
    Cases(transformers.leaking, {"leaking": CLAMP, "tight": ()}),
)

RATED = (
    Line("I_S1r", "(1 + m_I)*I_S1pk", "A", "peak current rating a switch should have", blocks.MARGIN),
    Line("I_D1", "I_o/2", "A", "average current of a rectifier", blocks.KIRCHHOFF),
    Line("I_D1rms", "I_rect/sqrt(2)", "A", "rms current of a rectifier", blocks.RMS_VALUES),
    Line(
        "V_D1",
        "2*(V_o + dV_o/2)/N_D + V_FD1 + k_d*V_BD1 + R_D1*n*I_pk",
        "V",
        "voltage that a rectifier blocks, twice the output's behind a centre tap",
        blocks.KIRCHHOFF,
    ),
    Line("V_D1r", "(1 + m_V)*V_D1", "V", "voltage rating a rectifier should have", blocks.MARGIN),
    Line("I_D1r", "(1 + m_I)*I_D1pk", "A", "peak current rating a rectifier should have", blocks.MARGIN),
    *transformers.winding("Np", "0", "I_rect/n"),
    *transformers.winding("Ns", "(2 - N_D)*I_D1", "I_rect*sqrt(N_D/2)"),
)
"""Rectifiers, ratings and windings, with leakage and without."""

TIGHT = (
    *rewritten(
        (
            *blocks.handed_over(
                "V_in - (R_S1 + R_L)*I_x", f"V_or - V_in + ({OFF} + R_L)*I_x + n*R_Co*(n*I_x - I_o)", "V_or - V_in", "L", "I_or"
            ),
            Line("dI_L", "dI", "A", "inductor ripple, peak to peak", blocks.VOLT_SECONDS),
            Line("f_z", "D_2**2*n**2*R_o/(2*pi*L)", "Hz", "right-half-plane zero", blocks.RIGHT_HALF_PLANE, "min", modes=WHOLE),
            *blocks.inductor("L", "(D_1 + D_2)*I_m", "dI_L", "D_1 + D_2"),
            Line(
                "dI_Lm",
                {CONTINUOUS: "V_or*D_2/(f_s*L_m)", DISCONTINUOUS: "0"},
                "A",
                "ripple of the magnetising current, peak to peak",
                blocks.VOLT_SECONDS,
            ),
            Line("I_sa", "n*(I_pk + dI_Lm/2)", "A", "first current of the secondary", blocks.KIRCHHOFF),
            Line("I_sb", "n*(I_v - dI_Lm/2)", "A", "last current of the secondary", blocks.KIRCHHOFF, "min"),
            Line("I_rect", "sqrt(D_2*(I_sa**2 + I_sa*I_sb + I_sb**2)/3)", "A", "rms current of the rectifiers together", blocks.RMS_VALUES),
            *blocks.smoothing(blocks.delivered("I_sa", "I_sb")),
        ),
        TWICE | {"R_o": "R_o"},
    ),
    Line("I_S1", "I_L/2", "A", "average current of a switch", blocks.KIRCHHOFF),
    Line("I_S1rms", "sqrt((D_2/2 + D_1/4)*(I_m**2 + dI**2/12))", "A", "rms current of a switch", blocks.RMS_VALUES),
    Line("I_S1pk", "I_pk", "A", "peak current of a switch", blocks.KIRCHHOFF),
    Line(
        "V_S1",
        "n*(V_o + dV_o/2) + R_S1*I_pk + max(N_D*n*V_FD1 + (R_pT + n**2*(N_D*R_D1 + R_sT))*I_pk, k_d*N_D*n*V_BD1)",
        "V",
        "voltage that a switch blocks, without the spike of leakage",
        blocks.KIRCHHOFF,
    ),
    Line("I_D1pk", "I_sa", "A", "peak current of a rectifier", blocks.KIRCHHOFF),
    Line("V_S1r", "(1 + m_V)*V_S1", "V", "voltage rating a switch should have", blocks.MARGIN),
    blocks.with_spike("S1"),
    *RATED,
    *rewritten(blocks.supplying(blocks.triangle("dI_L")), TWICE),
)
LEAKY = replace(
    flybacks.DISSIPATED,
    back="f_s*L_kT*max(I_v, 0)/V_or",
    taken="(V_cl/R_cl - D_k1*max(I_v, 0)/2)",
    primary="(R_S1 + R_L)",
    leakage="0",
    off=f"V_or - V_in + ({OFF} + R_L)*I_x + n*R_Co*(n*I_x - I_o)",
    ideal="V_or - V_in",
    rise="(V_2 + f_s*L_kT*(I_x + V_1*D_c/(2*f_s*L_m)) + N_D*t_d*f_s*n*V_BD1)/(V_1 + V_2)",
    fallen="D_1*V_1*(1 - L_kT/L_m)/V_2",
    duty={CONTINUOUS: "D_1", REVERSED: "D_1 - t_d*f_s"},
)
"""L hands its current over as the magnetising inductance of a flyback does, but the overlap of the gates is its rise."""

LEAKING = (
    *rewritten(
        (
            *rewritten(flybacks.leaking_operation(LEAKY), {"L_m": "L"}),
            Line("I_cl", "V_cl/R_cl", "A", "average current of the clamp", blocks.LEAKAGE),
            Line("P_cl", "V_cl**2/R_cl", "W", "power lost in the clamp", blocks.LEAKAGE),
            *blocks.device("D_cl", "D_k2", "(I_pk/2)", "I_pk", "V_in + V_cl", "clamp diode"),
            Line("dI_L", "dI", "A", "inductor ripple, peak to peak", blocks.VOLT_SECONDS),
            *blocks.inductor("L", "(D_1 + D_2)*I_m", "dI_L", "D_1 + D_2"),
            Line(
                "dI_Lm",
                {CONTINUOUS: "V_or*(D_2 + D_k1)/(f_s*L_m)", DISCONTINUOUS: "0"},
                "A",
                "ripple of the magnetising current, peak to peak",
                blocks.VOLT_SECONDS,
            ),
            Line("I_1b", "I_pk - V_cl*D_k2/(f_s*L)", "A", "current of L as the clamp stops", blocks.LEAKAGE),
            Line("I_am", "n*((I_pk + I_1b)/2 - I_h)", "A", "secondary current halfway to its largest", blocks.LEAKAGE),
            Line("I_sa", "n*(I_1b + dI_Lm/2)", "A", "largest secondary current", blocks.LEAKAGE),
            Line("I_sb", "n*(I_v - dI_Lm/2)", "A", "secondary current as all switches conduct", blocks.LEAKAGE, "min"),
            Line(
                "I_rect",
                "sqrt((D_k2*(2*I_am**2 + I_sa**2/2) + D_k1*I_sb**2 + (D_2 - D_k2)*(I_sa**2 + I_sa*I_sb + I_sb**2))/3)",
                "A",
                "rms current of the rectifiers together",
                blocks.RMS_VALUES,
            ),
            *blocks.smoothing(
                blocks.Shape(
                    "I_sa",
                    (
                        ("D_k2/2", "0", "I_am/I_sa"),
                        ("D_k2/2", "I_am/I_sa", "1"),
                        ("D_2 - D_k2", "1", "I_sb/I_sa"),
                        ("D_k1", "I_sb/I_sa", "0"),
                    ),
                )
            ),
            *turning.clamped_input("L"),
        ),
        TWICE | {"R_o": "R_o"},
    ),
    Line("I_S1", "(I_L - I_cl)/2", "A", "average current of a switch", blocks.KIRCHHOFF),
    Line(
        "I_S1rms",
        "sqrt((D_2/2 + D_1/4)*(I_m**2 + dI**2/12) - D_k2*I_pk**2/3 + D_k1*max(I_v, 0)**2/12)",
        "A",
        "rms current of a switch",
        blocks.RMS_VALUES,
    ),
    Line("I_S1pk", "I_1b", "A", "peak current of a switch", blocks.KIRCHHOFF),
    Line("V_S1", "V_in + V_cl*(1 + 1/(4*f_s*R_cl*C_cl))", "V", "voltage that a switch blocks", blocks.LEAKAGE),
    Line("I_D1pk", "I_sa", "A", "peak current of a rectifier", blocks.KIRCHHOFF),
    Line("V_S1r", "(1 + m_V)*V_S1", "V", "voltage rating a switch should have", blocks.MARGIN),
    *RATED,
)

OPERATION: tuple[Entry, ...] = (
    Cases(transformers.leaking, {"leaking": LEAKING, "tight": TIGHT}),
    Line(
        "k_m",
        {CONTINUOUS: "max(dI_Lm/2 - I_v, 0)/I_pk", REVERSED: "0", DISCONTINUOUS: "r_m"},
        "",
        "part of the current that the core takes over from the inductor",
        blocks.DEFINITION,
    ),
)

CAVEATS = flybacks.CAVEATS | {
    "k_m": "Where the core has more current than the inductor, it goes on flowing through rectifiers and inductor; the "
    "formulas leave that out, which is the less the smaller magnetising_ripple is."
}


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point."""
    leaks = p["L_kT"] > 0.0
    a = "T.a" if leaks or p["R_pT"] > 0.0 else "a"
    return (
        p.source(),
        p.inductor("L", "in", "p"),
        *(flybacks.clamp(p, "p") if leaks else ()),
        p.switch("S1", "p", "a", shares=True),
        p.switch("S2", "a", "gnd", shares=True),
        p.switch("S3", "p", "b", shares=True),
        p.switch("S4", "b", "gnd", shares=True),
        *transformers.path("k" if leaks else "a", "a", "T.a", p["L_kT"], p["R_pT"]),
        Inductor("L_m", a, "b", p["L_m"]),
        *rectifying.into_capacitor(p, Winding("Np", a, "b", p["n"])),
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
    return {**primary, **rectifying.alternately(p, complement(two, dead), complement(one, dead))}


PAGE = Page(
    name="current-fed-full-bridge",
    title="Current-fed full bridge (isolated boost)",
    good_for="isolated step-up from a battery: continuous input current, low voltage on the switches",
    conversion="V_o > V_in/n",
    isolated=True,
    roles=(
        Role("S1", "switch", also=("S2", "S3", "S4")),
        Role("D1", "rectifier", also=("D2", "D3", "D4")),
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
    start={"L": "I_Lv", "C_o": "V_o", "C_cl": "V_cl"},
    idle=("L",),
    quiet="L",
    duty_limit=0.5,
    turns=transformers.TURNS,
    looser={"L_kT": 0.04},
    caveats=CAVEATS,
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
        Proof("V_cl", "C_cl.v", "average", 0.03),
        Proof("I_Cirms", "source.i", "ac_rms"),
    ),
    asks=blocks.single_asks(),
    secondaries=("bridge", "centre-tap"),
    figure=(
        ("gate", ("S1.gate", "S2.gate")),
        ("inductor current", ("L.i",)),
        ("device currents", ("S1.i", "D1.i")),
        ("bridge voltage", ("@p",)),
        ("output ripple", ("load.v~",)),
        ("output level", ("load.v=",)),
    ),
)
