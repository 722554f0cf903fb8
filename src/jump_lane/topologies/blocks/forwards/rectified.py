"""Forward converters whose secondary is tapped or a bridge, so that what resets the core is rectified as well.

While S1 conducts, D1 passes V_m to the inductor.  The magnetising current goes on through D2 afterwards.  As long as the
inductor takes more than it, D1 and D2 carry the difference together and short the winding (D_F); from I_h on both are
one current, and V_2 makes it fall in L and L_s at once (D_3).  So the core stores what it passes on in the second
interval, its current never falls below that of the inductor, and the output sees two pulses.
Leakage inductance is that of the secondary.
"""

from __future__ import annotations

from jump_lane.equations.sheet import CONTINUOUS, DISCONTINUOUS, REVERSED, Line
from jump_lane.topologies.blocks.capacitors import smoothing
from jump_lane.topologies.blocks.devices import stresses, with_spike
from jump_lane.topologies.blocks.duty import gate_times
from jump_lane.topologies.blocks.forwards.lines import drawn, fed, magnetising_peak, magnetising_valley, secondary_voltage, volt_seconds
from jump_lane.topologies.blocks.forwards.paths import Paths, both_conduct
from jump_lane.topologies.blocks.inductors import carries
from jump_lane.topologies.blocks.ramps import root_mean_square
from jump_lane.topologies.blocks.shape import Shape
from jump_lane.topologies.blocks.sources import (
    DEFINITION,
    KIRCHHOFF,
    LEAKAGE_FORWARD,
    RECTIFIED_RESET,
    RMS_VALUES,
    VOLT_SECONDS,
    WITH_LOSSES,
)
from jump_lane.topologies.blocks.transformers import winding


def _voltages(paths: Paths, primary: str) -> tuple[Line, ...]:
    leak = "L_kT/n**2"
    return (
        Line(
            "I_x",
            {
                CONTINUOUS: "I_o + V_1B*D_c*D_s/(2*f_s*L)",
                DISCONTINUOUS: "(V_in/n - V_o)/(2*L*f_s)*sqrt(2*f_s*V_o*I_o/(V_in/n*((V_in/n - V_o)/L + V_in/(n*L_s))))",
            },
            "A",
            "current that sets the drops (half the peak in discontinuous conduction)",
            WITH_LOSSES,
        ),
        Line(
            "I_y",
            {CONTINUOUS: "max(I_o - V_1B*D_c*(1 - D_s)/(2*f_s*L), 0)", DISCONTINUOUS: "0"},
            "A",
            "current that sets the drops during the reset",
            WITH_LOSSES,
        ),
        secondary_voltage("V_m", f"{primary}*(I_x + I_y)/n"),
        Line("V_1", f"(V_m - V_o - ({paths.first.format(I='I_x')}) - R_L*I_x)*L/(L + {leak})", "V", "inductor voltage, S1 on", WITH_LOSSES),
        Line(
            "V_2",
            f"V_o + {paths.second.format(I='I_y')} + R_L*I_y",
            "V",
            "voltage that resets the core, of L and L_s together",
            WITH_LOSSES,
        ),
        both_conduct(paths, "I_x"),
        Line(
            "V_w",
            f"{paths.count}*(V_FD1 + V_BD1 - V_FD2 - (R_D2 + R_sT)*I_x)/2",
            "V",
            "voltage of the secondary, D1 and D2 on",
            WITH_LOSSES,
        ),
        Line(
            "V_n",
            f"V_m - {paths.count}*L_kT/(2*n**2*L)*V_1",
            "V",
            "the same, less what the core loses to commutation after it",
            LEAKAGE_FORWARD,
        ),
        Line("k_s", f"L_s/(L + L_s + {leak})", "", "part of V_2 across L_s", KIRCHHOFF, "min"),
        Line("k_i", f"L/(L + L_s + {leak})", "", "part of V_2 across L", KIRCHHOFF),
    )


