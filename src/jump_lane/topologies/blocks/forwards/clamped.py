"""Forward converters with an active clamp: a capacitor resets the core over all of the off-time.

Where the secondary rectifies the reset too, the primary carries the reflected inductor current through the clamp as well.
The clamp capacitor passes no average current, so that the magnetising current gets an average of about I_o/n (that of
L2 with a current doubler), and the core needs a gap.
"""

from __future__ import annotations

from jump_lane.equations.sheet import CONTINUOUS, REVERSED, Line
from jump_lane.topologies.blocks.capacitors import smoothing
from jump_lane.topologies.blocks.devices import ramped_device, with_spike
from jump_lane.topologies.blocks.forwards import doubled, half_wave
from jump_lane.topologies.blocks.forwards.lines import drawn, held, magnetising, magnetising_peak, magnetising_valley, secondary_voltage
from jump_lane.topologies.blocks.forwards.paths import PATHS, Paths, both_conduct, on_voltages
from jump_lane.topologies.blocks.inductors import carries, sized
from jump_lane.topologies.blocks.ramps import root_mean_square
from jump_lane.topologies.blocks.shape import Shape
from jump_lane.topologies.blocks.sources import CLAMPED_RESET, KIRCHHOFF, LEAKAGE_FORWARD, RMS_VALUES, VOLT_SECONDS, WITH_LOSSES
from jump_lane.topologies.blocks.transformers import secondary, winding
from jump_lane.topologies.page import ByTarget, Cases, Entry


def sizing(primary: str) -> dict[str, tuple[Line | ByTarget, ...]]:
    """Return the sizing of every secondary side; ``primary`` is the primary resistance."""
    found = {kind: _path_sizing(paths, primary) for kind, paths in PATHS.items()}
    return {"half-wave": half_wave.sizing(primary), **found, "current-doubler": doubled.sizing(primary)}


def operation(primary: str) -> tuple[Entry, ...]:
    """Return the operation up to primary current and clamp; ``primary`` is the primary resistance."""
    plain = (*half_wave.operation(primary), *_half_wave(primary))
    found = {kind: _path_operation(paths, primary) for kind, paths in PATHS.items()}
    return (Cases(secondary, {"half-wave": plain, **found, "current-doubler": _doubled(primary)}),)


def rectifiers() -> tuple[Entry, ...]:
    """Return rectifiers, windings, output and input."""
    plain = half_wave.rectifiers(idle="(V_cle + (Q_k - 4*Q_c*y_i)*(1 - y_i)/C_cl)/n + V_o", blocked="V_rs")
    found = {kind: _path_rectifiers(paths) for kind, paths in PATHS.items()}
    return (Cases(secondary, {"half-wave": plain, **found, "current-doubler": _doubled_rectifiers()}),)


def _off() -> Line:
    """Return how long the clamp resets the core; in dead time the rectifiers short the winding."""
    meaning = "part of the period in which the clamp resets the core"
    return Line("D_off", {CONTINUOUS: "1 - D_w - D_z", REVERSED: "1 - D_w - D_z*(1 - k_d)"}, "", meaning, VOLT_SECONDS, "min")


def _dead(after: str = "") -> Line:
    """Return the dead time before the pulse, and what the formula ``after`` says of that after it."""
    meaning = "dead time in which D1 and D2 short the winding, part of the period"
    return Line("D_z", f"t_d*f_s{after}", "", meaning, CLAMPED_RESET)


def _clamp(voltage: str) -> Line:
    meaning = "clamp voltage above the input, average over the off-time"
    return Line("V_cl", f"{voltage}*D_w/D_off", "V", meaning, VOLT_SECONDS)


