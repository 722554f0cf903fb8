"""Half bridge: two switches put the primary between their node and that of two capacitors that halve the input.

        in ──┬──S1──┬── m ── Np ── c ──┬── C_d1 ── in
             │      │   (dot at m)     │
             │      S2                 C_d2
             │      │                  │
        gnd ─┴──────┴──────────────────┴──

S1 on    half of the input is put to the primary; the capacitors take its current, half from either side.
between  nothing drives the primary; what rectifies shorts the secondary.
S2 on    the other half is put to the primary the other way round.
"""

from __future__ import annotations

from jump_lane.circuit.elements import Capacitor, Element
from jump_lane.circuit.gates import Gates, Instant
from jump_lane.equations.sheet import Line, Proof
from jump_lane.topologies.blocks import both_ways, capacitors, secondary, transformers
from jump_lane.topologies.blocks.both_ways import Drive
from jump_lane.topologies.blocks.sources import FROM_CAPACITOR, KIRCHHOFF, RMS_VALUES
from jump_lane.topologies.blocks.stress import stress, winding
from jump_lane.topologies.page import Page
from jump_lane.topologies.point import Point
from jump_lane.topologies.variant import Variant

DRIVE = Drive("(V_in/2)", "(R_S1 + R_pT)", droop="dV_Cd/(2*n)")


def equations(v: Variant) -> tuple[Line, ...]:
    """Return its lines."""
    passed = "I_max*D_i/(2*n*f_s)" if v.secondary == "half-wave" else "I_max*k_L*D_i/(n*f_s)"
    return (
        *both_ways.sizing(v, DRIVE),
        Line("Q_max", passed, "C", "charge of one pulse at full load (half-wave, the core brings half of it)", KIRCHHOFF),
        Line("C_d", "Q_max/(r_C*V_in)", "F", "capacitance of each of the two that halve the input", KIRCHHOFF, component=True),
        *both_ways.operation(v, DRIVE),
        *stress("S1", both_ways.PULSE, f"V_in + {v.body('S1')}", within=both_ways.rough(v)),
        *winding("Np", "0", "I_S1rms*sqrt(2)"),
        Line("Q_d", "abs(I_S1)/f_s", "C", "charge that one pulse moves", FROM_CAPACITOR),
        Line(
            "dV_Cd",
            "Q_d/(2*C_d)",
            "V",
            "ripple of these capacitors, peak to peak",
            KIRCHHOFF,
            proof=Proof("C_d1.v", "peak_to_peak", both_ways.BIASED),
        ),
        Line(
            "I_Cdrms", "I_S1rms/sqrt(2)", "A", "rms current of these capacitors", RMS_VALUES, proof=Proof("C_d1.i", "rms", both_ways.ROUGH)
        ),
        Line("V_half", "V_in/2", "V", "voltage of these capacitors", KIRCHHOFF),
        *both_ways.secondary_side(v, DRIVE),
        *capacitors.supplying(both_ways.drawn(v).scaled("0.5")),
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
        *secondary.freewheels(p, ("m", "in"), ("gnd", "m")),
        *secondary.transformer(p, (("Np", m, "c"),)),
    )


def gates(duty: Instant, p: Point) -> Gates:
    """Return the gate pattern: S2 half a period after S1."""
    return secondary.in_turn(duty, p, ("S1",), ("S2",))


PAGE = Page(
    name="half-bridge",
    title="Half-bridge converter",
    good_for="isolated supplies of some hundred watts from high input voltage: no switch sees more than V_in",
    conversion="0 < V_o < V_in/(2·n) (half with a current doubler, or half-wave)",
    equations=equations,
    circuit=circuit,
    gates=gates,
    **(both_ways.FAMILY | {"start": {**both_ways.START, "C_d1": "V_half", "C_d2": "V_half"}, "duty_reserve": 0.08}),
)
