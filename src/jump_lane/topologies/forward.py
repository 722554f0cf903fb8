"""Forward with reset winding: steps down (or up, by the turns) with isolation; the core is reset into the input.

While S1 conducts, the secondary puts V_in/n through D1 to the inductor; afterwards D2 carries the inductor current and
the winding Nr drives the magnetising current through D_r back into the source.

        in ──┬──────────┬          ┌─ s ──D1──┬── sw ──L──┬── out
             Np (dot)   D_r        Ns (dot)   │           │
             │          │   ∥      │          D2         C_o   load
             a          Nr         │          │           │
             S1         │ (dot)    └──────────┴───────────┴──
        gnd ─┴──────────┴──
"""

from __future__ import annotations

from jump_lane.circuit.elements import Diode, Element, Winding
from jump_lane.equations.sheet import Line
from jump_lane.topologies import blocks
from jump_lane.topologies.blocks import forwards, transformers
from jump_lane.topologies.page import Entry, Page
from jump_lane.topologies.point import Point

PRIMARY, RESET = "(R_S1 + R_pT)", "(V_in/n_r)"

SIZING: tuple[Entry, ...] = (
    *forwards.forward_sizing(forwards.free.sizing(PRIMARY)),
    Line("n_r", "1", "", "turns of the reset winding over those of the primary", blocks.DEFINITION, component=True),
)

OPERATION: tuple[Entry, ...] = (
    *forwards.free.operation(PRIMARY, RESET, "n_r"),
    *forwards.primary_device("S1", "V_in + V_r"),
    blocks.with_spike("S1"),
    Line("I_Dr", "I_r", "A", "average current of reset diode D_r", blocks.RMS_VALUES),
    Line("V_Dr", "V_in + n_r*V_in", "V", "voltage that reset diode D_r blocks", blocks.KIRCHHOFF),
    *forwards.free.rectifiers(),
)


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point."""
    reset = Winding("Nr", "gnd", "r", p["n"] * p["n_r"])
    return (p.source(), p.switch("S1", "a", "gnd"), Diode("D_r", "r", "in"), *forwards.transformer(p, ("in", "a"), (reset,)))


PAGE = Page(
    name="forward",
    title="Forward converter with reset winding",
    good_for="isolated supplies of some hundred watts with one switch and a smooth output current",
    conversion="0 < V_o < V_in/n (twice behind a centre tap or a bridge)",
    isolated=True,
    roles=forwards.ROLES,
    ripples=forwards.RIPPLES,
    sizing=SIZING,
    operation=OPERATION,
    circuit=circuit,
    gates=forwards.forward_gates,
    start=forwards.START,
    idle=("D1", "D2"),
    turns=transformers.TURNS,
    looser=transformers.LOOSER,
    bounds=forwards.BOUNDS,
    caveats=forwards.CAVEATS,
    duty_limits=forwards.DUTY_LIMITS,
    proofs=forwards.forward_proofs(),
    asks=forwards.forward_asks(),
    secondaries=forwards.SIDES,
    figure=forwards.PANELS,
)
