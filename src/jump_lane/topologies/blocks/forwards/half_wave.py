"""Forward converters with a half-wave secondary: D1 blocks what resets the core.

Leakage inductance is that of the secondary, L_k/n² (L_k as the primary sees it).  At the start of a pulse it takes the
current over from D2 within D_k1, which the pulse loses; at its end D1 hands it back within D_k2 against the voltage
that resets the core.
"""

from __future__ import annotations

from jump_lane.equations.sheet import CONTINUOUS, DISCONTINUOUS, REVERSED, Line
from jump_lane.topologies.blocks.capacitors import smoothing
from jump_lane.topologies.blocks.devices import ramped_device, with_spike
from jump_lane.topologies.blocks.forwards.lines import drawn, fed, magnetising, magnetising_valley, volt_seconds
from jump_lane.topologies.blocks.inductors import inductor
from jump_lane.topologies.blocks.shape import triangle
from jump_lane.topologies.blocks.sources import DEFINITION, KIRCHHOFF, LEAKAGE_FORWARD, RMS_VALUES, VOLT_SECONDS
from jump_lane.topologies.blocks.step_down import StepDown
from jump_lane.topologies.blocks.transformers import winding
from jump_lane.topologies.page import ByTarget


def stage(primary: str) -> StepDown:
    """Return the secondary side, half-wave, as a converter that steps the pulses V_in/n down."""
    return StepDown(
        on=f"V_in/n - V_FD1 - ({primary}/n**2 + R_D1 + R_sT + R_L)*{{I}} - V_o",
        off="V_o + V_FD2 + (R_D2 + R_L)*{I}",
        pulse="(V_in/n)",
        body="V_BD2",
        series="L_kT/n**2",
        lost="f_s*L_kT*max(I_v, 0)/(n*V_in)",
    )


def sizing(primary: str) -> tuple[Line | ByTarget, ...]:
    """Return duty ratio, inductance and magnetising inductance; ``primary`` is the primary resistance."""
    return (*stage(primary).sizing(), magnetising())


def operation(primary: str) -> tuple[Line, ...]:
    """Return the operation of the secondary side, half-wave, and the magnetising current."""
    return (
        *stage(primary).operation(),
        *inductor("L", "I_o", "dI_L", "D_1 + D_2"),
        fed(),
        Line("dI_Lm", f"(V_in - {primary}*I_x/n)*D_w/(f_s*L_m)", "A", "ripple of the magnetising current, peak to peak", VOLT_SECONDS),
        volt_seconds(),
    )


def freely_reset(reset: str, turns: str = "1") -> tuple[Line, ...]:
    """Return how a core is reset, half-wave, that drives its current back into the input.

    Parameters
    ----------
    reset, turns
        Formulas of the primary voltage meanwhile, and of the turns of the winding that leads back to the input,
        over those of the primary.
    """
    return (
        magnetising_valley("0"),
        Line("I_p1", "I_v/n", "A", "primary current at the start of a pulse", KIRCHHOFF, "min"),
        Line("I_p2", "I_pk/n + dI_Lm", "A", "primary current at the end of a pulse", KIRCHHOFF),
        Line("V_r", reset, "V", "largest voltage of the primary while S1 is off", VOLT_SECONDS),
        Line("D_r", f"{turns}*D_w", "", "part of the period that the core takes to reset", VOLT_SECONDS),
        handed_back("V_r"),
        Line("k_r", "1", "", "1 where the core drives a current back into the input", DEFINITION),
        Line("I_r", f"(dI_Lm*D_w + I_pk*D_k2/(n*{turns}))/2", "A", "average current that the core drives back into the input", RMS_VALUES),
        Line(
            "I_rrms",
            f"sqrt((dI_Lm**2*D_w/{turns} + D_k2*I_pk*(I_pk/n + 2*dI_Lm)/(n*{turns}**2))/3)",
            "A",
            "rms current that the core drives back into the input",
            RMS_VALUES,
        ),
    )


def handed_back(voltage: str) -> Line:
    """Return how long D1 hands the current back, half-wave, against a voltage of the primary."""
    meaning = "part of the period in which D1 hands the current back"
    return Line("D_k2", f"f_s*L_kT*I_pk/(n*{voltage})", "", meaning, LEAKAGE_FORWARD)


def rectifiers(switches: str = "1", idle: str = "0", returned: bool = False, blocked: str = "V_r/n") -> tuple[Line, ...]:
    """Return the stresses of D1 and D2, half-wave, of windings, output and input.

    Parameters
    ----------
    switches
        How many switches are in series with the primary.
    idle
        Formula of what D1 blocks where the core is still being reset as the inductor idles.
    returned
        Whether the core drives a current back into the input.
    blocked
        Formula of the largest secondary voltage while S1 is off.
    """
    return (
        *ramped_device(
            "D1",
            "D_1",
            "I_v",
            "I_pk",
            {CONTINUOUS: f"{blocked} - V_FD2", DISCONTINUOUS: f"max({blocked} - V_FD2, {idle})"},
            "D_k1",
            "D_k2",
            "rectifier",
        ),
        Line("I_to", "I_pk - dI_L*D_k2/D_2", "A", "current of L once D2 has taken it over", KIRCHHOFF),
        Line("V_sw", "V_o + R_L*I_v + V_1", "V", "voltage put to the inductor during the pulse", KIRCHHOFF),
        *ramped_device(
            "D2",
            "(D_2 - D_k2)",
            "I_to",
            "I_v",
            {CONTINUOUS: "V_sw", REVERSED: f"V_sw + k_d*{switches}*V_BS1/n"},
            "D_k2",
            "D_k1",
            "rectifier",
        ),
        with_spike("D1", "rectifier"),
        with_spike("D2", "rectifier"),
        *winding("Np", "I_S1", "I_S1rms"),
        *winding("Ns", "I_D1", "I_D1rms"),
        *smoothing(triangle()),
        *drawn(returned),
    )
