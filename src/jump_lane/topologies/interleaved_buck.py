"""Interleaved buck: N buck phases in parallel, shifted by equal parts of the period.

        in ──S1──┬── sw1 ──L1──┐
             S2──┼── sw2 ──L2──┼── out
              ⋮  D1, D2 …      C_o   load
        gnd ─────┴─────────────┴──

Every phase is a buck converter with the N-th part of the load.  The ripples of the inductor currents cancel in
part at the output (wholly where N·D is a whole number).
"""

from __future__ import annotations

from dataclasses import replace

from jump_lane.circuit.elements import Element
from jump_lane.equations.sheet import Line
from jump_lane.topologies.blocks import capacitors, coil, roles
from jump_lane.topologies.blocks.coil import COIL
from jump_lane.topologies.blocks.sources import BOUNDARY_CONDITION, DEFINITION
from jump_lane.topologies.blocks.stress import stress
from jump_lane.topologies.page import Page, Ripple
from jump_lane.topologies.point import Point
from jump_lane.topologies.variant import Variant

ALL = replace(COIL, count="N")
"""The currents of all phases."""

SHARES = (
    Line("I_ph", "I_o/N", "A", "load current of one phase", DEFINITION),
    Line("I_phf", "I_max/N", "A", "load current of one phase at full load", DEFINITION),
)


def equations(v: Variant) -> tuple[Line, ...]:
    """Return its lines."""
    return (
        *SHARES,
        coil.ratio("min"),
        coil.ideal("V_o/V_in"),
        *coil.volts("V_in - V_o - (R_S1 + R_L)*I_ph", "V_o + V_FD1 + (R_D1 + R_L)*I_ph"),
        *coil.stepping_down(v, load="I_ph", full="I_phf", phases="N"),
        Line("K", "2*L*f_s/(N*R_o)", "", "conduction parameter", BOUNDARY_CONDITION, "min"),
        Line("K_crit", "1 - D_i", "", "conduction parameter at the boundary", BOUNDARY_CONDITION),
        *coil.fed(load="I_ph", element="L1"),
        *coil.carried("L", "I_ph", element="L1"),
        *stress("S1", COIL.during("D"), f"V_in + {v.drop('D1', 'I_Lpk')}"),
        *stress("D1", COIL.during("D_2"), "V_in"),
        *capacitors.together(ALL, "dI_L"),
        *capacitors.together_drawn(ALL.during("D"), "I_Lpk"),
    )


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point."""
    phases = [
        element
        for k in range(1, int(p["N"]) + 1)
        for element in (
            p.switch(f"S{k}", "in", f"sw{k}"),
            p.rectifier(f"D{k}", "gnd", f"sw{k}"),
            p.phase_inductor(f"L{k}", f"sw{k}", "out", "L"),
        )
    ]
    return (p.source(), *phases, p.capacitor("C_o", "out", "gnd"), *p.load())


PAGE = Page(
    name="interleaved-buck",
    title="Interleaved buck converter, 2 to 8 phases",
    good_for="high current at low voltage; small output ripple",
    conversion="0 < V_o < V_in",
    roles=roles.PHASES,
    ripples=(Ripple("L", "I_max/N"),),
    equations=equations,
    circuit=circuit,
    gates=roles.phase_switches,
    figure=roles.PHASE_PANELS,
)
