"""Lines that forward converters have in common behind more than one secondary side."""

from __future__ import annotations

from jump_lane.equations.sheet import Line
from jump_lane.topologies.blocks.capacitors import chopped_input
from jump_lane.topologies.blocks.duty import gate_times
from jump_lane.topologies.blocks.inductors import continuous_only
from jump_lane.topologies.blocks.sources import DEFINITION, KIRCHHOFF, VOLT_SECONDS, WITH_LOSSES


def magnetising() -> Line:
    """Return the magnetising inductance for its asked ripple."""
    meaning = "magnetising inductance for its asked ripple, with margin"
    return Line("L_m", "(1 + m_L)*n*V_in*D_c/(f_s*r_m*I_max)", "H", meaning, VOLT_SECONDS, component=True)


def secondary_voltage(symbol: str, current: str) -> Line:
    """Return the voltage of the secondary while S1 conducts; ``current`` is the formula of what drops it."""
    meaning = "voltage of the secondary while S1 conducts"
    return Line(symbol, f"V_in/n - {current}/n", "V", meaning, WITH_LOSSES)


def fed() -> Line:
    """Return how long the input feeds the primary."""
    return Line("D_w", "D_1 + D_k1", "", "part of the period in which the input feeds the primary", KIRCHHOFF)


def volt_seconds() -> Line:
    """Return the volt-seconds of the primary."""
    return Line("Psi", "V_in*D_w/f_s", "V*s", "volt-seconds of the primary", VOLT_SECONDS)


def seen_by_secondary() -> Line:
    """Return the magnetising inductance from the secondary."""
    return Line("L_s", "L_m/n**2", "H", "magnetising inductance as the secondary sees it", KIRCHHOFF)


def magnetising_peak(current: str, source: str) -> tuple[Line, ...]:
    """Return the peak of a magnetising current, from its formula, and the energy that the core stores then."""
    return (
        Line("I_Lmpk", current, "A", "peak of the magnetising current", source),
        Line("W_Lm", "L_m*I_Lmpk**2/2", "J", "energy in the core at the peak", DEFINITION),
    )


def held() -> tuple[Line, ...]:
    """Return the duty ratio that follows from D_w, the magnetising ripple, and that continuous conduction is needed."""
    return (
        Line("D", "D_w", "", "duty ratio that holds the output", VOLT_SECONDS),
        *gate_times(),
        volt_seconds(),
        continuous_only(),
        Line("dI_Lm", "n*V_m*D_w/(f_s*L_m)", "A", "ripple of the magnetising current, peak to peak", VOLT_SECONDS),
    )


def magnetising_valley(current: str) -> Line:
    """Return the magnetising current as the pulse begins, from its formula."""
    return Line("I_Lmv", current, "A", "valley of the magnetising current", KIRCHHOFF, "min")


def left_for_reset() -> Line:
    """Return the time that there is to reset a core."""
    return Line("D_off", "1 - D_w", "", "part of the period in which the input feeds nothing", DEFINITION, "min")


def drawn(returned: bool) -> tuple[Line, ...]:
    """Return the input capacitor, and whether the core drives a current back into the input."""
    average, square = ("I_S1 - I_r", "I_S1rms**2 + I_rrms**2") if returned else ("I_S1", "I_S1rms**2")
    middle, ripple = "((I_p1 + I_p2)/2)", "abs(I_p2 - I_p1)"
    return chopped_input("D_1", middle, ripple, average=average, square=square)
