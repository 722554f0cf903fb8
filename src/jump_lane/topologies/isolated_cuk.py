"""Isolated Ćuk: the coupling capacitor is split, and a transformer stands between its halves.

Seen from the primary it is a Ćuk converter with the output voltage n·V_o and the second inductor n²·L2.  C_a keeps
V_in and C_b keeps V_o.  The transformer passes power on in both parts of the period and stores next to nothing.  Its
leakage inductance has to turn its current at every edge; the clamp D_cl, C_cl, R_cl takes the sum of both meanwhile.

        in ─┬──L1──┬── a ──C_a──L_k──┬ (dot)    (dot) ┬──C_b── b ──┬──L2──┬── out (negative)
            │      ├──D_cl── c       │                │            │      │
            └─ C_cl ∥ R_cl ──┘      Np      ∥        Ns           D1     C_o   load
                   S1                │                │            │      │
        gnd ───────┴─────────────────┴────────────────┴────────────┴──────┴──
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from jump_lane.circuit.elements import Element, IdealTransformer, Inductor, Winding
from jump_lane.equations.sheet import CONTINUOUS, REVERSED, Line
from jump_lane.topologies import blocks
from jump_lane.topologies.blocks import flybacks, pair, transformers, turning
from jump_lane.topologies.blocks.rewriting import rewritten
from jump_lane.topologies.page import Ask, ByTarget, Cases, Entry, Page, Proof
from jump_lane.topologies.point import Point
from jump_lane.topologies.role import Role

SEEN = transformers.SEEN | {
    "L2": "L_2p",
    "I_L2": "I_2p",
    "I_L2v": "I_2pv",
    "I_L2pk": "I_2ppk",
    "I_L2rms": "I_2prms",
    "I_L2sat": "I_2psat",
    "W_L2": "W_2p",
    "dI_L2": "dI_2p",
    "R_L2": "R_2p",
    "k_T": "k_0",
    "c_T": "c_0",
    "R_Cs": "R_Cp",
    "I_B": "I_Br",
}
"""Symbols of the Ćuk converter as this circuit has them."""

FIRST = SEEN | {
    "I_L2v": "I_2mv",
    "I_L2pk": "I_2mpk",
    "dI_L2": "dI_2m",
    "C_s": "C_a",
    "V_Cs": "V_Ca",
    "dV_Cs": "dV_Ca",
    "I_Csrms": "I_Carms",
    "V_Csr": "V_Car",
    "R_Cs": "R_Ca",
}


def inductors() -> Iterator[Line | ByTarget]:
    """Yield the sizing of a Ćuk converter, L2 on the secondary, and L_m beside both inductors."""
    for entry in rewritten(pair.pair_sizing(), SEEN):
        if isinstance(entry, ByTarget) and entry.lines["either"].symbol == "L_2p":
            yield ByTarget({k: replace(v, symbol="L2", text=f"({v.text})/n**2") for k, v in entry.lines.items()})
            yield Line("L_2p", "n**2*L2", "H", "inductance L2 as the primary sees it", blocks.KIRCHHOFF)
            yield MAGNETISING
        elif isinstance(entry, Line) and entry.symbol == "L_e":
            yield replace(entry, text="1/(1/L1 + 1/L_2p + 1/L_m)", meaning="inductance of L1, L2 and L_m in parallel")
        else:
            yield entry


MAGNETISING = Line(
    "L_m",
    "max(n*V_in*D_c/(f_s*r_m*I_max), 10*L1*L_2p/(L1 + L_2p))",
    "H",
    "magnetising inductance: its asked ripple, and ten times both inductors",
    blocks.VOLT_SECONDS,
    component=True,
)

SIZING = (
    *transformers.turns_ratio("D_lim/(1 - D_lim)*V_in/(V_o + V_FD1)"),
    *transformers.seen_from_primary(),
    Line("R_2p", "n**2*R_L2", "Ω", "winding resistance of L2 as the primary sees it", blocks.KIRCHHOFF),
    Line("k_0", "0", "", "coupling of L1 and L2: none", blocks.DEFINITION),
    Line("R_Cp", "R_Ca + R_pT + n**2*(R_Cb + R_sT)", "Ω", "resistance in series with the transformer", blocks.KIRCHHOFF),
    *inductors(),
    Line("I_B", "n*I_Br", "A", "boundary load current", blocks.BOUNDARY_CONDITION),
    *turning.turning_sizing(),
)

COMMON = (
    Line("dI_2s", "n*dI_2ask", "A", "ripple asked of L2", blocks.KIRCHHOFF, "min"),
    Line("dI_L2", "n*dI_2p", "A", "ripple of L2, peak to peak", blocks.KIRCHHOFF),
    *blocks.inductor("L2", "I_o", "dI_L2", "D_1 + D_2"),
    Line("V_Ca", "V_in - R_L1*I_L1", "V", "voltage of C_a", blocks.VOLT_SECONDS),
    Line("V_Cb", "V_o + R_L2*I_o", "V", "voltage of C_b", blocks.VOLT_SECONDS),
    Line("dI_Lm", "V_1*D_1/(f_s*L_m)", "A", "ripple of the magnetising current, peak to peak", blocks.VOLT_SECONDS),
    Line("I_Mv", "-(D_1 + D_2)*dI_Lm/2", "A", "valley of the magnetising current", blocks.VOLT_SECONDS, "min"),
    Line("dI_2m", "dI_2p + dI_Lm", "A", "ripple of L2 and L_m together", blocks.KIRCHHOFF),
    Line("I_2mv", "I_2pv + I_Mv", "A", "valley of L2 and L_m together", blocks.KIRCHHOFF, "min"),
    Line("I_2mpk", "I_2mv + dI_2m", "A", "peak of L2 and L_m together", blocks.KIRCHHOFF),
)
"""L2, the voltages of both halves, and the magnetising current."""

HALF = (
    Line("C_b", "(1 + m_C)*n*Q_b/(r_C*V_Cb)", "F", "capacitance C_b, with margin", blocks.COUPLING_CHARGE, component=True),
    Line("dV_Cb", "n*Q_b/C_b + R_Cb*(n*max(I_L1v, 0) + I_L2pk)", "V", "ripple of C_b, peak to peak", blocks.COUPLING_CHARGE),
)
"""C_b from the charge it moves."""

REST = (
    Line("V_Cbr", "(1 + m_V)*(V_Cb + dV_Cb/2)", "V", "voltage rating C_b should have", blocks.MARGIN),
    *blocks.smoothing(blocks.triangle("dI_L2")),
    Line("V_T", "V_Ca + n*V_Cb + (dV_Ca + n*dV_Cb)/2", "V", "voltage that S1 and D1 see, on the primary side", blocks.KIRCHHOFF),
)
"""What S1 and D1 see, and the output."""

TIGHT = (
    *rewritten(pair.pair_operation("V_o + V_FD1 + (R_D1 - R_sT)*I_x + R_L2*I_o"), SEEN),
    *COMMON,
    *rewritten(blocks.coupling_capacitor(), FIRST),
    Line("I_b1", "I_L1pk + I_Mv + dI_Lm", "A", "primary current as D1 begins to conduct", blocks.KIRCHHOFF),
    Line("I_b2", "I_L1v + I_Mv", "A", "primary current as D1 stops", blocks.KIRCHHOFF, "min"),
    Line(
        "Q_b",
        "(I_2ppk**2 - max(I_2pv, 0)**2)*D_1/(2*f_s*dI_2p)"
        " + max(max(-I_b2, 0)*(1 - D_1 - D_2)/f_s + min(I_b2, 0)**2*D_2/(2*f_s*(I_b1 - I_b2))"
        " - min(I_2pv, 0)**2*D_1/(2*f_s*dI_2p), 0)",
        "C",
        "charge moved in and out of C_b, as the primary sees it",
        blocks.COUPLING_CHARGE,
    ),
    *HALF,
    Line(
        "I_Cbrms",
        "n*sqrt(D_1*(I_2pv**2 + I_2pv*dI_2p + dI_2p**2/3) + D_2*(I_b1**2 + I_b1*I_b2 + I_b2**2)/3 + (1 - D_1 - D_2)*I_b2**2)",
        "A",
        "rms current of C_b",
        blocks.RMS_VALUES,
    ),
    *REST,
    *blocks.device("S1", "D_1", "I_m", "dI", "V_T + max(V_Fr + R_Dr*I_v, k_d*V_Br)"),
    *blocks.device(
        "D1", "D_2", "(n*I_m)", "(n*dI)", {CONTINUOUS: "(V_T - R_S1*I_v)/n", REVERSED: "(V_T + max(-R_S1*I_v, k_d*V_BS1))/n"}, "rectifier"
    ),
    blocks.with_spike("D1", "rectifier"),
    *blocks.supplying(blocks.triangle("dI_L1")),
)

LEAKING = (
    *turning.turning_operation("V_or + n**2*R_D1*I_x + n*R_L2*I_o"),
    Line("dI_2p", "V_1*D_1/(f_s*L_2p)", "A", "ripple of L2 as the primary sees it", blocks.VOLT_SECONDS),
    Line("I_2pv", "I_or - (D_1 + D_2)*dI_2p/2", "A", "valley of L2 as the primary sees it", blocks.KIRCHHOFF, "min"),
    Line("I_2ppk", "I_2pv + dI_2p", "A", "peak of L2 as the primary sees it", blocks.KIRCHHOFF),
    *COMMON,
    *turning.turning_capacitor(FIRST, "C_a"),
    Line("I_b1", "I_1b + I_Mv + dI_Lm", "A", "primary current once it has turned", blocks.LEAKAGE),
    Line("I_b2", "I_1e + I_Mv", "A", "primary current as it turns back", blocks.LEAKAGE, "min"),
    Line(
        "Q_b",
        "(I_2ppk**2 - max(I_2pv, 0)**2)*D_1/(2*f_s*dI_2p) + " + turning.turned_charge("I_2pv", "I_2ppk"),
        "C",
        "charge moved in and out of C_b, as the primary sees it",
        blocks.COUPLING_CHARGE,
    ),
    *HALF,
    Line(
        "I_Cbrms",
        "n*" + turning.turned_rms("I_2pv", "I_2ppk", "I_b1", "I_b2", "(I_L1v + I_Mv)"),
        "A",
        "rms current of C_b",
        blocks.RMS_VALUES,
    ),
    *REST,
    *blocks.device("S1", "(D_1 + D_k1/2)", "I_m", "dI", "V_in + V_cl*(1 + 1/(2*f_s*R_cl*C_cl))"),
    *flybacks.rectifier(blocked={CONTINUOUS: "(V_T - R_S1*I_v)/n", REVERSED: "(V_T + max(-R_S1*I_v, k_d*V_BS1))/n"}),
    *turning.clamped_input(),
)

OPERATION: tuple[Entry, ...] = (
    Cases(transformers.leaking, {"leaking": LEAKING, "tight": TIGHT}),
    *transformers.winding("Np", "0", "I_Carms"),
    *transformers.winding("Ns", "0", "I_Cbrms"),
)


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point."""
    leaks = p["L_kT"] > 0.0
    one = "T.p" if leaks or p["R_pT"] > 0.0 else "p1"
    two = "T.s" if p["R_sT"] > 0.0 else "s1"
    return (
        p.source(),
        p.inductor("L1", "in", "a"),
        p.switch("S1", "a", "gnd"),
        *(flybacks.clamp(p, "a") if leaks else ()),
        p.capacitor("C_a", "a", "p1"),
        *transformers.path("k" if leaks else "p", "p1", "T.p", p["L_kT"], p["R_pT"]),
        Inductor("L_m", one, "gnd", p["L_m"]),
        IdealTransformer("T", (Winding("Np", one, "gnd", p["n"]), Winding("Ns", two, "gnd", 1.0))),
        *transformers.path("s", "s1", "T.s", 0.0, p["R_sT"]),
        p.capacitor("C_b", "s1", "b"),
        p.rectifier("D1", "b", "gnd"),
        Inductor("L2", "out", "b", p["L2"], p["R_L2"]),
        p.capacitor("C_o", "gnd", "out"),
        *p.load("gnd", "out"),
    )


