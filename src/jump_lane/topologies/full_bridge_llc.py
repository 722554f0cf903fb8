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

from jump_lane.topologies.blocks.resonant import llc, stage

PAGE = stage.page(
    llc.KIND,
    legs=2,
    name="full-bridge-llc",
    title="Full-bridge LLC resonant converter",
    good_for="isolated supplies of kilowatts at high frequency: soft switching from no load to full load",
    conversion="about V_in/n, up to the peak gain below resonance",
)
