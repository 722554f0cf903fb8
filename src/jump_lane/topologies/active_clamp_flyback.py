"""Active-clamp flyback: a second switch and a capacitor keep the leakage energy and give it back.

        in ──┬───────── L_k ──┐      ┌──D1──┬── out
             │                Np ∥ Ns       │
            C_cl              │      │     C_o   load
             └─ c ──S2── d ───┤      └──────┴──
                              S1
        gnd ──────────────────┴──

on      S1 conducts: the magnetising inductance sees V_on = V_in, its current rises.
off     S2 conducts: the current of L_k swings from I_Lmpk to −I_Lmpk through C_cl, so that C_cl keeps its voltage; the
        secondary takes what the magnetising current leaves, which falls against V_off.
turning S1 has taken over: L_k first turns its current round (D_k), the secondary hands over what it has.
"""

from __future__ import annotations

from jump_lane.circuit.elements import Capacitor, Element, IdealTransformer, Inductor, Winding
from jump_lane.circuit.gates import Gates, Instant, complement, on
from jump_lane.equations.sheet import Line, Proof
from jump_lane.topologies.blocks import capacitors, coil, roles, stored, transformers
from jump_lane.topologies.blocks.shape import Shape, triangle
from jump_lane.topologies.blocks.sources import KIRCHHOFF, LEAKAGE, RIGHT_HALF_PLANE, VOLT_SECONDS
from jump_lane.topologies.blocks.stress import stress, winding
from jump_lane.topologies.page import Page
from jump_lane.topologies.point import Point
from jump_lane.topologies.role import Role
from jump_lane.topologies.variant import Variant

PRIMARY = "(R_S1 + R_pT)"
RISING = triangle("I_Lmv", "I_Lmpk", "D_1", "D_2").during("D_1")
SWUNG = Shape((("D_2 - D_k", "I_Lmpk", "-I_Lmpk"),), high="I_Lmpk")
HANDED = Shape((("D_2 - D_k", "0", "I_a"), ("D_k", "I_a", "0")), high="I_a")

NEAR = 0.08
"""Accuracy of currents that swing: they are taken as straight."""


def equations(v: Variant) -> tuple[Line, ...]:
    """Return its lines."""
    series = "leakage and series inductance; at least what turns its current round in 2 % of the period"
    quarter = "clamp capacitance: a quarter radian of resonance in half of the off-time"
    return (
        *stored.sizing(v, PRIMARY),
        Line("L_k", "max(L_kT, 0.01*(V_in + V_or)/(f_s*I_c))", "H", series, LEAKAGE, "min", component=True),
        Line("C_cl", "(2*(1 - D_c)/f_s)**2/L_k", "F", quarter, LEAKAGE, component=True),
        Line("D_1", "V_off/(V_on*L_m/(L_m + L_k) + V_off)", "", "part of the period in which the current of L_m rises", VOLT_SECONDS),
        Line("D_2", "1 - D_1", "", "part of the period in which it falls", VOLT_SECONDS),
        coil.swing("L_m", "V_off*D_2"),
        *coil.carried("L_m", "I_or/D_2", "D_1", within=2.0 * coil.USUAL),
        Line("f_z", "D_2**2*n**2*R_o/(2*pi*D_1*L_m)", "Hz", "right-half-plane zero", RIGHT_HALF_PLANE, "min"),
        Line("D_k", "f_s*L_k*(I_Lmpk + I_Lmv)/(V_in + V_off)", "", "part of the period that turning takes", LEAKAGE),
        *coil.gated("D_1 + D_k"),
        Line("I_a", "I_Lmpk + I_Lmv", "A", "secondary current as S1 closes, seen from the primary", LEAKAGE),
        Line(
            "V_Ccl",
            "V_off + 2*f_s*L_k*I_Lmpk/(D_2 - D_k)",
            "V",
            "voltage of the clamp capacitor",
            LEAKAGE,
            proof=Proof("C_cl.v", "average", NEAR),
        ),
        *capacitors.smoothing(HANDED.scaled("n"), scale="I_D1pk"),
        *stress("D1", HANDED.scaled("n"), "V_o + dV_o/2 + V_in/n", spike=True, within=NEAR),
        *winding("Ns", "I_o", "I_D1rms"),
        *stress("S1", Shape((("D_k", "-I_Lmpk", "I_Lmv"),)) + RISING, f"V_in + V_Ccl + {v.body('S2')}", within=NEAR),
        Line("I_S2rms", SWUNG.rms, "A", "rms current of S2 and C_cl", LEAKAGE, proof=Proof("S2.i", "rms", 2.0 * NEAR)),
        Line("V_S2", "V_S1", "V", "voltage that S2 blocks", KIRCHHOFF),
        *winding("Np", "I_S1", "sqrt(I_S1rms**2 + I_S2rms**2)"),
        *capacitors.supplying(RISING),
    )


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point."""
    inner = "T.s" if p["R_sT"] > 0.0 else "gnd"
    return (
        p.source(),
        Inductor("L_k", "in", "T.p", p["L_k"], p["R_pT"]),
        *transformers.path("s", "gnd", "T.s", 0.0, p["R_sT"]),
        IdealTransformer("T", (Winding("Np", "T.p", "d", p["n"]), Winding("Ns", inner, "s", 1.0))),
        Inductor("L_m", "T.p", "d", p["L_m"]),
        p.switch("S1", "d", "gnd"),
        p.switch("S2", "c", "d"),
        Capacitor("C_cl", "c", "in", p["C_cl"]),
        p.rectifier("D1", "s", "out"),
        p.capacitor("C_o", "out", "gnd"),
        *p.load(),
    )


def gates(duty: Instant, p: Point) -> Gates:
    """Return the gate pattern: S1 from the start of the period, S2 (and a synchronous D1) in the rest."""
    main = on(0.0, duty)
    return {"S1": main, "S2": complement(main, p["t_d"] * p["f_s"]), **p.rectify(D1=main)}


PAGE = Page(
    name="active-clamp-flyback",
    title="Flyback converter with active clamp",
    good_for="small isolated supplies at high frequency: leakage energy recovered, S1 turns on without voltage",
    conversion="V_o > 0, any magnitude",
    isolated=True,
    reversible=True,
    roles=(*roles.FLYBACK, Role("S2", "switch")),
    ripples=stored.RIPPLES,
    equations=equations,
    circuit=circuit,
    gates=gates,
    start={"C_cl": "V_Ccl", "L_k": "I_Lmpk"},
    idle=("S1", "S2", "L_m"),
    turns=transformers.TURNS,
    duty_reserve=0.02,
    figure=(("gate", ("S1.gate", "S2.gate")), ("currents", ("L_m.i", "L_k.i", "D1.i")), ("switch voltage", ("@d",)), *roles.OUTPUT_PANELS),
)
