"""Isolated SEPIC: the second inductor is the magnetising inductance of a transformer.

Seen from the primary it is a SEPIC with the output voltage n·V_o: while S1 conducts, L1 sees V_in and L_m the voltage
V_Cs = V_in of the coupling capacitor; while D1 conducts, both see n·V_o reversed.  When S1 opens, the current of the
leakage inductance has to turn from −I_Lm to I_L1; meanwhile the sum of both flows into the clamp D_cl, C_cl, R_cl, just
as the primary current of a flyback does.

        in ──┬──L1──┬── a ──C_s── b ──L_k──┐ (dot)     ┌──D1──┬── out
             │      ├──D_cl── c            │           │      │
             └─ C_cl ∥ R_cl ──┘           Np     ∥    Ns     C_o   load
                    S1                     │         (dot)    │
        gnd ────────┴──────────────────────┴───────────┴──────┴──
"""

from __future__ import annotations

from jump_lane.circuit.elements import Element, IdealTransformer, Inductor, Winding
from jump_lane.equations.sheet import CONTINUOUS, REVERSED, Line
from jump_lane.topologies import blocks
from jump_lane.topologies.blocks import flybacks, pair, transformers, turning
from jump_lane.topologies.blocks.rewriting import rewritten
from jump_lane.topologies.page import Ask, Cases, Entry, Page, Proof
from jump_lane.topologies.point import Point
from jump_lane.topologies.role import Role

SEEN = transformers.SEEN | {
    "L2": "L_m",
    "I_L2": "I_Lm",
    "I_L2v": "I_Lmv",
    "I_L2pk": "I_Lmpk",
    "I_L2rms": "I_Lmrms",
    "I_L2sat": "I_Lmsat",
    "W_L2": "W_Lm",
    "dI_L2": "dI_Lm",
    "R_L2": "R_0",
    "k_T": "k_0",
    "c_T": "c_0",
    "R_Cs": "R_Cp",
    "I_B": "I_Br",
}
"""Symbols of the SEPIC as this circuit has them."""

SIZING = (
    *transformers.turns_ratio("D_lim/(1 - D_lim)*V_in/(V_o + V_FD1)"),
    *transformers.seen_from_primary(),
    Line("R_0", "0", "Ω", "resistance in series with L_m alone: none", blocks.DEFINITION),
    Line("k_0", "0", "", "coupling of L1 and L_m: none", blocks.DEFINITION),
    Line("R_Cp", "R_Cs + R_pT", "Ω", "resistance in series with the coupling capacitor", blocks.KIRCHHOFF),
    *rewritten(pair.pair_sizing(" - R_Co"), SEEN),
    Line("I_B", "n*I_Br", "A", "boundary load current", blocks.BOUNDARY_CONDITION),
    *turning.turning_sizing(),
)

DRAIN = "V_Cs + dV_Cs/2 + V_op + n*dV_o/2 + max(V_Fr + R_Dr*I_pk + R_Cp*I_L1pk, k_d*V_Br)"

TIGHT = (
    *rewritten(
        (
            *pair.pair_operation("V_o + V_FD1 + R_D1*I_x + R_Co*(I_x - I_o)"),
            Line("V_Cs", "V_in - R_L1*I_L1", "V", "voltage of the coupling capacitor", blocks.VOLT_SECONDS),
        ),
        SEEN,
    ),
    *rewritten(blocks.coupling_capacitor(), {**SEEN, "R_Cs": "R_Cs"}),
    *blocks.smoothing(blocks.delivered("(n*I_pk)", "(n*I_v)")),
    *blocks.device("S1", "D_1", "I_m", "dI", DRAIN),
    *blocks.device(
        "D1",
        "D_2",
        "(n*I_m)",
        "(n*dI)",
        {CONTINUOUS: "(V_Cs + dV_Cs/2)/n + V_o", REVERSED: "(V_Cs + dV_Cs/2 + max(-R_S1*I_v, k_d*V_BS1))/n + V_o"},
        "rectifier",
    ),
    blocks.with_spike("D1", "rectifier"),
)

