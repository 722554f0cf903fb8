"""Input, output and coupling capacitors."""

from __future__ import annotations

from jump_lane.equations.sheet import Line
from jump_lane.topologies.blocks.shape import Shape
from jump_lane.topologies.blocks.sources import (
    ASKED,
    COUPLING_CHARGE,
    FIRST_HARMONIC,
    INPUT_CHARGE,
    MARGIN,
    PIECES,
    RESONANT,
    RMS_VALUES,
    VOLT_SECONDS,
)

MATCHING = 0.05
"""Part of one phase's current to which phases match."""


def smoothing(shape: Shape, frequency: str = "f_s", least: str = "", meaning: str = "with margin") -> tuple[Line, ...]:
    """Return the output capacitor behind a current of straight pieces: its choice, its ripple with ESR, its current.

    Parameters
    ----------
    frequency
        Formula of how often the pieces come.
    least
        Formula of a charge that it is chosen for at least, where pieces may cancel.
    """
    charge = f"max(Q_o, {least})" if least else "Q_o"
    return (
        Line("dI_s", shape.peak_to_peak, "A", "ripple of the whole current, peak to peak", PIECES),
        Line("Q_o", shape.charge(frequency), "C", "charge moved in and out of the output capacitor", PIECES),
        Line("dV_Q", "dV_ask - max(a_ESR*dV_ask, R_Co*dI_s)", "V", "ripple left to the charge", ASKED, "min"),
        Line("ESR_max", "(1 - (1 - a_ESR)/(1 + m_C))*dV_ask/dI_s", "Ω", "largest ESR of C_o", PIECES, "min"),
        Line("C_o", f"(1 + m_C)*{charge}/dV_Q", "F", f"output capacitance, {meaning}", PIECES, component=True),
        Line(
            "k_o",
            f"1/sqrt(1 + (g_o/(2*pi*{shape.count}*{frequency}*C_o))**2)",
            "",
            "part of the ripple current that the capacitor takes beside the load",
            FIRST_HARMONIC,
            "min",
        ),
        Line("dV_oESR", "R_Co*dI_s", "V", "ESR share of the output ripple", PIECES),
        Line("dV_o", f"k_o*{shape.ripple('C_o', 'R_Co', frequency)}", "V", "output ripple, peak to peak", PIECES),
        Line("I_Corms", f"k_o*{shape.alternating}", "A", "rms current of the output capacitor", RMS_VALUES),
    )


def together(shape: Shape) -> tuple[Line, ...]:
    """Return the output capacitor behind N phases; see `smoothing`."""
    least = f"{MATCHING}*{shape.unit}/(8*{shape.count}*f_s)"
    return smoothing(shape, "f_s", least, "with margin, as phases never match better than to 5 %")


def together_drawn(shape: Shape) -> tuple[Line, ...]:
    """Return the input capacitor in front of N phases; see `supplying`."""
    least = f"{MATCHING}*{shape.unit}/(8*{shape.count}*f_s)"
    return (
        Line("dI_in", shape.peak_to_peak, "A", "ripple of the input current, peak to peak", PIECES),
        *supplying(shape, least, "with margin, as phases never match better than to 5 %"),
    )


def supplying(shape: Shape, least: str = "", meaning: str = "with margin") -> tuple[Line, ...]:
    """Return the input capacitor in front of a current of straight pieces; see `smoothing`."""
    charge = f"max({shape.charge()}, {least})" if least else shape.charge()
    return (
        Line("I_Cirms", shape.alternating, "A", "rms current of the input capacitor", RMS_VALUES),
        Line("C_i", f"(1 + m_C)*{charge}/dV_iask", "F", f"input capacitance, {meaning}", PIECES, component=True),
    )


