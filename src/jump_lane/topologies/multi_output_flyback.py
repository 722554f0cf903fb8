"""Flyback with several outputs: the first one is regulated, the others follow by their turns.

        in ──┬───────┬── L_k ──┐      ┌──L_s1──D1──┬── out
            C_cl    R_cl       Np ∥ Ns1           C_o   load
             └─ c ───┘         │      ├──L_s2──D2──┬── out2
                 └──D_cl── d ──┤  ∥  Ns2          C_o2  load2
                               S1     ...
        gnd ───────────────────┴──

Seen from the primary all secondaries are in parallel; their currents I_ok/n_k add up to I_or.  How well the others
follow is a matter of the leakage inductances L_sk of the secondaries and of the clamp, and is found by simulation.
Windings close to each other share some of it.
"""

from __future__ import annotations

from jump_lane.circuit.elements import Element, IdealTransformer, Inductor, Winding
from jump_lane.circuit.gates import Gates, Instant, on
from jump_lane.equations.sheet import Line, Proof
from jump_lane.topologies.blocks import capacitors, clamp, coil, roles, transformers
from jump_lane.topologies.blocks.sources import ASKED, DEFINITION, KIRCHHOFF, LEAKAGE, RMS_VALUES, VOLT_SECONDS
from jump_lane.topologies.blocks.stored import CORE
from jump_lane.topologies.blocks.stress import stress, winding
from jump_lane.topologies.page import Page, Ripple
from jump_lane.topologies.point import Point
from jump_lane.topologies.role import Role
from jump_lane.topologies.variant import Variant

MOST = 8
PRIMARY = "(R_S1 + R_pT)"
TAKEN = {"resistance": "I_o{k}*V_e{k}/V_o{k}", "leds": "I_o{k}", "current": "I_o{k}", "power": "I_o{k}*V_o{k}/V_e{k}"}
"""What a load takes that is said at the voltage wanted, by its kind."""

FOLLOWING = 0.2
"""Accuracy of outputs that follow and of the clamp: how the secondaries share is left to the simulation."""


def equations(v: Variant) -> tuple[Line, ...]:
    """Return its lines."""
    others = range(2, len(v.loads) + 1)
    further, parallel = ("".join(text.format(k) for k in others) for text in (" + I_r{0}", " + 1/(n_{0}**2*L_s{0})"))
    return (
        coil.ratio(),
        *transformers.turns_ratio("D_lim/(1 - D_lim)*V_in/(V_o + V_FD1)"),
        *(line for k in others for line in turns(k, v.loads[k - 1])),
        Line("I_or", f"I_o/n{further}", "A", "load current of all outputs as the primary sees it", KIRCHHOFF),
        Line("I_omax", f"I_max/n{further}", "A", "the same at full load", KIRCHHOFF),
        Line("V_or", "n*(V_o + V_FD1)", "V", "output voltage as the primary sees it", KIRCHHOFF),
        coil.ideal("n*V_o/(V_in + n*V_o)"),
        *coil.lossy_duty("V_in + V_or", f"V_in + {PRIMARY}*I_or - n*(R_D1 + R_sT)*I_o", f"{PRIMARY}*I_or", "I_or"),
        *coil.volts(f"V_in - {PRIMARY}*I_c", "V_or + n*(R_D1 + R_sT)*I_o/(1 - D_c)"),
        *coil.handing_over(v, "L_m", "I_or", "I_omax", "I_o/I_or"),
        *(leakage(k) for k in (1, *others)),
        Line("L_kt", f"L_kT + 1/(1/(n**2*L_s1){parallel})", "H", "leakage of all windings as the primary sees it", LEAKAGE),
        *clamp.sized("L_m", "L_kt", within=FOLLOWING),
        *coil.handed_over("L_m", "I_del"),
        *coil.carried("L_m", "I_del*(D + D_2)/D_2"),
        *clamp.turning("I_Lmpk", "I_Lmv", leakage="L_kt"),
        *stress("S1", CORE.during("D"), "V_in + V_cl*(1 + 1/(2*f_s*R_cl*C_cl))", within=FOLLOWING),
        Line("I_srms", clamp.handed("I_Lmv").rms, "A", "rms current of all secondaries, seen from the primary", RMS_VALUES),
        *(line for k in (1, *others) for line in output_side(k)),
        *winding("Np", "I_S1", "I_S1rms"),
        *capacitors.supplying(CORE.during("D")),
    )


def turns(k: int, load: str) -> tuple[Line, ...]:
    """Return turns ratio, expected voltage and load of a further output."""
    wound = f"n_d{k}*(1 - min(1, N_p)) + min(1, N_p)*N_p/max(1, floor(N_p/n_d{k} + 0.5))"
    whole = f"turns ratio N_p : N_s{k}, to 1; whole turns where N_p is given"
    return (
        Line(f"n_d{k}", f"n*(V_o + V_FD1)/(V_o{k} + V_FD{k})", "", f"turns ratio for output {k}", VOLT_SECONDS),
        Line(f"n_{k}", wound, "", whole, DEFINITION, component=True),
        Line(
            f"V_e{k}",
            f"(V_o + V_FD1)*n/n_{k} - V_FD{k}",
            "V",
            f"voltage of output {k} by its turns",
            KIRCHHOFF,
            proof=Proof(f"load{k}.v", "average", FOLLOWING),
        ),
        Line(f"I_u{k}", TAKEN[load].format(k=k), "A", f"current that output {k} takes at that voltage", DEFINITION),
        Line(f"I_r{k}", f"I_u{k}/n_{k}", "A", f"load current of output {k} as the primary sees it", KIRCHHOFF),
    )


