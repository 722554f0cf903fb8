"""LLC: what the inductance ratio, the resonant inductance and the currents follow from.

The tank has two resonances; at the series resonance f_0 of L_r and C_r the gain is 1 for any load.  Below it the rectifier
stops early and the magnetising current charges C_r further: the gain rises to a peak that falls with the load.  How much
gain is needed at the least input decides how large L_r may be, and the charge that the switches' output capacitances want
within the dead time how large L_m may be.
"""

from __future__ import annotations

from jump_lane.equations.sheet import Line
from jump_lane.topologies.blocks.resonant.carried import carried, rectified, resonance, transformer
from jump_lane.topologies.blocks.resonant.stage import ABOVE, AT, BELOW, SIDE, Kind
from jump_lane.topologies.blocks.sources import DEFINITION, GAIN, RESONANT, SOFT, TANK, VOLT_SECONDS
from jump_lane.topologies.page import Bound, Gain
from jump_lane.topologies.variant import Variant

PEAK = "1.161*{m}**-0.638/({Q}) + 0.869 - 0.234/{m}"
"""Peak gain over inductance ratio m and quality factor Q, fitted to exact steady states within 1.2 %."""

ASKED_GAIN = "(1 + m_g)*k_hi*M"

LARGEST, ABOVE_LEAST = 10.0, 1.1
"""Inductance ratio up to which the peak gain is known; how far above the lowest frequency allowed the least input is held."""


def _ratio(quality: str) -> tuple[Line, ...]:
    """Return the largest inductance ratio at which the peak gain suffices, and the gain is reached above the lowest frequency."""
    reached = "inductance ratio at which the gain is reached a tenth above the lowest frequency"
    least = f"pi**2/8*((f_r/({ABOVE_LEAST}*f_min))**2 - 1)/max(k_hi*M - 1, 0.001)"
    meaning = "inductance ratio L_m/L_r at which the peak gain suffices"
    text = f"{PEAK.format(m='m_p', Q=quality)} - {ASKED_GAIN}"
    return (
        Line("m_p", text, "", meaning, GAIN, "min", within=(1.05, 100.0)),
        Line("m_f", least, "", reached, GAIN, "min"),
        Line("m_r", f"min(m_p, m_f, {LARGEST:g})", "", "inductance ratio L_m/L_r", DEFINITION, "min", single=True),
    )


def _inductance(text: str) -> Line:
    return Line("L_r", text, "H", "resonant inductance, leakage included", TANK, "min", component=True)


def _tank(v: Variant, share: str) -> tuple[Line, ...]:
    """Return inductance ratio and resonant inductance, by what decides them."""
    given = Line("m_r", "m_a", "", "inductance ratio L_m/L_r", DEFINITION)
    if v.tank == "both":
        return given, _inductance("Q_a*R_ac/(2*pi*f_r)")
    if v.tank == "quality":
        return (*_ratio("Q_a"), _inductance("Q_a*R_ac/(2*pi*f_r)"))
    if v.tank == "leakage":
        return (*_ratio("2*pi*f_r*L_ra/R_ac"), _inductance("L_ra"))
    if v.tank == "magnetising":
        text = f"{PEAK.format(m='m_r', Q='2*pi*f_r*L_ma/(m_r*R_ac)')} - {ASKED_GAIN}"
        meaning = "inductance ratio L_m/L_r at which the peak gain suffices"
        return Line("m_r", text, "", meaning, GAIN, within=(1.05, 100.0), single=True), _inductance("L_ma/m_r")
    largest = "1.161*m_r**-0.638*R_ac/max(M_a - 0.869 + 0.234/m_r, 0.01)"
    impedance = Line("Z_pk", largest, "Ω", "largest characteristic impedance with that gain", GAIN, "min")
    if not v.soft:
        return given, impedance, _inductance("Z_pk/(2*pi*f_r)")
    limit = f"0.5*{share}*t_d/(8*C_S1*f_r)"
    return (
        given,
        impedance,
        Line("L_mz", limit, "H", "largest L_m for soft switching, half of what charge alone asks", SOFT, "min"),
        Line("Z_z", "2*pi*f_r*L_mz/m_r", "Ω", "characteristic impedance with that L_m", SOFT, "min"),
        _inductance("min(Z_pk, Z_z)/(2*pi*f_r)"),
    )


def equations(v: Variant, share: str) -> tuple[Line, ...]:
    """Return its lines; the bridge puts ``share`` of the input to the tank."""
    return (
        *transformer(v, share, f"{share}*V_nom/V_r", "turns ratio at which the gain is 1 at nominal input"),
        Line("M_a", ASKED_GAIN, "", "peak gain asked, with reserve", GAIN),
        *_tank(v, share),
        *resonance(),
        Line("L_m", "m_r*L_r", "H", "magnetising inductance", DEFINITION, "min", component=True),
        Line("m_0", "L_m/L_r", "", "inductance ratio that there is", DEFINITION),
        Line("Q", "Z_0/R_ac", "", "quality factor: characteristic impedance over the load", TANK),
        *operation(v, share),
    )


def operation(v: Variant, share: str) -> tuple[Line, ...]:
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
            "sqrt(I_tp**2 + I_m**2)",
            "sqrt(d_r*I_tp**2/2 + I_m**2*(1 - d_r/2))",
            "Z_0*I_Lrpk + (I_Lrpk - I_tp)*(1/d_r - 1)/(4*f_0*k_s*C_r)",
        ),
        Line("I_sr", "n*sqrt(d_r*I_tp**2/2 + (5/6 - 8/pi**2)*I_m**2)", "A", "rectified secondary current, rms", RESONANT),
        *rectified(v, share, "I_m", "I_m"),
    )


HARMONIC = Gain("1/sqrt((1 + (1 - 1/x**2)/m_0)**2 + (Q*(x - 1/x))**2)")

BOUNDS = (
    Bound(
        "M",
        "M_pk",
        "a smaller L_r, a lower tank.inductance_ratio or a narrower input range raises the peak gain, another turns ratio lowers "
        "what is needed",
    ),
)

FIGURE = (
    ("gate", ("S1.gate", "S2.gate")),
    ("bridge", ("@m",)),
    ("tank", ("L_r.i", "L_m.i")),
    ("capacitor", ("C_r.v",)),
    ("rectifier", ("D1.i", "D2.i")),
    ("output ripple", ("load.v~",)),
)

KIND = Kind(equations, True, SIDE, HARMONIC, BOUNDS, FIGURE)