def _half_wave(primary: str) -> tuple[Line, ...]:
    return (
        _dead(),
        _off(),
        _clamp(f"(V_in - {primary}*I_x/n)"),
        Line("Q_k", "L_kT*I_pk**2/(2*n**2*V_cl)", "C", "charge that leakage puts into the clamp", LEAKAGE_FORWARD),
        Line("I_M0", "-Q_k*f_s/D_off", "A", "average magnetising current that takes it out", LEAKAGE_FORWARD, "min"),
        Line("dI_c", "-dI_Lm", "A", "rise of the clamp current in the off-time", CLAMPED_RESET),
        half_wave.handed_back("V_cl"),
        _body_first("1"),
        *_clamp_ripple("I_v", "I_pk"),
        Line("y_i", "max(D_2/D_off, 0.5)", "", "when the clamp is highest while the inductor idles, part of the off-time", CLAMPED_RESET),
    )


def _body_first(first: str) -> Line:
    meaning = "1 where the body diode of S2 conducts as S1 has opened"
    return Line("k_f", first, "", meaning, CLAMPED_RESET)


def _path_sizing(paths: Paths, primary: str) -> tuple[Line | ByTarget, ...]:
    return (*on_voltages(paths, primary), _duty("D_c", "V_mc", paths, "I_o"), magnetising(), *sized("abs(V_1c)*D_c/f_s", needed=True))


def _duty(symbol: str, voltage: str, paths: Paths, current: str) -> Line:
    """Return the duty ratio: both intervals give V_m·D, less the drops and what commutation takes of each."""
    first, second = (path.format(I=current) for path in (paths.first, paths.second))
    taken = f"2*{paths.count}*f_s*L_kT*{current}/n**2"
    return Line(
        symbol,
        f"(V_o + {second} + R_L*{current} + {taken})/(2*{voltage} + {second} - ({first}))",
        "",
        "part of the period in which the input feeds the primary, continuous conduction",
        CLAMPED_RESET,
    )


def _path_operation(paths: Paths, primary: str) -> tuple[Line, ...]:
    leak = "L_kT/n**2"
    return (
        secondary_voltage("V_m", f"2*{primary}*I_o/n"),
        Line("V_1", f"(V_m - V_o - ({paths.first.format(I='I_o')}) - R_L*I_o)*L/(L + {leak})", "V", "inductor voltage, S1 on", WITH_LOSSES),
        both_conduct(paths, "I_o"),
        _duty("D_w", "V_m", paths, "I_o"),
        Line(
            "D_k1",
            f"{paths.count}*f_s*L_kT*(I_o - V_1*D_w/(2*f_s*L))/(n*V_in)",
            "",
            "part of the period that commutation takes from the pulse",
            LEAKAGE_FORWARD,
        ),
        Line("D_1", "D_w - D_k1", "", "rising part of the period", CLAMPED_RESET),
        Line("D_2", "1 - D_1", "", "falling part of the period", CLAMPED_RESET),
        Line("dI_1", "V_1*D_1/(f_s*L)", "A", "rise of the inductor current, S1 on", VOLT_SECONDS),
        *held(),
        _body_first("min(1, max(0, 1 - 1e6*(dI_1/(n*dI_Lm) - 1)))"),
        _turned(paths.count, "(I_o + dI_1/2)"),
        _dead(" + (1 - k_f)*max(t_d*f_s - D_k2, 0)"),
        _off(),
        _clamp("n*V_m"),
        Line("dI_k1", "V_f*(D_k1 + t_d*f_s)/(f_s*L)", "A", "fall of the inductor current before the pulse", VOLT_SECONDS),
        Line("dI_k2", "V_f*(D_k2 + D_z - t_d*f_s)/(f_s*L)", "A", "fall of the inductor current after the pulse", VOLT_SECONDS),
        *_inductor_current(),
        Line("I_M0", "(I_a + dI_k1 + I_b - dI_k2)/(2*n)*(1 - D_k2/D_off)", "A", "average magnetising current", CLAMPED_RESET),
        Line("dI_c", "(dI_1 - dI_k1 - dI_k2)/n - dI_Lm*(1 - D_k2/D_off)", "A", "rise of the clamp current in the off-time", CLAMPED_RESET),
        Line("Q_k", "D_k2*I_M0/f_s", "C", "charge that leakage puts into the clamp", LEAKAGE_FORWARD),
        *_clamp_ripple("I_a", "I_b"),
    )


