"""Flyback: steps up or down with isolation, energy stored in the gap of the transformer.

        in ──┬───────┬── L_k ──┐      ┌──D1──┬── out
             │       │         Np ∥ Ns       │
            C_cl    R_cl      (dot)  │      C_o   load
             └─ c ───┘         │      │      │
                 └──D_cl── d ──┤      └──────┴──
                               S1
        gnd ───────────────────┴──

on      S1 conducts: the magnetising inductance sees V_on = V_in, its current rises.
clamp   S1 has opened: what the leakage inductance holds goes into the clamp, and the current with it (D_k).
off     D1 conducts: L_m sees V_off = n·(V_o + V_F) reversed and hands its current over to the secondary.
idle    below the boundary load the current reaches zero and stays there.
"""

from __future__ import annotations

from jump_lane.circuit.elements import Element
from jump_lane.equations.sheet import Line
from jump_lane.topologies.blocks import averaged, capacitors, clamp, roles, stored, transformers
from jump_lane.topologies.blocks.stored import CORE
from jump_lane.topologies.blocks.stress import stress, winding
from jump_lane.topologies.page import Page
from jump_lane.topologies.point import Point
from jump_lane.topologies.variant import Variant

PRIMARY = "(R_S1 + R_pT)"


def equations(v: Variant) -> tuple[Line, ...]:
    """Return its lines."""
    if v.leaking:
        clamped = (*clamp.sized("L_m"), *stored.core("I_del"), *clamp.turning("I_Lmpk", "I_Lmv"), *clamp.diode("I_Lmpk", "V_in + V_cl"))
        handed, drain = clamp.handed("I_Lmv"), "V_in + V_cl*(1 + 1/(2*f_s*R_cl*C_cl))"
    else:
        clamped = stored.core("I_or")
        handed, drain = CORE.during("D_2"), f"V_in + n*(V_o + dV_o/2 + {v.drop('D1', 'n*I_Lmpk')})"
    return (
        *stored.sizing(v, PRIMARY),
        *clamped,
        *stored.secondary(handed.scaled("n")),
        *stress("S1", CORE.during("D"), drain, spike=not v.leaking),
        *winding("Np", "I_S1", "I_S1rms"),
        *capacitors.supplying(CORE.during("D")),
    )


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point."""
    return (
        p.source(),
        *transformers.two_windings(p, ("in", "d"), ("gnd", "s")),
        p.switch("S1", "d", "gnd"),
        *(clamp.circuit(p, "d") if p["L_kT"] > 0.0 else ()),
        p.rectifier("D1", "s", "out"),
        p.capacitor("C_o", "out", "gnd"),
        *p.load(),
    )


PAGE = Page(
    name="flyback",
    title="Flyback converter",
    good_for="isolated supplies up to some hundred watts with few parts",
    conversion="V_o > 0, any magnitude",
    isolated=True,
    roles=roles.FLYBACK,
    ripples=stored.RIPPLES,
    equations=equations,
    circuit=circuit,
    gates=roles.main_switch,
    start={"C_cl": "V_cl"},
    caveats=clamp.CAVEATS,
    duty_reserve=0.03,
    turns=transformers.TURNS,
    averaged=averaged.handed(
        gain="(V_o + V_FD1)/(D*(1 - D))*(1 - D*r_a/R_o)/(1 + r_a/R_o)",
        zero="(1 - D)**2*R_o*n**2*(1 - D*r_a/R_o)/(2*pi*D*L_m)",
        gain_dcm="V_o/D",
        pole="1/(pi*R_o*C_o)",
        inductance="L_m/n**2",
    ),
    figure=(("gate", ("S1.gate",)), ("currents", ("L_m.i", "S1.i", "D1.i")), ("switch voltage", ("@d",)), *roles.OUTPUT_PANELS),
)