def tuned_smoothing(fraction: str, rms: str) -> tuple[Line, ...]:
    """Return the output capacitor behind half sines: its choice, its ripple with ESR, its current.

    Parameters
    ----------
    fraction
        Formula of the part of the period in which they flow.
    rms
        Formula of the rms value of all of them.
    """
    half = f"asin(2*{fraction}/pi)"
    charge = f"I_o/(2*f_s)*(cos({half}) - {fraction} + 2*{fraction}*{half}/pi)"
    return (
        Line("Q_o", charge, "C", "charge moved in and out of the output capacitor", RESONANT),
        Line("dV_Q", f"dV_ask - max(a_ESR*dV_ask, R_Co*pi*I_o/(2*{fraction}))", "V", "ripple left to the charge", ASKED, "min"),
        Line("C_o", "(1 + m_C)*Q_o/dV_Q", "F", "output capacitance, with margin", RESONANT, component=True),
        Line("dV_oESR", f"R_Co*pi*I_o/(2*{fraction})", "V", "ESR share of the output ripple", RESONANT),
        Line("dV_o", "sqrt((Q_o/C_o)**2 + dV_oESR**2)", "V", "output ripple, peak to peak", RESONANT),
        Line("I_Corms", f"sqrt(max({rms}**2 - I_o**2, 0))", "A", "rms current of the output capacitor", RMS_VALUES),
    )


def supplied(share: str, turned: str) -> tuple[Line, ...]:
    """Return the input capacitor in front of a bridge that draws sines, which flow back for a while after every edge.

    Parameters
    ----------
    share
        Formula of the part of the input that the bridge puts to the tank.
    turned
        Formula of the current that flows back at the edge.
    """
    return (
        Line("I_Cirms", f"sqrt(max({share}*I_Lrrms**2/k_s - I_in**2, 0))", "A", "rms current of the input capacitor", RMS_VALUES),
        Line("a_1", "asin(min(1, I_in*k_s/I_Lrpk))", "", "angle at which the current drawn exceeds its average", RESONANT),
        Line("a_2", f"max(a_1, asin(min(1, {turned}/I_Lrpk)))", "", "angle before its zero at which it ends", RESONANT),
        Line(
            "Q_in",
            "(I_Lrpk/k_s*(cos(a_1) + cos(a_2)) - I_in*(pi - a_1 - a_2))/(2*pi*f_s)",
            "C",
            "charge taken from the input capacitor",
            RESONANT,
        ),
        Line("C_i", "(1 + m_C)*Q_in/dV_iask", "F", "input capacitance, with margin", RESONANT, component=True),
    )


def chopped_input(fraction: str, middle: str, ripple: str, frequency: str = "f_s", average: str = "", square: str = "") -> tuple[Line, ...]:
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
        Line("I_Cirms", f"sqrt({square or pulses} - I_in**2)", "A", "rms current of the input capacitor", RMS_VALUES),
        Line(
            "Q_in",
            f"{fraction}/{frequency}*min(1, ({middle} + {ripple}/2 - I_in)/{ripple})"
            f"*(({middle} + {ripple}/2 + max({middle} - {ripple}/2, I_in))/2 - I_in)",
            "C",
            "charge taken from the input capacitor",
            INPUT_CHARGE,
        ),
        Line("C_i", "(1 + m_C)*Q_in/dV_iask", "F", "input capacitance, with margin", INPUT_CHARGE, "max", component=True),
    )


def coupling_capacitor(name: str = "C_s") -> tuple[Line, ...]:
    """Return the capacitor that carries the current of L2 while S1 conducts and of L1 otherwise."""
    x = name.replace("_", "")
    shape = Shape(
        "I_L2pk",
        (
            ("D_1", "-I_L2v/I_L2pk", "-1"),
            ("D_2", "I_L1pk/I_L2pk", "I_L1v/I_L2pk"),
            ("max(1 - D_1 - D_2, 0)", "I_L1v/I_L2pk", "I_L1v/I_L2pk"),
        ),
    )
    swing = f"Q_s/{name} + R_{x}*(max(I_L1v, 0) + I_L2pk)"
    return (
        Line("Q_s", shape.charge(), "C", f"charge moved in and out of {name}", COUPLING_CHARGE),
        Line(name, f"(1 + m_C)*Q_s/(r_C*V_{x})", "F", "coupling capacitance, with margin", COUPLING_CHARGE, component=True),
        Line(f"dV_{x}", swing, "V", f"ripple of {name}, peak to peak", COUPLING_CHARGE),
        Line(f"I_{x}rms", shape.alternating, "A", f"rms current of {name}", RMS_VALUES),
        Line(f"V_{x}r", f"(1 + m_V)*(V_{x} + dV_{x}/2)", "V", f"voltage rating {name} should have", MARGIN),
    )
