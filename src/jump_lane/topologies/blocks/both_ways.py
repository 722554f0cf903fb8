"""A transformer that is driven both ways, behind every secondary side it can have.

Two pulses of the voltage V_s = V_p/n reach the secondary in every period.

centre tap, bridge   both pass through one inductor; between the pulses the rectifiers share its current.
current doubler  an inductor for each; one rectifier carries both currents in a pulse.
half-wave        only one of the two is passed on, so that the core carries on average what the primary cannot.

Below the boundary the core holds the inductor's current up between the pulses, and half-wave the bias of the core depends
on every resistance: both is left to the simulation.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from jump_lane.circuit.control import HALF
from jump_lane.equations.sheet import CONTINUOUS, DISCONTINUOUS, WHOLE, Line, Proof
from jump_lane.topologies.blocks import capacitors, coil, roles
from jump_lane.topologies.blocks.shape import Shape, triangle
from jump_lane.topologies.blocks.sources import (
    BETWEEN_PULSES,
    DEFINITION,
    DISCONTINUOUS_RATIO,
    KIRCHHOFF,
    LEAKAGE_FORWARD,
    ONE_SIDED,
    VOLT_SECONDS,
)
from jump_lane.topologies.blocks.stress import stress, winding
from jump_lane.topologies.blocks.transformers import TURNS, turns_ratio
from jump_lane.topologies.page import Bound, Ripple
from jump_lane.topologies.role import Role
from jump_lane.topologies.variant import Variant

SIDES = ("centre-tap", "bridge", "current-doubler", "half-wave")
"""What can rectify behind a transformer that is driven both ways; the first one is usual."""

ROLES = (
    Role("S1", "switch", also=("S2", "S3", "S4")),
    Role("D1", "rectifier", also=("D2", "D3", "D4")),
    Role("T", "transformer"),
    Role("L_m", "magnetising"),
    Role("L", "inductor", "L1", ("L2",)),
    roles.C_O,
    roles.C_I,
)
"""S1 and D1 stand for all switches and rectifiers, L for both inductors of a doubler."""

RIPPLES = (Ripple("L", "I_max*k_L"),)

BOUNDS = (
    Bound(
        "I_left",
        "I_Lpk",
        "after a pulse the core has more current than the inductor takes over, and nothing resets it; raise the "
        "smallest load, or lower magnetising_ripple",
    ),
    Bound(
        "I_back",
        "I_Lv",
        "half-wave, the magnetising current flows through D1 between the pulses, and is more than the inductor "
        "takes; raise L or the smallest load, or lower magnetising_ripple",
    ),
)

CAVEATS = {
    "dI_Lm": "Between the pulses the core holds the inductor's current up, the more the lighter the load, and half-wave its bias "
    "follows every resistance; the formulas leave that out. The simulation tells it, and what it shows is judged."
}

ROUGH, BIASED = 0.06, 0.2
"""Accuracy of rectifiers that share a current, and of what a biased core adds."""


@dataclass(frozen=True)
class Drive:
    """What drives the transformer, by formulas.

    Attributes
    ----------
    voltage, resistance
        What is put to the primary, and the resistance in its circuit.
    leakage
        Symbol of the inductance that takes its part of a pulse.
    holding
        Whether that is in series with the primary and carries its current on between the pulses.
    droop
        By how much the secondary voltage is higher at the start of a pulse than on average.
    """

    voltage: str
    resistance: str
    leakage: str = "L_kT"
    holding: bool = False
    droop: str = ""

    def highest(self) -> str:
        """Return the formula of the largest voltage of the secondary."""
        return f"(V_s + {self.droop})" if self.droop else "V_s"


def sizing(v: Variant, drive: Drive) -> tuple[Line, ...]:
    """Return turns ratio, duty ratio, inductance and magnetising inductance."""
    two, doubler, count = v.two_paths, v.secondary == "current-doubler", "2*" if v.secondary == "bridge" else ""
    pulses, share = ("2*", "/2") if two else ("", "")
    load, each = ("(I_o/2)", "2*") if doubler else ("I_o", count)  # one rectifier carries what both inductors do
    head, frequency = f"{count}V_FD1", "(2*f_s)" if two else "f_s"
    back = {
        "centre-tap": "(R_D1 + R_sT)/2*I_o",
        "bridge": "R_D1*I_o",
        "current-doubler": "R_D1*I_o/(2*(1 - D_i))",
        "half-wave": "R_D1*I_o/(2*(1 - D_i))",
    }[v.secondary]
    forth = f"({each}R_D1 + R_sT + R_L)*{load}"
    drawn = f"{load}/2" if v.secondary == "half-wave" else load  # the bias of the core is the other half
    core = "magnetising inductance for its asked ripple, with margin"
    held = "magnetising current as a pulse ends, as the secondary sees it"
    return (
        coil.ratio("min"),
        Line("k_L", "1/2" if doubler else "1", "", "part of the load current in one inductor", DEFINITION),
        *turns_ratio(f"{pulses}D_lim*{drive.voltage}/(V_o + {head})"),
        coil.ideal(f"n*V_o/({pulses}{drive.voltage})"),
        Line("V_s", f"{drive.voltage}/n - {drive.resistance}*{drawn}/n**2", "V", "secondary voltage during a pulse", VOLT_SECONDS),
        *coil.volts(f"V_s - {head} - {forth} - V_o", f"V_o + {head} + {back} + R_L*{load}"),
        coil.balance(),
        Line("L_m", f"(1 + m_L)*n*{drive.voltage}*D_c{share}/(f_s*r_m*I_max)", "H", core, VOLT_SECONDS, component=True),
        Line("I_H", f"{drive.voltage}*D_c{share}*n/(2*f_s*L_m)", "A", held, BETWEEN_PULSES),
        *_inductor(v, frequency, load, drive.holding),
    )


def _inductor(v: Variant, frequency: str, load: str, holding: bool) -> tuple[Line, ...]:
    """Return the choice of the inductance."""
    if v.secondary == "current-doubler":
        least = load if holding else "max(I_o/2 - I_H, 0)"
        return coil.sized(v, "V_on*D_c", load=least, full="(I_max/2)", phases="2")
    if v.secondary == "half-wave":
        v = replace(v, target="continuous") if v.target == "either" else v
        # so that I_v ≥ I_o/2 + r_m·I_max/2, the most that comes between pulses
        return coil.sized(v, "V_on*D_c", load="((I_o - r_m*I_max)/3)", full="((I_max - r_m*I_max)/3)")
    return coil.sized(v, "V_on*D_c", frequency=frequency)


def operation(v: Variant, drive: Drive) -> tuple[Line, ...]:
    """Return pulse, inductor and magnetising current, and the primary's at both ends of a pulse."""
    two = v.two_paths
    f, share, load = ("(2*f_s)", "1/2", "I_o") if two else ("f_s", "1", "(I_o/2)" if v.secondary == "current-doubler" else "I_o")
    part = "/2" if two else ""
    free = drive.holding or v.synchronous or v.secondary == "half-wave"
    held = "V_on" if free else "(V_on + (V_on + V_off)*L*n**2/L_m)"  # the core feeds L too, once it has no more current than that
    idling = f"sqrt(2*L*{f}*{load}*V_off/({held}*(V_on + V_off))){part}"
    duty = {CONTINUOUS: f"D_c{part}" if free else f"min(D_c{part}, {idling})", DISCONTINUOUS: idling}
    parts = ("2*D_p", "2*D_2") if two else ("D_p", "D_2")
    bias = "-I_o/(2*n)" if v.secondary == "half-wave" else "0"
    return (
        Line("D_p", duty, "", "part of the period that one pulse lasts", DISCONTINUOUS_RATIO),
        Line(
            "D_2",
            {CONTINUOUS: f"{share} - D_p", DISCONTINUOUS: "D_p*V_on/V_off"},
            "",
            "part of the period in which the current falls after it",
            DISCONTINUOUS_RATIO,
        ),
        coil.swing("L", "V_on*D_p", "L1", f"(L + {drive.leakage}/n**2)" if v.leaking or drive.holding else ""),
        *coil.carries("L", load, f"I_L - ({parts[0]} + {parts[1]})*dI_L/2", "I_Lv + dI_L", triangle("I_Lv", "I_Lpk", *parts).rms, "L1"),
        *_gate(v, drive),
        Line(
            "dI_Lm",
            "n*V_s*D_p/(f_s*L_m)",
            "A",
            "ripple of the magnetising current, peak to peak",
            VOLT_SECONDS,
            proof=Proof("L_m.i", "peak_to_peak", ROUGH, modes=WHOLE),
        ),
        Line("I_M0", bias, "A", "average magnetising current", ONE_SIDED, "min"),
        Line(
            "I_Lmv",
            "I_M0 - dI_Lm/2",
            "A",
            "valley of the magnetising current",
            ONE_SIDED,
            "min",
            proof=Proof("L_m.i", "minimum", BIASED, "I_S1pk"),
        ),
        Line("W_Lm", "L_m*I_Lmv**2/2", "J", "energy in the core at the peak", DEFINITION),
        Line("Psi", f"{drive.voltage}*D/f_s", "V*s", "volt-seconds of the primary", VOLT_SECONDS),
        Line("I_p1", "I_Lv/n + I_M0 - dI_Lm/2", "A", "primary current at the start of a pulse", KIRCHHOFF, "min"),
        Line("I_p2", "I_Lpk/n + I_M0 + dI_Lm/2", "A", "primary current at the end of a pulse", KIRCHHOFF),
        *_conditions(v),
    )


