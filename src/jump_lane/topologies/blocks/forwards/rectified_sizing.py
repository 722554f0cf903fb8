"""Duty ratio, inductances and boundary of a forward converter whose reset is rectified; see `rectified`."""

from __future__ import annotations

from jump_lane.equations.sheet import Line
from jump_lane.topologies.blocks.forwards.lines import magnetising, seen_by_secondary
from jump_lane.topologies.blocks.forwards.paths import Paths, on_voltages
from jump_lane.topologies.blocks.inductors import inductance
from jump_lane.topologies.blocks.sources import RECTIFIED_RESET, VOLT_SECONDS, WITH_LOSSES
from jump_lane.topologies.page import ByTarget


def sizing(paths: Paths, primary: str) -> tuple[Line | ByTarget, ...]:
    """Return duty ratio, magnetising inductance and inductance.

    Parameters
    ----------
    primary
        Formula of the resistance of the primary circuit.
    """
    ends = "V_1c*D_c*(1 - D_s)/f_s/(2*{I} - V_mc*D_c*(1 - D_c)/(f_s*L_s) + V_1c*D_c*D_s/(f_s*L_s))"
    return (
        *on_voltages(paths, primary),
        Line(
            "V_2c",
            f"V_o + {paths.second.format(I='I_o')} + R_L*I_o",
            "V",
            "voltage that resets the core, of L and L_s together",
            WITH_LOSSES,
        ),
        Line("D_c", "V_2c/(V_1c + V_2c + V_mc)", "", "duty ratio with drops, continuous conduction", RECTIFIED_RESET),
        magnetising(),
        seen_by_secondary(),
        Line("D_s", "V_mc*D_c/V_2c", "", "part of the period for the reset, were L small", RECTIFIED_RESET),
        Line("L_rip", "V_1c*D_c/(f_s*dI_ask)", "H", "inductance for the ripple asked", VOLT_SECONDS),
        Line("L_crit", ends.format(I="I_o"), "H", "critical inductance at the load", RECTIFIED_RESET),
        Line("L_full", ends.format(I="I_max"), "H", "critical inductance at full load", RECTIFIED_RESET),
        inductance("L", "L_rip", "L_crit", "L_full"),
        *_boundary(paths, primary),
    )


def _boundary(paths: Paths, primary: str) -> tuple[Line, ...]:
    """Return the boundary load current, with the drops of half of the peak that the inductor then has."""
    return (
        Line(
            "R_1", f"2*{primary}/n**2 + {paths.count}*R_D1 + R_sT + R_L", "Ω", "resistance in series with L while S1 conducts", WITH_LOSSES
        ),
        Line(
            "V_1B", "(V_1c + R_1*I_o)*L/(L + L_kT/n**2 + R_1*D_c/(2*f_s))", "V", "inductor voltage at the boundary, S1 on", RECTIFIED_RESET
        ),
        Line("D_B", "V_2c/(V_1B + V_2c + V_mc)", "", "duty ratio at the boundary", RECTIFIED_RESET),
        Line(
            "I_B",
            "(V_1B*(1 - D_s*(1 + L/L_s))/L + V_mc*(1 - D_B)/L_s)*D_B/(2*f_s) + V_2c*t_d*(1 - D_B)/L",
            "A",
            "boundary load current",
            RECTIFIED_RESET,
        ),
    )
