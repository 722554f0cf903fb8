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

from jump_lane.circuit.elements import Diode, Element
from jump_lane.circuit.gates import Gates, Instant
from jump_lane.derivation import Line
from jump_lane.topologies import blocks
from jump_lane.topologies.blocks import forwards, transformers
from jump_lane.topologies.page import Bound, Page, Point, Role

PRIMARY = "(R_S1 + R_S2 + R_pT)"

OPERATION = (
    *forwards.forward_operation(PRIMARY),
    Line("D_r", "D_w", "", "part of the period that the core takes to reset", blocks.VOLT_SECONDS),
    Line(
        "D_off", "1 - D_w", "", "part of the period in which the switches are off", blocks.DEFINITION, "min"
    ),
    *forwards.primary_device("S1", "V_in"),
    *forwards.primary_device("S2", "V_in"),
    Line("I_Dc1", "dI_Lm*D_w/2", "A", "average current of a clamp diode, without leakage", blocks.RMS_VALUES),
    Line("V_Dc1", "V_in", "V", "voltage that a clamp diode blocks", blocks.KIRCHHOFF),
    *forwards.secondary(
        "V_in",
        "2",
        returned=("(dI_Lm*D_w + I_pk*D_k2/n)/2", "(dI_Lm**2*D_w + D_k2*I_pk*(I_pk/n + 2*dI_Lm)/n)/3"),
    ),
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
    conversion="0 < V_o < V_in/(2·n)",
    isolated=True,
    roles=(*forwards.ROLES, Role("S2", "switch")),
    ripples=forwards.RIPPLES,
    sizing=forwards.forward_sizing(PRIMARY),
    operation=OPERATION,
    circuit=circuit,
    gates=gates,
    start=forwards.START,
    idle=("D1", "D2"),
    turns=transformers.TURNS,
    looser=transformers.LOOSER,
    bounds=(Bound("D_r", "D_off", "the core would not be reset; lower duty_limit"),),
    proofs=forwards.forward_proofs(),
    asks=blocks.single_asks(),
    figure=forwards.PANELS,
)