def _intervals(paths: Paths) -> tuple[Line, ...]:
    waiting = f"{paths.count}*t_d*f_s*V_BD2"
    return (
        Line("g_F", "(V_1/L - V_n/L_s)/(V_f/L + V_w/L_s)", "", "freewheeling over the pulse, from no current on", RECTIFIED_RESET, "min"),
        Line("h_S", "(V_n + V_w*g_F)/(k_s*V_2)", "", "reset over the pulse, from no current on", RECTIFIED_RESET),
        Line(
            "u_S", "(V_f - k_i*V_2)/(k_s*V_2 + V_w)", "", "inductor voltage that the reset spares, over that of the core", RECTIFIED_RESET
        ),
        Line(
            "D_1",
            {
                CONTINUOUS: f"(V_f - u_S*V_w + {waiting})/(V_1 + V_f + u_S*(V_n - V_w))",
                DISCONTINUOUS: "sqrt(2*f_s*I_o/(V_1*(1 + g_F)/L + (V_n + V_w*g_F)*(g_F + h_S)/L_s))",
            },
            "",
            "rising part of the period",
            RECTIFIED_RESET,
        ),
        Line(
            "D_3",
            {CONTINUOUS: "(V_n*D_1 + V_w*(1 - D_1))/(k_s*V_2 + V_w)", DISCONTINUOUS: "h_S*D_1"},
            "",
            "part of the period in which the reset is rectified",
            RECTIFIED_RESET,
        ),
        Line(
            "D_F",
            {CONTINUOUS: "1 - D_1 - D_3", DISCONTINUOUS: "g_F*D_1"},
            "",
            "part of the period in which D1 and D2 conduct together",
            RECTIFIED_RESET,
            "min",
        ),
        Line("D_2", "D_F + D_3", "", "falling part of the period", DEFINITION),
    )


def _currents(paths: Paths, reset: str) -> tuple[Line, ...]:
    about = "I_o - (dI_L*(D_1 + D_F) + dI_h*(D_F + D_3))/2"
    below = "dI_L*(D_1 + D_f) + (dI_h + dI_k)*(D_f + D_3) + dI_k*(D_3 + D_k1 + D_z)"
    rms = root_mean_square(("D_1", "I_v", "I_pk"), ("D_f", "I_pk", "I_h"), ("D_3", "I_h", "I_e"), ("(D_k1 + D_z)", "I_e", "I_v"))
    return (
        Line("dI_L", "V_1*D_1/(f_s*L)", "A", "inductor ripple, peak to peak", VOLT_SECONDS),
        Line("dI_h", "V_2*D_3*k_i/(f_s*L)", "A", "fall of the inductor current during the reset", VOLT_SECONDS),
        Line(
            "D_k1",
            {CONTINUOUS: f"{paths.count}*f_s*L_kT*max({about}, 0)/(n*V_in)", DISCONTINUOUS: "0"},
            "",
            "part of the period that commutation takes from the pulse",
            LEAKAGE_FORWARD,
        ),
        Line(
            "D_z",
            {CONTINUOUS: "t_d*f_s", REVERSED: "0"},
            "",
            "dead time that comes before the pulse (a reversed current begins it), part of the period",
            DEFINITION,
        ),
        Line(
            "D_f", "D_F - D_k1 - D_z", "", "part of the period in which D1 and D2 conduct together after the pulse", RECTIFIED_RESET, "min"
        ),
        Line("dI_k", "V_f*(D_k1 + D_z)/(f_s*L)", "A", "fall of the inductor current just before the pulse", VOLT_SECONDS),
        Line("I_v", {CONTINUOUS: f"I_o - ({below})/2", DISCONTINUOUS: "0"}, "A", "valley of the inductor's slope", KIRCHHOFF, "min"),
        Line("I_pk", "I_v + dI_L", "A", "peak of the inductor's slope", KIRCHHOFF),
        Line("I_e", "I_v + dI_k", "A", "current of inductor and core as the reset ends", KIRCHHOFF),
        Line("I_h", "I_e + dI_h", "A", "current of inductor and core as the reset begins", KIRCHHOFF),
        Line(
            "D_k2",
            f"{paths.count}*f_s*L_kT*(I_pk + I_h)/(2*n*{reset})",
            "",
            "part of the period in which the primary current dies out after the pulse",
            LEAKAGE_FORWARD,
        ),
        Line("I_c", "I_h - V_w*D_f/(f_s*L_s)", "A", "magnetising current once the primary has none, as the secondary sees it", KIRCHHOFF),
        Line("I_w", f"I_c + {reset}*D_k2/(n*f_s*L_s)", "A", "magnetising current as the pulse ends, as the secondary sees it", KIRCHHOFF),
        *carries("L", "I_o", "I_v", "I_pk", rms),
    )


