"""LLC: what the inductance ratio, the resonant inductance and the currents follow from.

The tank has two resonances; at the series resonance f_0 of L_r and C_r the gain is 1 for any load.  Below it the rectifier
stops early and the magnetising current charges C_r further: the gain rises to a peak that falls with the load.  How much
gain is needed at the least input decides how large L_r may be, and the charge that the switches' output capacitances want
within the dead time how large L_m may be.
"""

from __future__ import annotations

from jump_lane.equations.sheet import Line, Sheet
from jump_lane.spec import Spec
from jump_lane.topologies.blocks.capacitors import supplied, tuned_smoothing
from jump_lane.topologies.blocks.devices import stresses
from jump_lane.topologies.blocks.proofs import output_proofs
from jump_lane.topologies.blocks.resonant.stage import ABOVE, AT, BELOW, SIDE, Kind
from jump_lane.topologies.blocks.sources import DEFINITION, GAIN, KIRCHHOFF, MARGIN, RESONANT, SOFT, TANK, VOLT_SECONDS
from jump_lane.topologies.blocks.transformers import behind, whole_turns
from jump_lane.topologies.page import Bound, Cases, Entry, Gain, Proof

PEAK = "1.161*{m}**-0.638/({Q}) + 0.869 - 0.234/{m}"
"""Peak gain over inductance ratio m and quality factor Q, fitted to exact steady states within 1.2 %."""

ASKED_GAIN = "(1 + m_g)*k_hi*M"


def way(spec: Spec, sheet: Sheet) -> str:
    """Return what decides the tank: the inductance ratio, given or usual, alone or with Q; or Q, L_r or L_m alone."""
    if spec.tank.inductance_ratio is not None:
        return "ratio" if spec.tank.quality is None else "both"
    ways = {"quality": spec.tank.quality, "leakage": spec.chosen.get("L_r"), "magnetising": spec.chosen.get("L_m")}
    return next((name for name, given in ways.items() if given is not None), "ratio")


def soft(spec: Spec, sheet: Sheet) -> str:
    """Return whether switches have capacitances that the dead time is for: "soft" or "plain"."""
    return "soft" if sheet["C_S1"].worst > 0.0 and sheet["t_d"].worst > 0.0 else "plain"


def _ratio(quality: str) -> tuple[Line, ...]:
    """Return the largest inductance ratio at which the peak gain suffices, and the gain is reached above the lowest frequency."""
    return (
        Line(
            "m_p",
            f"{PEAK.format(m='m_p', Q=quality)} - {ASKED_GAIN}",
            "",
            "inductance ratio L_m/L_r at which the peak gain suffices",
            GAIN,
            "min",
            within=(1.05, 100.0),
        ),
        Line(
            "m_f",
            f"pi**2/8*((f_r/({ABOVE_LEAST}*f_min))**2 - 1)/max(k_hi*M - 1, 0.001)",
            "",
            "inductance ratio at which the gain is reached a tenth above the lowest frequency",
            GAIN,
            "min",
        ),
        Line("m", f"min(m_p, m_f, {LARGEST:g})", "", "inductance ratio L_m/L_r", DEFINITION, "min", single=True),
    )


LARGEST = 10.0
"""Inductance ratio up to which the peak gain is known."""

ABOVE_LEAST = 1.1
"""How far above the lowest frequency allowed the least input is held."""


def _least_ratio() -> Line:
    """Return the least inductance ratio at which the peak gain suffices with a given magnetising inductance."""
    text = f"{PEAK.format(m='m', Q='2*pi*f_r*L_ma/(m*R_ac)')} - {ASKED_GAIN}"
    return Line("m", text, "", "inductance ratio L_m/L_r at which the peak gain suffices", GAIN, within=(1.05, 100.0), single=True)


def _inductance(text: str) -> Line:
    return Line("L_r", text, "H", "resonant inductance, leakage included", TANK, "min", component=True)


