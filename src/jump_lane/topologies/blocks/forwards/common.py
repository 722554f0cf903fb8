"""What forward converters have in common: components, turns ratio, circuit, gates, and what is measured."""

from __future__ import annotations

from collections.abc import Mapping

from jump_lane.circuit.elements import Element, Winding
from jump_lane.circuit.gates import Gates, Instant, complement, on
from jump_lane.equations.sheet import Line
from jump_lane.topologies.blocks import rectifying
from jump_lane.topologies.blocks.devices import ramped_device
from jump_lane.topologies.blocks.inductors import LIGHT
from jump_lane.topologies.blocks.proofs import CURVED, device_proofs, held_proofs, inductor_proofs, output_asks, rectifier_proofs
from jump_lane.topologies.blocks.sources import DEFINITION, VOLT_SECONDS
from jump_lane.topologies.blocks.transformers import path, secondary, turns_ratio
from jump_lane.topologies.page import Ask, Bound, ByTarget, Cases, Entry, Proof
from jump_lane.topologies.point import Point
from jump_lane.topologies.role import Role

SIDES = ("half-wave", "centre-tap", "bridge", "current-doubler")
"""What can rectify behind a forward converter; the first one is usual."""

ROLES = (
    Role("S1", "switch"),
    Role("D1", "rectifier", also=("D3",)),
    Role("D2", "rectifier", also=("D4",)),
    Role("T", "transformer"),
    Role("L_m", "magnetising"),
    Role("L", "inductor", "L1", ("L2",)),
    Role("C_o", "capacitor"),
    Role("C_i", "capacitor"),
)
"""L stands for both inductors of a current doubler."""

RIPPLES = (("dI_ask", "I_max*k_L"),)

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

CAVEATS = {"I_need": LIGHT, "k_b": "In discontinuous conduction with leakage above a fifth of L, the formulas are off by more than 3 %."}


def forward_sizing(sides: Mapping[str, tuple[Line | ByTarget, ...]]) -> tuple[Entry, ...]:
    """Return turns ratio and duty ratio with ideal parts, and what comes behind them for each secondary side."""
    shares = {k: "1/2" if k == "current-doubler" else "1" for k in SIDES}
    drops = dict.fromkeys(SIDES, "V_FD2 + D_lim*(V_FD1 - V_FD2)")
    drops["bridge"] = f"2*({drops['bridge']})"
    pulses = {k: "2*" if k in ("centre-tap", "bridge") else "" for k in SIDES}
    return (
        Line("M", "V_o/V_in", "", "conversion ratio", DEFINITION, "min"),
        Cases(
            secondary,
            {
                k: (
                    Line("k_L", shares[k], "", "part of the load current in one inductor", DEFINITION),
                    *turns_ratio(f"{pulses[k]}D_lim*V_in/(V_o + {drops[k]})"),
                    Line("D_i", f"n*V_o/({pulses[k]}V_in)", "", "duty ratio with ideal parts", VOLT_SECONDS),
                )
                for k in SIDES
            },
        ),
        Cases(secondary, sides),
    )


def primary_device(name: str, blocks: str) -> tuple[Line, ...]:
    """Return the stresses of a primary switch, and the formula of the voltage it blocks."""
    return ramped_device(name, "D_1", "I_p1", "I_p2", blocks, up="D_k1")


def transformer(p: Point, primary: tuple[str, str], further: tuple[Winding, ...] = ()) -> tuple[Element, ...]:
    """Return transformer and secondary side up to the load; the first node of the primary is the dotted end."""
    r_p = p["R_pT"]
    inner = "T.p" if r_p > 0.0 else primary[0]
    return (*path("p", primary[0], "T.p", 0.0, r_p), *rectifying.transformer(p, (("Np", inner, primary[1]),), further=further))


def forward_gates(duty: Instant, p: Point, *switches: str) -> Gates:
    """Return the gate pattern.

    The synchronous rectifiers of the pulse conduct with S1, and sooner to take over a reversed current; the others
    while it is open.
    """
    main = on(0.0, duty)
    gates: Gates = dict.fromkeys(switches or ("S1",), main)
    if not p.synchronous:
        return gates
    dead = p["t_d"] * p["f_s"]
    return {**gates, **rectifying.alternately(p, on(-dead, duty), complement(main, dead))}


def forward_proofs() -> tuple[Proof, ...]:
    """Return the proofs of a forward converter."""
    return (
        *held_proofs(),
        *inductor_proofs("L", element="L1"),
        *inductor_proofs("L2", element="L2"),
        Proof("dV_o", "load.v", "peak_to_peak", 0.05, "dV_ask"),
        Proof("I_Corms", "C_o.i", "rms", scale="dI_L"),
        *device_proofs("S1", "D1", shared=True),
        *rectifier_proofs("D2", shared=True),
        Proof("dI_Lm", "L_m.i", "peak_to_peak", CURVED),
        Proof("I_Lmpk", "L_m.i", "maximum", scale="I_S1pk"),
        Proof("I_Lmv", "L_m.i", "minimum", scale="I_S1pk"),
        Proof("I_Cirms", "source.i", "ac_rms", CURVED),
    )


def forward_asks() -> tuple[Ask, ...]:
    """Return what is asked of a forward converter."""
    return (Ask("dI_L", "dI_ask", "L"), Ask("dI_L2", "dI_ask", "L"), *output_asks())


START = {"L_m": "I_Lmv", "L1": "I_Lv", "L2": "I_L2v", "C_o": "V_o"}

PANELS = (
    ("gate", ("S1.gate",)),
    ("inductor current", ("L1.i", "L2.i")),
    ("device currents", ("S1.i", "D1.i", "D2.i")),
    ("magnetising current", ("L_m.i",)),
    ("primary voltage", ("Np.v",)),
    ("output ripple", ("load.v~",)),
)
