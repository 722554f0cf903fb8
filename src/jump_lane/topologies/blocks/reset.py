"""Forward converters: one pulse a period, and a core that has to be reset afterwards, behind every secondary side.

half-wave        D1 blocks what resets the core; D2 carries L meanwhile.
centre tap, bridge   D2 rectifies the reset: as long as L takes more than the core has, D1 and D2 share the rest and
                 short the winding (D_F); then both are one current, and V_off makes it fall in L and L_s at once (D_3).
current doubler  L1 takes the pulse, L2 what resets the core.  Where the core drives a current back into the input, it has
                 more than L2 takes as S1 opens; the excess flows back during D_e.

A secondary that rectifies the reset is in no textbook: it is derived for continuous conduction with little leakage; what
leakage, dead time and light load make of it is left to the simulation.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from jump_lane.circuit.elements import Element, Winding
from jump_lane.circuit.gates import Gates, Instant, complement, on
from jump_lane.equations.sheet import CONTINUOUS, DISCONTINUOUS, Line, Proof
from jump_lane.topologies.blocks import capacitors, coil, roles, secondary
from jump_lane.topologies.blocks.forward_side import ROUGH, SIDES, TWICE
from jump_lane.topologies.blocks.shape import Shape
from jump_lane.topologies.blocks.sources import (
    CLAMPED_RESET,
    DEFINITION,
    DOUBLED_RESET,
    KIRCHHOFF,
    LEAKAGE_FORWARD,
    RECTIFIED_RESET,
    RMS_VALUES,
    VOLT_SECONDS,
)
from jump_lane.topologies.blocks.transformers import TURNS, path, turns_ratio
from jump_lane.topologies.page import Bound, Ripple
from jump_lane.topologies.point import SHARING, Point
from jump_lane.topologies.role import Role
from jump_lane.topologies.variant import Variant

ROLES = (
    roles.S1,
    Role("D1", "rectifier", also=("D3",)),
    Role("D2", "rectifier", also=("D4",)),
    Role("T", "transformer"),
    Role("L_m", "magnetising"),
    Role("L", "inductor", "L1", ("L2",)),
    roles.C_O,
    roles.C_I,
)
"""L stands for both inductors of a current doubler."""

RIPPLES = (Ripple("L", "I_max*k_L"), Ripple("L", "I_max*k_L", of="dI_L2"))

BOUNDS = (
    Bound(
        "D_r",
        "D_off",
        "the core would not be reset; lower duty_limit (or the turns of a reset winding), and magnetising_ripple "
        "where the reset is rectified",
    ),
)

DUTY_LIMITS = {"centre-tap": 0.36, "bridge": 0.36}
"""A rectified reset takes (1 + L/L_s)/2 of the period, and L/L_s = r_m·(1 − 2·D)/r_I at the highest input: with the usual
10 % and 30 %, an input range of 2 : 1 and a fifth of margin on L this leaves 0.37 for the pulse."""

CAVEATS = {
    "k_2": "A secondary that rectifies the reset of the core is derived for continuous conduction and little leakage; elsewhere "
    "values may be off. The simulation tells them, and what it shows is judged."
}


def sizing(v: Variant, primary: str) -> tuple[Line, ...]:
    """Return turns ratio, duty ratio and inductances; ``primary`` is the resistance of the primary circuit."""
    two, doubler = v.two_paths, v.secondary == "current-doubler"
    count, pulses, share = ("2*" if v.secondary == "bridge" else ""), ("2*" if two else ""), ("1/2" if doubler else "1")
    drops = f"{count}(V_FD2 + D_lim*(V_FD1 - V_FD2))"
    load, each = ("(I_o/2)", "2*") if doubler else ("I_o", count)  # one rectifier carries what both inductors do
    on = f"V_s - {count}V_FD1 - ({each}R_D1 + R_sT + R_L)*{load} - V_o"
    off = f"V_o + {count}V_FD2 + ({each}R_D2 + {'R_sT + ' if two else ''}R_L)*{load}"
    core = "magnetising inductance for its asked ripple, with margin"
    return (
        coil.ratio("min"),
        Line("k_L", share, "", "part of the load current in one inductor", DEFINITION),
        Line("k_2", "1" if v.secondary != "half-wave" else "0", "", "1 where the reset is rectified", DEFINITION),
        *turns_ratio(f"{pulses}D_lim*V_in/(V_o + {drops})"),
        coil.ideal(f"n*V_o/({pulses}V_in)"),
        Line("V_s", f"V_in/n - {pulses}{primary}*I_o/n**2", "V", "voltage of the secondary while S1 conducts", VOLT_SECONDS),
        *coil.volts(on, off),
        Line("D_c", f"V_off/(V_on + V_off{' + V_s' if two else ''})", "", "duty ratio in continuous conduction, with drops", VOLT_SECONDS),
        Line("L_m", "(1 + m_L)*n*V_in*D_c/(f_s*r_m*I_max)", "H", core, VOLT_SECONDS, component=True),
        Line("L_s", "L_m/n**2", "H", "magnetising inductance as the secondary sees it", KIRCHHOFF),
    )


def chosen(v: Variant, clamped: bool = False) -> tuple[Line, ...]:
    """Return the choice of L; ``clamped`` if the core is reset over all of the off-time."""
    if v.secondary == "current-doubler" and clamped:  # D2 conducts as long as both inductors together have a current
        return coil.sized(v, "max(V_on, V_off)*D_c", half=f"max(abs(V_on - V_o), {capacitors.MATCHING}*V_on)*D_c")
    if v.secondary == "current-doubler":
        v = replace(v, target="continuous") if v.target == "either" and not v.synchronous else v
        return coil.sized(v, "max(V_on, V_off)*D_c", load="(I_o/2)", full="(I_max/2)", phases="2")
    if v.secondary == "half-wave" or clamped:
        return coil.sized(v, "abs(V_on)*D_c")
    ends = "V_on*D_c*(1 - D_s)/f_s/(2*{I} - V_s*D_c*(1 - D_c)/(f_s*L_s) + V_on*D_c*D_s/(f_s*L_s))"
    boundary = "(V_on*(1 - D_s*(1 + L/L_s))/L + V_s*(1 - D_c)/L_s)*D_c/(2*f_s)"
    return (
        Line("D_s", "V_s*D_c/V_off", "", "part of the period for the reset, were L small", VOLT_SECONDS),
        Line("L_rip", "V_on*D_c/(f_s*dI_ask)", "H", "inductance for the ripple asked", VOLT_SECONDS),
        Line("L_crit", ends.format(I="I_o"), "H", "critical inductance at the load", RECTIFIED_RESET),
        Line("L_full", ends.format(I="I_max"), "H", "critical inductance at full load", RECTIFIED_RESET),
        coil.chosen(v),
        Line("I_B", boundary, "A", "boundary load current", RECTIFIED_RESET),
    )


def commutated(v: Variant, duty: str | dict[str, str] = "D_1") -> tuple[Line, ...]:
    """Return the duty ratio of the gate: leakage takes its part of the pulse before the inductor gets it."""
    if not v.leaking:
        return coil.gated("D_1")
    count = "2*" if v.secondary == "bridge" else ""
    text = f"{count}f_s*L_kT*max(I_Lv, 0)/(n*V_in)"
    return (Line("D_k", text, "", "part of the period that commutation takes from the pulse", LEAKAGE_FORWARD), *coil.gated("D_1 + D_k"))


def core(inductance: str = "L_m", voltage: str = "V_in") -> Line:
    """Return the ripple of the magnetising current."""
    proof = Proof("L_m.i", "peak_to_peak", ROUGH)
    return Line("dI_Lm", f"{voltage}*D/(f_s*L_m)", "A", "ripple of the magnetising current, peak to peak", VOLT_SECONDS, proof=proof)


def primary(start: str, end: str, valley: str, returned: str = "") -> tuple[Line, ...]:
    """Return the currents of primary and core, from the formulas of the primary's at both ends of the pulse, and of the core's valley."""
    return (
        Line("I_Lmv", valley, "A", "valley of the magnetising current", KIRCHHOFF, "min", proof=Proof("L_m.i", "minimum", ROUGH, "I_S1pk")),
        Line(
            "I_Lmpk", "I_Lmv + dI_Lm", "A", "peak of the magnetising current", KIRCHHOFF, proof=Proof("L_m.i", "maximum", ROUGH, "I_S1pk")
        ),
        Line("W_Lm", "L_m*I_Lmpk**2/2", "J", "energy in the core at the peak", DEFINITION),
        Line("Psi", "V_in*D/f_s", "V*s", "volt-seconds of the primary", VOLT_SECONDS),
        Line("I_p1", start, "A", "primary current at the start of a pulse", KIRCHHOFF, "min"),
        Line("I_p2", end, "A", "primary current at the end of a pulse", KIRCHHOFF),
        Line("D_off", "1 - D", "", "part of the period in which the input feeds nothing", DEFINITION, "min"),
    )


PULSE = Shape((("D_1", "I_p1", "I_p2"),))
"""The primary current while S1 conducts."""


def half_wave(v: Variant) -> tuple[Line, ...]:
    """Return the inductor behind D1, which blocks what resets the core."""
    return (*coil.fed(rise="D_1", element="L1"), *coil.carried("L", "I_o", "D_1", element="L1"), *commutated(v), core())


def rectified(v: Variant) -> tuple[Line, ...]:
    """Return the inductor behind two paths, and the core, which stores what it passes on in the second interval."""
    idling = "sqrt(2*f_s*I_o/(V_on*(1 + g_F)/L + V_s*(g_F + h_S)/L_s))"
    below = "(dI_L*(D_1 + D_F) + dI_h*(D_F + D_3))/2"
    return (
        Line("g_F", "(V_on/L - V_s/L_s)*L/V_off", "", "freewheeling over the pulse, from no current on", RECTIFIED_RESET, "min"),
        Line("h_S", "V_s*(L + L_s)/(L_s*V_off)", "", "reset over the pulse", RECTIFIED_RESET),
        Line("D_1", {CONTINUOUS: "D_c", DISCONTINUOUS: idling}, "", "part of the period in which the current rises", RECTIFIED_RESET),
        Line("D_3", "h_S*D_1", "", "part of the period in which the reset is rectified", RECTIFIED_RESET),
        Line(
            "D_F",
            {CONTINUOUS: "1 - D_1 - D_3", DISCONTINUOUS: "g_F*D_1"},
            "",
            "part in which D1 and D2 conduct together",
            RECTIFIED_RESET,
            "min",
        ),
        coil.swing("L", "V_on*D_1", "L1"),
        Line("dI_h", "V_s*D_1/(f_s*L_s)", "A", "ripple of the magnetising current as the secondary sees it", VOLT_SECONDS),
        *coil.carries(
            "L",
            "I_o",
            {CONTINUOUS: f"I_o - {below}", DISCONTINUOUS: "0"},
            "I_Lv + dI_L",
            Shape((("D_1", "I_Lv", "I_Lpk"), ("D_F", "I_Lpk", "I_Lv + dI_h"), ("D_3", "I_Lv + dI_h", "I_Lv"))).rms,
            "L1",
        ),
        Line("I_h", "I_Lv + dI_h", "A", "current of inductor and core as the reset begins", KIRCHHOFF),
        *commutated(v),
        Line("D_r", "D_3", "", "part of the period that the core takes to reset", RECTIFIED_RESET),
        core(voltage="n*V_s"),
        *primary("2*I_Lv/n", "(I_Lpk + I_h)/n", "I_Lv/n"),
        *capacitors.smoothing(TWICE, scale="dI_L"),
        Line("V_r", "n*(V_off + dV_o/2)*L_s/(L + L_s)", "V", "largest voltage of the primary while S1 is off", KIRCHHOFF),
    )


def doubled(v: Variant, clamped: bool = False) -> tuple[Line, ...]:
    """Return the first inductor of a current doubler; the winding is without average voltage, which shares the load.

    Behind an active clamp the current of one inductor may turn round: D2 conducts as long as both together have one.
    """
    carried = _held("I_1") if clamped else (*coil.fed(load="I_1", rise="D_1", element="L1"), *coil.carried("L", "I_1", "D_1", element="L1"))
    copper = f"max(R_L, {SHARING}*R_o)"
    return (
        Line("I_1", f"I_o*({copper} + R_sT*(1 - D_c))/(2*{copper} + R_sT)", "A", "load current of L1, shared by resistance", DOUBLED_RESET),
        Line("I_2", "I_o - I_1", "A", "load current of L2", DOUBLED_RESET),
        *carried,
        *commutated(v),
        core(voltage="n*V_s"),
    )


def _held(load: str) -> tuple[Line, ...]:
    """Return an inductor behind an active clamp, which has current all of the period."""
    return (
        Line("D_1", "D_c", "", "part of the period in which S1 feeds the inductor", CLAMPED_RESET),
        coil.swing("L", "abs(V_on)*D_1", "L1"),
        *coil.carries("L", load, f"{load} - dI_L/2", f"{load} + dI_L/2", f"sqrt({load}**2 + dI_L**2/12)", "L1"),
    )


def freely_reset(v: Variant, reset: str, turns: str = "1") -> tuple[Line, ...]:
    """Return how a core is reset that drives its current back into the input.

    Parameters
    ----------
    reset, turns
        Formulas of the primary voltage meanwhile, and of the turns of the winding that leads back to the input, over those
        of the primary.
    """
    if v.two_paths:
        back = "0"
        return (*rectified(v), *_returned(back, back))
    if v.secondary == "half-wave":
        return (
            *half_wave(v),
            *primary("I_Lv/n", "I_Lpk/n + dI_Lm", "0"),
            Line("V_r", reset, "V", "largest voltage of the primary while S1 is off", VOLT_SECONDS),
            Line("D_r", f"{turns}*D", "", "part of the period that the core takes to reset", VOLT_SECONDS),
            *_returned(f"dI_Lm/({turns})", "D_r"),
        )
    gains = f"(V_s/L_s + V_o/L)*D_1/(({reset}/n - V_o)/L + {reset}/(n*L_s))"
    return (
        *doubled(v),
        Line("D_e", gains, "", "part of the period in which the core has more current than L2", DOUBLED_RESET),
        Line("dI_b", "V_o*(1 - D_1 - D_e)/(f_s*(L + L_s))", "A", "fall of the current of L2 and the core together", VOLT_SECONDS),
        Line(
            "dI_L2", "V_o*D_1/(f_s*L) + dI_b", "A", "ripple of L2, peak to peak", VOLT_SECONDS, proof=Proof("L2.i", "peak_to_peak", ROUGH)
        ),
        Line("I_a2", "I_2 + dI_L2/2 - dI_b", "A", "current of L2 as the pulse begins", KIRCHHOFF),
        *primary("(I_Lv + I_a2)/n", "I_Lpk/n + I_Lmpk", "I_a2/n"),
        Line("V_r", reset, "V", "largest voltage of the primary while S1 is off", VOLT_SECONDS),
        Line("D_r", "D_e", "", "part of the period in which the excess flows back", DOUBLED_RESET),
        *_returned(f"D_e*(({reset}/n - V_o)/L + {reset}/(n*L_s))/(f_s*n*{turns})", "D_e"),
    )


def _returned(current: str, part: str) -> tuple[Line, ...]:
    return (
        Line("I_rpk", current, "A", "largest current that the core drives back into the input", KIRCHHOFF),
        Line("I_r", f"{part}*I_rpk/2" if part != "0" else "0", "A", "average current that the core drives back", RMS_VALUES),
    )


def drawn(v: Variant) -> Shape:
    """Return the input current: the pulse, and what the core drives back."""
    back = Shape((("D_r", "-I_rpk", "0"),))
    return PULSE if v.two_paths else PULSE + back


def clamped_reset(v: Variant) -> tuple[Line, ...]:
    """Return how a clamp capacitor resets the core over all of the off-time; it passes no average current.

    Where the secondary rectifies the reset, the core carries on average what that takes.
    """
    if v.secondary == "current-doubler":
        lines = (
            *doubled(v, clamped=True),
            Line("dI_L2", "V_o*D_1/(f_s*L)", "A", "ripple of L2, peak to peak", VOLT_SECONDS, proof=Proof("L2.i", "peak_to_peak", ROUGH)),
        )
        bias, start, end, swung = "I_2/n", "(I_Lv/n + I_Lmv)", "I_Lpk/n", "dI_L2/n + dI_Lm"
    elif v.two_paths:
        lines = (
            *_held("I_o"),
            *commutated(v),
            core(voltage="n*V_s"),
            Line("dI_1", "V_on*D_1/(f_s*L)", "A", "rise of the inductor current, S1 on", VOLT_SECONDS, "min"),
        )
        bias, start, end, swung = "I_o/n", "(I_o - dI_1/2)/n + I_Lmv", "(I_o + dI_1/2)/n", "abs(dI_1/n - dI_Lm)"
    else:
        lines = half_wave(v)
        bias, start, end, swung = "0", "I_Lv/n + I_Lmv", "I_Lpk/n", "dI_Lm"
    ripple, arc = Proof("C_cl.v", "peak_to_peak", 0.15), f"({swung})*D_off/(8*f_s*C_cl)"
    return (
        *lines,
        Line("I_M0", bias, "A", "average magnetising current", CLAMPED_RESET),
        *primary(start, f"{end} + I_Lmpk", "I_M0 - dI_Lm/2"),
        Line("V_cl", "n*V_s*D/D_off", "V", "clamp voltage above the input", VOLT_SECONDS, proof=Proof("C_cl.v", "average", 0.03)),
        Line("dV_cl", arc, "V", "ripple of the clamp capacitor, peak to peak", CLAMPED_RESET, proof=ripple if not v.leaking else None),
        Line("V_r", "V_cl + dV_cl/2", "V", "largest voltage of the primary while S1 is off", KIRCHHOFF),
        Line("D_r", "D_off", "", "part of the period in which the core is reset", CLAMPED_RESET, "min"),
        Line("I_S2rms", f"({swung})*sqrt(D_off/12)", "A", "rms current of S2, without leakage", RMS_VALUES),
    )


def transformer(p: Point, ends: tuple[str, str], further: tuple[Winding, ...] = ()) -> tuple[Element, ...]:
    """Return transformer and secondary side up to the load; the first node of the primary is the dotted end."""
    inner = "T.p" if p["R_pT"] > 0.0 else ends[0]
    return (*path("p", ends[0], "T.p", 0.0, p["R_pT"]), *secondary.transformer(p, (("Np", inner, ends[1]),), further=further))


def gates(duty: Instant, p: Point, *switches: str) -> Gates:
    """Return the gate pattern.

    The synchronous rectifiers of the pulse conduct with S1, and sooner to take over a reversed current; the others
    while it is open.
    """
    main = on(0.0, duty)
    found: Gates = dict.fromkeys(switches or ("S1",), main)
    if not p.synchronous:
        return found
    dead = p["t_d"] * p["f_s"]
    return {**found, **secondary.alternately(p, on(-dead, duty), complement(main, dead))}


FAMILY: dict[str, Any] = {
    "isolated": True,
    "roles": ROLES,
    "ripples": RIPPLES,
    "idle": ("D1", "D2"),
    "duty_reserve": 0.04,
    "turns": TURNS,
    "caveats": CAVEATS,
    "secondaries": SIDES,
    "figure": (
        ("gate", ("S1.gate",)),
        ("inductor current", ("L1.i", "L2.i")),
        ("device currents", ("S1.i", "D1.i", "D2.i")),
        ("magnetising current", ("L_m.i",)),
        ("primary voltage", ("Np.v",)),
        ("output ripple", ("load.v~",)),
    ),
}
"""What the pages of such circuits have in common."""
