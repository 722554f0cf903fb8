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

from jump_lane.topologies.blocks.resonant import llc, stage

PAGE = stage.page(
    llc.KIND,
    legs=1,
    name="half-bridge-llc",
    title="Half-bridge LLC resonant converter",
    good_for="isolated supplies from 100 W to kilowatts at high frequency: soft switching from no load to full load",
    conversion="about V_in/(2·n), up to the peak gain below resonance",
)
