"""What rectifies behind a transformer that is driven both ways: centre tap, bridge, current doubler or half-wave.

Two pulses of the voltage V_s = V_p/n reach the secondary in every period.  Centre tap and bridge put both through one
inductor; the doubler has an inductor for each; half-wave rectification passes only one of the two on, so that the
magnetising current takes the average that the primary cannot carry.  Leakage inductance is that of the secondary,
L_k/n².
"""

from __future__ import annotations

from collections.abc import Mapping

from jump_lane.equations.sheet import CONTINUOUS, DISCONTINUOUS, FAINT, NEAR, REVERSED, Line
from jump_lane.topologies.blocks.both_ways import half_wave
from jump_lane.topologies.blocks.both_ways.drive import Drive
from jump_lane.topologies.blocks.both_ways.stages import SIDES, stages
from jump_lane.topologies.blocks.capacitors import chopped_input, smoothing, together
from jump_lane.topologies.blocks.devices import ramped_device, stresses, with_spike
from jump_lane.topologies.blocks.inductors import LIGHT, continuous_only, inductor
from jump_lane.topologies.blocks.proofs import CURVED, held_proofs, inductor_proofs, rectifier_proofs
from jump_lane.topologies.blocks.ramps import root_mean_square
from jump_lane.topologies.blocks.shape import Shape, triangle
from jump_lane.topologies.blocks.sources import BETWEEN_PULSES, DEFINITION, KIRCHHOFF, LEAKAGE_FORWARD, RMS_VALUES, VOLT_SECONDS
from jump_lane.topologies.blocks.transformers import behind, secondary, winding
from jump_lane.topologies.page import Bound, Cases, Entry, Proof
from jump_lane.topologies.role import Role

ROLES = (
    Role("S1", "switch", also=("S2", "S3", "S4")),
    Role("D1", "rectifier", also=("D2", "D3", "D4")),
    Role("T", "transformer"),
    Role("L_m", "magnetising"),
    Role("L", "inductor", "L1", ("L2",)),
    Role("C_o", "capacitor"),
    Role("C_i", "capacitor"),
)
"""S1 and D1 stand for all switches and rectifiers, L for both inductors of a doubler."""

BOUNDS = (
    Bound(
        "I_left",
        "I_pk",
        "after a pulse the core has more current than the inductor takes over, and nothing resets it; raise the "
        "smallest load, or lower magnetising_ripple",
    ),
    Bound(
        "I_sback",
        "I_v",
        "half-wave, the magnetising current flows through D1 between the pulses, and is more than the inductor "
        "takes; raise L or the smallest load, or lower magnetising_ripple",
    ),
)

CAVEATS = {
    "I_need": LIGHT,
    "k_h": "Half-wave, and an inductance in series with the primary: dead time cuts one pulse shorter than the other, and "
    "the bias of the core gives way. The formulas leave that out; simulated primary currents may be a seventh smaller.",
}


def both_ways_operation(drive: Drive) -> tuple[Entry, ...]:
    """Return the operation up to the inductor and magnetising currents."""
    voltage, resistance, leakage = drive.voltage, drive.resistance, drive.leakage
    found = stages(drive)
    kept, driven, after = f" - {leakage}*V_1/(n*L)", "D_p", f" + {leakage}*V_2/(n*L)*(0.5 - D_p - D_q)"
    if not drive.lost:
        kept, driven, after = "", "(D_p + D_q)", ""
    at_start = "I_v/n + I_M0 - dI_Lm/2"
    swing = f"(({voltage} - {resistance}*(I_x/n + I_M0){kept})*{driven}{after})/(f_s*L_m)"
    return (
        Cases(secondary, {k: found[k].operation() for k in SIDES}),
        Cases(secondary, {k: found[k].carried() if found[k].core else inductor("L", found[k].load, "dI_L", "D_1 + D_2") for k in SIDES}),
        Cases(secondary, {k: _idle(bool(found[k].core)) for k in SIDES}),
        Cases(
            secondary,
            {
                "centre-tap": _pulses("D_1/2", "D_k1/2"),
                "bridge": _pulses("D_1/2", "D_k1/2"),
                "current-doubler": _pulses("D_1", "D_k1"),
                "half-wave": _pulses("D_1", "D_k1"),
            },
        ),
        Cases(secondary, {k: half_wave.biased("0") for k in SIDES} | {"half-wave": half_wave.magnetised(drive)}),
        behind(
            "dI_Lm",
            {k: {CONTINUOUS: swing, DISCONTINUOUS: "2*I_H/n" if found[k].core else swing} for k in SIDES},
            "A",
            "ripple of the magnetising current, peak to peak",
            VOLT_SECONDS,
        ),
        behind(
            "k_h",
            {k: "k_d" if k == "half-wave" and drive.lost else "0" for k in SIDES},
            "",
            "1 where dead time moves the bias of the core, which the formulas leave out",
            DEFINITION,
        ),
        Line("Psi", f"{voltage}*D/f_s", "V*s", "volt-seconds of the primary", VOLT_SECONDS),
        behind(
            "I_p1",
            {k: {CONTINUOUS: at_start, DISCONTINUOUS: "0" if found[k].core else at_start} for k in SIDES},
            "A",
            "primary current at the start of a pulse",
            KIRCHHOFF,
            "min",
        ),
        Line("I_p2", "I_pk/n + I_M0 + dI_Lm/2", "A", "primary current at the end of a pulse", KIRCHHOFF),
        behind(
            "D_r",
            {k: f"f_s*{leakage}*I_p2/({'' if k == 'half-wave' else '2*'}{voltage})" for k in SIDES},
            "",
            "part of the period in which the primary current dies out after a pulse",
            LEAKAGE_FORWARD,
        ),
        behind(
            "I_prms",
            dict.fromkeys(SIDES, f"sqrt(2*({half_wave.PULSE}))") | {"half-wave": f"sqrt({half_wave.PULSE} + {half_wave.OTHER})"},
            "A",
            "rms current of the primary",
            RMS_VALUES,
        ),
        Line("V_s", f"({voltage} - {resistance}*I_v/n{kept})/n", "V", "secondary voltage during a pulse", KIRCHHOFF),
        Line("V_sw", "V_o + R_L*I_v + V_1", "V", "voltage put to the inductor during a pulse", KIRCHHOFF),
    )


