"""Input, output and coupling capacitors."""

from __future__ import annotations

from jump_lane.equations.sheet import CONTINUOUS, REVERSED, Line
from jump_lane.topologies.blocks.sources import (
    ASKED,
    COUPLING_CHARGE,
    FIRST_HARMONIC,
    INPUT_CHARGE,
    KIRCHHOFF,
    MARGIN,
    OUTPUT_FILTER,
    RIPPLE_CHOPPED,
    RIPPLE_WITH_ESR,
    RMS_VALUES,
    VOLT_SECONDS,
)


def filtered_output(
    capacitor: str = "C_o",
    coil: str = "L",
    ripple: str = "dI_L",
    rise: str = "D_1",
    fall: str = "D_2",
    frequency: str = "f_s",
) -> tuple[Line, ...]:
    """Return the output capacitor behind an inductor: charge share and ESR share of the ripple kept apart.

    Parameters
    ----------
    ripple
        Symbol of the inductor's peak-to-peak current.
    rise, fall
        Symbols of the fractions of the ripple's period in which the current rises and falls.
    frequency
        Formula of the frequency of the ripple.
    """
    c, x = capacitor, coil.replace("_", "")
    esr = f"R_{c.replace('_', '')}"
    up, down = f"({ripple}*{frequency}/{rise})", f"({ripple}*{frequency}/{fall})"
    return (
        Line(
            "Q_o",
            f"(I_{x}pk - I_o)**2*({rise} + {fall})/(2*{ripple}*{frequency})",
            "C",
            "charge moved in and out of the output capacitor",
            OUTPUT_FILTER,
        ),
        Line(
            "dV_Q",
            f"dV_ask - max(a_ESR*dV_ask, {esr}*{ripple})",
            "V",
            "ripple left to the charge",
            ASKED,
            "min",
        ),
        Line(
            "ESR_max",
            f"(1 - (1 - a_ESR)/(1 + m_C))*dV_ask/{ripple}",
            "Ω",
            f"largest ESR of {c}",
            OUTPUT_FILTER,
            "min",
        ),
        Line(
            c,
            "(1 + m_C)*Q_o/dV_Q",
            "F",
            "output capacitance, with margin",
            OUTPUT_FILTER,
            "max",
            component=True,
        ),
        Line(
            "k_o",
            f"1/sqrt(1 + (g_o/(2*pi*{frequency}*{c}))**2)",
            "",
            "part of the ripple current that the capacitor takes beside the load",
            FIRST_HARMONIC,
            "min",
        ),
        Line("dV_oQ", f"k_o*Q_o/{c}", "V", "charge share of the output ripple", OUTPUT_FILTER),
        Line("dV_oESR", f"{esr}*{ripple}", "V", "ESR share of the output ripple", OUTPUT_FILTER),
        Line(
            "t_o1", f"min({esr}*{c}, (I_o - I_{x}v)/{up})", "s", "lead of the lowest point", RIPPLE_WITH_ESR
        ),
        Line(
            "t_o2",
            f"min({esr}*{c}, (I_{x}pk - I_o)/{down})",
            "s",
            "lead of the highest point",
            RIPPLE_WITH_ESR,
        ),
        Line(
            "dV_o",
            f"dV_oQ + {up}*t_o1*({esr} - t_o1/(2*{c})) + {down}*t_o2*({esr} - t_o2/(2*{c}))",
            "V",
            "output ripple, peak to peak",
            RIPPLE_WITH_ESR,
        ),
        Line(
            f"I_{c.replace('_', '')}rms",
            f"k_o*sqrt(max(I_{x}rms**2 - I_o**2, 0))",
            "A",
            "rms current of the output capacitor",
            RMS_VALUES,
        ),
    )


