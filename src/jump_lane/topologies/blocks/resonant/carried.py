"""What tank, transformer, rectifier and capacitors of a resonant converter carry: sines of the resonance, each half cut where the
rectifier stops."""

from __future__ import annotations

from jump_lane.equations.sheet import Line, Proof
from jump_lane.topologies.blocks.capacitors import supplied, tuned_smoothing
from jump_lane.topologies.blocks.sources import DEFINITION, KIRCHHOFF, MARGIN, RESONANT, TANK, VOLT_SECONDS
from jump_lane.topologies.blocks.stress import EFFECTIVE, stresses
from jump_lane.topologies.blocks.transformers import whole_turns
from jump_lane.topologies.variant import Variant

ROUGH, CUT = 0.1, 0.15
"""Currents are taken as sines of the resonance; peaks suffer most from where they are cut."""


def transformer(v: Variant, share: str, ratio: str, meaning: str) -> tuple[Line, ...]:
    """Return turns ratio, from its formula, and gain; the bridge puts `share` of the input to the tank."""
    two = "2*" if share == "1" else ""
    needed = f"n*V_r/({share}*V_in)*(1 + ({two}R_S1 + R_Lr + R_pT)/R_ac)"
    return (
        Line("k_F", "1" if v.secondary == "centre-tap" else "2", "", "rectifiers in series", KIRCHHOFF),
        Line("V_r", "V_o + k_F*(V_FD1 + R_D1*I_o) + R_sT*I_o", "V", "voltage that the secondary is clamped to", KIRCHHOFF),
        Line("n_d", ratio, "", meaning, TANK, "min"),
        whole_turns(),
        Line("R_ac", "8/pi**2*n**2*V_r/I_o", "Ω", "load as the tank sees it", TANK, "min"),
        Line("M", needed, "", "gain needed, with what resistances take", TANK),
    )


def resonance() -> tuple[Line, ...]:
    """Return the resonant capacitor, and what the tank rings at."""
    text = "1/(k_s*(2*pi*f_r)**2*L_r)"
    return (
        Line("C_r", text, "F", "resonant capacitance; of each half where it is split", TANK, component=True),
        Line("f_0", "1/(2*pi*sqrt(L_r*k_s*C_r))", "Hz", "series resonance that there is", TANK),
        Line("Z_0", "sqrt(L_r/(k_s*C_r))", "Ω", "characteristic impedance", TANK),
    )


def carried(share: str, peak: str, rms: str, swing: str) -> tuple[Line, ...]:
    """Return the currents of tank and switches from formulas of the tank's peak and rms current, and of the capacitor's swing."""
    biased = f"(1 - {share})*V_in"
    return (
        Line("d_r", "min(1, f_s/f_0)", "", "part of the period in which the rectifier conducts", RESONANT, "min"),
        Line("I_tp", "pi*I_o/(2*n*d_r)", "A", "peak of the resonant current that is passed on", RESONANT),
        Line("I_Lrpk", peak, "A", "peak tank current", RESONANT, proof=Proof("L_r.i", "maximum", CUT)),
        Line("I_Lrrms", rms, "A", "rms tank current", RESONANT, proof=Proof("L_r.i", "rms", ROUGH)),
        Line(
            "V_Crpk", f"{biased} + {swing}", "V", "peak voltage of the resonant capacitor", RESONANT, proof=Proof("C_r.v", "maximum", CUT)
        ),
        Line("W_Lr", "L_r*I_Lrpk**2/2", "J", "energy in L_r at its peak", DEFINITION),
        Line("V_Crr", "(1 + m_V)*V_Crpk", "V", "voltage rating C_r should have", MARGIN),
        Line("I_Crrms", "I_Lrrms/k_s", "A", "rms current of each resonant capacitor", RESONANT, proof=Proof("C_r.i", "rms", ROUGH)),
        Line("I_in", "V_r*I_o/V_in", "A", "average input current", VOLT_SECONDS),
        *stresses("S1", f"I_in/{share}/2", "I_Lrrms/sqrt(2)", "I_Lrpk", "V_in + V_BS1", CUT, EFFECTIVE),
        Line("I_Np", "0", "A", "average current of winding Np", KIRCHHOFF),
        Line("I_Nprms", "I_Lrrms", "A", "rms current of winding Np", RESONANT, proof=Proof("L_r.i", "rms", ROUGH)),
    )


def rectified(v: Variant, share: str, magnetising: str, turned: str) -> tuple[Line, ...]:
    """Return what rectifier, secondary, output and input capacitor bear, and what remains when the output is shorted.

    ``magnetising`` is the formula of the peak magnetising current, ``turned`` that of the tank current at an edge.
    """
    tapped = v.secondary == "centre-tap"
    start = "frequency to start from: the tank current into a shorted output is that of this corner"
    short = f"{share}*V_in*2*sqrt(2)/(pi*Z_0*(f_max/f_0 - f_0/f_max))"
    return (
        *stresses("D1", "I_o/2", "I_sr/sqrt(2)", f"n*sqrt(I_tp**2 + (0.37*{magnetising})**2)", f"{'2*' if tapped else ''}V_o + V_FD1", CUT),
        Line(
            "I_Ns1rms",
            "I_sr/sqrt(2)" if tapped else "I_sr",
            "A",
            "rms current of winding Ns1",
            RESONANT,
            proof=Proof("Ns1.i", "rms", ROUGH),
        ),
        *tuned_smoothing("d_r", "I_sr"),
        *supplied(share, turned),
        Line("I_sc", short, "A", "tank current, rms, at the highest frequency with the output shorted", TANK),
        Line("f_st", f"f_0*({_turn(share)} + sqrt(({_turn(share)})**2 + 1))", "Hz", start, TANK, "min"),
    )


def _turn(share: str) -> str:
    return f"{share}*V_in*sqrt(2)/(pi*Z_0*I_Lrrms)"
