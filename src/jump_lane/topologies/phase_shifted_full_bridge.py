"""Phase-shifted full bridge: every switch conducts for half of the period, and the shift D of the legs is the control.

        in ──┬──S1──┬── a ── L_r ── Np ── b ──┬──S3──┬── in
             │      │       (dot at a)        │      │
             │      S2 (lagging leg)          S4 (leading leg)
             │      │                         │      │
        gnd ─┴──────┴─────────────────────────┴──────┴──

turning  S1 has closed beside S4: L_r first turns the primary's current round, which takes D_q from the pulse.
pulse    the input drives the primary, until the leading leg changes over.  It has the energy of the output inductor.
holding  the primary is shorted, and L_r carries its current on.  What it stores then charges the output capacitances of the
         lagging leg, so that its switches turn on without voltage.
"""

from __future__ import annotations

from jump_lane.circuit.control import Control
from jump_lane.circuit.elements import Capacitor, Element, Inductor
from jump_lane.circuit.gates import Gates, Instant, on
from jump_lane.equations.sheet import Line
from jump_lane.topologies.blocks import both_ways, capacitors, secondary
from jump_lane.topologies.blocks.both_ways import Drive
from jump_lane.topologies.blocks.shape import Shape
from jump_lane.topologies.blocks.sources import DEFINITION, KIRCHHOFF, LEAKAGE_FORWARD, SOFT
from jump_lane.topologies.blocks.stress import EFFECTIVE, stress, winding
from jump_lane.topologies.page import Page
from jump_lane.topologies.point import Point
from jump_lane.topologies.variant import Variant

DRIVE = Drive("V_in", "(2*R_S1 + R_pT)", "L_r", holding=True)

HARD = (
    "Where a switch turns on against voltage (below I_oz, or with less dead time than t_lag), its output capacitance "
    "discharges through R_S1 alone; the peak current simulated then is that of this ideal circuit."
)


def equations(v: Variant) -> tuple[Line, ...]:
    """Return its lines."""
    half = v.secondary == "half-wave"
    held = "abs(I_M0) + dI_Lm/2" if half else "I_Lv/n + dI_Lm/2"
    leg = Shape((("D_p", "I_p1", "I_p2"), ("0.5 - D_p - D_q", "I_p2", "I_fe"), ("D_q", "-I_fe", "I_p1")), high="I_p2")
    turned = Shape((("D_q", "-I_fe", "I_p1"), ("D_p", "I_p1", "I_p2")), count="2")
    return (
        *both_ways.sizing(v, DRIVE),
        *soft_inductance(half),
        *both_ways.operation(v, DRIVE),
        Line("I_fe", held, "A", "primary current at the end of freewheeling", LEAKAGE_FORWARD),
        Line("I_start", "-I_fe", "A", "primary current as S1 closes", KIRCHHOFF, "min"),
        *stress("S1", leg, f"V_in + {v.body('S1')}", within=both_ways.BIASED, shows=EFFECTIVE),
        *winding("Np", "0", "I_S1rms*sqrt(2)"),
        *soft_switching(),
        *both_ways.secondary_side(v, DRIVE),
        *capacitors.supplying(turned),
    )


def soft_inductance(half_wave: bool) -> tuple[Line, ...]:
    """Return the series inductance that swings the lagging leg over down to the load asked."""
    least = "k_g*max(k_z*I_max*k_L - dI_ask/2, 0.1*I_max*k_L)/n"
    series = "series inductance, leakage included; at least what costs 0.8 % of the period"
    return (
        Line("k_g", "1/2" if half_wave else "1", "", "part of an inductor's current that the primary carries on", SOFT),
        Line("I_z", least, "A", "primary current at the valley of the smallest load for soft switching", DEFINITION),
        Line("L_z", "2*C_S1*V_in**2/I_z**2", "H", "inductance that charges two output capacitances", SOFT),
        Line("L_r", "max(L_z, L_kT, 0.004*n*V_in/(f_s*k_L*I_max))", "H", series, SOFT, component=True),
    )


def soft_switching() -> tuple[Line, ...]:
    """Return what both legs need and have to swing over."""
    return (
        Line("dD_k", "2*D_q", "", "part of all pulses that turning the current round takes", LEAKAGE_FORWARD),
        Line("I_oz", "(n*V_in*sqrt(2*C_S1/L_r)/k_g + dI_L/2)/k_L", "A", "load down to which the lagging leg switches softly", SOFT),
        Line("W_lead", "(L_r + n**2*L)*I_p2**2/2", "J", "energy for the leading leg", SOFT, "min"),
        Line("t_lead", "2*C_S1*V_in/I_p2", "s", "dead time the leading leg needs", SOFT),
        Line("W_need", "C_S1*V_in**2", "J", "energy that the output capacitances of a leg need", SOFT),
        Line("t_lag", "pi/2*sqrt(2*C_S1*L_r)", "s", "dead time the lagging leg needs", SOFT),
    )


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point; output capacitances need dead time and body diodes to swing."""
    legs = {"S1": ("in", "a"), "S2": ("a", "gnd"), "S3": ("in", "b"), "S4": ("b", "gnd")}
    swing = p["C_S1"] > 0.0 and p["t_d"] > 0.0 and p["R_S1"] > 0.0
    return (
        p.source(),
        *(p.switch(name, *nodes, shares=True) for name, nodes in legs.items()),
        *(Capacitor(f"C_{name}", *nodes, p["C_S1"]) for name, nodes in legs.items() if swing),
        Inductor("L_r", "a", "T.a", p["L_r"], p["R_pT"]),
        *secondary.transformer(p, (("Np", "T.a", "b"),), leak=False),
    )


def gates(shift: Instant, p: Point) -> Gates:
    """Return the gate pattern: S1 and S2 begin the pulses, S4 and S3 end them a shift later."""
    dead, half = p["t_d"] * p["f_s"], 0.5
    legs = {"S1": on(dead, half), "S2": on(half + dead, 1.0), "S4": on(shift - half + dead, shift), "S3": on(shift + dead, shift + half)}
    return {**legs, **secondary.handing_over(p, shift)}


OWN = {
    "start": {**both_ways.START, "L_r": "I_start"},
    "control": Control("D", "shift of the legs, part of the period", highest=0.5),
    "duty_limit": 0.4,
    "duty_reserve": 0.025,
    "caveats": {**both_ways.CAVEATS, "C_S1": HARD},
    "figure": (
        ("gate", ("S1.gate", "S4.gate")),
        ("primary current", ("L_r.i",)),
        ("bridge voltage", ("@a", "@b")),
        ("inductor current", ("L1.i",)),
        ("rectified voltage", ("@sw",)),
        ("output ripple", ("load.v~",)),
    ),
}
"""Where it differs from other circuits that drive a transformer both ways."""

PAGE = Page(
    name="phase-shifted-full-bridge",
    title="Phase-shifted full-bridge converter",
    good_for="isolated supplies of kilowatts: switches turn on without voltage",
    conversion="0 < V_o < V_in/n (half with a current doubler, or half-wave)",
    equations=equations,
    circuit=circuit,
    gates=gates,
    **(both_ways.FAMILY | OWN),
)