def leakage(k: int) -> Line:
    """Return the leakage inductance of a secondary."""
    n, voltage, load = ("n", "V_o", "I_max") if k == 1 else (f"n_{k}", f"V_o{k}", f"I_o{k}")
    meaning = f"leakage inductance of secondary {k}; half a percent of L_m at most where nothing is chosen"
    return Line(f"L_s{k}", f"min(0.005*L_m/{n}**2, 0.002*{voltage}/(f_s*{load}))", "H", meaning, LEAKAGE, "min", component=True)


def output_side(k: int) -> tuple[Line, ...]:
    """Return what an output asks of its rectifier and its capacitor: the secondaries share by load."""
    x, load, full, out, n = ("", "I_o", "I_max", "V_o", "n") if k == 1 else (str(k), f"I_u{k}", f"I_u{k}", f"V_e{k}", f"n_{k}")
    asked = f"dV_ask{x}"
    return (
        Line(f"I_D{k}", load, "A", f"average current of rectifier D{k}", KIRCHHOFF),
        Line(f"I_D{k}rms", f"{load}*I_srms/I_or", "A", f"rms current of rectifier D{k}, shared by load", RMS_VALUES),
        Line(f"V_D{k}", f"{out} + V_in/{n}", "V", f"voltage that rectifier D{k} blocks", KIRCHHOFF),
        Line(
            f"dV_Q{x}",
            f"{asked} - max(a_ESR*{asked}, R_Co{x}*{load}*I_Lmpk/I_or)",
            "V",
            f"ripple of output {k} left to the charge, beside what the ESR makes at the peak current",
            ASKED,
            "min",
        ),
        Line(
            f"C_o{x}",
            f"(1 + m_C)*{full}*(1 - D_2)/(f_s*dV_Q{x})",
            "F",
            f"output capacitance {k}, with margin",
            VOLT_SECONDS,
            component=True,
        ),
    )


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point."""
    numbers = there(p)
    ratios = {k: p["n"] if k == 1 else p[f"n_{k}"] for k in numbers}
    primary = "T.p" if p["L_kT"] > 0.0 or p["R_pT"] > 0.0 else "in"
    windings = [Winding(f"Ns{k}", "gnd", f"s{k}", p["n"] / n) for k, n in ratios.items()]
    return (
        p.source(),
        *transformers.path("k", "in", "T.p", p["L_kT"], p["R_pT"]),
        IdealTransformer("T", (Winding("Np", primary, "d", p["n"]), *windings)),
        Inductor("L_m", primary, "d", p["L_m"]),
        p.switch("S1", "d", "gnd"),
        *clamp.circuit(p, "d"),
        *(element for k, n in ratios.items() for element in output(p, k, p["R_sT"] * (p["n"] / n) ** 2)),
        *p.shared_leakage(),
    )


def there(p: Point) -> list[int]:
    """Return the numbers of the outputs that there are."""
    return [k for k in range(1, MOST + 1) if k == 1 or f"V_o{k}" in p.values]


def output(p: Point, k: int, resistance: float) -> tuple[Element, ...]:
    """Return one output."""
    node, capacitor = ("out", "C_o") if k == 1 else (f"out{k}", f"C_o{k}")
    return (
        Inductor(f"L_s{k}", f"s{k}", f"t{k}", p[f"L_s{k}"], resistance),
        p.rectifier(f"D{k}", f"t{k}", node),
        p.capacitor(capacitor, node, "gnd"),
        *p.load(node, number=k),
    )


def gates(duty: Instant, p: Point) -> Gates:
    """Return the gate pattern: S1 from the start of the period, synchronous rectifiers in the rest."""
    main = on(0.0, duty)
    return {"S1": main, **p.rectify(**{f"D{k}": main for k in there(p)})}


NUMBERS = range(1, MOST + 1)

PAGE = Page(
    name="multi-output-flyback",
    title="Flyback converter with several outputs",
    good_for="auxiliary supplies: one output regulated, up to seven others following",
    conversion="V_o > 0, any magnitude",
    isolated=True,
    outputs=MOST,
    roles=(
        roles.S1,
        *(Role(f"D{k}", "rectifier") for k in NUMBERS),
        *roles.FLYBACK[2:5],
        *(Role(f"C_o{k}", "capacitor") for k in NUMBERS[1:]),
        roles.C_I,
    ),
    ripples=(Ripple("L_m", "I_omax*(V_in + V_or)/V_in"),),
    equations=equations,
    circuit=circuit,
    gates=gates,
    start={"C_cl": "V_cl", **{f"C_o{k}": f"V_e{k}" for k in NUMBERS[1:]}},
    idle=("S1", *(f"D{k}" for k in NUMBERS[1:]), "D1"),
    caveats=clamp.CAVEATS,
    duty_reserve=0.03,
    turns=(*transformers.TURNS, *((f"N_p : N_s{k}", f"n_{k}") for k in NUMBERS[1:])),
    figure=(
        ("gate", ("S1.gate",)),
        ("primary currents", ("L_m.i", "S1.i")),
        ("rectifier currents", ("D1.i", "D2.i")),
        ("switch voltage", ("@d",)),
        ("output ripple", ("load.v~", "load2.v~")),
        ("output level", ("load.v=", "load2.v=")),
    ),
)
