"""Proportional: a threshold diode in place of a reference drives an optocoupler; nothing integrates.

        held ──R_d──▷|──┐          V_cc ──R_p──┬── v_c
               diode of │                      ├──C_2──┐
         the optocoupler│            transistor┤       │
                   V_Z ─┴─                    ─┴─     ─┴─

The gain is that of the ratio of resistances at any frequency, so that the output moves with the command: by R_d/(R_p·r_t) for each
volt of it, over load and input, besides the tolerance of the diode.
"""

from __future__ import annotations

import math
from collections.abc import Mapping

from jump_lane.circuit.law import ONE
from jump_lane.control.network import NODES, Dynamics, Network, add, times
from jump_lane.equations.sheet import Line

FAR = 10.0
"""How far above the crossover the pole of C_2 lies."""


def threshold(v: Mapping[str, float], sensed: str) -> Dynamics:
    """Return the state of the pull-up resistor with C_2 beside it, pulled down through the optocoupler."""
    current = times({sensed: 1.0, ONE: -v["V_F"] - v["V_Z"]}, 1.0 / v["R_d"])
    pulled = add({ONE: v["V_cc"]}, times(current, -v["R_p"] * v["r_t"]), {"v_2": -1.0})
    lag = v["R_p"] * v["C_2"] + 1.0 / (2.0 * math.pi * v["f_o"])
    return Dynamics({"v_2": times(pulled, 1.0 / lag)}, {"v_2": 1.0}, lambda command, _: {"v_2": command})


PAGES = {
    "threshold-diode": Network(
        "proportional",
        "proportional, threshold diode and optocoupler",
        (
            Line("R_d", "R_p*r_t/G_c", "Ω", "resistor of the diode; gain at any frequency", NODES),
            Line(
                "C_2",
                f"max(1/(2*pi*R_p)*(1/({FAR:.0f}*f_c) - 1/f_o), 1e-13)",
                "F",
                "capacitor beside the pull-up resistor",
                NODES,
            ),
            Line(
                "I_F",
                "(V_cc - V_c)/(R_p*r_t)",
                "A",
                "current of the diode at nominal input, full load",
                NODES,
            ),
            Line("V_Z", "V_h - V_F - R_d*I_F", "V", "threshold that makes the output there", NODES),
        ),
        ("R_d", "C_2"),
        (90.0, 90.0),
        threshold,
        ("R_p", "r_t", "f_o", "V_F", "V_cc", "V_c"),
        divided=False,
    )
}
