"""Full-bridge LLC: a resonant tank between the middles of two legs, controlled by the switching frequency.

        in ──┬──────────────────────────────────────┬── in     ║ ┌──D1──┬── out
             S1                          N_p        S3         ║ │ N_s  │
             ├─ m ── L_r ── C_r ── x ─────┬─── b ───┤          ║ ├─ gnd C_o  load
             S2                       L_m │         S4         ║ │ N_s  │
        gnd ─┴──────────────────────────────────────┴── gnd    ║ └──D2──┘

S1, S4 on    the tank rings at f_0 about the output as the primary sees it; D1 passes the current on beyond that of L_m.
             Below f_0 it has rung out before the half period ends: D1 stops, L_m charges C_r on. Above f_0 it is cut short.
dead time    the tank current swings both legs over; S2 and S3 turn on without voltage.
S2, S3 on    the same the other way round, through D2.
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

SHARE = "1"
"""The whole input, one way or the other, drives the tank."""


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point."""
    return (*stage.bridge(p, 2), *stage.tank(p, 2, magnetising=True))


def gates(frequency: Instant, p: Point) -> Gates:
    """Return the gate pattern: diagonal switches together."""
    return stage.gates(frequency, p, 2)


PAGE = Page(
    name="full-bridge-llc",
    title="Full-bridge LLC resonant converter",
    good_for="isolated supplies of kilowatts at high frequency: soft switching from no load to full load",
    conversion="about V_in/n, up to the peak gain below resonance",
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
