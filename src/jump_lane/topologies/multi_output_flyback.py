"""Flyback with several outputs: the first one is regulated, the others follow by their turns.

Seen from the primary all secondaries are in parallel; their currents I_ok/n_k add up to I_or.  How well the others
follow is a matter of the leakage inductances L_sk of the secondaries and of the clamp, and is found by simulation.
Windings close to each other share some of it.

        in ──┬───────┬── L_k ──┐      ┌──L_s1──D1──┬── out
            C_cl    R_cl       Np ∥ Ns1           C_o   load
             └─ c ───┘         │      ├──L_s2──D2──┬── out2
                 └──D_cl── d ──┤  ∥  Ns2          C_o2  load2
                               S1     ...
        gnd ───────────────────┴──
"""

from __future__ import annotations

from jump_lane.circuit.elements import Element, IdealTransformer, Inductor, Winding
from jump_lane.circuit.gates import Gates, Instant, on
from jump_lane.equations.sheet import Line, Sheet
from jump_lane.spec import Spec
from jump_lane.topologies import blocks
from jump_lane.topologies.asked import load_kind
from jump_lane.topologies.blocks import flybacks, transformers
from jump_lane.topologies.blocks.rewriting import rewritten
from jump_lane.topologies.page import Ask, Cases, Entry, Page, Proof
from jump_lane.topologies.point import Point
from jump_lane.topologies.role import Role

MOST = 8
PRIMARY = "(R_S1 + R_pT)"


def outputs(spec: Spec, sheet: Sheet) -> str:
    """Return how many outputs there are."""
    return str(len(spec.output))


def cases(lines: dict[int, tuple[Line | Cases, ...]]) -> Cases:
    """Return for every number of outputs the lines of those that there are."""
    return Cases(outputs, {str(most): tuple(line for k in lines if k <= most for line in lines[k]) for most in range(1, MOST + 1)})


def turns(k: int) -> tuple[Line | Cases, ...]:
    """Return turns ratio and expected voltage of a further output."""
    return (
        Line(f"n_d{k}", f"n*(V_o + V_FD1)/(V_o{k} + V_FD{k})", "", f"turns ratio for output {k}", blocks.VOLT_SECONDS),
        Line(
            f"n_{k}",
            f"n_d{k}*(1 - min(1, N_p)) + min(1, N_p)*N_p/max(1, floor(N_p/n_d{k} + 0.5))",
            "",
            f"turns ratio N_p : N_s{k}, to 1; whole turns where N_p is given",
            blocks.DEFINITION,
            component=True,
        ),
        Line(f"V_e{k}", f"(V_o + V_FD1)*n/n_{k} - V_FD{k}", "V", f"voltage of output {k} by its turns", blocks.KIRCHHOFF),
        taken(k),
        Line(f"I_r{k}", f"I_u{k}/n_{k}", "A", f"load current of output {k} as the primary sees it", blocks.KIRCHHOFF),
    )


TAKEN = {"resistance": "I_o{k}*V_e{k}/V_o{k}", "current": "I_o{k}", "power": "I_o{k}*V_o{k}/V_e{k}"}
"""What a load takes that is said at the voltage wanted, by its kind."""


def taken(k: int) -> Cases:
    """Return the current that a further output takes at the voltage its turns give."""
    meaning = f"current that output {k} takes at that voltage"

    def kind(spec: Spec, sheet: Sheet) -> str:
        return load_kind(spec.output[k - 1])

    lines = {name: (Line(f"I_u{k}", text.format(k=k), "A", meaning, blocks.DEFINITION),) for name, text in TAKEN.items()}
    return Cases(kind, lines)


def leakage(k: int) -> tuple[Line, ...]:
    """Return the leakage inductance of a secondary."""
    n, v, i = ("n", "V_o", "I_max") if k == 1 else (f"n_{k}", f"V_o{k}", f"I_o{k}")
    return (
        Line(
            f"L_s{k}",
            f"min(0.005*L_m/{n}**2, 0.002*{v}/(f_s*{i}))",
            "H",
            f"leakage inductance of secondary {k}; half a percent of L_m at most where nothing is chosen",
            blocks.LEAKAGE,
            "min",
            component=True,
        ),
    )


def left(symbol: str, asked: str, drop: str, output: str) -> Line:
    """Return the ripple of an output that its charge may make, beside what the ESR makes at the peak current."""
    text = f"{asked} - max(a_ESR*{asked}, {drop})"
    return Line(symbol, text, "V", f"ripple of {output} left to the charge", blocks.ASKED, "min")