PAGE = Page(
    name="isolated-cuk",
    title="Isolated Ćuk converter",
    good_for="isolated supplies with smooth input and output currents and one switch",
    conversion="V_o < 0 (its sign is a matter of the secondary's ends), any magnitude",
    isolated=True,
    inverting=True,
    roles=(
        Role("S1", "switch"),
        Role("D1", "rectifier"),
        Role("T", "transformer"),
        Role("L1", "inductor"),
        Role("L2", "inductor"),
        Role("L_m", "magnetising"),
        Role("C_a", "capacitor"),
        Role("C_b", "capacitor"),
        Role("C_o", "capacitor"),
        Role("C_i", "capacitor"),
    ),
    ripples=(("dI_1ask", "I_max*V_o/V_in"), ("dI_2ask", "I_max/n")),
    sizing=SIZING,
    operation=OPERATION,
    circuit=circuit,
    gates=blocks.main_switch,
    start={"L1": "I_L1v", "L2": "I_L2v", "C_a": "V_Ca", "C_b": "V_Cb", "C_o": "V_o", "C_cl": "V_cl"},
    idle=("S1", "D1"),
    turns=transformers.TURNS,
    caveats=turning.CAVEAT,
    looser={"R_pT": 0.02, "L_kT": 0.04},
    proofs=(
        *blocks.held_proofs(),
        *blocks.inductor_proofs("L1", "L2"),
        *blocks.coupling_proofs("C_a"),
        *blocks.coupling_proofs("C_b"),
        *blocks.output_proofs(),
        *blocks.device_proofs("S1", "D1"),
        Proof("V_cl", "C_cl.v", "average", 0.03),
        Proof("I_Cirms", "source.i", "ac_rms"),
    ),
    asks=(Ask("dI_L1", "dI_1ask", "L1"), Ask("dI_L2", "dI_2s", "L2"), *blocks.output_asks()),
    figure=blocks.panels("a", "L1", "L2"),
)
