"""Forward converters: the transformer passes power on while S1 conducts, and its core is reset afterwards.

Leakage inductance is that of the secondary, L_k/n² (L_k as the primary sees it).  At the start of a pulse it takes the
current over from D2 within D_k1, which the pulse loses; at its end D1 hands it back within D_k2 against the voltage
that resets the core.
"""

from __future__ import annotations

from jump_lane.circuit.elements import Element, IdealTransformer, Inductor, Winding
from jump_lane.circuit.gates import Gates, Instant, complement, on
from jump_lane.derivation import CONTINUOUS, DISCONTINUOUS, REVERSED, Line
from jump_lane.topologies.blocks.capacitors import chopped_input, filtered_output
from jump_lane.topologies.blocks.devices import ramped_device, with_spike
from jump_lane.topologies.blocks.inductors import inductor
from jump_lane.topologies.blocks.proofs import (
    CURVED,
    device_proofs,
    held_proofs,
    inductor_proofs,
    output_proofs,
    rectifier_proofs,
)
from jump_lane.topologies.blocks.sources import (
    DEFINITION,
    KIRCHHOFF,
    LEAKAGE_FORWARD,
    VOLT_SECONDS,
)
from jump_lane.topologies.blocks.step_down import StepDown
from jump_lane.topologies.blocks.transformers import path, turns_ratio, winding
from jump_lane.topologies.page import Entry, Point, Proof, Role

ROLES = (
    Role("S1", "switch"),
    Role("D1", "rectifier"),
    Role("D2", "rectifier"),
    Role("T", "transformer"),
    Role("L_m", "magnetising"),
    Role("L", "inductor"),
    Role("C_o", "capacitor"),
    Role("C_i", "capacitor"),
)

RIPPLES = (("dI_ask", "I_max"),)


def stage(primary: str) -> StepDown:
    """Return the secondary side as a converter that steps the pulses V_in/n down."""
    return StepDown(
        on=f"V_in/n - V_FD1 - ({primary}/n**2 + R_D1 + R_sT + R_L)*{{I}} - V_o",
        off="V_o + V_FD2 + (R_D2 + R_L)*{I}",
        pulse="(V_in/n)",
        body="V_BD2",
        series="L_kT/n**2",
        lost="f_s*L_kT*max(I_v, 0*I_v)/(n*V_in)",
    )


def forward_sizing(primary: str = "(R_S1 + R_pT)") -> tuple[Entry, ...]:
    """Return turns ratio, duty ratio, inductance and magnetising inductance.

    Parameters
    ----------
    primary
        Formula of the resistance of the primary circuit.
    """
    return (
        Line("M", "V_o/V_in", "", "conversion ratio", DEFINITION, "min"),
        *turns_ratio("D_lim*V_in/(V_o + V_FD2 + D_lim*(V_FD1 - V_FD2))"),
        Line("D_i", "n*V_o/V_in", "", "duty ratio with ideal parts", VOLT_SECONDS),
        *stage(primary).sizing(),
        Line(
            "L_m",
            "n*V_in*D_c/(f_s*r_m*I_max)",
            "H",
            "magnetising inductance for its asked ripple",
            VOLT_SECONDS,
            component=True,
        ),
    )


def forward_operation(primary: str = "(R_S1 + R_pT)") -> tuple[Line, ...]:
    """Return the operation of the secondary side, and the magnetising current."""
    return (
        *stage(primary).operation(),
        *inductor("L", "I_o", "dI_L", "D_1 + D_2"),
        Line("D_w", "D_1 + D_k1", "", "part of the period in which the input feeds the primary", KIRCHHOFF),
        Line(
            "dI_Lm",
            f"(V_in - {primary}*I_x/n)*D_w/(f_s*L_m)",
            "A",
            "ripple of the magnetising current, peak to peak",
            VOLT_SECONDS,
        ),
        Line("Psi", "V_in*D_w/f_s", "V*s", "volt-seconds of the primary", VOLT_SECONDS),
    )


def primary_device(name: str, blocks: str, offset: str = "dI_Lm/2") -> tuple[Line, ...]:
    """Return the stresses of a primary switch: reflected inductor current and magnetising current.

    Parameters
    ----------
    blocks
        Formula of the voltage it blocks.
    offset
        Formula of the magnetising current in the middle of the pulse.
    """
    first, last = f"(I_v/n + {offset} - dI_Lm/2)", f"(I_pk/n + {offset} + dI_Lm/2)"
    return ramped_device(name, "D_1", first, last, blocks, up="D_k1")