def _gate(v: Variant, drive: Drive) -> tuple[Line, ...]:
    """Return the duty ratio of a switch: turning the primary's current round takes its part of the pulse."""
    if not (v.leaking or drive.holding):
        return coil.gated("D_p")
    count = "2*" if v.secondary == "bridge" or (drive.holding and v.secondary != "half-wave") else ""
    text = f"{count}f_s*{drive.leakage}*max(I_Lv, 0)/(n*{drive.voltage})"
    lost = Line("D_q", text, "", "part of the period that commutation takes before a pulse", LEAKAGE_FORWARD)
    if not drive.holding:
        return (lost, *coil.gated("D_p + D_q"))
    shift = Line("D", "D_p + D_q", "", "shift of the legs that holds the output, part of the period", LEAKAGE_FORWARD)
    return (lost, shift, *coil.on_time())


def _conditions(v: Variant) -> tuple[Line, ...]:
    """Return what diodes have to block; synchronous rectifiers let either current reverse."""
    if v.synchronous:
        return ()
    if v.secondary == "half-wave":
        return (Line("I_back", "I_o/2 + n*dI_Lm/2", "A", "largest magnetising current as the secondary sees it", ONE_SIDED),)
    return (Line("I_left", "min(I_H, n*dI_Lm)", "A", "magnetising current that the inductor has to take over", BETWEEN_PULSES),)


