"""Two-switch flyback: both ends of the primary are switched, and leakage energy returns to the input.

        in ──┬──S1──┬── a ── L_k ──┐ (dot)   ┌──D1──┬── out
             │      D_c1           Np ∥ Ns ──┘      │
            D_c2    │              │    (dot at    C_o   load
             └───── │ ──── b ──────┘     gnd)       │
        gnd ────────┴───── S2 ───┴──────────────────┴──

on      S1 and S2 conduct: the magnetising inductance sees V_on = V_in, its current rises.
clamp   both have opened: the leakage inductance drives the current through D_c1 and D_c2 back into the input (D_k).
off     D1 conducts: L_m sees V_off = n·(V_o + V_F) reversed and hands its current over to the secondary.
idle    below the boundary load the current reaches zero and stays there.
"""

from __future__ import annotations

from jump_lane.circuit.elements import Diode, Element
from jump_lane.equations.sheet import Line
from jump_lane.topologies.blocks import capacitors, clamp, roles, stored, transformers
from jump_lane.topologies.blocks.shape import Shape
from jump_lane.topologies.blocks.sources import KIRCHHOFF, LEAKAGE
from jump_lane.topologies.blocks.stored import CORE
from jump_lane.topologies.blocks.stress import ALL, CURRENTS, stress, winding
from jump_lane.topologies.page import Bound, Page
from jump_lane.topologies.point import Point
from jump_lane.topologies.role import Role
from jump_lane.topologies.variant import Variant

PRIMARY = "(R_S1 + R_S2 + R_pT)"


def equations(v: Variant) -> tuple[Line, ...]:
    """Return its lines."""
    handed, drawn, returned = CORE.during("D_2"), CORE.during("D"), stored.core("I_or")
    if v.leaking:
        peak = "max(I_c + V_on*D_c/(2*f_s*L_m), sqrt(2*I_or*V_off/(f_s*L_m)))"
        handed, drawn = clamp.handed("I_Lmv"), drawn + Shape((("D_k", "-I_Lmpk", "0"),))
        returned = (
            Line("I_y", peak, "A", "peak current as if nothing returned", KIRCHHOFF),
            Line("I_cl", "f_s*L_kT*I_y**2/(2*(V_in - V_off))", "A", "average current that returns to the input", LEAKAGE),
            Line("I_del", "I_or + I_cl", "A", "current that the inductance delivers, to the output and back", KIRCHHOFF),
            *stored.core("I_del"),
            *clamp.turning("I_Lmpk", "I_Lmv", "V_in"),
            *clamp.diode("I_Lmpk", "V_in", "D_c1"),
        )
    return (
        *stored.sizing(v, PRIMARY),
        *returned,
        *stored.secondary(handed.scaled("n")),
        *stress("S1", CORE.during("D"), "V_in", shows=ALL if v.leaking else CURRENTS),
        *stress("S2", CORE.during("D"), "V_in", shows=ALL if v.leaking else CURRENTS),
        *winding("Np", "I_S1", "I_S1rms"),
        *capacitors.supplying(drawn),
    )


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point."""
    return (
        p.source(),
        p.switch("S1", "in", "a"),
        p.switch("S2", "b", "gnd"),
        Diode("D_c1", "gnd", "a"),
        Diode("D_c2", "b", "in"),
        *transformers.two_windings(p, ("a", "b"), ("gnd", "s")),
        p.rectifier("D1", "s", "out"),
        p.capacitor("C_o", "out", "gnd"),
        *p.load(),
    )


PAGE = Page(
    name="two-switch-flyback",
    title="Two-switch flyback converter",
    good_for="isolated supplies from high input voltage: no switch sees more than V_in, no clamp losses",
    conversion="V_o > 0, reflected below V_in",
    isolated=True,
    roles=(*roles.FLYBACK, Role("S2", "switch")),
    ripples=stored.RIPPLES,
    equations=equations,
    circuit=circuit,
    gates=roles.both_switches,
    caveats=clamp.CAVEATS,
    duty_reserve=0.03,
    turns=transformers.TURNS,
    duty_limit=0.4,
    bounds=(Bound("V_or", "V_in", "the clamp diodes would conduct instead of D1; lower the turns ratio or duty_limit"),),
    figure=(
        ("gate", ("S1.gate", "S2.gate")),
        ("currents", ("L_m.i", "S1.i", "D1.i")),
        ("primary voltage", ("Np.v",)),
        *roles.OUTPUT_PANELS,
    ),
)
