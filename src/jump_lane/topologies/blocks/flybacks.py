"""Flyback converters: energy stored in the magnetising inductance while S1 conducts, handed over afterwards.

With leakage inductance the current does not change windings at once.  After S1 opens, the primary current falls within
D_k2 against the clamp; before the primary takes over again, the secondary current falls within D_k1.
"""

from __future__ import annotations

from dataclasses import dataclass, field

from jump_lane.circuit.elements import Capacitor, Diode, Element, Resistor
from jump_lane.equations.sheet import CONTINUOUS, DISCONTINUOUS, REVERSED, WHOLE, Line
from jump_lane.topologies.blocks.capacitors import chopped_input, smoothing
from jump_lane.topologies.blocks.devices import device, with_spike
from jump_lane.topologies.blocks.duty import gate_times, handed_over, lossy_duty, peak_ratio
from jump_lane.topologies.blocks.inductors import inductor, single_inductor_sizing
from jump_lane.topologies.blocks.proofs import device_proofs, held_proofs, inductor_proofs, output_asks, output_proofs
from jump_lane.topologies.blocks.rewriting import Text
from jump_lane.topologies.blocks.shape import Shape
from jump_lane.topologies.blocks.sources import (
    BOUNDARY_CONDITION,
    DEFINITION,
    DISCONTINUOUS_RATIO,
    KIRCHHOFF,
    LEAKAGE,
    MARGIN,
    RIGHT_HALF_PLANE,
    RMS_VALUES,
    VOLT_SECONDS,
    WITH_LOSSES,
)
from jump_lane.topologies.blocks.transformers import leaking, reflected, turns_ratio, winding
from jump_lane.topologies.page import Ask, Cases, Entry, Proof
from jump_lane.topologies.point import Point
from jump_lane.topologies.role import Role

OFF = "V_or + n**2*(R_D1 + R_sT)*I_x + R_Co*n*(n*I_x - I_o)"

ROLES = (
    Role("S1", "switch"),
    Role("D1", "rectifier"),
    Role("T", "transformer"),
    Role("L_m", "magnetising"),
    Role("C_o", "capacitor"),
    Role("C_i", "capacitor"),
)

RIPPLES = (("dI_ask", "I_max*(V_in + V_or)/(n*V_in)"),)
"""Asked ripple of the magnetising current, of its average at full load."""


DISSIPATING = (
    Line("V_cl", "V_2/2 + sqrt(V_2**2/4 + f_s*L_kT*I_pk**2*R_cl/2)", "V", "clamp voltage above the input", LEAKAGE),
    Line("Z_cl", "sqrt(L_kT/C_cl)", "Ω", "impedance of leakage and clamp capacitance", LEAKAGE),
    Line(
        "V_c0",
        "V_cl*(1 - 1/(2*f_s*R_cl*C_cl)) - V_2 + R_pT*I_pk/2",
        "V",
        "voltage that drives the primary current back as S1 opens",
        LEAKAGE,
        "min",
    ),
    Line("V_cb", "max(-V_c0, 0)", "V", "by how much the clamp falls below what is reflected", LEAKAGE),
)
"""Up to the clamp voltage, and what drives the primary current back."""

CAVEATS = {
    "V_cb": "At the lightest loads the clamp falls to what the output reflects before S1 opens, and then takes current that "
    "would go to the output. The formulas leave that out; output and rectifier currents may be a third smaller."
}


