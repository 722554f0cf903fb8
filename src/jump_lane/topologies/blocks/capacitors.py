"""Input, output and coupling capacitors."""

from __future__ import annotations

from jump_lane.equations.sheet import Line, Proof
from jump_lane.topologies.blocks.shape import Shape
from jump_lane.topologies.blocks.sources import ASKED, COUPLING_CHARGE, MARGIN, PIECES, RESONANT, RMS_VALUES

MATCHING = 0.05
"""Part of one phase's current to which phases match."""

RIPPLE, BENT = 0.05, 0.08
"""Accuracy of a ripple voltage, and of the current of a capacitor, whose own ripple bends it."""


def smoothing(shape: Shape, frequency: str = "f_s", least: str = "", scale: str = "") -> tuple[Line, ...]:
    """Return the output capacitor behind a current of straight pieces: its choice, its ripple with ESR, its current.

    Parameters
    ----------
    frequency
        Formula of how often the pieces come.
    least
        Formula of a charge that it is chosen for at least, where pieces may cancel.
    scale
        Symbol that its current is compared by, where it may cancel.
    """
    charge, meaning = (f"max(Q_o, {least})", "with margin, as phases never match better than to 5 %") if least else ("Q_o", "with margin")
    asked = "dV_ask" if least else ""
    return (
        Line("dI_s", shape.peak_to_peak, "A", "ripple of the whole current, peak to peak", PIECES),
        Line("Q_o", shape.charge(frequency), "C", "charge moved in and out of the output capacitor", PIECES),
        Line("dV_Q", "dV_ask - max(a_ESR*dV_ask, R_Co*dI_s)", "V", "ripple left to the charge", ASKED, "min"),
        Line("ESR_max", "(1 - (1 - a_ESR)/(1 + m_C))*dV_ask/dI_s", "Ω", "largest ESR of C_o", PIECES, "min"),
        Line("C_o", f"(1 + m_C)*{charge}/dV_Q", "F", f"output capacitance, {meaning}", PIECES, component=True),
        Line("dV_oESR", "R_Co*dI_s", "V", "ESR share of the output ripple", PIECES),
        Line(
            "dV_o",
            shape.ripple("C_o", "R_Co", frequency),
            "V",
            "output ripple, peak to peak",
            PIECES,
            proof=Proof("load.v", "peak_to_peak", RIPPLE, asked),
        ),
        Line(
            "I_Corms", shape.alternating, "A", "rms current of the output capacitor", RMS_VALUES, proof=Proof("C_o.i", "rms", BENT, scale)
        ),
    )


def together(shape: Shape, amount: str) -> tuple[Line, ...]:
    """Return the output capacitor behind several phases, each of whose ripple is ``amount``; see `smoothing`."""
    return smoothing(shape, "f_s", f"{MATCHING}*{amount}/(8*{shape.count}*f_s)", amount)


def supplying(shape: Shape, frequency: str = "f_s", least: str = "", scale: str = "") -> tuple[Line, ...]:
    """Return the input capacitor in front of a current of straight pieces; see `smoothing`."""
    charge, meaning = (f"max(Q_in, {least})", "with margin, as phases never match better than to 5 %") if least else ("Q_in", "with margin")
    proof = Proof("source.i", "ac_rms", BENT, scale)
    return (
        Line("I_Cirms", shape.alternating, "A", "rms current of the input capacitor", RMS_VALUES, proof=proof),
        Line("Q_in", shape.charge(frequency), "C", "charge taken from the input capacitor", PIECES),
        Line("C_i", f"(1 + m_C)*{charge}/dV_iask", "F", f"input capacitance, {meaning}", PIECES, component=True),
    )


def together_drawn(shape: Shape, amount: str) -> tuple[Line, ...]:
    """Return the input capacitor in front of several phases, each of whose ripple is ``amount``; see `supplying`."""
    return supplying(shape, least=f"{MATCHING}*{amount}/(8*{shape.count}*f_s)", scale=amount)


def coupling(name: str, voltage: str, shape: Shape, esr: str = "", within: float = BENT) -> tuple[Line, ...]:
    """Return a capacitor in series with the power: its voltage, its choice for the ripple allowed, its current.

    Parameters
    ----------
    voltage, shape
        Formula of its voltage, and its current.
    esr
        Formula of the voltage that its current makes in its resistance, peak to peak.
    """
    x = name.replace("_", "")
    swing = f"Q_{x}/{name}" + (f" + {esr}" if esr else "")
    return (
        Line(f"V_{x}", voltage, "V", f"voltage of {name}", COUPLING_CHARGE, proof=Proof(f"{name}.v", "average", 0.02)),
        Line(f"Q_{x}", shape.charge(), "C", f"charge moved in and out of {name}", COUPLING_CHARGE),
        Line(name, f"(1 + m_C)*Q_{x}/(r_C*V_{x})", "F", f"capacitance {name}, with margin", COUPLING_CHARGE, component=True),
        Line(f"dV_{x}", swing, "V", f"ripple of {name}, peak to peak", COUPLING_CHARGE, proof=Proof(f"{name}.v", "peak_to_peak", RIPPLE)),
        Line(f"I_{x}rms", shape.alternating, "A", f"rms current of {name}", RMS_VALUES, proof=Proof(f"{name}.i", "rms", within)),
        Line(f"V_{x}r", f"(1 + m_V)*(V_{x} + dV_{x}/2)", "V", f"voltage rating {name} should have", MARGIN),
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
