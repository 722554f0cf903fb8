"""Forward converters with a current doubler: L1 takes the pulse, L2 what resets the core.

While S1 conducts, D1 carries both inductor currents and the secondary that of L1; afterwards D2 carries both, and the
secondary that of L2, which the magnetising current has to follow.  Every inductor loses V_o·T in a period and gets
D·V_m·T, so that V_o is half of what a tapped secondary gives.  How the load divides is left to the resistances: the
winding is without average voltage, hence R_L·(I_1 − I_2) = −R_s·(D·I_1 − (1 − D)·I_2).

Where the core drives a current back into the input, it has more than L2 takes when S1 opens; the excess flows back
during D_e against the reset voltage, and from then on L2 and L_s carry one current.
"""

from __future__ import annotations

from jump_lane.equations.sheet import Line
from jump_lane.topologies.blocks.capacitors import MATCHING, smoothing
from jump_lane.topologies.blocks.devices import stresses, with_spike
from jump_lane.topologies.blocks.forwards.lines import (
    drawn,
    fed,
    held,
    magnetising,
    magnetising_peak,
    magnetising_valley,
    secondary_voltage,
    seen_by_secondary,
)
from jump_lane.topologies.blocks.inductors import carries, inductor, sized
from jump_lane.topologies.blocks.ramps import mean_square, root_mean_square
from jump_lane.topologies.blocks.shape import Shape
from jump_lane.topologies.blocks.sources import DEFINITION, DOUBLED_RESET, KIRCHHOFF, LEAKAGE_FORWARD, RMS_VALUES, VOLT_SECONDS, WITH_LOSSES
from jump_lane.topologies.blocks.transformers import winding
from jump_lane.topologies.page import ByTarget
from jump_lane.topologies.point import SHARING

COPPER = f"max(R_L, {SHARING}*R_o)"
"""Resistance of an inductor, or what stands in for it."""


def sizing(primary: str) -> tuple[Line | ByTarget, ...]:
    """Return duty ratio, inductance and magnetising inductance; ``primary`` is the primary resistance."""
    return (
        Line(
            "V_1c", f"V_in/n - {primary}*I_o/n**2 - V_o - V_FD1 - R_D1*I_o - (R_sT + R_L)*I_o/2", "V", "voltage of L1, S1 on", WITH_LOSSES
        ),
        Line("V_2c", "V_o + V_FD2 + (R_D2 + R_L/2)*I_o", "V", "voltage of L1 reversed, S1 off", WITH_LOSSES),
        Line("D_c", "V_2c/(V_1c + V_2c)", "", "duty ratio with drops, continuous conduction", WITH_LOSSES),
        Line(
            "k_1",
            f"({COPPER} + R_sT*(1 - D_c - f_s*L_kT*I_o/(n*V_in)))/(2*{COPPER} + R_sT)",
            "",
            "part of the load current in L1",
            DOUBLED_RESET,
        ),
        magnetising(),
        *sized("max(V_1c, V_2c)*D_c/f_s", "(I_o/2)", "(I_max/2)", "2", needed=True),
    )


def shared(primary: str, uneven: str = "0") -> tuple[Line, ...]:
    """Return the currents of both inductors up to the ripple of L1.

    Parameters
    ----------
    primary
        Formula of the primary resistance.
    uneven
        Formula of what L1 carries more as the current of L2 does not fall and rise straight.
    """
    leak = "L_kT/n**2"
    return (
        Line("I_1", f"k_1*I_o + {uneven}", "A", "load current of L1", DOUBLED_RESET),
        Line("I_2", "I_o - I_1", "A", "load current of L2", DOUBLED_RESET),
        secondary_voltage("V_m", f"{primary}*I_o/n"),
        Line("V_1", f"(V_m - V_o - V_FD1 - R_D1*I_o - (R_sT + R_L)*I_1)*L/(L + {leak})", "V", "voltage of L1, S1 on", WITH_LOSSES),
        Line("V_2", "V_o + V_FD2 + R_D2*I_o + R_L*I_1", "V", "voltage of L1 reversed, S1 off", WITH_LOSSES),
        Line("V_a", "V_o + V_FD1 + R_D1*I_o + R_L*I_2", "V", "voltage of L2 reversed, S1 on", WITH_LOSSES),
        Line("D_1", "(V_2 + 2*t_d*f_s*V_BD2)/(V_1 + V_2)", "", "rising part of the period for L1", VOLT_SECONDS),
        Line("D_2", "1 - D_1", "", "falling part of the period for L1", VOLT_SECONDS),
        Line("dI_L", "V_1*D_1/(f_s*L)", "A", "ripple of L1, peak to peak", VOLT_SECONDS),
        *inductor("L", "I_1", "dI_L", "D_1 + D_2"),
        Line(
            "D_k1",
            "f_s*L_kT*(I_Lv + I_2 + V_a*D_1/(2*f_s*L))/(n*V_in)",
            "",
            "part of the period that commutation takes from the pulse",
            LEAKAGE_FORWARD,
        ),
        Line("D_z", "t_d*f_s", "", "dead time before the pulse, part of the period", DEFINITION),
        fed(),
        *held(),
    )


