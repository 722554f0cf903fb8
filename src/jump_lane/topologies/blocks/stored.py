"""Flyback converters: energy stored in the magnetising inductance while S1 conducts, handed over afterwards."""

from __future__ import annotations

from jump_lane.equations.sheet import WHOLE, Line
from jump_lane.topologies.blocks import capacitors, coil, transformers
from jump_lane.topologies.blocks.shape import Shape, triangle
from jump_lane.topologies.blocks.sources import BOUNDARY_CONDITION, RIGHT_HALF_PLANE
from jump_lane.topologies.blocks.stress import stress, winding
from jump_lane.topologies.page import Ripple
from jump_lane.topologies.variant import Variant

CORE = triangle("I_Lmv", "I_Lmpk", "D", "D_2")
"""The magnetising current."""

RIPPLES = (Ripple("L_m", "I_max*(V_in + V_or)/(n*V_in)"),)
"""Asked ripple of the magnetising current, of its average at full load."""


def sizing(v: Variant, primary: str) -> tuple[Line, ...]:
    """Return turns ratio, duty ratio and magnetising inductance; ``primary`` is the resistance of the primary circuit."""
    return (
        coil.ratio(),
        *transformers.turns_ratio("D_lim/(1 - D_lim)*V_in/(V_o + V_FD1)"),
        *transformers.reflected(),
        coil.ideal("n*V_o/(V_in + n*V_o)"),
        *coil.lossy_duty("V_in + V_or - R_Co*n*I_o", f"V_in + ({primary} - n**2*(R_D1 + R_sT + R_Co))*I_or", f"{primary}*I_or", "I_or"),
        *coil.peak_ratio(primary, "(n**2*R_o)"),
        *coil.volts(f"V_in - {primary}*I_c", "V_or + n**2*(R_D1 + R_sT)*I_c"),
        *coil.handing_over(v, "L_m", "I_or", "(I_max/n)", "n"),
        Line("K", "2*L_m*f_s/(n**2*R_o)", "", "conduction parameter", BOUNDARY_CONDITION, "min"),
        Line("K_crit", "(1 - D_i)**2", "", "conduction parameter at the boundary", BOUNDARY_CONDITION),
    )


def core(load: str, rise: str = "D") -> tuple[Line, ...]:
    """Return the operation of the magnetising inductance; ``load`` is what it delivers."""
    return (
        *coil.handed_over("L_m", load, rise),
        *coil.carried("L_m", f"{load}*({rise} + D_2)/D_2", rise),
        Line("f_z", f"D_2**2*n**2*R_o/(2*pi*{rise}*L_m)", "Hz", "right-half-plane zero", RIGHT_HALF_PLANE, "min", modes=WHOLE),
    )


def secondary(carries: Shape) -> tuple[Line, ...]:
    """Return what the rectifier and the output capacitor bear; ``carries`` is the current of the secondary."""
    blocked = "V_o + dV_o/2 + V_in/n"
    return (*capacitors.smoothing(carries), *stress("D1", carries, blocked, spike=True), *winding("Ns", "I_o", "I_D1rms"))
