"""Half-bridge series resonant converter: tank and rectifier in series, controlled by the switching frequency above resonance.

        in ──┬─────────────────────────────┐ ║ ┌──D1──┬── out
             S1                       N_p  │ ║ │ N_s  │
             ├─ m ── L_r ── C_r ── x ──────┤ ║ ├─ gnd C_o  load
             S2                            │ ║ │ N_s  │
        gnd ─┴─────────────────────────────┘ ║ └──D2──┘

S1 on        the tank rings against the output as the primary sees it; what L_r carries, a rectifier passes on.
dead time    the tank current lags, and swings the middle of the leg over; S2 turns on without voltage.
S2 on        the same the other way round.
"""

from __future__ import annotations

from jump_lane.circuit.control import Control
from jump_lane.circuit.elements import Element
from jump_lane.circuit.gates import Gates, Instant
from jump_lane.quantities import FREQUENCY
from jump_lane.topologies.blocks import transformers
from jump_lane.topologies.blocks.resonant import series, stage
from jump_lane.topologies.page import Page
from jump_lane.topologies.point import Point

SHARE = "0.5"
"""The capacitor takes half of the input; the other half, one way or the other, drives the tank."""


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point."""
    return (*stage.bridge(p, 1), *stage.tank(p, 1, magnetising=False))


def gates(frequency: Instant, p: Point) -> Gates:
    """Return the gate pattern: both switches take turns."""
    return stage.gates(frequency, p, 1)


PAGE = Page(
    name="half-bridge-series-resonant",
    title="Half-bridge series resonant converter",
    good_for="isolated supplies with a narrow load range, or a high output voltage; short circuits are limited by the tank",
    conversion="0 < V_o < V_in/(2·n)",
    isolated=True,
    roles=stage.ROLES,
    ripples=(),
    sizing=series.sizing(SHARE),
    operation=series.operation(SHARE),
    circuit=circuit,
    gates=gates,
    span=stage.span,
    clock="f_r",
    control=Control("f_s", "switching frequency", 0.0, 1e9, FREQUENCY, "f_min", "f_max", sure=False),
    naming=stage.NAMING,
    side=series.SIDE,
    gain=series.HARMONIC,
    bodies=True,
    soft=True,
    splits=True,
    start=stage.START,
    idle=("D1", "D2"),
    duty_limit=0.0,
    turns=transformers.TURNS,
    bounds=series.BOUNDS,
    proofs=series.proofs(),
    asks=(),
    secondaries=stage.SIDES,
    figure=series.FIGURE,
)
