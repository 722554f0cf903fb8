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

from jump_lane.topologies.blocks.resonant import series, stage

PAGE = stage.page(
    series.KIND,
    legs=1,
    name="half-bridge-series-resonant",
    title="Half-bridge series resonant converter",
    good_for="isolated supplies with a narrow load range, or a high output voltage; short circuits are limited by the tank",
    conversion="0 < V_o < V_in/(2·n)",
)
