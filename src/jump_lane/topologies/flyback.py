"""Flyback: steps up or down with isolation, energy stored in the gap of the transformer.

While S1 conducts, the magnetising inductance sees V_in; afterwards it hands its current over to the secondary and sees
V_or = n·(V_o + V_F) reversed.  What the leakage inductance holds then goes into the clamp D_cl, C_cl, R_cl.

        in ──┬───────┬── L_k ──┐      ┌──D1──┬── out
             │       │         Np ∥ Ns       │
            C_cl    R_cl      (dot)  │      C_o   load
             └─ c ───┘         │      │      │
                 └──D_cl── d ──┤      └──────┴──
                               S1
        gnd ───────────────────┴──
"""

from __future__ import annotations

from jump_lane.circuit.elements import Element
from jump_lane.equations.sheet import Line
from jump_lane.topologies import blocks
from jump_lane.topologies.blocks import averaged, flybacks, transformers
from jump_lane.topologies.page import Cases, Entry, Page
from jump_lane.topologies.point import Point

SIZING = (*flybacks.flyback_sizing(), Cases(transformers.leaking, {"leaking": flybacks.dissipating_clamp(), "tight": ()}))

OPERATION: tuple[Entry, ...] = (
    Cases(transformers.leaking, {"leaking": flybacks.leaking_operation(flybacks.DISSIPATED), "tight": flybacks.tight_operation()}),
    *flybacks.flyback_currents(),
    flybacks.main_switch(
        "S1", "V_in + n*(V_o + dV_o/2 + max(V_FD1 + (R_D1 + R_sT)*n*I_pk, k_d*V_BD1))", "V_in + V_cl*(1 + 1/(2*f_s*R_cl*C_cl))"
    ),
    *flybacks.windings(),
    Cases(
        transformers.leaking,
        {
            "leaking": (
                Line("P_cl", "V_cl**2/R_cl", "W", "power lost in the clamp", blocks.LEAKAGE),
                *blocks.device("D_cl", "D_k2", "(I_pk/2)", "I_pk", "V_in + V_cl", "clamp diode"),
            ),
            "tight": (),
        },
    ),
)


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point."""
    clamp = flybacks.clamp(p, "d") if p["L_kT"] > 0.0 else ()
    return (
        p.source(),
        *transformers.two_windings(p, ("in", "d"), ("gnd", "s")),
        p.switch("S1", "d", "gnd"),
        *clamp,
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
    roles=flybacks.ROLES,
    ripples=flybacks.RIPPLES,
    sizing=SIZING,
    operation=OPERATION,
    circuit=circuit,
    gates=blocks.main_switch,
    start={"L_m": "I_Lmv", "C_o": "V_o", "C_cl": "V_cl"},
    idle=("S1", "D1"),
    turns=transformers.TURNS,
    averaged=averaged.handed(
        gain="(V_o + V_FD1)/(D*(1 - D))*(1 - D*r_a/R_o)/(1 + r_a/R_o)",
        zero="(1 - D)**2*R_o*n**2*(1 - D*r_a/R_o)/(2*pi*D*L_m)",
        gain_dcm="V_o/D",
        pole="1/(pi*R_o*C_o)",
        inductance="L_m/n**2",
    ),
    looser=transformers.LOOSER,
    caveats=flybacks.CAVEATS,
    proofs=flybacks.flyback_proofs(),
    asks=flybacks.flyback_asks(),
    figure=(
        ("gate", ("S1.gate",)),
        ("currents", ("L_m.i", "S1.i", "D1.i")),
        ("switch voltage", ("@d",)),
        ("output ripple", ("load.v~",)),
        ("output level", ("load.v=",)),
    ),
)
