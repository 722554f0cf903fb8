"""Series resonance: the tank stands between bridge and rectifier, and takes the more of the voltage the further it is detuned.

The gain is 1 at resonance and falls above it, the faster the larger the quality factor: at light load it hardly falls.
Below half the resonance the tank rings once and rests: every half period then passes the same charge on.
"""

from __future__ import annotations

from dataclasses import replace

from jump_lane.equations.sheet import Line
from jump_lane.topologies.blocks.resonant.carried import carried, rectified, resonance, transformer
from jump_lane.topologies.blocks.resonant.llc import FIGURE as OF_LLC
from jump_lane.topologies.blocks.resonant.stage import SIDE as SIDE_OF_LLC
from jump_lane.topologies.blocks.resonant.stage import Kind
from jump_lane.topologies.blocks.sources import CHARGED, SOFT, TANK
from jump_lane.topologies.page import Bound, Gain
from jump_lane.topologies.variant import Variant

USUAL = 2.0
"""Quality factor at full load where the file asks for none: the output falls to half at about 1.5 times the resonance."""


def equations(v: Variant, share: str) -> tuple[Line, ...]:
    """Return its lines: the turns ratio leaves the reserve of gain at the least input, the quality factor sets L_r."""
    quality = "Q_a" if v.tank in ("quality", "both") else f"{USUAL:g}"
    reserve = "turns ratio at which the gain keeps its reserve at the least input"
    inductance = f"{quality}*R_ac/(2*pi*f_r)"
    return (
        *transformer(v, share, f"{share}*V_in/((1 + m_g)*k_hi*V_r)", reserve),
        Line("L_r", inductance, "H", "resonant inductance, leakage included", TANK, "min", component=True),
        *resonance(),
        Line("M_1", "1", "", "gain at resonance", TANK),
        Line("Q", "Z_0/R_ac", "", "quality factor: characteristic impedance over the load", TANK),
        *operation(v, share),
    )


def operation(v: Variant, share: str) -> tuple[Line, ...]:
    """Return the frequency by the first harmonic, and what the parts carry."""
    return (
        Line("x_s", "sqrt(max(1/M**2 - 1, 0))/Q", "", "detuning: frequency over resonance less its inverse", TANK),
        Line("f_s", "f_0*(x_s/2 + sqrt(x_s**2/4 + 1))", "Hz", "switching frequency that holds the output", TANK),
        Line("f_d", f"I_o/(8*n*k_s*C_r*{share}*V_in)", "Hz", "frequency that passes the load on below half the resonance", CHARGED),
        Line("I_m", "pi*I_o/(2*n)*sqrt(max(1 - M**2, 0))", "A", "tank current as a switch opens", TANK, "min"),
        Line("t_z", "2*C_S1*V_in/I_m", "s", "dead time that soft switching needs", SOFT),
        *carried(share, "I_tp", "I_tp/sqrt(2)", "Z_0*f_0/f_s*I_Lrpk"),
        Line("I_sr", "n*I_tp/sqrt(2)", "A", "rectified secondary current, rms", TANK),
        *rectified(v, share, "0", "I_m"),
    )


HARMONIC = Gain("1/sqrt(1 + (Q*(x - 1/x))**2)", ("I_sc", "f_st"))

BOUNDS = (Bound("M", "M_1", "a series resonance gives no more than 1: fewer primary turns"),)

SIDE = replace(
    SIDE_OF_LLC,
    name="the tank current leads there: every switch turns on against voltage",
    short="raise tank.gain_reserve, which takes fewer primary turns",
)


FIGURE = tuple((title, tuple(s for s in signals if s != "L_m.i")) for title, signals in OF_LLC)

KIND = Kind(equations, False, SIDE, HARMONIC, BOUNDS, FIGURE)