def flyback_sizing(primary: str = "(R_S1 + R_pT)") -> tuple[Entry, ...]:
    """Return turns ratio, duty ratio and magnetising inductance.

    Parameters
    ----------
    primary
        Formula of the resistance of the primary circuit.
    """
    return (
        Line("M", "V_o/V_in", "", "conversion ratio", DEFINITION),
        *turns_ratio("D_lim/(1 - D_lim)*V_in/(V_o + V_FD1)"),
        *reflected(),
        Line("D_i", "n*V_o/(V_in + n*V_o)", "", "duty ratio with ideal parts", VOLT_SECONDS),
        *lossy_duty(
            "V_in + V_or - R_Co*n*I_o",
            f"V_in + ({primary} - n**2*(R_D1 + R_sT + R_Co))*I_or - 2*t_d*f_s*n*V_BD1",
            f"{primary}*I_or",
            "I_or",
        ),
        *peak_ratio(primary, "(n**2*R_o)"),
        Line("V_1c", f"V_in - {primary}*I_c", "V", "magnetising voltage, S1 on", WITH_LOSSES),
        *single_inductor_sizing("I_or", "I_max/n", "n", "L_m"),
        Line("K", "2*L_m*f_s/(n**2*R_o)", "", "conduction parameter", BOUNDARY_CONDITION, "min"),
        Line("K_crit", "(1 - D_i)**2", "", "conduction parameter at the boundary", BOUNDARY_CONDITION),
    )


def dissipating_clamp(resistance: str = "2*k_cl*(k_cl - 1)*V_or**2/(f_s*L_kT*I_pk0**2)") -> tuple[Line, ...]:
    """Return the clamp of a resistor beside a capacitor, sized where the peak current is largest.

    Parameters
    ----------
    resistance
        Formula of the resistance that brings the clamp to its voltage.
    """
    return (
        Line("I_pk0", "max(I_c + V_1c*D_c/(2*f_s*L_m), sqrt(2*I_or*V_or/(f_s*L_m)))", "A", "peak current without leakage", KIRCHHOFF),
        Line("R_cl", resistance, "Ω", "clamp resistance that brings the clamp to its voltage", LEAKAGE, "min", component=True),
        Line("C_cl", "20/(f_s*R_cl)", "F", "clamp capacitance for 5 % ripple", LEAKAGE, component=True),
    )


@dataclass(frozen=True)
class Leaky:
    """Formulas of a circuit whose leakage inductance delays the current at both edges.

    Attributes
    ----------
    clamp
        Lines up to the clamp voltage V_cl.
    fall, half, back
        Of D_k2, of the primary current halfway through it, and of D_k1.
    taken
        Of the average magnetising current that does not reach the secondary while S1 is off.
    primary, leakage
        Resistance in which the current flows with S1 on; inductance in series with the magnetising one then.
    off, ideal
        Voltage reversed while S1 is off, with and without the resistive drops.
    rise, fallen
        Rising part of the period in continuous conduction, falling part in discontinuous conduction.
    duty
        Gate's duty ratio by mode.
    """

    clamp: tuple[Line, ...]
    fall: str
    half: str
    back: str
    taken: str
    primary: str = "(R_S1 + R_pT)"
    leakage: str = "L_kT"
    off: str = OFF
    ideal: str = "V_or"
    fallen: str = "D_1*V_1/V_2"
    rise: str = "(V_2 + 2*t_d*f_s*n*V_BD1)/(V_1 + V_2)"
    duty: Text = field(default_factory=lambda: {CONTINUOUS: "D_1 + D_k1", REVERSED: "D_1 + D_k1 - t_d*f_s"})


def _solved(leaky: Leaky) -> tuple[Line, ...]:
    """Return the currents with leakage: those with which the secondary delivers the load current."""
    meaning = "currents over those without leakage"
    through = (
        Line(
            "D_1",
            {CONTINUOUS: leaky.rise, DISCONTINUOUS: "x_k*sqrt(2*f_s*L_m*I_or*V_2)/V_1"},
            "",
            "rising part of the period",
            DISCONTINUOUS_RATIO,
        ),
        Line(
            "D_2",
            {CONTINUOUS: "1 - D_1", DISCONTINUOUS: leaky.fallen},
            "",
            "falling part of the period (second interval)",
            DISCONTINUOUS_RATIO,
        ),
        Line("dI", "V_1*D_1/(f_s*L_m)", "A", "ripple of the magnetising current", VOLT_SECONDS),
        Line("I_m", {CONTINUOUS: "x_k*I_or/D_2", DISCONTINUOUS: "dI/2"}, "A", "middle of the slope of the magnetising current", KIRCHHOFF),
        Line("I_pk", "I_m + dI/2", "A", "peak of the magnetising current", KIRCHHOFF),
        Line("I_v", "I_m - dI/2", "A", "valley of the magnetising current", KIRCHHOFF, "min"),
        *leaky.clamp,
        Line("D_k2", leaky.fall, "", "part of the period in which the primary current falls", LEAKAGE),
        Line("I_h", leaky.half, "A", "primary current in the middle of D_k2", LEAKAGE),
        Line("D_k1", leaky.back, "", "part of the period in which the secondary current falls", LEAKAGE),
    )
    reached = f"D_2*I_m - {leaky.taken} - I_or"
    return (Line("x_k", reached, "", meaning, LEAKAGE, within=(0.8, 4.0), through=through),)


