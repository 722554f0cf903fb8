"""Half-bridge LLC: a resonant tank between the middle of a leg and ground, controlled by the switching frequency.

        in ──┬─────────────────────────────┐ ║ ┌──D1──┬── out
             S1                       N_p  │ ║ │ N_s  │
             ├─ m ── L_r ── C_r ── x ──────┤ ║ ├─ gnd C_o  load
             S2                        L_m │ ║ │ N_s  │
        gnd ─┴─────────────────────────────┘ ║ └──D2──┘

S1 on        the tank rings at f_0 about the output as the primary sees it; D1 passes the current on beyond that of L_m.
             Below f_0 it has rung out before the half period ends: D1 stops, L_m charges C_r on. Above f_0 it is cut short.
dead time    the tank current swings the middle of the leg over; S2 turns on without voltage.
S2 on        the same the other way round, through D2.
"""

from __future__ import annotations

from jump_lane.circuit.control import Control
from jump_lane.circuit.elements import Element
from jump_lane.circuit.gates import Gates, Instant
from jump_lane.quantities import FREQUENCY
from jump_lane.topologies.blocks import transformers
from jump_lane.topologies.blocks.resonant import llc, stage
from jump_lane.topologies.page import Page
from jump_lane.topologies.point import Point

SHARE = "0.5"
"""The capacitor takes half of the input; the other half, one way or the other, drives the tank."""


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point."""
    return (*stage.bridge(p, 1), *stage.tank(p, 1, magnetising=True))


def gates(frequency: Instant, p: Point) -> Gates:
    """Return the gate pattern: both switches take turns."""
    return stage.gates(frequency, p, 1)


PAGE = Page(
    name="half-bridge-llc",
    title="Half-bridge LLC resonant converter",
    good_for="isolated supplies from 100 W to kilowatts at high frequency: soft switching from no load to full load",
    conversion="about V_in/(2·n), up to the peak gain below resonance",
    isolated=True,
    roles=stage.ROLES,
    ripples=(),
    sizing=llc.sizing(SHARE),
    operation=llc.operation(SHARE),
    circuit=circuit,
    gates=gates,
    span=stage.span,
    clock="f_r",
    control=Control("f_s", "switching frequency", 0.0, 1e9, FREQUENCY, "f_min", "f_max", sure=False),
    naming=stage.NAMING,
    side=stage.SIDE,
    gain=llc.HARMONIC,
    bodies=True,
    soft=True,
    splits=True,
    start=stage.START,
    idle=("D1", "D2"),
    duty_limit=0.0,
    turns=transformers.TURNS,
    bounds=llc.BOUNDS,
    proofs=llc.proofs(),
    asks=(),
    secondaries=stage.SIDES,
    figure=llc.FIGURE,
)