def rough(v: Variant) -> float:
    """Return the accuracy of primary currents."""
    return BIASED if v.secondary == "half-wave" else ROUGH


PULSE = Shape((("D_p", "I_p1", "I_p2"),), count="2")
"""The primary current while a switch (or a diagonal) conducts; it comes twice a period."""


def drawn(v: Variant) -> Shape:
    """Return the input current of a bridge or a push-pull."""
    if v.secondary != "half-wave":
        return PULSE
    other = ("D_p", "-I_M0", "-I_M0")
    return Shape((("D_p", "I_p1", "I_p2"), ("0.5 - D_p", "0", "0"), other))


def secondary_side(v: Variant, drive: Drive) -> tuple[Line, ...]:
    """Return rectifiers, winding and output capacitor."""
    build = {"current-doubler": _doubler, "half-wave": _half_wave}.get(v.secondary, _shared)
    return build(v, drive)


def _shared(v: Variant, drive: Drive) -> tuple[Line, ...]:
    """Centre tap and bridge: between the pulses the rectifiers share, or the last ones carry all where the primary holds on."""
    pulse = ("D_p", "I_Lv", "I_Lpk")
    after = ("D_2", "I_Lpk", "I_Lv") if drive.holding else ("2*D_2", "I_Lpk/2", "I_Lv/2")
    carries, tapped = Shape((pulse, after), high="I_Lpk"), v.secondary == "centre-tap"
    blocked = f"2*{drive.highest()}" if tapped else drive.highest()
    through = Shape((("2*D_p", "I_Lv", "I_Lpk"), *((("2*D_2", "I_Lpk", "I_Lv"),) if drive.holding else ())))
    wound = winding("Ns", "I_D1", "I_D1rms") if tapped else winding("Ns", "0", through.rms)
    coil_current = Shape((("D_p", "I_Lv", "I_Lpk"), ("D_2", "I_Lpk", "I_Lv")), count="2")
    return (*stress("D1", carries, blocked, spike=True, within=ROUGH), *wound, *capacitors.smoothing(coil_current, scale="dI_L"))