def _switches(share: str) -> str:
    """Return how many switches carry the tank current at once, as a factor."""
    return "2*" if share == "1" else ""


def transformer(share: str, ratio: str, meaning: str) -> tuple[Entry, ...]:
    """Return turns ratio, from its formula, and gain; the bridge puts `share` of the input to the tank."""
    return (
        behind("k_F", {"centre-tap": "1", "bridge": "2"}, "", "rectifiers in series", KIRCHHOFF),
        Line("V_r", "V_o + k_F*(V_FD1 + R_D1*I_o) + R_sT*I_o", "V", "voltage that the secondary is clamped to", KIRCHHOFF),
        Line("n_d", ratio, "", meaning, TANK, "min"),
        whole_turns(),
        Line("R_ac", "8/pi**2*n**2*V_r/I_o", "Ω", "load as the tank sees it", TANK, "min"),
        Line(
            "M",
            f"n*V_r/({share}*V_in)*(1 + ({_switches(share)}R_S1 + R_Lr + R_pT)/R_ac)",
            "",
            "gain needed, with what resistances take",
            TANK,
        ),
    )


def sizing(share: str) -> tuple[Entry, ...]:
    """Return the tank from the gain that is asked."""
    limit = f"0.5*{share}*t_d/(8*C_S1*f_r)"
    return (
        *transformer(share, f"{share}*V_nom/V_r", "turns ratio at which the gain is 1 at nominal input"),
        Line("M_a", ASKED_GAIN, "", "peak gain asked, with reserve", GAIN),
        Cases(
            way,
            {
                "ratio": (
                    Line("m", "m_a", "", "inductance ratio L_m/L_r", DEFINITION),
                    Line(
                        "Z_pk",
                        "1.161*m**-0.638*R_ac/max(M_a - 0.869 + 0.234/m, 0.01)",
                        "Ω",
                        "largest characteristic impedance with that gain",
                        GAIN,
                        "min",
                    ),
                    Cases(
                        soft,
                        {
                            "soft": (
                                Line("L_mz", limit, "H", "largest L_m for soft switching, half of what charge alone asks", SOFT, "min"),
                                Line("Z_z", "2*pi*f_r*L_mz/m", "Ω", "characteristic impedance with that L_m", SOFT, "min"),
                            ),
                            "plain": (Line("Z_z", "Z_pk", "Ω", "characteristic impedance: no capacitance asks for less", SOFT, "min"),),
                        },
                    ),
                    _inductance("min(Z_pk, Z_z)/(2*pi*f_r)"),
                ),
                "both": (Line("m", "m_a", "", "inductance ratio L_m/L_r", DEFINITION), _inductance("Q_a*R_ac/(2*pi*f_r)")),
                "quality": (*_ratio("Q_a"), _inductance("Q_a*R_ac/(2*pi*f_r)")),
                "leakage": (*_ratio("2*pi*f_r*L_ra/R_ac"), _inductance("L_ra")),
                "magnetising": (_least_ratio(), _inductance("L_ma/m")),
            },
        ),
        *resonance(),
        Line("L_m", "m*L_r", "H", "magnetising inductance", DEFINITION, "min", component=True),
        Line("m_0", "L_m/L_r", "", "inductance ratio that there is", DEFINITION),
        Line("Q", "Z_0/R_ac", "", "quality factor: characteristic impedance over the load", TANK),
    )


def resonance() -> tuple[Line, ...]:
    """Return the resonant capacitor, and what the tank rings at."""
    text = "1/(k_s*(2*pi*f_r)**2*L_r)"
    return (
        Line("C_r", text, "F", "resonant capacitance; of each half where it is split", TANK, component=True),
        Line("f_0", "1/(2*pi*sqrt(L_r*k_s*C_r))", "Hz", "series resonance that there is", TANK),
        Line("Z_0", "sqrt(L_r/(k_s*C_r))", "Ω", "characteristic impedance", TANK),
    )


