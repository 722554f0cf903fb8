"""Type III: an integrator with two zeros below and two poles above the crossover.

        held ──┬────R_1─────┬──R_2──C_1──┐
               └──R_3──C_3──┼────C_2─────┤
                            │   ┌──\\     │
                           R_b  └──│ >───┴── v_c
                            │   V_ref
                           ─┴─

With both zeros at f_c/√k and both poles at f_c·√k the phase rises by b = 4·atan(√k) − 180° at the crossover.
"""

from __future__ import annotations

from jump_lane.control.network import K_FACTOR, Network, operational
from jump_lane.equations.sheet import Line

PAGES = {
    "operational": Network(
        "type III",
        "type III, operational amplifier",
        (
            Line("k", "tan(b_c*pi/720 + pi/4)**2", "", "square of the distance of zeros and poles", K_FACTOR),
            Line("f_z", "f_c/sqrt(k)", "Hz", "zeros of the network", K_FACTOR),
            Line("f_p", "f_c*sqrt(k)", "Hz", "poles of the network", K_FACTOR),
            Line("C_2", "1/(2*pi*f_c*G_c*R_1)", "F", "capacitor that makes the first pole", K_FACTOR),
            Line("C_1", "C_2*(k - 1)", "F", "capacitor in series with R_2", K_FACTOR),
            Line("R_2", "sqrt(k)/(2*pi*f_c*C_1)", "Ω", "resistor that makes the first zero", K_FACTOR),
            Line("R_3", "R_1/(k - 1)", "Ω", "resistor in series with C_3", K_FACTOR),
            Line("C_3", "1/(2*pi*f_c*sqrt(k)*R_3)", "F", "capacitor that makes the second zero", K_FACTOR),
        ),
        ("R_2", "C_1", "C_2", "R_3", "C_3"),
        (4.0, 170.0),
        operational,
    ),
}