def operation(paths: Paths, primary: str, reset: str, turns: str = "1") -> tuple[Line, ...]:
    """Return the operation up to the primary current; see `half_wave.freely_reset`."""
    return (
        *_voltages(paths, primary),
        *_intervals(paths),
        *_currents(paths, reset),
        Line("D", {CONTINUOUS: "D_1 + D_k1", REVERSED: "D_1 + D_k1 - t_d*f_s"}, "", "duty ratio that holds the output", RECTIFIED_RESET),
        *gate_times(),
        fed(),
        Line("dI_Lm", "(max(I_h, I_w) - I_e)/n", "A", "ripple of the magnetising current, peak to peak", KIRCHHOFF),
        magnetising_valley("I_e/n"),
        *magnetising_peak("max(I_h, I_w)/n", RECTIFIED_RESET),
        volt_seconds(),
        Line("I_p1", "(I_v + I_e)/n", "A", "primary current at the start of a pulse", KIRCHHOFF, "min"),
        Line("I_p2", "(I_pk + I_w)/n", "A", "primary current at the end of a pulse", KIRCHHOFF),
        Line("V_s", f"V_in/n - {primary}*I_p1/n", "V", "voltage of the secondary as the pulse begins", KIRCHHOFF),
        Line(
            "k_b",
            {CONTINUOUS: "0", DISCONTINUOUS: "max(0, L_kT/(n**2*L) - 0.2)"},
            "",
            "leakage beyond a fifth of L, in discontinuous conduction",
            DEFINITION,
        ),
        Line("D_r", "D_3", "", "part of the period that the core takes to reset", RECTIFIED_RESET),
        Line("k_r", "min(1, 1e9*D_k2)", "", "1 where the core drives a current back into the input", DEFINITION),
        Line("V_r", f"max(n*k_s*V_2, k_r*{reset})", "V", "largest voltage of the primary while S1 is off", KIRCHHOFF),
        Line("I_r", f"D_k2*I_p2/(2*{turns})", "A", "average current that leakage drives back into the input", RMS_VALUES),
        Line("I_rrms", f"sqrt(D_k2/3)*I_p2/{turns}", "A", "rms current that leakage drives back into the input", RMS_VALUES),
    )


def rectifiers(paths: Paths, switches: str = "1") -> tuple[Line, ...]:
    """Return the stresses of the rectifiers, windings, output and input capacitor.

    ``switches`` is how many switches are in series with the primary.
    """
    doubled = "2*" if paths.tapped else ""
    together = "(D_f - D_k2)"
    left, taken = "((I_pk - I_c)/2)", "((I_pk - V_f*D_k2/(f_s*L) + I_c)/2)"
    off = f"{doubled}k_s*V_2 - V_FD2 - R_D2*I_v"
    on = f"{doubled}V_s - V_FD1 - R_D1*I_v - V_1*L_kT/(n**2*L)"
    pulse, reset = ("D_1", "I_v", "I_pk"), ("D_3", "I_h", "I_e")
    first = (pulse, ("D_k1", "0", "I_v"), ("D_k2", "I_pk", left), (together, left, "0"))
    second = (("D_k1", "I_v", "0"), ("D_z", "I_e", "I_v"), ("D_k2", "0", taken), (together, taken, "I_h"), reset)
    wound = winding("Ns", "max(I_D1, I_D2)", "max(I_D1rms, I_D2rms)")
    if not paths.tapped:
        wound = winding("Ns", "abs(I_D1 - I_D2)", root_mean_square(pulse, reset, (together, "I_h", "I_h")))
    begin = "(dI_h + dI_k)/dI_L"
    return (
        *stresses(
            "D1",
            f"D_1*(I_v + I_pk)/2 + D_k1*I_v/2 + D_k2*(I_pk + {left})/2 + {together}*{left}/2",
            root_mean_square(*first),
            "I_pk",
            {CONTINUOUS: off, DISCONTINUOUS: f"max({off}, V_o)"},
            "rectifier",
        ),
        *stresses(
            "D2",
            "I_o - I_D1",
            root_mean_square(*second),
            taken,
            {CONTINUOUS: on, REVERSED: f"{on} + {doubled}k_d*{switches}*V_BS1/n"},
            "rectifier",
        ),
        with_spike("D1", "rectifier"),
        with_spike("D2", "rectifier"),
        *winding("Np", "I_S1", "I_S1rms"),
        *wound,
        *smoothing(Shape("dI_L", (("D_1", "0", "1"), ("D_f", "1", begin), ("D_3", begin, "dI_k/dI_L"), ("D_k1 + D_z", "dI_k/dI_L", "0")))),
        *drawn(returned=True),
    )