def _idle(held: bool) -> tuple[Line, ...]:
    """Return the idle part of the period, and whether the inductor current stops in it."""
    idle = "1 - D_1 - D_2"
    none = {CONTINUOUS: "0", DISCONTINUOUS: f"{idle} - D_3" if held else idle}
    lines = (Line("D_f", none, "", "idle part of the period", DEFINITION),)
    if not held:
        return lines
    stopped = f"(max(D_f - {NEAR}, 0) + max({FAINT} - I_H/I_pk, 0))"
    flows = {CONTINUOUS: "I_v", DISCONTINUOUS: f"I_v - I_pk*min(1, 1e9*{stopped})"}
    meaning = "least inductor current, negative where it stops or reverses"
    left = {CONTINUOUS: "0", DISCONTINUOUS: "I_H"}
    return (
        *lines,
        Line("I_f", flows, "A", meaning, DEFINITION, "min"),
        Line("I_left", left, "A", "magnetising current that the inductor has to take over", BETWEEN_PULSES),
    )


def _pulses(length: str, ramp: str) -> tuple[Line, ...]:
    return (
        Line("D_p", length, "", "part of the period that one pulse lasts", DEFINITION),
        Line("D_q", ramp, "", "part of the period that commutation takes before it", LEAKAGE_FORWARD),
    )


SHAPE = Shape("I_pk", (("D_1/2", "I_v/I_pk", "1"), ("D_2/2", "1", "I_He/I_pk"), ("D_3/2", "I_He/I_pk", "I_v/I_pk")), "2")
"""The inductor current, which comes twice a period."""