def rectifier(k: int) -> tuple[Line, ...]:
    """Return what a further output asks of its rectifier and its capacitor."""
    return (
        Line(f"I_D{k}", f"I_u{k}", "A", f"average current of rectifier D{k}", blocks.KIRCHHOFF),
        Line(f"I_D{k}rms", f"I_u{k}*I_srms/I_or", "A", f"rms current of rectifier D{k}, shared by load", blocks.RMS_VALUES),
        Line(f"V_D{k}", f"V_e{k} + V_in/n_{k}", "V", f"voltage that rectifier D{k} blocks", blocks.KIRCHHOFF),
        left(f"dV_Q{k}", f"dV_ask{k}", f"R_Co{k}*I_u{k}*I_pk/I_or", f"output {k}"),
        Line(
            f"C_o{k}",
            f"(1 + m_C)*I_u{k}*(1 - D_2)/(f_s*dV_Q{k})",
            "F",
            f"output capacitance {k}, with margin",
            blocks.VOLT_SECONDS,
            component=True,
        ),
    )


def total(most: int) -> tuple[Line, ...]:
    """Return the load of all outputs as the primary sees it."""
    currents = "".join(f" + I_r{k}" for k in range(2, most + 1))
    return (
        Line("I_or", f"I_o/n{currents}", "A", "load current of all outputs as the primary sees it", blocks.KIRCHHOFF),
        Line("I_omax", f"I_max/n{currents}", "A", "the same at full load", blocks.KIRCHHOFF),
    )


def parallel(most: int) -> tuple[Line, ...]:
    """Return the leakage of all windings as the primary sees it."""
    text = " + ".join(["1/(n**2*L_s1)", *(f"1/(n_{k}**2*L_s{k})" for k in range(2, most + 1))])
    return (Line("L_kt", f"L_kT + 1/({text})", "H", "leakage of all windings as the primary sees it", blocks.LEAKAGE),)


NUMBERS = range(1, MOST + 1)

SIZING: tuple[Entry, ...] = (
    Line("M", "V_o/V_in", "", "conversion ratio", blocks.DEFINITION),
    *transformers.turns_ratio("D_lim/(1 - D_lim)*V_in/(V_o + V_FD1)"),
    cases({1: (), **{k: turns(k) for k in range(2, MOST + 1)}}),
    Cases(outputs, {str(most): total(most) for most in NUMBERS}),
    Line("V_or", "n*(V_o + V_FD1)", "V", "output voltage as the primary sees it", blocks.KIRCHHOFF),
    Line("D_i", "n*V_o/(V_in + n*V_o)", "", "duty ratio with ideal parts", blocks.VOLT_SECONDS),
    *blocks.lossy_duty("V_in + V_or", f"V_in + {PRIMARY}*I_or", f"{PRIMARY}*I_or", "I_or"),
    Line("V_1c", f"V_in - {PRIMARY}*I_c", "V", "magnetising voltage, S1 on", blocks.WITH_LOSSES),
    *blocks.single_inductor_sizing("I_or", "I_omax", "I_o/I_or", "L_m"),
    cases({k: leakage(k) for k in NUMBERS}),
    Cases(outputs, {str(most): parallel(most) for most in NUMBERS}),
    *rewritten(flybacks.dissipating_clamp(), {"L_kT": "L_kt"}),
)