def operation(primary: str, reset: str, turns: str = "1") -> tuple[Line, ...]:
    """Return the operation with a core that drives its excess current back; see `free.operation`."""
    last = f"(1 - D_c - D_c*V_o/({reset}/n - V_o))"
    uneven = f"R_sT*D_c**2*V_o*{last}/(2*f_s*L*(2*{COPPER} + R_sT))"
    return (
        *shared(primary, uneven),
        *_intervals(reset),
        *_second_inductor(),
        *summed("I_a"),
        magnetising_valley("I_a/n"),
        *magnetising_peak("I_Lmv + dI_Lm", DOUBLED_RESET),
        Line("I_p1", "(I_Lv + I_a)/n", "A", "primary current at the start of a pulse", KIRCHHOFF, "min"),
        Line("I_p2", "I_Lpk/n + I_Lmpk", "A", "primary current at the end of a pulse", KIRCHHOFF),
        Line("V_r", reset, "V", "largest voltage of the primary while S1 is off", VOLT_SECONDS),
        Line("k_r", "1", "", "1 where the core drives a current back into the input", DEFINITION),
        Line("D_r", "D_k2 + D_e", "", "part of the period in which the excess flows back", DOUBLED_RESET),
        *_driven_back(reset, turns),
    )


def _intervals(reset: str) -> tuple[Line, ...]:
    return (
        seen_by_secondary(),
        Line(
            "V_b", f"{reset}/n - V_o - V_FD2 - R_D2*I_o - (R_sT + R_L)*I_2", "V", "voltage of L2 while the excess flows back", WITH_LOSSES
        ),
        Line("V_3", "V_o + V_FD2 + R_D2*I_o + (R_sT + R_L)*I_2", "V", "voltage of L2 and L_s together afterwards, reversed", WITH_LOSSES),
        Line(
            "D_k2",
            f"f_s*L_kT*(I_Lpk + I_2 - V_a*D_1/(2*f_s*L))/(n*{reset})",
            "",
            "part of the period in which the secondary current turns round after the pulse",
            LEAKAGE_FORWARD,
        ),
        Line(
            "D_e",
            f"(D_w*V_m/L_s + (D_w + D_k2 + D_z)*V_a/L - D_k2*{reset}/(n*L_s))/(V_b/L + {reset}/(n*L_s))",
            "",
            "part of the period in which the core has more current than L2",
            DOUBLED_RESET,
        ),
        Line("D_3", "1 - D_w - D_k2 - D_e - D_z", "", "part in which L2 and the core share one current", DOUBLED_RESET),
    )


def _second_inductor() -> tuple[Line, ...]:
    rms = root_mean_square(("(D_w + D_k2 + D_z)", "I_a", "I_L2v"), ("D_e", "I_L2v", "I_L2pk"), ("D_3", "I_L2pk", "I_a"))
    return (
        Line("dI_a", "V_a*(D_w + D_k2 + D_z)/(f_s*L)", "A", "fall of the current of L2 with the pulse", VOLT_SECONDS),
        Line("dI_b", "V_3*D_3/(f_s*(L + L_s + L_kT/n**2))", "A", "fall of the current of L2 and the core together", VOLT_SECONDS),
        Line("dI_L2", "dI_a + dI_b", "A", "ripple of L2, peak to peak", VOLT_SECONDS),
        Line("I_a", "I_2 + (dI_a*(D_w + D_k2 + D_z + D_e) - dI_b*(D_e + D_3))/2", "A", "current of L2 as the pulse begins", KIRCHHOFF),
        *carries("L2", "I_2", "I_a - dI_a", "I_a + dI_b", rms, "L"),
    )