def operation(share: str) -> tuple[Entry, ...]:
    """Return frequency, magnetising current, gain and soft switching; then what the parts carry."""
    harmonic = "M - 1/sqrt((1 + (1 - 1/f_a**2)/m_0)**2 + (Q*(f_a - 1/f_a))**2)"
    peak = "(1/sqrt(1 + m_0) + (0.539 - 0.7/sqrt(1 + m_0))*Q + 0.057*Q**2)*f_0"
    overload = "1.161*m_0**-0.638/max(M - 0.869 + 0.234/m_0, 0.01)*I_o/Q"
    return (
        Line("f_b", "1/sqrt(1 + 8*m_0*(M - 1)/pi**2)", "", "frequency over resonance below it, any load", GAIN, "min", modes=(BELOW, AT)),
        Line("f_a", harmonic, "", "frequency over resonance above it, first harmonic", TANK, within=(1.0, 30.0), modes=(ABOVE,)),
        Line("f_s", {BELOW: "f_b*f_0", AT: "f_b*f_0", ABOVE: "f_a*f_0"}, "Hz", "switching frequency that holds the output", TANK, "min"),
        Line("f_pk", peak, "Hz", "frequency of the peak gain", GAIN),
        Line("M_pk", f"max(1, {PEAK.format(m='m_0', Q='Q')})", "", "peak gain that there is", GAIN, "min"),
        Line("I_ovl", overload, "A", "load at which the peak gain is what is needed: overload", GAIN, "min"),
        Line("I_m", "n*V_r/(4*L_m*max(f_s, f_0))", "A", "peak magnetising current", VOLT_SECONDS, "min"),
        Line("t_z", "2*C_S1*V_in/I_m", "s", "dead time that soft switching needs", SOFT),
        *carried(
            share,
            "sqrt(I_B**2 + I_m**2)",
            "sqrt(d_r*I_B**2/2 + I_m**2*(1 - d_r/2))",
            "Z_0*I_Lrpk + (I_Lrpk - I_B)*(1/d_r - 1)/(4*f_0*k_s*C_r)",
        ),
        Line("I_sr", "n*sqrt(d_r*I_B**2/2 + (5/6 - 8/pi**2)*I_m**2)", "A", "rectified secondary current, rms", RESONANT),
        *rectified(share, "I_m", "I_m"),
    )


def carried(share: str, peak: str, rms: str, swing: str) -> tuple[Line, ...]:
    """Return the currents of tank and switches from formulas of the tank's peak and rms current, and of the capacitor's swing."""
    biased = f"(1 - {share})*V_in"
    return (
        Line("d_r", "min(1, f_s/f_0)", "", "part of the period in which the rectifier conducts", RESONANT, "min"),
        Line("I_B", "pi*I_o/(2*n*d_r)", "A", "peak of the resonant current that is passed on", RESONANT),
        Line("I_Lrpk", peak, "A", "peak tank current", RESONANT),
        Line("I_Lrrms", rms, "A", "rms tank current", RESONANT),
        Line("V_Crpk", f"{biased} + {swing}", "V", "peak voltage of the resonant capacitor", RESONANT),
        Line("W_Lr", "L_r*I_Lrpk**2/2", "J", "energy in L_r at its peak", DEFINITION),
        Line("V_Crr", "(1 + m_V)*V_Crpk", "V", "voltage rating C_r should have", MARGIN),
        Line("I_Crrms", "I_Lrrms/k_s", "A", "rms current of each resonant capacitor", RESONANT),
        Line("I_in", "V_r*I_o/V_in", "A", "average input current", VOLT_SECONDS),
        *stresses("S1", f"I_in/{share}/2", "I_Lrrms/sqrt(2)", "I_Lrpk", "V_in + V_BS1"),
        Line("I_Np", "0", "A", "average current of winding Np", KIRCHHOFF),
        Line("I_Nprms", "I_Lrrms", "A", "rms current of winding Np", RESONANT),
    )