def _doubler(v: Variant, drive: Drive) -> tuple[Line, ...]:
    """Current doubler: D1 carries both inductors in one pulse and half of them between the pulses, or all where the primary holds on."""
    between = "0.5 - D_p" if drive.holding else "1 - 2*D_p"
    current = "I_o" if drive.holding else "I_o/2"
    both = Shape((("D_p", "I_o", "I_o"), (between, current, current)), high="2*I_Lpk - dI_L/(2*(1 - D_p))")
    output = triangle("I_Lv", "I_Lpk", "D_p", "D_2")
    return (
        *stress("D1", both, drive.highest(), spike=True, within=ROUGH),
        *winding("Ns", "0", Shape((("2*D_p", "I_Lv", "I_Lpk"), *((("1 - 2*D_p", "I_o/2", "I_o/2"),) if drive.holding else ()))).rms),
        *capacitors.together(Shape(output.pieces, count="2"), "dI_L"),
    )


def _half_wave(v: Variant, drive: Drive) -> tuple[Line, ...]:
    """Half-wave: D1 passes one pulse on and shares with D2 between the pulses; D2 carries all in the other pulse."""
    between = ("0.5 - D_p", "I_o", "I_o") if drive.holding else ("1 - 2*D_p", "I_o/2", "I_o/2")
    other = ("D_p", "I_o", "I_o")
    return (
        *stress("D1", Shape((("D_p", "I_Lv", "I_Lpk"), between), high="I_Lpk"), drive.highest(), within=BIASED),
        *stress("D2", Shape((other, between)), drive.highest(), spike=True, within=2.0 * BIASED),
        *winding("Ns", "I_D1", "I_D1rms"),
        *capacitors.smoothing(triangle("I_Lv", "I_Lpk", "D_p", "D_2"), scale="dI_L"),
    )


START = {"L_m": "I_M0", "L2": "I_L"}

FAMILY: dict[str, Any] = {
    "isolated": True,
    "roles": ROLES,
    "ripples": RIPPLES,
    "start": START,
    "idle": ("L1",),
    "quiet": "L1",
    "control": HALF,
    "duty_limit": 0.42,
    "duty_reserve": 0.03,
    "turns": TURNS,
    "bounds": BOUNDS,
    "caveats": CAVEATS,
    "secondaries": SIDES,
    "figure": (
        ("gate", ("S1.gate", "S2.gate")),
        ("inductor current", ("L1.i",)),
        ("device currents", ("S1.i", "D1.i", "D2.i")),
        ("magnetising current", ("L_m.i",)),
        ("secondary voltage", ("Ns1.v",)),
        ("output ripple", ("load.v~",)),
    ),
}
"""What the pages of such circuits have in common."""
