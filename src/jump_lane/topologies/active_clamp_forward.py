"""Active-clamp forward: a second switch and a capacitor reset the core over all of the off-time.

        in ──┬──────────┬            ┌─ s ──D1──┬── sw ──L──┬── out
             Np (dot)  C_cl          Ns (dot)   │           │
             │          │       ∥    │          D2         C_o   load
             a ───S2─── c            │          │           │
             S1                      └──────────┴───────────┴──
        gnd ─┴──

on      S1 conducts: the secondary gives V_s = V_in/n, L sees V_on = V_s − V_o through D1.
off     S2 conducts: the magnetising current swings through C_cl, whose voltage V_in·D/(1 − D) resets the core, so that the
        duty ratio may exceed one half; D2 carries L, which sees V_off = V_o reversed.
idle    below the boundary load L has no current.
"""

from __future__ import annotations

from jump_lane.circuit.elements import Capacitor, Element
from jump_lane.circuit.gates import Gates, Instant, complement, on
from jump_lane.equations.sheet import Line
from jump_lane.topologies.blocks import capacitors, forward_side, reset
from jump_lane.topologies.blocks.sources import KIRCHHOFF, VOLT_SECONDS
from jump_lane.topologies.blocks.stress import stress
from jump_lane.topologies.page import Page
from jump_lane.topologies.point import Point
from jump_lane.topologies.role import Role
from jump_lane.topologies.variant import Variant


def equations(v: Variant) -> tuple[Line, ...]:
    """Return its lines."""
    beside = "1/L_m" if v.secondary == "half-wave" else "(1/L_m + 1/(n**2*L))"
    half = "clamp capacitance: half a radian of resonance in the off-time"
    return (
        *reset.sizing(v, "(R_S1 + R_pT)"),
        *reset.chosen(v, clamped=True),
        Line("C_cl", f"(2*(1 - D_c)/f_s)**2*{beside}", "F", half, VOLT_SECONDS, component=True),
        *reset.clamped_reset(v),
        *stress("S1", reset.PULSE, f"V_in + V_r + {v.body('S2')}", within=forward_side.ROUGH),
        Line("V_S2", "V_S1", "V", "voltage that switch S2 blocks", KIRCHHOFF),
        *forward_side.borne(v, clamped=True),
        *capacitors.supplying(reset.PULSE),
    )


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point."""
    return (
        p.source(),
        p.switch("S1", "a", "gnd"),
        p.switch("S2", "c", "a"),
        Capacitor("C_cl", "c", "in", p["C_cl"]),
        *reset.transformer(p, ("in", "a")),
    )


def gates(duty: Instant, p: Point) -> Gates:
    """Return the gate pattern: S2 while S1 is open."""
    return {**reset.gates(duty, p), "S2": complement(on(0.0, duty), p["t_d"] * p["f_s"])}


PAGE = Page(
    name="active-clamp-forward",
    title="Forward converter with active clamp",
    good_for="isolated supplies with a wide input range: duty ratio beyond one half, core driven both ways",
    conversion="0 < V_o < V_in/n (twice behind a centre tap or a bridge)",
    equations=equations,
    circuit=circuit,
    gates=gates,
    start={"C_cl": "V_cl"},
    duty_limit=0.6,
    **(reset.FAMILY | {"roles": (*reset.ROLES, Role("S2", "switch"))}),
)