OPERATION: tuple[Entry, ...] = (
    *rewritten(flybacks.leaking_operation(flybacks.DISSIPATED), {"L_kT": "L_kt", "R_D1": "0", "R_sT": "0", "R_Co": "0", "V_BD1": "0"}),
    Line("dI_Lm", "dI", "A", "ripple of the magnetising current, peak to peak", blocks.VOLT_SECONDS),
    *blocks.inductor("L_m", "(D_1 + D_2)*I_m", "dI", "D_1 + D_2"),
    *blocks.device("S1", "(D_1 + D_k1/2)", "I_m", "dI", "V_in + V_cl*(1 + 1/(2*f_s*R_cl*C_cl))"),
    Line("P_cl", "V_cl**2/R_cl", "W", "power lost in the clamp", blocks.LEAKAGE),
    Line("I_srms", "sqrt(D_2*(I_m**2 + dI**2/12))", "A", "rms current of all secondaries, seen from the primary", blocks.RMS_VALUES),
    Line("I_D1", "I_o", "A", "average current of rectifier D1", blocks.KIRCHHOFF),
    Line("I_D1rms", "I_o*I_srms/I_or", "A", "rms current of rectifier D1, shared by load", blocks.RMS_VALUES),
    Line("V_D1", "V_o + V_in/n", "V", "voltage that rectifier D1 blocks", blocks.KIRCHHOFF),
    left("dV_Q", "dV_ask", "R_Co*I_o*I_pk/I_or", "output 1"),
    Line("C_o", "(1 + m_C)*I_max*(1 - D_2)/(f_s*dV_Q)", "F", "output capacitance, with margin", blocks.VOLT_SECONDS, component=True),
    cases({1: (), **{k: rectifier(k) for k in range(2, MOST + 1)}}),
    *transformers.winding("Np", "I_S1", "I_S1rms"),
    *blocks.chopped_input("D_1", "I_m", "dI"),
)


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point."""
    count = next(k for k in range(MOST, 0, -1) if k == 1 or f"V_o{k}" in p.values)
    ratios = [p["n"], *(p[f"n_{k}"] for k in range(2, count + 1))]
    windings = [Winding(f"Ns{k}", "gnd", f"s{k}", p["n"] / n) for k, n in enumerate(ratios, start=1)]
    further = [element for k in range(2, count + 1) for element in output(p, k)]
    return (
        p.source(),
        *transformers.path("k", "in", "T.p", p["L_kT"], p["R_pT"]),
        IdealTransformer("T", (Winding("Np", primary(p), "d", p["n"]), *windings)),
        Inductor("L_m", primary(p), "d", p["L_m"]),
        p.switch("S1", "d", "gnd"),
        *flybacks.clamp(p, "d"),
        Inductor("L_s1", "s1", "t1", p["L_s1"], p["R_sT"]),
        p.rectifier("D1", "t1", "out"),
        p.capacitor("C_o", "out", "gnd"),
        *p.load(),
        *further,
        *p.shared_leakage(),
    )


def primary(p: Point) -> str:
    """Return the node of the primary winding's dotted end."""
    return "T.p" if p["L_kT"] > 0.0 or p["R_pT"] > 0.0 else "in"


def output(p: Point, k: int) -> tuple[Element, ...]:
    """Return a further output."""
    node = f"out{k}"
    return (
        Inductor(f"L_s{k}", f"s{k}", f"t{k}", p[f"L_s{k}"], p["R_sT"] * (p["n"] / p[f"n_{k}"]) ** 2),
        p.rectifier(f"D{k}", f"t{k}", node),
        p.capacitor(f"C_o{k}", node, "gnd"),
        *p.load(node, number=k),
    )


def gates(duty: Instant, p: Point) -> Gates:
    """Return the gate pattern: S1 from the start of the period, synchronous rectifiers in the rest."""
    main = on(0.0, duty)
    found = {f"D{k}": main for k in NUMBERS if k == 1 or f"V_o{k}" in p.values}
    return {"S1": main, **p.rectify(**found)}


PAGE = Page(
    name="multi-output-flyback",
    title="Flyback converter with several outputs",
    good_for="auxiliary supplies: one output regulated, up to seven others following",
    conversion="V_o > 0, any magnitude",
    isolated=True,
    outputs=MOST,
    roles=(
        Role("S1", "switch"),
        *(Role(f"D{k}", "rectifier") for k in NUMBERS),
        Role("T", "transformer"),
        Role("L_m", "magnetising"),
        Role("C_o", "capacitor"),
        *(Role(f"C_o{k}", "capacitor") for k in range(2, MOST + 1)),
        Role("C_i", "capacitor"),
    ),
    ripples=(("dI_ask", "I_omax*(V_in + V_or)/V_in"),),
    sizing=SIZING,
    operation=OPERATION,
    circuit=circuit,
    gates=gates,
    start={"L_m": "I_Lmv", "C_o": "V_o", "C_cl": "V_cl", **{f"C_o{k}": f"V_e{k}" for k in range(2, MOST + 1)}},
    idle=("S1", *(f"D{k}" for k in range(2, MOST + 1)), "D1"),
    turns=(*transformers.TURNS, *((f"N_p : N_s{k}", f"n_{k}") for k in range(2, MOST + 1))),
    looser=transformers.LOOSER | {"L_kt": 0.03},
    caveats=flybacks.CAVEATS,
    proofs=(
        *blocks.held_proofs(),
        *blocks.inductor_proofs("L_m", element="L_m"),
        *(p for p in blocks.device_proofs("S1", "D1", shared=True) if "D1" not in p.symbol),
        *(Proof(f"V_e{k}", f"load{k}.v", "average", 0.15) for k in range(2, MOST + 1)),
        Proof("V_cl", "C_cl.v", "average", 0.05),
    ),
    asks=(Ask("dI_Lm", "dI_ask", "L_m"),),
    figure=(
        ("gate", ("S1.gate",)),
        ("primary currents", ("L_m.i", "S1.i")),
        ("rectifier currents", ("D1.i", "D2.i")),
        ("switch voltage", ("@d",)),
        ("output ripple", ("load.v~", "load2.v~")),
        ("output level", ("load.v=", "load2.v=")),
    ),
)
