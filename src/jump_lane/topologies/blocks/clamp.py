"""Leakage inductance against a dissipating clamp: a diode into a capacitor with a resistor beside it.

When the switch opens, the leakage inductance has to get rid of the current that the magnetising inductance goes on
carrying; meanwhile (D_k) that current flows into the clamp instead of the output.
"""

from __future__ import annotations

from jump_lane.circuit.elements import Capacitor, Diode, Element, Resistor
from jump_lane.equations.sheet import Line, Proof
from jump_lane.topologies.blocks.shape import Shape
from jump_lane.topologies.blocks.sources import KIRCHHOFF, LEAKAGE
from jump_lane.topologies.blocks.stress import stress
from jump_lane.topologies.point import Point

CAVEATS = {
    "L_kT": "With leakage, what turning the current round takes from the pulse, and what the clamp takes at the lightest loads, are "
    "left to the simulation: the duty ratio is up to 3 % larger there."
}

CLAMPED = 0.06
"""Accuracy of the clamp's voltage."""


def sized(
    inductance: str, leakage: str = "L_kT", frequency: str = "f_s", resistance: str = "", within: float = CLAMPED
) -> tuple[Line, ...]:
    """Return the clamp, chosen where the current is largest, and what it takes.

    Parameters
    ----------
    inductance, leakage
        Symbols of the inductance whose current goes on, and of that which has to turn off.
    resistance
        Formula of the resistance that brings the clamp to its voltage.
    """
    usual = f"2*k_cl*(k_cl - 1)*V_or**2/({frequency}*{leakage}*I_y**2)"
    return (
        Line(
            "I_y",
            f"max(I_c + V_on*D_c/(2*{frequency}*{inductance}), sqrt(2*I_or*V_off/({frequency}*{inductance})))",
            "A",
            "peak current as if the clamp took nothing",
            KIRCHHOFF,
        ),
        Line("R_cl", resistance or usual, "Ω", "clamp resistance that brings the clamp to its voltage", LEAKAGE, "min", component=True),
        Line("C_cl", f"20/({frequency}*R_cl)", "F", "clamp capacitance for 5 % ripple", LEAKAGE, component=True),
        Line(
            "I_cl",
            f"V_off/(2*R_cl) + sqrt((V_off/(2*R_cl))**2 + {frequency}*{leakage}*I_y**2/(2*R_cl))",
            "A",
            "average current that the clamp takes",
            LEAKAGE,
        ),
        Line("V_cl", "R_cl*I_cl", "V", "clamp voltage", LEAKAGE, proof=Proof("C_cl.v", "average", within)),
        Line("P_cl", "V_cl*I_cl", "W", "power lost in the clamp", LEAKAGE),
        Line("I_del", "I_or + I_cl", "A", "current that the inductance delivers, to the output and to the clamp", KIRCHHOFF),
    )


def turning(peak: str, valley: str, voltage: str = "V_cl", leakage: str = "L_kT", frequency: str = "f_s") -> tuple[Line, ...]:
    """Return how long the current flows into the clamp, and the largest current that the output then gets.

    ``peak`` and ``valley`` are the symbols of the current that goes on, ``voltage`` the formula of the clamp's.
    """
    meaning = "part of the period in which the leakage inductance gets rid of its current"
    return (
        Line("D_k", f"min({frequency}*{leakage}*{peak}/({voltage} - V_off), D_2)", "", meaning, LEAKAGE),
        Line("I_a", f"{peak} - ({peak} - {valley})*D_k/D_2", "A", "current that is handed over once it has", LEAKAGE),
    )


def handed(valley: str) -> Shape:
    """Return the current handed over to the output, seen from the primary."""
    return Shape((("D_k", "0", "I_a"), ("D_2 - D_k", "I_a", valley)), high="I_a")


def diode(peak: str, blocks: str, name: str = "D_cl") -> tuple[Line, ...]:
    """Return what the clamp's diode bears."""
    return stress(name, Shape((("D_k", peak, "0"),)), blocks, within=CLAMPED)


def circuit(p: Point, drain: str) -> tuple[Element, ...]:
    """Return the dissipating clamp from the drain of S1 to the input."""
    return (Diode("D_cl", drain, "c"), Capacitor("C_cl", "c", "in", p["C_cl"]), Resistor("R_cl", "c", "in", p["R_cl"]))
