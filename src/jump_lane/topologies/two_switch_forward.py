"""Two-switch forward: both ends of the primary are switched, and the core is reset into the input without a winding.

        in ──┬──S1──┬── a (dot)      ┌─ s ──D1──┬── sw ──L──┬── out
             │      D_c1             Ns (dot)   │           │
             │      │     Np   ∥     │          D2         C_o   load
            D_c2    │                │          │           │
             └──────│──┬─ b          └──────────┴───────────┴──
        gnd ────────┴──S2──

on      S1 and S2 conduct: the secondary gives V_s = V_in/n, L sees V_on = V_s − V_o through D1.
off     D2 carries L, which sees V_off = V_o reversed; the magnetising current flows through D_c1 and D_c2 back into the
        source, so that no switch sees more than V_in.
rest    the core is at rest; below the boundary load L has no current either.
"""

from __future__ import annotations

from jump_lane.circuit.elements import Diode, Element
from jump_lane.circuit.gates import Gates, Instant
from jump_lane.equations.sheet import Line
from jump_lane.topologies.blocks import capacitors, forward_side, reset
from jump_lane.topologies.blocks.sources import KIRCHHOFF
from jump_lane.topologies.blocks.stress import ALL, CURRENTS, stress
from jump_lane.topologies.page import Page
from jump_lane.topologies.point import Point
from jump_lane.topologies.role import Role
from jump_lane.topologies.variant import Variant


def equations(v: Variant) -> tuple[Line, ...]:
    """Return its lines."""
    floating = v.two_paths and not v.leaking
    return (
        *reset.sizing(v, "(R_S1 + R_S2 + R_pT)"),
        *reset.chosen(v),
        *reset.freely_reset(v, "V_in"),
        *stress("S1", reset.PULSE, "V_in", within=forward_side.ROUGH, shows=CURRENTS if floating else ALL),
        *stress("S2", reset.PULSE, "V_in", within=forward_side.ROUGH, shows=CURRENTS if floating else ALL),
        Line("I_Dc1", "I_r", "A", "average current of a clamp diode", KIRCHHOFF),
        Line("V_Dc1", "V_in", "V", "voltage that a clamp diode blocks", KIRCHHOFF),
        *forward_side.borne(v),
        *capacitors.supplying(reset.drawn(v)),
    )


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point."""
    return (
        p.source(),
        p.switch("S1", "in", "a"),
        p.switch("S2", "b", "gnd"),
        Diode("D_c1", "gnd", "a"),
        Diode("D_c2", "b", "in"),
        *reset.transformer(p, ("a", "b")),
    )


def gates(duty: Instant, p: Point) -> Gates:
    """Return the gate pattern: both switches together."""
    return reset.gates(duty, p, "S1", "S2")


PAGE = Page(
    name="two-switch-forward",
    title="Two-switch forward converter",
    good_for="robust isolated supplies from high input voltage: no switch sees more than V_in",
    conversion="0 < V_o < V_in/(2·n) (twice behind a centre tap or a bridge)",
    equations=equations,
    circuit=circuit,
    gates=gates,
    bounds=reset.BOUNDS,
    duty_limits=reset.DUTY_LIMITS,
    **(reset.FAMILY | {"roles": (*reset.ROLES, Role("S2", "switch"))}),
)