def chopped_output(
    capacitor: str = "C_o",
    peak: str = "I_pk",
    valley: str = "I_v",
    rms: str = "sqrt(D_2*(I_m**2 + dI**2/12))",
    ripple: str = "dI",
    ramp: str = "0",
) -> tuple[Line, ...]:
    """Return the output capacitor behind a rectifier whose current falls by ``ripple`` during D_2 of the period.

    Parameters
    ----------
    peak, valley, rms
        Formulas of what the rectifier delivers: first, last and rms current.
    ramp
        Formula of the time in which the current rises to ``peak``.
    """
    c, esr = capacitor, f"R_{capacitor.replace('_', '')}"
    return (
        Line("s_D", f"{ripple}*f_s/D_2", "A/s", "slope of the rectifier current", KIRCHHOFF),
        Line(
            "Q_r",
            f"({peak} - I_o)**2*({ramp})/(2*{peak})",
            "C",
            "charge while that current rises",
            RIPPLE_CHOPPED,
        ),
        Line(
            "Q_o",
            f"(({peak} + max(I_o, {valley}))/2 - I_o)*({peak} - max(I_o, {valley}))/s_D + Q_r",
            "C",
            "charge moved in and out of the output capacitor",
            RIPPLE_CHOPPED,
        ),
        Line(
            "dV_Q",
            f"dV_ask - max(a_ESR*dV_ask, {esr}*{peak})",
            "V",
            "ripple left to the charge",
            ASKED,
            "min",
        ),
        Line(
            "ESR_max",
            f"(1 - (1 - a_ESR)/(1 + m_C))*dV_ask/{peak}",
            "Ω",
            f"largest ESR of {c}",
            RIPPLE_CHOPPED,
            "min",
        ),
        Line(c, "(1 + m_C)*Q_o/dV_Q", "F", "output capacitance, with margin", RIPPLE_CHOPPED, component=True),
        Line("dV_oQ", f"Q_o/{c}", "V", "charge share of the output ripple", RIPPLE_CHOPPED),
        Line(
            "dV_oESR",
            {
                CONTINUOUS: f"{esr}*{peak}",
                REVERSED: f"{esr}*({peak} - min({valley}, 0))",
            },
            "V",
            "ESR share of the output ripple",
            RIPPLE_CHOPPED,
        ),
        Line(
            "I_x1",
            f"min(max(I_o + {esr}*{c}*s_D, {valley}), {peak})",
            "A",
            "rectifier current at the highest output voltage",
            RIPPLE_CHOPPED,
        ),
        Line(
            "dV_o",
            f"(({peak} + I_x1)/2 - I_o)*({peak} - I_x1)/(s_D*{c}) + {esr}*I_x1 + Q_r/{c}",
            "V",
            "output ripple, peak to peak",
            RIPPLE_CHOPPED,
        ),
        Line(
            f"I_{c.replace('_', '')}rms",
            f"sqrt(max(({rms})**2 - I_o**2, 0))",
            "A",
            "rms current of the output capacitor",
            RMS_VALUES,
        ),
    )


def swinging_output(peak: str, middle: str, rise: str, fall: str, rms: str) -> tuple[Line, ...]:
    """Return the output capacitor behind a rectifier whose current rises to ``peak`` and falls to zero, straight.

    Parameters
    ----------
    middle
        Symbol of the current halfway up, where the rise is bent.
    rise, fall
        Symbols of the parts of the period in which it rises and falls.
    rms
        Symbol of its rms value.
    """
    return (
        Line(
            "Q_o",
            f"({peak} - I_o)**2*({rise} + {fall})/(2*{peak}*f_s)"
            f" + ({middle} - {peak}/2)*2*{rise}*(1 - I_o/{peak})/(3*f_s)",
            "C",
            "charge moved in and out of the output capacitor",
            RIPPLE_CHOPPED,
        ),
        Line(
            "dV_Q", f"dV_ask - max(a_ESR*dV_ask, R_Co*{peak})", "V", "ripple left to the charge", ASKED, "min"
        ),
        Line(
            "ESR_max",
            f"(1 - (1 - a_ESR)/(1 + m_C))*dV_ask/{peak}",
            "Ω",
            "largest ESR of C_o",
            RIPPLE_CHOPPED,
            "min",
        ),
        Line(
            "C_o",
            "(1 + m_C)*Q_o/dV_Q",
            "F",
            "output capacitance, with margin",
            RIPPLE_CHOPPED,
            component=True,
        ),
        Line("dV_oESR", f"R_Co*{peak}", "V", "ESR share of the output ripple", RIPPLE_CHOPPED),
        Line("s_1", f"{peak}*f_s/{rise}", "A/s", "slope of the rising current", KIRCHHOFF),
        Line("s_2", f"{peak}*f_s/{fall}", "A/s", "slope of the falling current", KIRCHHOFF),
        Line("t_o1", "min(R_Co*C_o, I_o/s_1)", "s", "lead of the lowest point", RIPPLE_WITH_ESR),
        Line("t_o2", f"min(R_Co*C_o, ({peak} - I_o)/s_2)", "s", "lead of the highest point", RIPPLE_WITH_ESR),
        Line(
            "dV_o",
            "Q_o/C_o + s_1*t_o1*(R_Co - t_o1/(2*C_o)) + s_2*t_o2*(R_Co - t_o2/(2*C_o))",
            "V",
            "output ripple, peak to peak",
            RIPPLE_WITH_ESR,
        ),
        Line(
            "I_Corms",
            f"sqrt(max({rms}**2 - I_o**2, 0))",
            "A",
            "rms current of the output capacitor",
            RMS_VALUES,
        ),
    )


