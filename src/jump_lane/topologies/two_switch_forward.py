"""Two-switch forward: both ends of the primary are switched, and the core is reset into the input without a winding.

While S1 and S2 conduct, the secondary puts V_in/n through D1 to the inductor; afterwards the magnetising current flows
through D_c1 and D_c2 back into the source, so that no switch sees more than V_in.

        in ──┬──S1──┬── a (dot)      ┌─ s ──D1──┬── sw ──L──┬── out
             │      D_c1             Ns (dot)   │           │
             │      │     Np   ∥     │          D2         C_o   load
            D_c2    │                │          │           │
             └──────│──┬─ b          └──────────┴───────────┴──
        gnd ────────┴──S2──
"""

from __future__ import annotations

from dataclasses import replace

from jump_lane.circuit.elements import Diode, Element
from jump_lane.circuit.gates import Gates, Instant
from jump_lane.equations.sheet import Line
from jump_lane.topologies import blocks
from jump_lane.topologies.blocks import forwards, transformers
from jump_lane.topologies.page import Entry, Page
from jump_lane.topologies.point import Point
from jump_lane.topologies.role import Role

PRIMARY = "(R_S1 + R_S2 + R_pT)"

OPERATION: tuple[Entry, ...] = (
    *forwards.free.operation(PRIMARY, "V_in"),
    *forwards.primary_device("S1", "V_in"),
    *forwards.primary_device("S2", "V_in"),
    Line("I_Dc1", "I_r", "A", "average current of a clamp diode", blocks.RMS_VALUES),
    Line("V_Dc1", "V_in", "V", "voltage that a clamp diode blocks", blocks.KIRCHHOFF),
    *forwards.free.rectifiers("2"),
)


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point."""
    return (
        p.source(),
        p.switch("S1", "in", "a"),
        p.switch("S2", "b", "gnd"),
        Diode("D_c1", "gnd", "a"),
        Diode("D_c2", "b", "in"),
        *forwards.transformer(p, ("a", "b")),
    )


def gates(duty: Instant, p: Point) -> Gates:
    """Return the gate pattern: both switches together."""
    return forwards.forward_gates(duty, p, "S1", "S2")


PAGE = Page(
    name="two-switch-forward",
    title="Two-switch forward converter",
    good_for="robust isolated supplies from high input voltage: no switch sees more than V_in",
    conversion="0 < V_o < V_in/(2·n) (twice behind a centre tap or a bridge)",
    isolated=True,
    roles=(*forwards.ROLES, Role("S2", "switch")),
    ripples=forwards.RIPPLES,
    sizing=forwards.forward_sizing(forwards.free.sizing(PRIMARY)),
    operation=OPERATION,
    circuit=circuit,
    gates=gates,
    start=forwards.START,
    idle=("D1", "D2"),
    turns=transformers.TURNS,
    looser=transformers.LOOSER,
    bounds=forwards.BOUNDS,
    caveats=forwards.CAVEATS,
    duty_limits=forwards.DUTY_LIMITS,
    proofs=tuple(replace(p, needs="k_r") if p.symbol == "V_S1" else p for p in forwards.forward_proofs()),
    asks=forwards.forward_asks(),
    secondaries=forwards.SIDES,
    figure=forwards.PANELS,
)
