"""Zeta: steps up or down without inverting, with continuous output current.

        in ──S1──┬── a ──C_s──┬── b ──L2──┬── out
                 │            │           │
                 L1           D1         C_o   load
                 │            │           │
        gnd ─────┴────────────┴───────────┴──

on      S1 conducts: L1 sees V_in and L2 sees V_in + V_Cs − V_o = V_in, as the coupling capacitor holds V_Cs = V_o.
off     D1 conducts: both see V_o reversed.
idle    below the boundary load the sum of both currents reaches zero; one current goes on flowing through both.
"""

from __future__ import annotations

from jump_lane.circuit.elements import Element
from jump_lane.equations.sheet import Line
from jump_lane.topologies.blocks import capacitors, pair, roles
from jump_lane.topologies.blocks.shape import triangle
from jump_lane.topologies.blocks.stress import stress
from jump_lane.topologies.page import Page
from jump_lane.topologies.point import Point
from jump_lane.topologies.variant import Variant


def equations(v: Variant) -> tuple[Line, ...]:
    """Return its lines."""
    return (
        *pair.sizing(v),
        *pair.operation(v),
        *capacitors.coupling("C_s", "V_o - R_L1*I_L1 + R_L2*I_L2", pair.through(), pair.swing()),
        *capacitors.smoothing(triangle("I_L2v", "I_L2pk", "D", "D_2", idle=True)),
        *stress("S1", pair.SUM.during("D"), f"V_in + V_Cs + dV_Cs/2 + {v.drop('D1', 'I_pk')}"),
        *stress("D1", pair.SUM.during("D_2"), "V_in + V_Cs + dV_Cs/2"),
        *capacitors.supplying(pair.SUM.during("D")),
    )


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point."""
    return (
        p.source(),
        p.switch("S1", "in", "a"),
        *p.coupled("T", ("L1", "a", "gnd"), ("L2", "b", "out")),
        p.capacitor("C_s", "b", "a"),
        p.rectifier("D1", "gnd", "b"),
        p.capacitor("C_o", "out", "gnd"),
        *p.load(),
    )


PAGE = Page(
    name="zeta",
    title="Zeta converter",
    good_for="quiet output across the input range; input current chopped",
    conversion="V_o > 0, any magnitude",
    roles=roles.PAIR,
    ripples=pair.RIPPLES,
    equations=equations,
    circuit=circuit,
    gates=roles.main_switch,
    caveats=pair.ONE_CORE,
    figure=roles.panels("a", "L1", "L2"),
)
