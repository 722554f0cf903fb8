"""Duty ratio and the times of a period."""

from __future__ import annotations

from jump_lane.equations.sheet import CONTINUOUS, DISCONTINUOUS, REVERSED, Line
from jump_lane.topologies.blocks.sources import DEFINITION, DISCONTINUOUS_RATIO, ENERGY, KIRCHHOFF, PEAK_DERIVED, VOLT_SECONDS, WITH_LOSSES


def lossy_duty(a: str, b: str, c: str, load: str = "I_o") -> tuple[Line, ...]:
    """Return the duty ratio in continuous conduction from the energy balance a·D'² − b·D' + c = 0.

    ``load`` is the symbol of the load current (of one phase).
    """
    return (
        Line("a_D", a, "V", "energy balance: factor of D'²", ENERGY),
        Line("b_D", b, "V", "energy balance: factor of −D'", ENERGY),
        Line("c_D", c, "V", "energy balance: what is left", ENERGY),
        Line("D_c", "1 - (b_D + sqrt(b_D**2 - 4*a_D*c_D))/(2*a_D)", "", "duty ratio with drops, continuous conduction", ENERGY),
        Line("I_c", f"{load}/(1 - D_c)", "A", "current handed over, continuous conduction", VOLT_SECONDS),
    )


def peak_ratio(resistance: str, load: str = "R_o") -> tuple[Line, ...]:
    """Return the highest conversion ratio that losses leave a converter whose output steps up by D/D'.

    Parameters
    ----------
    resistance
        Formula of the resistance in which the current flows as S1 conducts.
    load
        Formula of the load resistance.
    """
    return (
        Line("k_R", f"({resistance})/{load}", "", "resistance over that of the load", PEAK_DERIVED),
        Line("D_pk", "1 + k_R - sqrt(k_R + k_R**2)", "", "duty ratio of the highest output", PEAK_DERIVED, "min"),
        Line("M_pk", "D_pk*(1 - D_pk)/((1 - D_pk)**2 + k_R)", "", "highest conversion ratio", PEAK_DERIVED, "min"),
    )


def ratio_left(ideal: str) -> Line:
    """Return the part of the ideal conversion ratio at this duty ratio that losses (or idling) leave."""
    meaning = "part of the ideal conversion ratio at this duty ratio that losses (or idling) leave"
    return Line("k_M", f"M/({ideal})", "", meaning, DEFINITION, "min")


def handed_over(on: str, off: str, off_ideal: str, inductance: str, load: str = "I_o") -> tuple[Line, ...]:
    """Return the operation of a converter that stores energy while S1 conducts and hands it over afterwards.

    The current handed over (of one inductor, or the sum of two) rises by ``dI`` to I_pk and falls to I_v.

    Parameters
    ----------
    on, off
        Formulas of the inductor voltage while S1 conducts, and reversed while the rectifier does, with the
        drops at the current I_x.
    off_ideal
        The latter without the resistive drops.
    inductance
        Symbol of the inductance (of both in parallel).
    load
        Symbol of the load current (of one phase).
    """
    return (
        Line(
            "I_x",
            {CONTINUOUS: "I_c", DISCONTINUOUS: f"sqrt({load}*({off_ideal})/(2*{inductance}*f_s))"},
            "A",
            "current that sets the drops (half the peak in discontinuous conduction)",
            WITH_LOSSES,
        ),
        Line("V_1", on, "V", "inductor voltage, S1 on", WITH_LOSSES),
        Line("V_2", off, "V", "inductor voltage reversed, S1 off", WITH_LOSSES),
        Line(
            "D",
            {CONTINUOUS: "D_c", REVERSED: "D_c - t_d*f_s", DISCONTINUOUS: f"sqrt(2*{inductance}*f_s*{load}*V_2)/V_1"},
            "",
            "duty ratio that holds the output",
            DISCONTINUOUS_RATIO,
        ),
        *pulse_times(),
        Line("dI", f"V_1*D_1/(f_s*{inductance})", "A", "ripple of the current handed over", VOLT_SECONDS),
        Line("I_m", {CONTINUOUS: f"{load}/D_2", DISCONTINUOUS: "dI/2"}, "A", "middle of the slope of the current handed over", KIRCHHOFF),
        Line("I_pk", "I_m + dI/2", "A", "peak of the current handed over", KIRCHHOFF),
        Line("I_v", "I_m - dI/2", "A", "valley of the current handed over", KIRCHHOFF, "min"),
    )


def pulse_times() -> tuple[Line, ...]:
    """Return on-time, gate angle, and the rising and falling parts of the period."""
    return (
        *on_times(),
        Line(
            "D_2",
            {CONTINUOUS: "1 - D_1", DISCONTINUOUS: "D_1*V_1/V_2"},
            "",
            "falling part of the period (second interval)",
            DISCONTINUOUS_RATIO,
        ),
    )


def on_times() -> tuple[Line, ...]:
    """Return on-time, gate angle, and the rising part of the period."""
    return (*gate_times(), Line("D_1", {CONTINUOUS: "D", REVERSED: "D + t_d*f_s"}, "", "rising part of the period", KIRCHHOFF))


def gate_times() -> tuple[Line, ...]:
    """Return on-time and gate angle."""
    return (
        Line("k_d", "min(1, 1e9*t_d*f_s)", "", "1 with dead time, 0 without", DEFINITION),
        Line("t_on", "D/f_s", "s", "on-time", DEFINITION),
        Line("phi_on", "360*D", "°", "on-time as gate angle", DEFINITION),
    )