def rectified(share: str, magnetising: str, turned: str) -> tuple[Entry, ...]:
    """Return what rectifier, secondary, output and input capacitor bear, and what remains when the output is shorted.

    ``magnetising`` is the formula of the peak magnetising current, ``turned`` that of the tank current at an edge.
    """
    short = f"{share}*V_in*2*sqrt(2)/(pi*Z_0*(f_max/f_0 - f_0/f_max))"
    return (
        behind("V_Db", {"centre-tap": "2*V_o + V_FD1", "bridge": "V_o + V_FD1"}, "V", "voltage between output and the far end", KIRCHHOFF),
        *stresses("D1", "I_o/2", "I_sr/sqrt(2)", f"n*sqrt(I_B**2 + (0.37*{magnetising})**2)", "V_Db", "rectifier"),
        behind("I_Ns1rms", {"centre-tap": "I_sr/sqrt(2)", "bridge": "I_sr"}, "A", "rms current of winding Ns1", RESONANT),
        *tuned_smoothing("d_r", "I_sr"),
        *supplied(share, turned),
        Line("I_sc", short, "A", "tank current, rms, at the highest frequency with the output shorted", TANK),
        Line(
            "f_st",
            f"f_0*({_turn(share)} + sqrt(({_turn(share)})**2 + 1))",
            "Hz",
            "frequency to start from: the tank current into a shorted output is that of this corner",
            TANK,
            "min",
        ),
    )


def _turn(share: str) -> str:
    return f"{share}*V_in*sqrt(2)/(pi*Z_0*I_Lrrms)"


HARMONIC = Gain("1/sqrt((1 + (1 - 1/x**2)/m_0)**2 + (Q*(x - 1/x))**2)")

BOUNDS = (
    Bound(
        "M",
        "M_pk",
        "a smaller L_r, a lower tank.inductance_ratio or a narrower input range raises the peak gain, another turns ratio lowers "
        "what is needed",
    ),
)

ROUGH, CUT = 0.1, 0.15
"""Currents are taken as sines of the resonance, each half cut where the rectifier stops; peaks suffer most."""


def proofs() -> tuple[Proof, ...]:
    """Return what is measured of what is derived."""
    return (
        Proof("V_o", "load.v", "average"),
        Proof("I_Lrrms", "L_r.i", "rms", ROUGH),
        Proof("I_Lrpk", "L_r.i", "maximum", CUT),
        Proof("V_Crpk", "C_r.v", "maximum", CUT),
        Proof("I_Crrms", "C_r.i", "rms", ROUGH),
        Proof("I_S1rms", "S1.i", "rms", ROUGH),
        Proof("V_S1", "S1.v", "maximum", ROUGH),
        Proof("I_D1", "D1.i", "average", ROUGH),
        Proof("I_D1rms", "D1.i", "rms", ROUGH),
        Proof("I_D1pk", "D1.i", "maximum", CUT),
        Proof("V_D1", "D1.v", "reverse", ROUGH),
        Proof("I_Nprms", "L_r.i", "rms", ROUGH),
        Proof("I_Ns1rms", "Ns1.i", "rms", ROUGH),
        *(Proof(p.symbol, p.signal, p.measure, 2.0 * ROUGH) for p in output_proofs()),
        Proof("I_Cirms", "source.i", "ac_rms", 2.0 * ROUGH),
    )


FIGURE = (
    ("gate", ("S1.gate", "S2.gate")),
    ("bridge", ("@m",)),
    ("tank", ("L_r.i", "L_m.i")),
    ("capacitor", ("C_r.v",)),
    ("rectifier", ("D1.i", "D2.i")),
    ("output ripple", ("load.v~",)),
)

KIND = Kind(sizing, operation, True, SIDE, HARMONIC, BOUNDS, proofs(), FIGURE)
