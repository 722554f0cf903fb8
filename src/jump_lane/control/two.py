"""Type II: an integrator with a zero below and a pole above the crossover, which lift the phase between them.

        held ──R_1──┬──R_2──C_1──┐
                    ├────C_2─────┤
                    │   ┌──\\     │
                   R_b  └──│ >───┴── v_c
                    │   V_ref
                   ─┴─

With both at the same distance k from the crossover the phase rises by b = 2·atan(k) − 90° there, and the gain between them is
that at the crossover.
"""

from __future__ import annotations

from jump_lane.control.network import K_FACTOR, NODES, Network, operational, optocoupler, transconductance
from jump_lane.equations.sheet import Line

SPREAD = Line("k", "tan(b_c*pi/360 + pi/4)", "", "distance of zero and pole from the crossover", K_FACTOR)
ZERO = Line("f_z", "f_c/k", "Hz", "zero of the network", K_FACTOR)
POLE = Line("f_p", "f_c*k", "Hz", "pole of the network", K_FACTOR)
SERIES = (
    Line("C_1", "C_2*(k**2 - 1)", "F", "capacitor in series with R_2", K_FACTOR),
    Line("R_2", "k/(2*pi*f_c*C_1)", "Ω", "resistor that makes the zero", K_FACTOR),
)

PAGES = {
    "operational": Network(
        "type II",
        "type II, operational amplifier",
        (
            SPREAD,
            ZERO,
            POLE,
            Line("C_2", "1/(2*pi*f_c*G_c*k*R_1)", "F", "capacitor that makes the pole", K_FACTOR),
            *SERIES,
        ),
        ("R_2", "C_1", "C_2"),
        (2.0, 85.0),
        operational,
    ),
    "transconductance": Network(
        "type II",
        "type II, transconductance amplifier",
        (
            SPREAD,
            ZERO,
            POLE,
            Line(
                "C_2", "g_m*R_b/(R_1 + R_b)/(2*pi*f_c*G_c*k)", "F", "capacitor that makes the pole", K_FACTOR
            ),
            *SERIES,
        ),
        ("R_2", "C_1", "C_2"),
        (2.0, 85.0),
        transconductance,
        ("g_m",),
    ),
    "optocoupler": Network(
        "type II",
        "type II, shunt reference and optocoupler",
        (
            SPREAD,
            ZERO,
            POLE,
            Line("R_d", "R_p*r_t/G_c", "Ω", "resistor of the diode; gain at the crossover", NODES),
            Line(
                "C_1",
                "k/(2*pi*f_c*R_1)",
                "F",
                "capacitor from cathode to input of the shunt reference",
                NODES,
            ),
            Line(
                "C_2",
                "max(1/(2*pi*R_p)*(1/(f_c*k) - 1/f_o), 1e-13)",
                "F",
                "capacitor beside the pull-up resistor",
                NODES,
            ),
            Line(
                "R_k",
                "V_F/I_b",
                "Ω",
                "resistor beside the diode that lets the reference have its bias",
                NODES,
            ),
        ),
        ("R_d", "C_1", "C_2"),
        (2.0, 85.0),
        optocoupler,
        ("R_p", "r_t", "f_o", "V_F", "I_b"),
    ),
}
