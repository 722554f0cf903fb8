"""Groups of equations that several topologies share: inductor, devices, output filter, input capacitor."""

from __future__ import annotations

from jump_lane.derivation import Line
from jump_lane.topologies.page import ByTarget

VOLT_SECONDS = "Erickson and Maksimović 2001, section 2.2 (volt-second and charge balance)"
WITH_LOSSES = "Erickson and Maksimović 2001, chapter 3 (equivalent circuit with losses)"
BOUNDARY_CONDITION = "Erickson and Maksimović 2001, section 5.1 (boundary of continuous conduction)"
DISCONTINUOUS_RATIO = "Erickson and Maksimović 2001, section 5.2 (discontinuous conversion ratio)"
OUTPUT_FILTER = "Erickson and Maksimović 2001, section 2.5 (ripple of two-pole filters)"
RMS_VALUES = "Erickson and Maksimović 2001, appendix A (rms of piecewise linear waveforms)"
KIRCHHOFF = "Kirchhoff's laws on the circuit of this page"
RIPPLE_WITH_ESR = "docs/equations.md, 'Output ripple with ESR'"
FIRST_HARMONIC = "current divider at the switching frequency (Kirchhoff's laws)"
INPUT_CHARGE = "docs/equations.md, 'Input capacitor'"
DEFINITION = "definition"
ASKED = "from what is asked"
MARGIN = "margin stated in the file"


def inductance(name: str, ripple: str, critical: str, full: str) -> ByTarget:
    """Return the choice of an inductance for each conduction target.

    Parameters
    ----------
    ripple, critical, full
        Symbols of the inductance for the asked ripple, of the critical inductance at each corner's load, and
        of the critical inductance at full load.
    """

    def line(text: str, meaning: str, worst: str = "max") -> Line:
        return Line(name, text, "H", meaning, MARGIN, worst, component=True)

    return ByTarget(
        {
            "continuous": line(
                f"(1 + m_L)*max({critical}, {ripple})",
                "inductance: ripple and continuous conduction, with margin",
            ),
            "either": line(f"(1 + m_L)*{ripple}", "inductance: ripple as asked, with margin"),
            "boundary": line(full, "inductance: at the boundary at full load"),
            "discontinuous": line(
                f"{full}/(1 + m_L)", "inductance: discontinuous up to full load, with margin", "min"
            ),
        }
    )


def inductor(name: str, middle: str, ripple: str, conducting: str) -> tuple[Line, ...]:
    """Return peak, valley, average, rms and energy of an inductor.

    Parameters
    ----------
    middle, ripple
        Symbols of the middle between peak and valley, and of the peak-to-peak value.
    conducting
        Formula of the part of the period in which it carries current.
    """
    x = name.replace("_", "")
    return (
        Line(f"I_{x}pk", f"{middle} + {ripple}/2", "A", f"peak current of {name}", KIRCHHOFF),
        Line(f"I_{x}v", f"{middle} - {ripple}/2", "A", f"valley current of {name}", KIRCHHOFF, "min"),
        Line(f"I_{x}", f"({conducting})*{middle}", "A", f"average current of {name}", RMS_VALUES),
        Line(
            f"I_{x}rms",
            f"sqrt(({conducting})*({middle}**2 + {ripple}**2/12))",
            "A",
            f"rms current of {name}",
            RMS_VALUES,
        ),
        Line(f"W_{x}", f"{name}*I_{x}pk**2/2", "J", f"energy in {name} at the peak", DEFINITION),
        Line(f"I_{x}sat", f"(1 + m_I)*I_{x}pk", "A", f"saturation current {name} should have", MARGIN),
    )


def device(
    name: str, fraction: str, middle: str, ripple: str, blocks: str, noun: str = "switch"
) -> tuple[Line, ...]:
    """Return average, rms, peak and blocking stress of a device, and the ratings it should have.

    Parameters
    ----------
    fraction
        Formula of the part of the period in which it conducts a current that slopes by ``ripple`` about
        ``middle``.
    blocks
        Formula of the voltage it blocks.
    """
    return (
        Line(f"I_{name}", f"({fraction})*{middle}", "A", f"average current of {noun} {name}", RMS_VALUES),
        Line(
            f"I_{name}rms",
            f"sqrt(({fraction})*({middle}**2 + {ripple}**2/12))",
            "A",
            f"rms current of {noun} {name}",
            RMS_VALUES,
        ),
        Line(f"I_{name}pk", f"{middle} + {ripple}/2", "A", f"peak current of {noun} {name}", KIRCHHOFF),
        Line(f"V_{name}", blocks, "V", f"voltage that {noun} {name} blocks", KIRCHHOFF),
        Line(f"V_{name}r", f"(1 + m_V)*V_{name}", "V", f"voltage rating {name} should have", MARGIN),
        Line(f"I_{name}r", f"(1 + m_I)*I_{name}pk", "A", f"peak current rating {name} should have", MARGIN),
    )


def filtered_output(
    capacitor: str = "C_o", coil: str = "L", ripple: str = "dI_L", rise: str = "D_1", fall: str = "D_2"
) -> tuple[Line, ...]:
    """Return the output capacitor behind an inductor: charge share and ESR share of the ripple kept apart.

    Parameters
    ----------
    ripple
        Symbol of the inductor's peak-to-peak current.
    rise, fall
        Symbols of the fractions of the period in which its current rises and falls.
    """
    c, x = capacitor, coil.replace("_", "")
    esr = f"R_{c.replace('_', '')}"
    up, down = f"({ripple}*f_s/{rise})", f"({ripple}*f_s/{fall})"
    return (
        Line(
            "Q_o",
            f"(I_{x}pk - I_o)**2*({rise} + {fall})/(2*{ripple}*f_s)",
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
        Line("ESR_max", f"a_ESR*dV_ask/{ripple}", "Ω", f"largest ESR of {c}", OUTPUT_FILTER, "min"),
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
            f"1/sqrt(1 + (1/(2*pi*f_s*R_o*{c}))**2)",
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
            f"k_o*sqrt(max(I_{x}rms**2 - I_o**2, 0*I_o**2))",
            "A",
            "rms current of the output capacitor",
            RMS_VALUES,
        ),
    )


def chopped_input(fraction: str, middle: str, ripple: str) -> tuple[Line, ...]:
    """Return the input capacitor in front of a switch that chops the input current."""
    return (
        Line("I_in", f"{fraction}*{middle}", "A", "average input current", VOLT_SECONDS),
        Line(
            "I_Cirms",
            f"sqrt({fraction}*({middle}**2 + {ripple}**2/12) - I_in**2)",
            "A",
            "rms current of the input capacitor",
            RMS_VALUES,
        ),
        Line(
            "Q_in",
            f"{fraction}/f_s*min(1, ({middle} + {ripple}/2 - I_in)/{ripple})"
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
