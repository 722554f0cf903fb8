"""Several phases in parallel, shifted by equal parts of the period: what their ripples leave of each other."""

from __future__ import annotations

from jump_lane.equations.sheet import Line
from jump_lane.topologies.blocks.sources import ASKED, CANCELLATION, DEFINITION, FIRST_HARMONIC, RMS_VALUES

MATCHING = 0.05
"""Part of one phase's current to which phases match."""

TRIANGLE = "N, D_1, 0, 1, D_2, 1, 0"
"""Shape of an inductor's ripple, in units of its height."""

DRAWN = "N, D_1, I_v/I_pk, 1, D_2, 0, 0"
"""Shape of the current that a switch draws, in units of its peak."""

DELIVERED = "N, D_1, 0, 0, D_2, 1, I_v/I_pk"
"""Shape of the current that a rectifier delivers, in units of its peak."""


def shares() -> tuple[Line, ...]:
    """Return the load current of one phase."""
    return (
        Line("I_ph", "I_o/N", "A", "load current of one phase", DEFINITION),
        Line("I_phf", "I_max/N", "A", "load current of one phase at full load", DEFINITION),
    )


def interleaved_output(unit: str, shape: str, count: str = "N") -> tuple[Line, ...]:
    """Return the output capacitor behind N phases.

    Parameters
    ----------
    unit, shape
        Symbol of the current that the shape is in units of, and the shape of the current of one phase.
    count
        Formula of the number of phases.
    """
    least = f"{MATCHING}*{unit}/(8*{count}*f_s)"
    return shaped_output(
        unit, shape, count, f"max(Q_o, {least})", "with margin, as phases never match better than to 5 %"
    )


def shaped_output(
    unit: str, shape: str, count: str = "1", charge: str = "Q_o", meaning: str = "with margin"
) -> tuple[Line, ...]:
    """Return the output capacitor behind currents of any straight pieces; see `interleaved_output`."""
    return (
        Line(
            "dI_s", f"{unit}*sum_pp({shape})", "A", "ripple of the whole current, peak to peak", CANCELLATION
        ),
        Line(
            "Q_o",
            f"{unit}/f_s*sum_ripple(0, {shape})",
            "C",
            "charge moved in and out of the output capacitor",
            CANCELLATION,
        ),
        Line("dV_Q", "dV_ask - max(a_ESR*dV_ask, R_Co*dI_s)", "V", "ripple left to the charge", ASKED, "min"),
        Line(
            "ESR_max",
            "(1 - (1 - a_ESR)/(1 + m_C))*dV_ask/dI_s",
            "Ω",
            "largest ESR of C_o",
            CANCELLATION,
            "min",
        ),
        Line(
            "C_o",
            f"(1 + m_C)*{charge}/dV_Q",
            "F",
            f"output capacitance, {meaning}",
            CANCELLATION,
            component=True,
        ),
        Line(
            "k_o",
            f"1/sqrt(1 + (g_o/(2*pi*{count}*f_s*C_o))**2)",
            "",
            "part of the ripple current that the capacitor takes beside the load",
            FIRST_HARMONIC,
            "min",
        ),
        Line("dV_oESR", "R_Co*dI_s", "V", "ESR share of the output ripple", CANCELLATION),
        Line(
            "dV_o",
            f"k_o*{unit}/(f_s*C_o)*sum_ripple(R_Co*C_o*f_s, {shape})",
            "V",
            "output ripple, peak to peak",
            CANCELLATION,
        ),
        Line(
            "I_Corms", f"k_o*{unit}*sum_rms({shape})", "A", "rms current of the output capacitor", RMS_VALUES
        ),
    )


def interleaved_input(unit: str, shape: str) -> tuple[Line, ...]:
    """Return the input capacitor in front of N phases; see `interleaved_output`."""
    return (
        Line(
            "dI_in", f"{unit}*sum_pp({shape})", "A", "ripple of the input current, peak to peak", CANCELLATION
        ),
        Line("k_N", f"dI_in/{unit}", "", "ripple of all phases over that of one", CANCELLATION),
        Line("I_Cirms", f"{unit}*sum_rms({shape})", "A", "rms current of the input capacitor", RMS_VALUES),
        Line(
            "C_i",
            f"(1 + m_C)*max({unit}/f_s*sum_ripple(0, {shape}), {MATCHING}*{unit}/(8*N*f_s))/dV_iask",
            "F",
            "input capacitance, with margin, as phases never match better than to 5 %",
            CANCELLATION,
            component=True,
        ),
    )
