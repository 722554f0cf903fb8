"""Ćuk: a negative output of smaller or larger magnitude, with continuous input and output currents.

        in ──L1──┬── a ──C_s──┬── b ──L2──┬── out (negative)
                 │            │           │
                 S1           D1         C_o   load
                 │            │           │
        gnd ─────┴────────────┴───────────┴──

on      S1 conducts: L1 sees V_in and L2 sees V_Cs − V_o = V_in, as V_Cs = V_in + V_o.
off     D1 conducts: both see V_o reversed.  V_o is the magnitude of the output voltage.
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
        *capacitors.coupling("C_s", "V_in + V_o - R_L1*I_L1 + R_L2*I_L2", pair.through(), pair.swing()),
        *capacitors.smoothing(triangle("I_L2v", "I_L2pk", "D", "D_2", idle=True)),
        *stress("S1", pair.SUM.during("D"), f"V_Cs + dV_Cs/2 + {v.drop('D1', 'I_pk')}"),
        *stress("D1", pair.SUM.during("D_2"), "V_Cs + dV_Cs/2"),
        *capacitors.supplying(triangle("I_L1v", "I_L1pk", "D", "D_2", idle=True)),
    )


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point."""
    return (
        p.source(),
        *p.coupled("T", ("L1", "in", "a"), ("L2", "out", "b")),
        p.switch("S1", "a", "gnd"),
        p.capacitor("C_s", "a", "b"),
        p.rectifier("D1", "b", "gnd"),
        p.capacitor("C_o", "gnd", "out"),
        *p.load("gnd", "out"),
    )


PAGE = Page(
    name="cuk",
    title="Ćuk converter",
    good_for="quiet negative supply: input and output currents are continuous",
    conversion="V_o < 0, any magnitude",
    inverting=True,
    roles=roles.PAIR,
    ripples=pair.RIPPLES,
    equations=equations,
    circuit=circuit,
    gates=roles.main_switch,
    caveats=pair.ONE_CORE,
    figure=roles.panels("a", "L1", "L2"),
)