def smooth_input(coil: str, fall: str = "D_2") -> tuple[Line, ...]:
    """Return the input capacitor in front of the inductor ``coil``, whose current falls during ``fall``."""
    return (
        Line(
            "I_Cirms",
            f"sqrt(max(I_{coil}rms**2 - I_{coil}**2, 0))",
            "A",
            "rms current of the input capacitor",
            RMS_VALUES,
        ),
        Line(
            "C_i",
            f"(1 + m_C)*(I_{coil}pk - I_{coil})**2*(D_1 + {fall})/(2*dI_{coil}*f_s*dV_iask)",
            "F",
            "input capacitance, with margin",
            OUTPUT_FILTER,
            component=True,
        ),
    )


def chopped_input(
    fraction: str,
    middle: str,
    ripple: str,
    frequency: str = "f_s",
    average: str = "",
    square: str = "",
) -> tuple[Line, ...]:
    """Return the input capacitor in front of a switch that chops the input current.

    Parameters
    ----------
    fraction, middle, ripple, frequency
        The pulses that are drawn.
    average, square
        Average and mean square of the input current, where there is more to it than these pulses.
    """
    pulses = f"{fraction}*({middle}**2 + {ripple}**2/12)"
    return (
        Line("I_in", average or f"{fraction}*{middle}", "A", "average input current", VOLT_SECONDS),
        Line(
            "I_Cirms",
            f"sqrt({square or pulses} - I_in**2)",
            "A",
            "rms current of the input capacitor",
            RMS_VALUES,
        ),
        Line(
            "Q_in",
            f"{fraction}/{frequency}*min(1, ({middle} + {ripple}/2 - I_in)/{ripple})"
            f"*(({middle} + {ripple}/2 + max({middle} - {ripple}/2, I_in))/2 - I_in)",
            "C",
            "charge taken from the input capacitor",
            INPUT_CHARGE,
        ),
        Line(
            "C_i",
            "(1 + m_C)*Q_in/dV_iask",
            "F",
            "input capacitance, with margin",
            INPUT_CHARGE,
            "max",
            component=True,
        ),
    )


def coupling_capacitor(name: str = "C_s") -> tuple[Line, ...]:
    """Return the capacitor that carries the current of L2 while S1 conducts and of L1 otherwise."""
    x = name.replace("_", "")
    return (
        Line(
            "Q_s",
            "(I_L2pk**2 - max(I_L2v, 0)**2)*D_1/(2*f_s*dI_L2)"
            " + max(max(-I_L1v, 0)*(1 - D_1 - D_2)/f_s + min(I_L1v, 0)**2*D_2/(2*f_s*dI_L1)"
            " - min(I_L2v, 0)**2*D_1/(2*f_s*dI_L2), 0)",
            "C",
            f"charge moved in and out of {name}",
            COUPLING_CHARGE,
        ),
        Line(
            name,
            f"(1 + m_C)*Q_s/(r_C*V_{x})",
            "F",
            "coupling capacitance, with margin",
            COUPLING_CHARGE,
            component=True,
        ),
        Line(
            f"dV_{x}",
            f"Q_s/{name} + R_{x}*(max(I_L1v, 0) + I_L2pk)",
            "V",
            f"ripple of {name}, peak to peak",
            COUPLING_CHARGE,
        ),
        Line(
            f"I_{x}rms",
            "sqrt(D_1*(I_L2v**2 + I_L2v*dI_L2 + dI_L2**2/3)"
            " + D_2*(I_L1v**2 + I_L1v*dI_L1 + dI_L1**2/3) + (1 - D_1 - D_2)*I_L1v**2)",
            "A",
            f"rms current of {name}",
            RMS_VALUES,
        ),
        Line(f"V_{x}r", f"(1 + m_V)*(V_{x} + dV_{x}/2)", "V", f"voltage rating {name} should have", MARGIN),
    )