def _inductor_current() -> tuple[Line, ...]:
    """Return what the inductor carries: it falls around the pulse while the winding is shorted."""
    rms = root_mean_square(("D_1", "I_a", "I_b"), ("(1 - D_1)", "(I_b - dI_k2)", "(I_a + dI_k1)"))
    most, least = "max(dI_1, dI_k1)", "min(dI_1 - dI_k2, 0)"
    return (
        Line("I_a", "I_o - dI_1/2 - (dI_k1 - dI_k2)*D_off/2", "A", "inductor current as the pulse begins", KIRCHHOFF),
        Line("I_b", "I_a + dI_1", "A", "inductor current as the pulse ends", KIRCHHOFF),
        Line("dI_L", f"{most} - {least}", "A", "inductor ripple, peak to peak", VOLT_SECONDS),
        *carries("L", "I_o", f"I_a + {least}", f"I_a + {most}", rms),
    )


def _turned(count: str, current: str) -> Line:
    meaning = "part of the period in which the secondary current turns round after the pulse"
    clamp = "(n*V_m*D_w/(1 - D_w - t_d*f_s))"
    return Line("D_k2", f"{count}*f_s*L_kT*{current}/(n*{clamp})", "", meaning, LEAKAGE_FORWARD)


def _clamp_ripple(first: str, last: str) -> tuple[Line, ...]:
    """Return the clamp's ripple: what leakage puts in runs out again, and a current that rises by dI_c adds an arc.

    ``first`` and ``last`` are the symbols of the secondary current as the pulse begins and ends.
    """
    return (
        Line("Q_c", "dI_c*D_off/(8*f_s)", "C", "charge of the arc", CLAMPED_RESET),
        Line("r_c", "min(1, max(-1, Q_k/(4*Q_c)))", "", "where the arc turns", CLAMPED_RESET),
        Line("Q_x", "-Q_c*(1 - r_c)**2", "C", "charge at that instant, beyond that at the end", CLAMPED_RESET),
        Line("dV_cl", "(max(Q_k, Q_x) - min(0, Q_x))/C_cl", "V", "ripple of the clamp capacitor, peak to peak", CLAMPED_RESET),
        Line(
            "dV_cls",
            "dV_cl + (abs(dI_c + dI_Lm) + dI_Lm - abs(dI_c))*D_off/(8*f_s*C_cl)",
            "V",
            "the same, were nothing to cancel in it",
            CLAMPED_RESET,
        ),
        Line("V_cle", "V_cl - (Q_k/2 - 2/3*Q_c)/C_cl", "V", "clamp voltage at the end of the off-time", CLAMPED_RESET),
        Line("V_clm", "V_cl + (1 - D_off)*(V_cle - V_cl)", "V", "the same, average over the period", VOLT_SECONDS),
        Line(
            "V_r",
            "V_cle + max(max(Q_k, Q_x)/C_cl, Q_k/C_cl + k_d*k_f*V_BS2)",
            "V",
            "largest voltage of the primary while S1 is off",
            KIRCHHOFF,
        ),
        Line(
            "V_rs",
            "max((V_cle + max(Q_k, Q_x)/C_cl)/n, min(1, max(0, 1e9*(t_d*f_s - D_k2)))*(V_r/n - V_BD2))",
            "V",
            "the same of the secondary; in dead time less the drop of D2, unless the current still turns round",
            KIRCHHOFF,
        ),
        Line("I_S2rms", "abs(dI_c)/2*sqrt(D_off/3)", "A", "rms current of switch S2, without leakage", RMS_VALUES),
        magnetising_valley("I_M0 - dI_Lm/2"),
        *magnetising_peak("I_M0 + dI_Lm/2", CLAMPED_RESET),
        Line("I_p1", f"{first}/n + I_M0 - dI_Lm/2", "A", "primary current at the start of a pulse", KIRCHHOFF, "min"),
        Line("I_p2", f"{last}/n + I_Lmpk", "A", "primary current at the end of a pulse", KIRCHHOFF),
    )