def leaking_operation(leaky: Leaky) -> tuple[Line, ...]:
    """Return the operation with leakage."""
    return (
        Line(
            "I_x",
            {CONTINUOUS: "I_c", DISCONTINUOUS: f"sqrt(I_or*({leaky.ideal})/(2*L_m*f_s))"},
            "A",
            "current that sets the drops (half the peak in discontinuous conduction)",
            WITH_LOSSES,
        ),
        Line("V_1", f"(V_in - {leaky.primary}*I_x)*L_m/(L_m + {leaky.leakage})", "V", "magnetising voltage, S1 on", WITH_LOSSES),
        Line("V_2", leaky.off, "V", "magnetising voltage reversed, S1 off", WITH_LOSSES),
        *_solved(leaky),
        Line("D", leaky.duty, "", "duty ratio that holds the output", LEAKAGE),
        *gate_times(),
    )


TURNED = "D_k2/(2*f_s*sqrt(L_kT*C_cl))"
"""Half the angle through which leakage and clamp capacitance swing within D_k2."""

DISSIPATED = Leaky(
    DISSIPATING,
    fall="f_s*(pi/2 - atan(V_c0/(I_pk*Z_cl)))*sqrt(L_kT*C_cl)",
    half=f"I_pk*cos({TURNED}) - V_c0/Z_cl*sin({TURNED})",
    back="f_s*L_kT*max(I_v, 0)/(V_in + V_2)",
    taken="(V_cl/R_cl + D_k1*max(I_v, 0)/2)",
)
"""Leakage against the clamp of `dissipating_clamp`."""


def tight_operation(primary: str = "(R_S1 + R_pT)") -> tuple[Line, ...]:
    """Return the operation without leakage."""
    return (
        *handed_over(f"V_in - {primary}*I_x", OFF, "V_or", "L_m", "I_or"),
        Line("D_k2", "0", "", "part of the period in which the primary current falls", DEFINITION),
        Line("I_h", "I_pk/2", "A", "primary current in the middle of D_k2", DEFINITION),
        Line("D_k1", "0", "", "part of the period in which the secondary current falls", DEFINITION),
    )


def flyback_currents(switches: str = "1", drawn: tuple[str, str] = ("", "")) -> tuple[Line, ...]:
    """Return what the magnetising inductance, the rectifier and the capacitors carry.

    Parameters
    ----------
    switches
        How many are in series with the primary.
    drawn
        Formulas of average and mean square of the input current, where leakage gives some of it back.
    """
    return (
        Line("dI_Lm", "dI", "A", "ripple of the magnetising current, peak to peak", VOLT_SECONDS),
        Line("f_z", "D_2**2*n**2*R_o/(2*pi*D_1*L_m)", "Hz", "right-half-plane zero", RIGHT_HALF_PLANE, "min", modes=WHOLE),
        *inductor("L_m", "(D_1 + D_2)*I_m", "dI", "D_1 + D_2"),
        *secondary_currents(switches),
        *chopped_input("D_1", "I_m", "dI", average=drawn[0], square=drawn[1]),
    )


