"""Forward with reset winding: steps down (or up, by the turns) with isolation; the core is reset into the input.

        in ──┬──────────┬          ┌─ s ──D1──┬── sw ──L──┬── out
             Np (dot)   D_r        Ns (dot)   │           │
             │          │   ∥      │          D2         C_o   load
             a          Nr         │          │           │
             S1         │ (dot)    └──────────┴───────────┴──
        gnd ─┴──────────┴──

on      S1 conducts: the secondary gives V_s = V_in/n, L sees V_on = V_s − V_o through D1, the magnetising current rises.
off     D2 carries L, which sees V_off = V_o reversed; the winding Nr drives the core's current through D_r back into the source.
rest    the core is at rest; below the boundary load L has no current either.
"""

from __future__ import annotations

from jump_lane.circuit.elements import Diode, Element, Winding
from jump_lane.equations.sheet import Line
from jump_lane.topologies.blocks import capacitors, forward_side, reset
from jump_lane.topologies.blocks.sources import DEFINITION, KIRCHHOFF
from jump_lane.topologies.blocks.stress import stress
from jump_lane.topologies.page import Page
from jump_lane.topologies.point import Point
from jump_lane.topologies.variant import Variant


def equations(v: Variant) -> tuple[Line, ...]:
    """Return its lines."""
    off = "max(V_r, V_in/n_r)" if v.leaking else "V_r"  # leakage leaves its current to D_r
    return (
        *reset.sizing(v, "(R_S1 + R_pT)"),
        *reset.chosen(v),
        Line("n_r", "1", "", "turns of the reset winding over those of the primary", DEFINITION, component=True),
        *reset.freely_reset(v, "(V_in/n_r)", "n_r"),
        *stress("S1", reset.PULSE, f"V_in + {off}", spike=True, within=forward_side.ROUGH),
        Line("I_Dr", "I_r", "A", "average current of reset diode D_r", KIRCHHOFF),
        Line("V_Dr", "V_in + n_r*V_in", "V", "voltage that reset diode D_r blocks", KIRCHHOFF),
        *forward_side.borne(v),
        *capacitors.supplying(reset.drawn(v)),
    )


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point."""
    winding = Winding("Nr", "gnd", "r", p["n"] * p["n_r"])
    return (p.source(), p.switch("S1", "a", "gnd"), Diode("D_r", "r", "in"), *reset.transformer(p, ("in", "a"), (winding,)))


PAGE = Page(
    name="forward",
    title="Forward converter with reset winding",
    good_for="isolated supplies of some hundred watts with one switch and a smooth output current",
    conversion="0 < V_o < V_in/n (twice behind a centre tap or a bridge)",
    equations=equations,
    circuit=circuit,
    gates=reset.gates,
    bounds=reset.BOUNDS,
    duty_limits=reset.DUTY_LIMITS,
    **reset.FAMILY,
)