LEAKING = (
    *turning.turning_operation(),
    Line("dI_Lm", "V_1*D_1/(f_s*L_m)", "A", "ripple of the magnetising current, peak to peak", blocks.VOLT_SECONDS),
    *blocks.inductor("L_m", "(D_1 + D_2)*I_m - I_L1", "dI_Lm", "D_1 + D_2"),
    Line("V_Cs", "V_in - R_L1*I_L1", "V", "voltage of the coupling capacitor", blocks.VOLT_SECONDS),
    *turning.turning_capacitor({**SEEN, "R_Cs": "R_Cs"}),
    *flybacks.rectifier(),
    *flybacks.rectified_output(),
    *blocks.device("S1", "(D_1 + D_k1/2)", "I_m", "dI", "V_in + V_cl*(1 + 1/(2*f_s*R_cl*C_cl))"),
    *turning.clamped_input(),
)

OPERATION: tuple[Entry, ...] = (
    Cases(transformers.leaking, {"leaking": LEAKING, "tight": (*TIGHT, *blocks.supplying(blocks.triangle("dI_L1")))}),
    *transformers.winding("Np", "0", "I_Csrms"),
    *transformers.winding("Ns", "I_D1", "I_D1rms"),
)


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point."""
    leaks = p["L_kT"] > 0.0
    b = "T.b" if leaks or p["R_pT"] > 0.0 else "b"
    s = "T.s" if p["R_sT"] > 0.0 else "gnd"
    return (
        p.source(),
        p.inductor("L1", "in", "a"),
        p.switch("S1", "a", "gnd"),
        p.capacitor("C_s", "a", "b"),
        *transformers.path("k", "b", "T.b", p["L_kT"], p["R_pT"]),
        Inductor("L_m", "gnd", b, p["L_m"]),
        IdealTransformer("T", (Winding("Np", "gnd", b, p["n"]), Winding("Ns", s, "s", 1.0))),
        *transformers.path("s", "gnd", "T.s", 0.0, p["R_sT"]),
        *(flybacks.clamp(p, "a") if leaks else ()),
        p.rectifier("D1", "s", "out"),
        p.capacitor("C_o", "out", "gnd"),
        *p.load(),
    )


PAGE = Page(
    name="isolated-sepic",
    title="Isolated SEPIC",
    good_for="isolated supplies with a smooth input current and one switch",
    conversion="V_o > 0, any magnitude",
    isolated=True,
    roles=(
        Role("S1", "switch"),
        Role("D1", "rectifier"),
        Role("T", "transformer"),
        Role("L1", "inductor"),
        Role("L_m", "magnetising"),
        Role("C_s", "capacitor"),
        Role("C_o", "capacitor"),
        Role("C_i", "capacitor"),
    ),
    ripples=(("dI_1ask", "I_max*V_o/V_in"), ("dI_2ask", "I_max/n")),
    sizing=SIZING,
    operation=OPERATION,
    circuit=circuit,
    gates=blocks.main_switch,
    start={"L1": "I_L1v", "L_m": "I_Lmv", "C_s": "V_Cs", "C_o": "V_o", "C_cl": "V_cl"},
    idle=("S1", "D1"),
    turns=transformers.TURNS,
    caveats=turning.CAVEAT,
    looser={"R_pT": 0.02, "L_kT": 0.04},
    proofs=(
        *blocks.held_proofs(),
        *blocks.inductor_proofs("L1", "L_m"),
        *blocks.coupling_proofs(),
        *blocks.output_proofs(),
        *blocks.device_proofs("S1", "D1"),
        Proof("V_cl", "C_cl.v", "average", 0.03),
        Proof("I_Cirms", "source.i", "ac_rms"),
    ),
    asks=(Ask("dI_L1", "dI_1ask", "L1"), Ask("dI_Lm", "dI_2ask", "L_m"), *blocks.output_asks()),
    figure=blocks.panels("a", "L1", "L_m"),
)