def _path_rectifiers(paths: Paths) -> tuple[Line, ...]:
    doubled = "2*" if paths.tapped else ""
    first, turned = "dI_1/dI_L", "(dI_1 - dI_k2)/dI_L"
    wound = winding("Ns", "abs(I_D1 - I_D2)", "sqrt(I_D1rms**2 + I_D2rms**2)")
    if paths.tapped:
        wound = winding("Ns", "max(I_D1, I_D2)", "max(I_D1rms, I_D2rms)")
    return (
        *ramped_device("D1", "D_1", "I_a", "I_b", f"{doubled}V_rs - V_FD2 - R_D2*I_Lv", "D_k1", "D_k2", "rectifier"),
        *ramped_device(
            "D2", "(D_off + D_z - D_k2)", "(I_b - dI_k2)", "(I_a + dI_k1)", f"{doubled}V_m - V_FD1 - R_D1*I_Lv", "D_k2", "D_k1", "rectifier"
        ),
        with_spike("D1", "rectifier"),
        with_spike("D2", "rectifier"),
        *winding("Np", "I_S1", "I_S1rms"),
        *wound,
        *smoothing(
            Shape(
                "dI_L",
                (
                    ("D_1", "0", first),
                    ("D_k2 + D_z - t_d*f_s", first, turned),
                    ("D_off - D_k2", turned, "dI_k1/dI_L"),
                    ("D_k1 + t_d*f_s", "dI_k1/dI_L", "0"),
                ),
            )
        ),
        *drawn(returned=False),
    )


def _doubled(primary: str) -> tuple[Line, ...]:
    return (
        *doubled.shared(primary),
        _body_first("1"),
        _turned("1", "(I_Lpk + I_2 - V_a*D_1/(2*f_s*L))"),
        _off(),
        _clamp("n*V_m"),
        Line("dI_L2", "V_a*(D_w + D_k2 + D_z)/(f_s*L)", "A", "ripple of L2, peak to peak", VOLT_SECONDS),
        *carries("L2", "I_2", "I_2 - dI_L2/2", "I_2 + dI_L2/2", "sqrt(I_2**2 + dI_L2**2/12)", "L"),
        *doubled.summed("I_L2pk"),
        Line("I_M0", "(I_2*(D_off - D_k2) - D_k2*(I_Lpk - I_L2v)/2)/(n*D_off)", "A", "average magnetising current", CLAMPED_RESET),
        Line("dI_c", "-dI_L2/n - dI_Lm", "A", "rise of the clamp current in the off-time", CLAMPED_RESET),
        Line("Q_k", "D_k2*(I_M0 + (I_Lpk - I_L2v)/(2*n))/f_s", "C", "charge that leakage puts into the clamp", LEAKAGE_FORWARD),
        *_clamp_ripple("I_Lv", "I_Lpk"),
    )


def _doubled_rectifiers() -> tuple[Line, ...]:
    top, last = "(I_s2 - I_s1)/dI_L", "(V_2 + V_a)*(D_k1 + D_z)/(f_s*L*dI_L)"
    turned = f"({top} - (V_2 + V_a)*D_k2/(f_s*L*dI_L))"
    return (
        *doubled.rectifying_pair("(D_off + D_z - D_k2)*(I_s2**2 + I_s2*I_s1 + I_s1**2)/3", f"max(I_s1 + {last}*dI_L, I_s2)", "V_rs"),
        *doubled.wound("(D_off - D_k2)*I_L2rms**2"),
        *doubled.shaped(("D_1", "0", top), ("D_k2", top, turned), ("D_off - D_k2", turned, last), ("D_k1 + D_z", last, "0")),
        *drawn(returned=False),
    )
