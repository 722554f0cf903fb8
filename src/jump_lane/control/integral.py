"""Integral: a capacitor alone around the amplifier; the phase falls by 90°, and nothing lifts it.

held ──R_1──┬───C_1───┐
            │  ┌──\\   │
           R_b └──│ >─┴── v_c
            │  V_ref
           ─┴─
"""

from __future__ import annotations

from jump_lane.control.network import NODES, Network, operational, transconductance
from jump_lane.equations.sheet import Line

PAGES = {
    "operational": Network(
        "integral",
        "integral, operational amplifier",
        (
            Line(
                "C_1", "1/(2*pi*f_c*G_c*R_1)", "F", "capacitor from the output to the inverting input", NODES
            ),
        ),
        ("C_1",),
        (0.0, 0.0),
        operational,
    ),
    "transconductance": Network(
        "integral",
        "integral, transconductance amplifier",
        (
            Line(
                "C_1",
                "g_m*R_b/(R_1 + R_b)/(2*pi*f_c*G_c)",
                "F",
                "capacitor at the output of the amplifier",
                NODES,
            ),
        ),
        ("C_1",),
        (0.0, 0.0),
        transconductance,
        ("g_m",),
    ),
}
