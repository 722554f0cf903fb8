"""Half bridge: two switches put the primary between their node and that of two capacitors that halve the input.

S1 puts half of the input to the primary, S2 the other half the other way round; nothing drives it in between.

        in ──┬──S1──┬── m ── Np ── c ──┬── C_d1 ── in
             │      │   (dot at m)     │
             │      S2                 C_d2
             │      │                  │
        gnd ─┴──────┴──────────────────┴──
"""

from __future__ import annotations

from jump_lane.circuit.control import HALF
from jump_lane.circuit.elements import Capacitor, Element
from jump_lane.circuit.gates import Gates, Instant
from jump_lane.equations.sheet import CONTINUOUS, DISCONTINUOUS, Line
from jump_lane.topologies import blocks
from jump_lane.topologies.blocks import rectifying, transformers
from jump_lane.topologies.blocks.both_ways import Drive, secondaries, stages
from jump_lane.topologies.page import Page, Proof
from jump_lane.topologies.point import Point

DRIVE = Drive("(V_in/2)", "(R_S1 + R_pT)", bend="1/(24*C_d)", back="I_o/2", shift=" - (0.5 - D_i)*R_sT*I_o/(2*D_i)")

SIZING = (
    *stages.both_ways_sizing(DRIVE),
    transformers.behind(
        "Q_max",
        dict.fromkeys(stages.SIDES, "I_max*k_L*D_i/(n*f_s)") | {"half-wave": "I_max*D_i/(2*n*f_s)"},
        "C",
        "charge of one pulse at full load (half-wave, the core brings half of it)",
        blocks.KIRCHHOFF,
    ),
    Line("C_d", "Q_max/(r_C*V_in)", "F", "capacitance of each of the two that halve the input", blocks.KIRCHHOFF, component=True),
)

OPERATION = (
    *secondaries.both_ways_operation(DRIVE),
    *secondaries.leg_switch(),
    *transformers.winding("Np", "0", "I_prms"),
    Line(
        "Q_d",
        "(D_p*(I_p2**2 - I_p1*abs(I_p1))/(I_p2 - I_p1) + D_q*max(I_p1, 0) + D_r*I_p2)/(2*f_s)",
        "C",
        "charge that one pulse moves, what flows back included",
        blocks.FROM_CAPACITOR,
    ),
    Line("dV_Cd", "Q_d/(2*C_d)", "V", "ripple of these capacitors, peak to peak", blocks.KIRCHHOFF),
    Line("k_C", f"max(T_p**2*{DRIVE.bend}/(L*n**2) - 0.025, 0)", "", "bend of a pulse beyond a fortieth of its voltage", blocks.DEFINITION),
    Line("I_Cdrms", "I_prms/2", "A", "rms current of these capacitors", blocks.RMS_VALUES),
    Line("V_half", "V_in/2", "V", "voltage of these capacitors", blocks.KIRCHHOFF),
    Line("dV_p", "dV_Cd", "V", "droop of the primary voltage during a pulse", blocks.DEFINITION),
    Line("k_in", "1/2", "", "part of the primary current that the input delivers", blocks.DEFINITION),
    *secondaries.rectifiers(DRIVE),
)


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point."""
    m = "T.m" if p["R_pT"] > 0.0 else "m"
    return (
        p.source(),
        p.switch("S1", "in", "m", shares=True),
        p.switch("S2", "m", "gnd", shares=True),
        Capacitor("C_d1", "in", "c", p["C_d"]),
        Capacitor("C_d2", "c", "gnd", p["C_d"]),
        *transformers.path("m", "m", "T.m", 0.0, p["R_pT"]),
        *rectifying.freewheels(p, ("m", "in"), ("gnd", "m")),
        *rectifying.transformer(p, (("Np", m, "c"),)),
    )


def gates(duty: Instant, p: Point) -> Gates:
    """Return the gate pattern: S2 half a period after S1."""
    return rectifying.in_turn(duty, p, ("S1",), ("S2",))


BENT = (
    "The formulas take the bend of a pulse as small, which C_d and L leave to it here; they may be some percent off. A "
    "smaller coupling_ripple mends that."
)

PAGE = Page(
    name="half-bridge",
    title="Half-bridge converter",
    good_for="isolated supplies of some hundred watts from high input voltage: no switch sees more than V_in",
    conversion="0 < V_o < V_in/(2·n) (half with a current doubler, or half-wave)",
    isolated=True,
    roles=secondaries.ROLES,
    ripples=(("dI_ask", "I_max*k_L"),),
    sizing=SIZING,
    operation=OPERATION,
    circuit=circuit,
    gates=gates,
    start={**secondaries.START, "C_d1": "V_half", "C_d2": "V_half"},
    idle=("L1",),
    quiet="L1",
    floor="I_f",
    control=HALF,
    duty_limit=0.42,
    turns=transformers.TURNS,
    looser=transformers.LOOSER,
    bounds=secondaries.BOUNDS,
    caveats={**secondaries.CAVEATS, "k_C": BENT},
    proofs=(
        *secondaries.both_ways_proofs(),
        Proof("dV_Cd", "C_d1.v", "peak_to_peak", 0.05, modes=(CONTINUOUS, DISCONTINUOUS)),
        Proof("I_Cdrms", "C_d1.i", "rms", 0.02),
    ),
    asks=blocks.single_asks(),
    secondaries=stages.SIDES,
    figure=secondaries.PANELS,
)