def secondary_slopes() -> tuple[Line, ...]:
    """Return the secondary current as it rises, at its largest, and at its end."""
    return (
        Line("I_am", "n*(I_pk - dI*D_k2/(2*D_2) - I_h)", "A", "secondary current halfway to its largest", LEAKAGE),
        Line("I_a", "n*(I_pk - dI*D_k2/D_2)", "A", "largest secondary current", LEAKAGE),
        Line("I_b", "n*(I_v + dI*D_k1/D_2)", "A", "last secondary current", LEAKAGE, "min"),
    )


def secondary_currents(switches: str = "1") -> tuple[Line, ...]:
    """Return what the secondary, its rectifier and the output capacitor carry; see `flyback_currents`."""
    return (*secondary_slopes(), *rectifier(switches), *rectified_output())


def rectified_output() -> tuple[Line, ...]:
    """Return the output capacitor that the secondary current charges."""
    return smoothing(
        Shape(
            "I_a",
            (("D_k2/2", "0", "I_am/I_a"), ("D_k2/2", "I_am/I_a", "1"), ("D_2 - D_k1 - D_k2", "1", "I_b/I_a"), ("D_k1", "I_b/I_a", "0")),
        )
    )


def rectifier(switches: str = "1", blocked: Text | None = None) -> tuple[Line, ...]:
    """Return the stresses of D1; what it blocks is given as a formula where it is not that of a flyback."""
    return (
        Line("I_D1", "I_o", "A", "average current of rectifier D1", KIRCHHOFF),
        Line(
            "I_D1rms",
            "sqrt((D_k2*(2*I_am**2 + I_a**2/2) + D_k1*I_b**2 + (D_2 - D_k1 - D_k2)*(I_a**2 + I_a*I_b + I_b**2))/3)",
            "A",
            "rms current of rectifier D1",
            RMS_VALUES,
        ),
        Line("I_D1pk", "I_a", "A", "peak current of rectifier D1", KIRCHHOFF),
        Line(
            "V_D1",
            blocked
            or {
                CONTINUOUS: "V_o + (V_in - R_S1*I_v)*L_m/((L_m + L_kT)*n)",
                REVERSED: f"V_o + (V_in + max(-R_S1*I_v, {switches}*k_d*V_BS1))*L_m/((L_m + L_kT)*n)",
            },
            "V",
            "voltage that rectifier D1 blocks",
            KIRCHHOFF,
        ),
        Line("V_D1r", "(1 + m_V)*V_D1", "V", "voltage rating D1 should have", MARGIN),
        with_spike("D1", "rectifier"),
        Line("I_D1r", "(1 + m_I)*I_D1pk", "A", "peak current rating D1 should have", MARGIN),
    )


def main_switch(name: str, tight: str, leaking_voltage: str) -> Cases:
    """Return the stresses of a primary switch; its voltage without and with leakage is given as formulas."""
    return Cases(
        leaking,
        {
            "tight": (*device(name, "D_1", "I_m", "dI", tight), with_spike(name)),
            "leaking": device(name, "(D_1 + D_k1/2)", "I_m", "dI", leaking_voltage),
        },
    )


def windings() -> tuple[Line, ...]:
    """Return what the windings carry."""
    return (*winding("Np", "D_1*I_m", "I_S1rms"), *winding("Ns", "I_o", "I_D1rms"))


def flyback_proofs() -> tuple[Proof, ...]:
    """Return the proofs of a flyback."""
    return (
        *held_proofs(),
        *inductor_proofs("L_m"),
        *output_proofs(),
        *device_proofs("S1", "D1"),
        Proof("V_cl", "C_cl.v", "average", 0.03),
        Proof("I_Cirms", "source.i", "ac_rms", 0.03),
    )


def flyback_asks() -> tuple[Ask, ...]:
    """Return what is asked of a flyback."""
    return (Ask("dI_Lm", "dI_ask", "L_m"), *output_asks())


def clamp(p: Point, drain: str) -> tuple[Element, ...]:
    """Return the dissipating clamp from the drain of S1 to the input."""
    return (Diode("D_cl", drain, "c"), Capacitor("C_cl", "c", "in", p["C_cl"]), Resistor("R_cl", "c", "in", p["R_cl"]))