def summed(second: str) -> tuple[Line, ...]:
    """Return the current of both inductors at both ends of the pulse; ``second`` is that of L2 as it begins."""
    return (
        Line("I_s1", f"I_Lv + {second} - V_a*(D_k1 + D_z)/(f_s*L)", "A", "current of both inductors as the pulse begins", KIRCHHOFF),
        Line("I_s2", "I_Lpk + I_L2v + V_a*D_k2/(f_s*L)", "A", "current of both inductors as the pulse ends", KIRCHHOFF),
    )


def _driven_back(reset: str, turns: str) -> tuple[Line, ...]:
    return (
        Line(
            "I_ex",
            f"D_e*(V_b/L + {reset}/(n*L_s))/(f_s*n)",
            "A",
            "magnetising current beyond that of L2, once D2 conducts alone",
            DOUBLED_RESET,
        ),
        Line(
            "I_r",
            f"(D_k2*(I_p2 + I_ex) + D_e*I_ex)/(2*{turns})",
            "A",
            "average current that the core drives back into the input",
            RMS_VALUES,
        ),
        Line(
            "I_rrms",
            f"{root_mean_square(('D_k2', 'I_p2', 'I_ex'), ('D_e', 'I_ex', '0'))}/{turns}",
            "A",
            "rms current that the core drives back into the input",
            RMS_VALUES,
        ),
    )


def rectifiers() -> tuple[Line, ...]:
    """Return the stresses of the rectifiers, windings, output and input capacitor."""
    first = mean_square(("D_e", "I_s2", "I_s3"), ("D_3", "I_s3", "I_s1"))
    second = mean_square(("D_e", "I_L2v", "I_L2pk"), ("D_3", "I_L2pk", "I_a"))
    top, left = "(I_s2 - I_s1)/dI_L", "(I_s3 - I_s1)/dI_L"
    last = "(V_2 + V_a)*(D_k1 + D_z)/(f_s*L*dI_L)"
    return (
        Line("I_s3", "I_Lpk - V_2*(D_k2 + D_e)/(f_s*L) + I_L2pk", "A", "current of both inductors as the excess has flown back", KIRCHHOFF),
        *rectifying_pair(first, "max(I_s2, max(I_s3, I_s1))"),
        *wound(second),
        *shaped(("D_1", "0", top), ("D_k2 + D_e", top, left), ("D_3", left, last), ("D_k1 + D_z", last, "0")),
        *drawn(returned=True),
    )


def rectifying_pair(square: str, peak: str, blocked: str = "V_r/n") -> tuple[Line, ...]:
    """Return the stresses of D1, which conducts with S1, and of D2.

    Parameters
    ----------
    square, peak
        Formulas of the mean square of the current of D2 while it alone conducts, and of its peak.
    blocked
        Formula of the largest secondary voltage while S1 is off.
    """
    ramps = (("D_k1", "0", "I_s1"), ("D_k2", "I_s2", "0"))
    return (
        *stresses(
            "D1",
            "(D_1 + D_k1)*I_s1/2 + (D_1 + D_k2)*I_s2/2",
            root_mean_square(("D_1", "I_s1", "I_s2"), *ramps),
            "max(I_s1, I_s2)",
            f"{blocked} - V_FD2 - R_D2*I_s1",
            "rectifier",
        ),
        *stresses("D2", "I_o - I_D1", f"sqrt({square} + {mean_square(*ramps)})", peak, "V_m - V_FD1 - R_D1*I_s1", "rectifier"),
        with_spike("D2", "rectifier"),
        with_spike("D1", "rectifier"),
    )


def wound(square: str) -> tuple[Line, ...]:
    """Return what the windings carry; ``square`` is the mean square of the current of L2 while D2 alone conducts."""
    pulse = mean_square(("D_1", "I_Lv", "I_Lpk"))
    return (*winding("Np", "I_S1", "I_S1rms"), *winding("Ns", "abs(D_1*I_1 - D_2*I_2)", f"sqrt({pulse} + {square})"))


def shaped(*pieces: tuple[str, str, str]) -> tuple[Line, ...]:
    """Return the output capacitor behind both inductors, whose current has these pieces in units of the ripple of L1."""
    least = f"{MATCHING}*dI_L/(8*f_s)"
    return smoothing(Shape("dI_L", pieces), "f_s", least, "with margin, as inductors never match better than to 5 %")
