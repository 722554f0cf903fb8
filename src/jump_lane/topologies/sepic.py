"""SEPIC: steps up or down without inverting, V_o > 0.

        in ──L1──┬── a ──C_s──┬── b ──D1──┬── out
                 │            │           │
                 S1           L2         C_o   load
                 │            │           │
        gnd ─────┴────────────┴───────────┴──

on      S1 conducts: L1 sees V_in and L2 the voltage V_Cs = V_in of the coupling capacitor.
off     D1 conducts: both see V_o reversed and hand the sum of their currents over to the output.
idle    below the boundary load the sum reaches zero; one current goes on flowing through both.
"""

from __future__ import annotations

from jump_lane.circuit.elements import Element
from jump_lane.equations.sheet import Line
from jump_lane.topologies.blocks import capacitors, pair, roles
from jump_lane.topologies.blocks.shape import triangle
from jump_lane.topologies.blocks.sources import ZEROS
from jump_lane.topologies.blocks.stress import stress
from jump_lane.topologies.page import Page
from jump_lane.topologies.point import Point
from jump_lane.topologies.variant import Variant


def equations(v: Variant) -> tuple[Line, ...]:
    """Return its lines."""
    return (
        *pair.sizing(v, esr="R_Co"),
        *pair.operation(v),
        Line("f_z2", "D_2**2*R_o/(2*pi*D*L_e)", "Hz", "right-half-plane zero, above the resonance of C_s", ZEROS, "min"),
        *capacitors.coupling("C_s", "V_in - R_L1*I_L1 + R_L2*I_L2", pair.through(), pair.swing()),
        *capacitors.smoothing(pair.SUM.during("D_2")),
        *stress("S1", pair.SUM.during("D"), f"V_Cs + dV_Cs/2 + V_o + dV_o/2 + {v.drop('D1', 'I_pk')}"),
        *stress("D1", pair.SUM.during("D_2"), "V_Cs + dV_Cs/2 + V_o + dV_o/2"),
        *capacitors.supplying(triangle("I_L1v", "I_L1pk", "D", "D_2", idle=True)),
    )


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point."""
    return (
        p.source(),
        *p.coupled("T", ("L1", "in", "a"), ("L2", "gnd", "b")),
        p.switch("S1", "a", "gnd"),
        p.capacitor("C_s", "a", "b"),
        p.rectifier("D1", "b", "out"),
        p.capacitor("C_o", "out", "gnd"),
        *p.load(),
    )


PAGE = Page(
    name="sepic",
    title="SEPIC (single-ended primary-inductor converter)",
    good_for="battery across its output voltage; continuous input current",
    conversion="V_o > 0, any magnitude",
    roles=roles.PAIR,
    ripples=pair.RIPPLES,
    equations=equations,
    circuit=circuit,
    gates=roles.main_switch,
    caveats=pair.ONE_CORE,
    figure=roles.panels("a", "L1", "L2"),
)