def secondary(
    reset: str, switches: str = "1", idle: str = "0*V_o", returned: tuple[str, str] = ("0*I_o", "0*I_o**2")
) -> tuple[Line, ...]:
    """Return the stresses of D1 and D2.

    Parameters
    ----------
    reset
        Formula of the voltage that resets the core, across the primary.
    switches
        How many switches are in series with the primary.
    returned
        Formulas of average and mean square of the current that goes back to the input.
    idle
        Formula of what D1 blocks where the core is still being reset as the inductor idles.
    """
    return (
        Line(
            "D_k2",
            f"f_s*L_kT*I_pk/(n*{reset})",
            "",
            "part of the period in which D1 hands the current back",
            LEAKAGE_FORWARD,
        ),
        *ramped_device(
            "D1",
            "D_1",
            "I_v",
            "I_pk",
            {CONTINUOUS: f"{reset}/n - V_FD2", DISCONTINUOUS: f"max({reset}/n - V_FD2, {idle})"},
            "D_k1",
            "D_k2",
            "rectifier",
        ),
        Line("I_e", "I_pk - dI_L*D_k2/D_2", "A", "current of L once D2 has taken it over", KIRCHHOFF),
        Line("V_sw", "V_o + R_L*I_v + V_1", "V", "voltage put to the inductor during the pulse", KIRCHHOFF),
        *ramped_device(
            "D2",
            "(D_2 - D_k2)",
            "I_e",
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
        *filtered_output(),
        *chopped_input(
            "D_1",
            "(I_m/n)",
            "(dI_L/n)",
            average=f"I_S1 - {returned[0]}",
            square=f"I_S1rms**2 + {returned[1]}",
        ),
    )


def transformer(p: Point, primary: tuple[str, str], further: tuple[Winding, ...] = ()) -> tuple[Element, ...]:
    """Return transformer and secondary side up to the load; the first node of the primary is the dotted end."""
    r_p = p["R_pT"]
    inner = "T.p" if r_p > 0.0 else primary[0]
    leak, r_s = p["L_kT"] / p["n"] ** 2, p["R_sT"]
    dotted = "T.s" if leak > 0.0 or r_s > 0.0 else "s"
    windings = (Winding("Np", inner, primary[1], p["n"]), Winding("Ns", dotted, "gnd", 1.0), *further)
    return (
        *path("p", primary[0], "T.p", 0.0, r_p),
        Inductor("L_m", inner, primary[1], p["L_m"]),
        IdealTransformer("T", windings),
        *path("k", "T.s", "s", leak, r_s),
        p.rectifier("D1", "s", "sw"),
        p.rectifier("D2", "gnd", "sw"),
        p.inductor("L", "sw", "out"),
        p.capacitor("C_o", "out", "gnd"),
        *p.load(),
    )


def forward_gates(duty: Instant, p: Point, *switches: str) -> Gates:
    """Return the gate pattern; a synchronous D1 conducts with S1, and sooner to take over a reversed current."""
    main = on(0.0, duty)
    gates: Gates = dict.fromkeys(switches or ("S1",), main)
    if not p.synchronous:
        return gates
    dead = p["t_d"] * p["f_s"]
    return {**gates, "D1": on(-dead, duty), "D2": complement(main, dead)}


def forward_proofs() -> tuple[Proof, ...]:
    """Return the proofs of a forward converter."""
    return (
        *held_proofs(),
        *inductor_proofs("L"),
        *output_proofs(),
        *device_proofs("S1", "D1"),
        *rectifier_proofs("D2"),
        Proof("dI_Lm", "L_m.i", "peak_to_peak", CURVED),
        Proof("I_Cirms", "source.i", "ac_rms", CURVED),
    )


START = {"L": "I_Lv", "C_o": "V_o"}

PANELS = (
    ("gate", ("S1.gate",)),
    ("inductor current", ("L.i",)),
    ("device currents", ("S1.i", "D1.i", "D2.i")),
    ("magnetising current", ("L_m.i",)),
    ("primary voltage", ("Np.v",)),
    ("output ripple", ("load.v~",)),
)