def rectifiers(drive: Drive) -> tuple[Entry, ...]:
    """Return rectifiers, secondary winding, output and input capacitor.

    Where an inductance in series with the primary carries its current on, the rectifiers that conducted in a pulse
    carry all of the current after it.
    """
    alone, body = bool(drive.lost), f"{drive.bodies}*V_BS1/n"
    freewheel = "(I_m**2 + dI_L**2/12)"
    shared: str | Mapping[str, str] = {
        CONTINUOUS: f"sqrt((D_1/2 + D_2/4)*{freewheel} + D_2*(n*dI_Lm/4)**2)",
        DISCONTINUOUS: root_mean_square(
            ("D_1/2", "I_v", "I_pk"), ("D_2/4", "I_pk", "I_H"), ("D_2/4", "I_H", "I_H"), ("D_3/2", "I_H", "I_v")
        ),
    }
    through: str | Mapping[str, str] = {
        CONTINUOUS: f"sqrt(D_1*{freewheel} + D_2*(n*dI_Lm/2)**2)",
        DISCONTINUOUS: root_mean_square(("D_1", "I_v", "I_pk"), ("D_2", "I_H", "I_H"), ("D_3", "I_H", "I_v")),
    }
    output = smoothing(SHAPE)
    doubled = (
        "sqrt(D_1*(I_o**2 + (dI_L*(1 - 2*D_1)/(1 - D_1))**2/12) + (1 - 2*D_1)*I_o**2/4"
        " + (1 - D_1)*dI_L**2/12*(1 - (D_1/(1 - D_1))**3)"
        " + (1 - 2*D_1)*n*dI_Lm/4*(n*dI_Lm + dI_L/(1 - D_1)))"
    )
    back = "I_fe" if alone else "0"
    left = "0" if alone else "D_r"
    drawn = (
        f"k_in*(D_p*(I_p1 + I_p2) + D_q*(I_p1 - {back}) - {left}*I_p2)",
        f"k_in**2*2/3*(D_p*(I_p1**2 + I_p1*I_p2 + I_p2**2) + D_q*(I_p1**2 - I_p1*{back} + {back}**2) + {left}*I_p2**2)",
    )
    if alone:
        shared, through = f"sqrt((D_1 + D_2)/2*{freewheel})", f"sqrt((D_1 + D_2)*{freewheel})"
        output = smoothing(triangle(), "(2*f_s)")
        doubled = "sqrt((I_o**2 + (dI_L*(1 - 2*D_1)/(1 - D_1))**2/12)/2)"
    peak = "I_pk" if alone else "max(I_pk, (I_pk + n*dI_Lm/2)/2)"
    both = "2*I_pk - dI_L/(2*(1 - D_1))"
    return (
        Cases(
            secondary,
            {
                "centre-tap": (
                    *_rectifier("I_o/2", shared, peak, "V_sw + V_s + dV_p/n", f"2*{body}"),
                    *winding("Ns", "I_D1", "I_D1rms"),
                    *output,
                    *chopped_input("D_1", "(I_m*k_in/n)", "(dI_L*k_in/n)", "(2*f_s)", *drawn),
                ),
                "bridge": (
                    *_rectifier("I_o/2", shared, peak, "V_sw + V_FD1 + R_D1*I_v + dV_p/(2*n)", body),
                    *winding("Ns", "0", through),
                    *output,
                    *chopped_input("D_1", "(I_m*k_in/n)", "(dI_L*k_in/n)", "(2*f_s)", *drawn),
                ),
                "current-doubler": (
                    *_rectifier("I_o/2", doubled, both if alone else f"max(I_pk + n*dI_Lm/2, {both})", "V_sw + dV_p/(2*n)", body),
                    *winding("Ns", "0", f"sqrt(2*D_1*{freewheel})"),
                    continuous_only(),
                    *together(triangle(count="2")),
                    *chopped_input("(2*D_1)", "(I_m*k_in/n)", "(dI_L*k_in/n)", "(2*f_s)", *drawn),
                ),
                "half-wave": half_wave.rectifiers(drive),
            },
        ),
        with_spike("D1", "rectifier"),
    )


def _rectifier(average: str, rms: str | Mapping[str, str], peak: str, blocks: str, body: str) -> tuple[Line, ...]:
    """Return the stresses of a rectifier.

    ``body`` is the formula of the drop of body diodes, by which a pulse that a reversed current begins is higher.
    """
    stands = {CONTINUOUS: blocks, REVERSED: f"{blocks} + k_d*{body}"}
    return stresses("D1", average, rms, peak, stands, "rectifier")


def leg_switch() -> tuple[Line, ...]:
    """Return the stresses of a switch in a leg: it blocks the input, and the body diode that takes leakage current."""
    blocks = "max(V_in - R_S1*I_p1, min(1, 1e9*D_r)*(V_in + V_BS1 + R_BS1*I_p2))"
    reversed_ = f"max({blocks}, V_in - R_S1*I_p1 + k_d*V_BS1)"
    return ramped_device("S1", "D_p", "I_p1", "I_p2", {CONTINUOUS: blocks, REVERSED: reversed_}, up="D_q")


def whole_input() -> tuple[Line, ...]:
    """Return that the input delivers all of the primary current, and that its voltage does not droop."""
    return (
        Line("k_in", "1", "", "part of the primary current that the input delivers", DEFINITION),
        Line("dV_p", "0", "V", "droop of the primary voltage during a pulse", DEFINITION),
    )


def both_ways_proofs() -> tuple[Proof, ...]:
    """Return the proofs of a converter whose transformer is driven both ways."""
    return (
        *held_proofs(),
        *inductor_proofs("L", element="L1"),
        Proof("dV_o", "load.v", "peak_to_peak", 0.05, "dV_ask"),
        Proof("I_Corms", "C_o.i", "rms", scale="dI_L"),
        Proof("I_S1", "S1.i", "average", CURVED, "I_S1pk"),
        Proof("I_S1rms", "S1.i", "rms", CURVED),
        Proof("I_S1pk", "S1.i", "maximum"),
        Proof("V_S1", "S1.v", "maximum"),
        *rectifier_proofs("D1", shared=True),
        *rectifier_proofs("D2", shared=True),
        Proof("I_Cirms", "source.i", "ac_rms", 0.04),
        Proof("I_Lmv", "L_m.i", "minimum", 0.02, "I_S1pk"),
        Proof("dI_Lm", "L_m.i", "peak_to_peak", 0.04, modes=(CONTINUOUS, REVERSED)),
    )


START = {"L_m": "I_M0", "L1": "I_Lv", "L2": "I_L", "C_o": "V_o"}

PANELS = (
    ("gate", ("S1.gate", "S2.gate")),
    ("inductor current", ("L1.i",)),
    ("device currents", ("S1.i", "D1.i", "D2.i")),
    ("magnetising current", ("L_m.i",)),
    ("secondary voltage", ("Ns1.v",)),
    ("output ripple", ("load.v~",)),
)
