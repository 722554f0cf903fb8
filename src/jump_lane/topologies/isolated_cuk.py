"""Isolated Ćuk: the coupling capacitor is split, and a transformer stands between its halves.

        in ─┬──L1──┬── a ──C_a──L_k──┬ (dot)    (dot) ┬──C_b── b ──┬──L2──┬── out (negative)
            │      ├──D_cl── c       │                │            │      │
            └─ C_cl ∥ R_cl ──┘      Np      ∥        Ns           D1     C_o   load
                   S1                │                │            │      │
        gnd ───────┴─────────────────┴────────────────┴────────────┴──────┴──

Seen from the primary it is a Ćuk converter with the output voltage n·V_o and the second inductor n²·L2.  C_a keeps
V_in and C_b keeps V_o.  The transformer passes power on in both parts of the period and stores next to nothing.  Its
leakage inductance has to turn its current at every edge; the clamp takes the sum of both meanwhile (D_k).
"""

from __future__ import annotations

from jump_lane.circuit.elements import Element, IdealTransformer, Inductor, Winding
from jump_lane.equations.sheet import Line
from jump_lane.topologies.blocks import capacitors, clamp, coil, pair, roles, transformers
from jump_lane.topologies.blocks.shape import triangle
from jump_lane.topologies.blocks.sources import VOLT_SECONDS
from jump_lane.topologies.blocks.stress import stress, winding
from jump_lane.topologies.isolated_sepic import drawn
from jump_lane.topologies.page import Page, Ripple
from jump_lane.topologies.point import Point
from jump_lane.topologies.role import Role
from jump_lane.topologies.variant import Variant

SEEN = pair.Output(
    "(n*V_o)",
    "I_or",
    "(I_max/n)",
    "(n**2*R_o)",
    "n*V_FD1",
    "n**2*R_D1",
    winding="n**2*R_L2",
    coupling="R_Ca + R_pT + n**2*(R_Cb + R_sT)",
    second="L_2p",
    turns="n",
)
"""The output as the primary sees it."""

MAGNETISING = Line(
    "L_m",
    "max(n*V_in*D_c/(f_s*r_m*I_max), 10*L1*L_2p/(L1 + L_2p))",
    "H",
    "magnetising inductance: its asked ripple, and ten times both inductors",
    VOLT_SECONDS,
    component=True,
)

ROUGH, CORE = 0.12, 0.04
"""Accuracy of coupling capacitors, and of devices, beside the magnetising current that flows on as the circuit idles."""


def equations(v: Variant) -> tuple[Line, ...]:
    """Return its lines."""
    if v.leaking:
        run = (*clamp.sized("L_e"), *pair.operation(v, SEEN, "I_del", "I_cl", "L_m"), *clamp.turning("I_pk", "I_v"))
        handed, drain = clamp.handed("I_v").scaled("n"), "V_in + V_cl*(1 + 1/(2*f_s*R_cl*C_cl))"
        rest = clamp.diode("I_pk", "V_in + V_cl")
    else:
        run, rest = pair.operation(v, SEEN, third="L_m"), ()
        handed, drain = pair.SUM.during("D_2").scaled("n"), f"V_Ca + dV_Ca/2 + n*(V_Cb + dV_Cb/2 + {v.drop('D1', 'n*I_pk')})"
    return (
        *transformers.turns_ratio("D_lim/(1 - D_lim)*V_in/(V_o + V_FD1)"),
        *transformers.reflected(),
        *pair.sizing(v, SEEN, third=MAGNETISING),
        *run,
        coil.swing("L2", "V_on*D/n"),
        *coil.carried("L2", "I_o"),
        *capacitors.coupling("C_a", "V_in - R_L1*I_L1", pair.through("L_2p", "dI_Lm"), pair.swing("C_a", "L_2p"), ROUGH),
        *capacitors.coupling("C_b", "V_o + R_L2*I_o", pair.through("L_2p").scaled("n"), f"n*{pair.swing('C_b', 'L_2p')}", ROUGH),
        *stress("S1", pair.SUM.during("D"), drain, spike=not v.leaking, within=CORE),
        *stress("D1", handed, "(V_Ca + dV_Ca/2)/n + V_Cb + dV_Cb/2", spike=True, within=CORE),
        *rest,
        *capacitors.smoothing(triangle("I_L2v", "I_L2pk", "D", "D_2", idle=True)),
        *capacitors.supplying(drawn(v.leaking)),
        *winding("Np", "0", "I_Carms"),
        *winding("Ns", "0", "I_Cbrms"),
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
        *(clamp.circuit(p, "a") if leaks else ()),
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
        roles.S1,
        roles.D1,
        Role("T", "transformer"),
        Role("L1", "inductor"),
        Role("L2", "inductor"),
        Role("L_m", "magnetising"),
        Role("C_a", "capacitor"),
        Role("C_b", "capacitor"),
        roles.C_O,
        roles.C_I,
    ),
    ripples=(Ripple("L1", "I_max*V_o/V_in", "dI_1ask"), Ripple("L2", "I_max", "dI_2ask")),
    beside=("L_m",),
    equations=equations,
    circuit=circuit,
    gates=roles.main_switch,
    start={"C_cl": "V_cl"},
    caveats=clamp.CAVEATS,
    duty_reserve=0.04,
    turns=transformers.TURNS,
    figure=roles.panels("a", "L1", "L2"),
)
