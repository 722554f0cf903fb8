"""Several phases in parallel, shifted by equal parts of the period: what their ripples leave of each other."""

from __future__ import annotations

from jump_lane.derivation import CONTINUOUS, DISCONTINUOUS, REVERSED, Line
from jump_lane.topologies.blocks.sources import (
    ASKED,
    CANCELLATION,
    DEFINITION,
    KIRCHHOFF,
    MARGIN,
    OVERLAPPING,
    RMS_VALUES,
)

UNBROKEN = (CONTINUOUS, REVERSED)
"""Conduction modes in which the ripple of several phases together has a closed form."""

FORWARD = (CONTINUOUS, DISCONTINUOUS)
"""Conduction modes in which rectifier currents do not reverse."""


def shares() -> tuple[Line, ...]:
    """Return the load current of one phase."""
    return (
        Line("I_ph", "I_o/N", "A", "load current of one phase", DEFINITION),
        Line("I_phf", "I_max/N", "A", "load current of one phase at full load", DEFINITION),
    )


def cancelled(symbol: str, what: str) -> tuple[Line, ...]:
    """Return the ripple of all inductor currents together (without cancellation in discontinuous conduction)."""
    return (
        Line("n_1", "floor(N*D_1)", "", "phases that always rise together", CANCELLATION),
        Line(
            symbol,
            {CONTINUOUS: "dI_L*(N*D_1 - n_1)*(n_1 + 1 - N*D_1)/(N*D_1*(1 - D_1))", DISCONTINUOUS: "N*dI_L"},
            "A",
            f"{what}, peak to peak",
            CANCELLATION,
        ),
        Line(
            "k_N",
            f"{symbol}/dI_L",
            "",
            "ripple of all phases over that of one",
            CANCELLATION,
        ),
    )


def interleaved_output(capacitor: str = "C_o") -> tuple[Line, ...]:
    """Return the output capacitor behind N rectifiers that deliver I_pk … I_v during D_2 each, one after another.

    Alternately n_2 + 1 rectifiers conduct (during t_a) and n_2 (during t_b).
    """
    c, esr = capacitor, f"R_{capacitor.replace('_', '')}"
    rise = "(n_2 + 1)*s_D"
    return (
        Line("s_D", "dI*f_s/D_2", "A/s", "slope of a rectifier current", KIRCHHOFF),
        Line("n_2", "floor(N*D_2)", "", "rectifiers that always conduct together", OVERLAPPING),
        Line("t_a", "(N*D_2 - n_2)/(N*f_s)", "s", "time with one rectifier more", OVERLAPPING),
        Line("t_b", "1/(N*f_s) - t_a", "s", "time without it", OVERLAPPING),
        Line("I_a0", "(n_2 + 1)*I_pk - s_D*n_2*(n_2 + 1)/(2*N*f_s)", "A", "sum as one joins", OVERLAPPING),
        Line("I_a1", f"I_a0 - {rise}*t_a", "A", "sum before one leaves", OVERLAPPING),
        Line("I_b0", "I_a1 - I_v", "A", "sum after one has left", OVERLAPPING),
        Line("I_b1", "I_b0 - n_2*s_D*t_b", "A", "sum before the next joins", OVERLAPPING, "min"),
        Line(
            "Q_b",
            "max(I_b0 - I_o, 0*I_o)**2/(2*max(n_2, 1)*s_D)",
            "C",
            "charge after one has left",
            OVERLAPPING,
        ),
        Line(
            "Q_o",
            f"((I_a0 + max(I_o, I_a1))/2 - I_o)*(I_a0 - max(I_o, I_a1))/({rise}) + Q_b",
            "C",
            "charge moved in and out of the output capacitor",
            OVERLAPPING,
        ),
        Line(
            "dV_Q",
            f"dV_ask - max(a_ESR*dV_ask, {esr}*(I_a0 - I_b1))",
            "V",
            "ripple left to the charge",
            ASKED,
            "min",
        ),
        Line("ESR_max", "a_ESR*dV_ask/(I_a0 - I_b1)", "Ω", f"largest ESR of {c}", OVERLAPPING, "min"),
        Line(c, "(1 + m_C)*Q_o/dV_Q", "F", "output capacitance, with margin", OVERLAPPING, component=True),
        Line("dV_oESR", f"{esr}*(I_a0 - I_b1)", "V", "ESR share of the output ripple", OVERLAPPING),
        Line(
            "I_x1",
            f"min(max(I_o + {esr}*{c}*{rise}, I_a1), I_a0)",
            "A",
            "sum at the highest output voltage",
            OVERLAPPING,
        ),
        Line(
            "dV_o",
            f"((I_a0 + I_x1)/2 - I_o)*(I_a0 - I_x1)/({rise}*{c}) + Q_b/{c} + {esr}*(I_x1 - I_b1)",
            "V",
            "output ripple, peak to peak",
            OVERLAPPING,
        ),
        Line(
            f"I_{c.replace('_', '')}rms",
            "sqrt(N*f_s*(t_a*((I_a0 - I_o)**2 + (I_a0 - I_o)*(I_a1 - I_o) + (I_a1 - I_o)**2)"
            " + t_b*((I_b0 - I_o)**2 + (I_b0 - I_o)*(I_b1 - I_o) + (I_b1 - I_o)**2))/3)",
            "A",
            "rms current of the output capacitor",
            RMS_VALUES,
        ),
    )


def interleaved_input() -> tuple[Line, ...]:
    """Return the input capacitor in front of N inductors whose ripples cancel."""
    return (
        *cancelled("dI_in", "ripple of the input current"),
        Line("I_Cirms", "dI_in/sqrt(12)", "A", "rms current of the input capacitor", RMS_VALUES),
        Line(
            "C_i",
            "(1 + m_C)*max(dI_in, 0.05*dI_L)/(8*N*f_s*dV_iask)",
            "F",
            "input capacitance, with margin, as phases never match better than to 5 %",
            MARGIN,
            component=True,
        ),
    )
