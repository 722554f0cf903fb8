"""Four-switch buck-boost, both switches gated together: steps up or down without inverting.

While S1 and S2 conduct, the inductor sees V_1 = V_in; while D1 and D2 conduct, it sees V_2 = V_o and hands its
current over to the output.  Idling in discontinuous conduction, the inductor floats, at most at the output.

        in ──S1──┬── a ──L── b ──┬──D2──┬── out
                 │               │      │
                 D1              S2    C_o   load
                 │               │      │
        gnd ─────┴───────────────┴──────┴──
"""

from __future__ import annotations

from jump_lane.circuit.elements import Element
from jump_lane.circuit.gates import Gates, Instant, on
from jump_lane.equations.sheet import CONTINUOUS, DISCONTINUOUS, REVERSED, Line
from jump_lane.topologies import blocks
from jump_lane.topologies.page import Page, Proof
from jump_lane.topologies.point import Point
from jump_lane.topologies.role import Role

SIZING = (
    Line("M", "V_o/V_in", "", "conversion ratio", blocks.DEFINITION),
    Line("D_i", "V_o/(V_in + V_o)", "", "duty ratio with ideal parts", blocks.VOLT_SECONDS),
    *blocks.lossy_duty(
        "V_in + V_o + V_FD1 + V_FD2 - R_Co*I_o",
        "V_in + (R_S1 + R_S2 - R_D1 - R_D2 - R_Co)*I_o - 2*t_d*f_s*(V_BD1 + V_BD2)",
        "(R_L + R_S1 + R_S2)*I_o",
    ),
    Line("V_1c", "V_in - (R_S1 + R_S2 + R_L)*I_c", "V", "inductor voltage, S1 and S2 on", blocks.WITH_LOSSES),
    *blocks.peak_ratio("R_L + R_S1 + R_S2"),
    *blocks.single_inductor_sizing(),
    Line("K", "2*L*f_s/R_o", "", "conduction parameter", blocks.BOUNDARY_CONDITION, "min"),
    Line("K_crit", "(1 - D_i)**2", "", "conduction parameter at the boundary", blocks.BOUNDARY_CONDITION),
)

OPERATION = (
    *blocks.handed_over(
        "V_in - (R_S1 + R_S2 + R_L)*I_x", "V_o + V_FD1 + V_FD2 + (R_D1 + R_D2 + R_L)*I_x + R_Co*(I_x - I_o)", "V_o + V_FD1 + V_FD2", "L"
    ),
    Line("dI_L", "dI", "A", "inductor ripple, peak to peak", blocks.VOLT_SECONDS),
    Line("f_z", "D_2**2*R_o/(2*pi*D_1*L)", "Hz", "right-half-plane zero", blocks.RIGHT_HALF_PLANE, "min"),
    blocks.ratio_left("D/(1 - D)"),
    *blocks.inductor("L", "(D_1 + D_2)*I_m", "dI_L", "D_1 + D_2"),
    *blocks.smoothing(blocks.delivered()),
    *blocks.device("S1", "D_1", "I_m", "dI", "V_in + max(V_FD1 + R_D1*I_pk, k_d*V_BD1)"),
    *blocks.device("S2", "D_1", "I_m", "dI", "V_o + dV_o/2 + max(V_FD2 + R_D2*I_pk, k_d*V_BD2)"),
    *blocks.device(
        "D1",
        "D_2",
        "I_m",
        "dI",
        {CONTINUOUS: "V_in - R_S1*I_v", REVERSED: "V_in + max(-R_S1*I_v, k_d*V_BS1)", DISCONTINUOUS: "max(V_in, V_o + dV_o/2 + V_FD2)"},
        "rectifier",
    ),
    *blocks.device(
        "D2", "D_2", "I_m", "dI", {CONTINUOUS: "V_o + dV_o/2 - R_S2*I_v", REVERSED: "V_o + dV_o/2 + max(-R_S2*I_v, k_d*V_BS2)"}, "rectifier"
    ),
    *blocks.chopped_input("D_1", "I_m", "dI"),
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


def gates(duty: Instant, p: Point) -> Gates:
    """Return the gate pattern: S1 and S2 together, synchronous D1 and D2 in the rest."""
    main = on(0.0, duty)
    return {"S1": main, "S2": main, **p.rectify(D1=main, D2=main)}


PAGE = Page(
    name="four-switch",
    title="Four-switch buck-boost converter, gated together",
    good_for="battery across its output voltage with a single inductor; simple control, more ripple",
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
    ripples=(("dI_ask", "I_max*(V_in + V_o)/V_in"),),
    sizing=SIZING,
    operation=OPERATION,
    circuit=circuit,
    gates=gates,
    start={"L": "I_Lv", "C_o": "V_o"},
    idle=("S1", "D1"),
    proofs=(
        Proof("V_o", "load.v", "average"),
        Proof("D", "S1.gate", "average"),
        *blocks.inductor_proofs("L"),
        *blocks.output_proofs(),
        *blocks.device_proofs("S1", "D1"),
        *blocks.device_proofs("S2", "D2"),
        Proof("I_Cirms", "source.i", "ac_rms"),
    ),
    asks=blocks.single_asks(),
    figure=blocks.panels("a", "L"),
)
