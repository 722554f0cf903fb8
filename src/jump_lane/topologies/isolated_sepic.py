"""Isolated SEPIC: the second inductor is the magnetising inductance of a transformer.

        in ──┬──L1──┬── a ──C_s── b ──L_k──┐ (dot)     ┌──D1──┬── out
             │      ├──D_cl── c            │           │      │
             └─ C_cl ∥ R_cl ──┘           Np     ∥    Ns     C_o   load
                    S1                     │         (dot)    │
        gnd ────────┴──────────────────────┴───────────┴──────┴──

on      S1 conducts: L1 sees V_in and L_m the voltage V_Cs = V_in of the coupling capacitor.
clamp   S1 has opened: the current of the leakage inductance turns from −I_Lm to I_L1; meanwhile (D_k) the sum of both
        flows into the clamp, just as the primary current of a flyback does.
off     D1 conducts: both see n·V_o reversed and hand their sum over.
idle    below the boundary load the sum reaches zero; one current goes on flowing through both.
"""

from __future__ import annotations

from jump_lane.circuit.elements import Element, IdealTransformer, Inductor, Winding
from jump_lane.equations.sheet import Line
from jump_lane.topologies.blocks import capacitors, clamp, pair, roles, transformers
from jump_lane.topologies.blocks.shape import Shape, triangle
from jump_lane.topologies.blocks.sources import KIRCHHOFF
from jump_lane.topologies.blocks.stress import stress, winding
from jump_lane.topologies.page import Page, Ripple
from jump_lane.topologies.point import Point
from jump_lane.topologies.role import Role
from jump_lane.topologies.variant import Variant

SEEN = pair.Output(
    "(n*V_o)", "I_or", "(I_max/n)", "(n**2*R_o)", "n*V_FD1", "n**2*(R_D1 + R_sT)", winding="0", coupling="R_Cs + R_pT", second="L_m"
)
"""The output as the primary sees it."""


def equations(v: Variant) -> tuple[Line, ...]:
    """Return its lines."""
    start: tuple[Line, ...] = (
        *transformers.turns_ratio("D_lim/(1 - D_lim)*V_in/(V_o + V_FD1)"),
        *transformers.reflected(),
        *pair.sizing(v, SEEN, "n**2*R_Co"),
    )
    if v.leaking:
        run = (*clamp.sized("L_e"), *pair.operation(v, SEEN, "I_del", "I_cl"), *clamp.turning("I_pk", "I_v"))
        handed, drain = clamp.handed("I_v").scaled("n"), "V_in + V_cl*(1 + 1/(2*f_s*R_cl*C_cl))"
        rest = clamp.diode("I_pk", "V_in + V_cl")
    else:
        run, rest = pair.operation(v, SEEN), ()
        handed, drain = pair.SUM.during("D_2").scaled("n"), f"V_Cs + dV_Cs/2 + n*(V_o + dV_o/2 + {v.drop('D1', 'n*I_pk')})"
    return (
        *start,
        *run,
        *capacitors.coupling("C_s", "V_in - R_L1*I_L1", pair.through("L_m"), pair.swing("C_s", "L_m")),
        *capacitors.smoothing(handed),
        *stress("S1", pair.SUM.during("D"), drain, spike=not v.leaking),
        *stress("D1", handed, "(V_Cs + dV_Cs/2)/n + V_o + dV_o/2", spike=True),
        *rest,
        *capacitors.supplying(drawn(v.leaking)),
        Line("I_in", "V_o*I_o/V_in", "A", "average input current, without losses", KIRCHHOFF),
        *winding("Np", "0", "I_Csrms"),
        *winding("Ns", "I_D1", "I_D1rms"),
    )


def drawn(leaking: bool) -> Shape:
    """Return the input current: that of L1, less the pulses that the clamp gives back."""
    if not leaking:
        return triangle("I_L1v", "I_L1pk", "D", "D_2", idle=True)
    turned = "I_L1pk - dI_L1*D_k/D_2"
    return Shape((("D", "I_L1v", "I_L1pk"), ("D_k", "I_L1pk - I_pk", turned), ("D_2 - D_k", turned, "I_L1v")))


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
        *(clamp.circuit(p, "a") if leaks else ()),
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
        roles.S1,
        roles.D1,
        Role("T", "transformer"),
        Role("L1", "inductor"),
        Role("L_m", "magnetising"),
        Role("C_s", "capacitor"),
        roles.C_O,
        roles.C_I,
    ),
    ripples=(Ripple("L1", "I_max*V_o/V_in", "dI_1ask"), Ripple("L_m", "I_max/n", "dI_2ask")),
    equations=equations,
    circuit=circuit,
    gates=roles.main_switch,
    start={"C_cl": "V_cl"},
    caveats=clamp.CAVEATS,
    duty_reserve=0.04,
    turns=transformers.TURNS,
    figure=roles.panels("a", "L1", "L_m"),
)
