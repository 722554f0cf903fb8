"""Full-bridge series resonant converter: tank and rectifier in series, controlled by the switching frequency above resonance.

        in ──┬──────────────────────────────────────┬── in     ║ ┌──D1──┬── out
             S1                          N_p        S3         ║ │ N_s  │
             ├─ m ── L_r ── C_r ── x ─────┬─── b ───┤          ║ ├─ gnd C_o  load
             S2                           │         S4         ║ │ N_s  │
        gnd ─┴──────────────────────────────────────┴── gnd    ║ └──D2──┘

S1, S4 on    the tank rings against the output as the primary sees it; what L_r carries, a rectifier passes on.
dead time    the tank current lags, and swings both legs over; S2 and S3 turn on without voltage.
S2, S3 on    the same the other way round.
"""

from __future__ import annotations

from jump_lane.topologies.blocks.resonant import series, stage

PAGE = stage.page(
    series.KIND,
    legs=2,
    name="full-bridge-series-resonant",
    title="Full-bridge series resonant converter",
    good_for="isolated supplies with a narrow load range, or a high output voltage; short circuits are limited by the tank",
    conversion="0 < V_o < V_in/n",
)
