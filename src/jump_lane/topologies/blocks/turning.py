"""Leakage in series with a coupling capacitor, two inductors handing their currents over (isolated SEPIC and Ćuk).

When S1 opens, the current of the leakage inductance has to turn from that of the second inductor to that of L1; meanwhile
(D_k2) the sum of both flows into a dissipating clamp, as the primary current of a flyback does.  When S1 conducts again
it turns back (D_k1).  In between it is straight, from I_1b to I_1e in L1.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import replace

from jump_lane.equations.compose import substitute
from jump_lane.equations.sheet import Line
from jump_lane.topologies.blocks import flybacks
from jump_lane.topologies.blocks.capacitors import coupling_capacitor
from jump_lane.topologies.blocks.devices import device
from jump_lane.topologies.blocks.inductors import inductor
from jump_lane.topologies.blocks.rewriting import rewritten
from jump_lane.topologies.blocks.sources import KIRCHHOFF, LEAKAGE, OUTPUT_FILTER, RMS_VALUES, VOLT_SECONDS
from jump_lane.topologies.blocks.transformers import leaking
from jump_lane.topologies.page import ByTarget, Cases

SEEN = {"L_m": "L_e"}
"""What stands for the magnetising inductance of a flyback: both inductors in parallel."""

CAVEAT = flybacks.CAVEATS | {
    "L_kT": "With leakage, ripples of coupling capacitors and output are up to 10 % off at light load; in "
    "discontinuous conduction more, as leakage is then no small part of the other inductances."
}
"""What the formulas leave out."""


def turning_sizing() -> tuple[Line | Cases, ...]:
    """Return the output as the primary sees it, and the clamp where there is leakage."""
    clamp = rewritten(flybacks.dissipating_clamp(), SEEN)
    return (
        Line("V_or", "V_op + V_Fr", "V", "output voltage and drop as the primary sees them", KIRCHHOFF),
        Cases(leaking, {"leaking": clamp, "tight": ()}),
    )


def turning_operation(off: str = flybacks.OFF) -> tuple[Line | ByTarget, ...]:
    """Return the operation of both inductors together, L1, the clamp, and the secondary current.

    Parameters
    ----------
    off
        Formula of the voltage that both see, reversed, while D1 conducts.
    """
    drops = "(R_S1 + R_L1*V_op/(V_in + V_op))"
    leaky = replace(flybacks.DISSIPATED, primary=drops, leakage="L_kT*(1 - L_e/L1)**2", off=off)
    return (
        *rewritten(flybacks.leaking_operation(leaky), SEEN),
        Line("I_cl", "V_cl/R_cl", "A", "average current of the clamp", LEAKAGE),
        Line("P_cl", "V_cl**2/R_cl", "W", "power lost in the clamp", LEAKAGE),
        *device("D_cl", "D_k2", "(I_pk/2)", "I_pk", "V_in + V_cl", "clamp diode"),
        Line("dI_L1", "V_1*(D_1 + D_k1)/(f_s*L1)", "A", "ripple of L1, peak to peak", VOLT_SECONDS),
        *inductor("L1", "D_1*I_m + D_k1*I_v/2 + I_cl", "dI_L1", "D_1 + D_2"),
        Line("I_1b", "I_L1pk - dI_L1*D_k2/D_2", "A", "current of L1 as the clamp stops", LEAKAGE),
        Line("I_1e", "I_L1v + dI_L1*D_k1/D_2", "A", "current of L1 as S1 conducts again", LEAKAGE, "min"),
        *flybacks.secondary_slopes(),
    )


def turned_charge(valley: str, peak: str) -> str:
    """Return the formula of the charge that the turning adds, of an inductor with this valley and peak."""
    return f"(D_k2*max({peak}, 0)**2/I_pk + D_k1*max({valley}, 0)**2/max(I_v, 0.001*I_pk))/(2*f_s)"


def turned_rms(valley: str, peak: str, begin: str, end: str, idle: str) -> str:
    """Return the formula of the rms current of a coupling capacitor.

    Parameters
    ----------
    valley, peak
        What flows back through it while S1 conducts.
    begin, end, idle
        What flows in it once it has turned, as it turns back, and while the circuit idles.
    """
    return (
        f"sqrt((D_1*({valley}**2 + {valley}*{peak} + {peak}**2)"
        f" + D_k1*({end}**2 - {end}*{valley} + {valley}**2) + D_k2*({begin}**2 - {begin}*{peak} + {peak}**2)"
        f" + (D_2 - D_k1 - D_k2)*({begin}**2 + {begin}*{end} + {end}**2))/3 + (1 - D_1 - D_2)*{idle}**2)"
    )


HANDED = (
    "(I_L2pk**2 - max(I_L2v, 0)**2)*D_1/(2*f_s*dI_L2)"
    " + max(max(-I_L1v, 0)*(1 - D_1 - D_2)/f_s + min(I_L1v, 0)**2*D_2/(2*f_s*dI_L1)"
    " - min(I_L2v, 0)**2*D_1/(2*f_s*dI_L2), 0)"
)
"""Charge that L2 takes from a coupling capacitor, and what flows on while the circuit idles."""


def turning_capacitor(symbols: Mapping[str, str], capacitor: str = "C_s") -> Iterator[Line | ByTarget]:
    """Yield the coupling capacitor that carries the currents of both inductors, the turning included.

    Parameters
    ----------
    symbols
        Those of the second inductor and of the capacitor, as `rewritten` takes them.
    """
    valley, peak = symbols["I_L2v"], symbols["I_L2pk"]
    rms = f"I_{capacitor.replace('_', '')}rms"
    for entry in rewritten(coupling_capacitor(), symbols):
        if isinstance(entry, Line) and entry.symbol == "Q_s":
            yield replace(entry, text=f"{substitute(HANDED, symbols)} + {turned_charge(valley, peak)}")
        elif isinstance(entry, Line) and entry.symbol == rms:
            yield replace(entry, text=turned_rms(valley, peak, "I_1b", "I_1e", "I_L1v"))
        else:
            yield entry


def clamped_input(coil: str = "L1") -> tuple[Line, ...]:
    """Return the input capacitor in front of an inductor, which takes the pulses that the clamp gives back."""
    own = f"I_{coil}"
    return (
        Line("I_in", f"{own} - I_cl", "A", "average input current", KIRCHHOFF),
        Line(
            "I_Cirms",
            f"sqrt({own}rms**2 - {own}**2 + D_k2*(I_pk**2 + 4*I_h**2)/6 - I_cl**2 - 2*I_cl*((2*{own}pk + I_1b)/3 - {own}))",
            "A",
            "rms current of the input capacitor",
            RMS_VALUES,
        ),
        Line("C_i", f"(1 + m_C)*(d{own}/8 + I_cl)/(f_s*dV_iask)", "F", "input capacitance, with margin", OUTPUT_FILTER, component=True),
    )
