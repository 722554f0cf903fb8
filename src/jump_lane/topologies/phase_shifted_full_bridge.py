"""Phase-shifted full bridge: every switch conducts for half of the period, and the shift D of the legs is the control.

While S1 and S4 (or S2 and S3) conduct together, the input drives the primary; between the pulses the primary is
shorted and L_r carries its current on.  At the start of a pulse L_r first turns that current round, which takes D_k1
from the pulse.  What it stores charges the output capacitances of the lagging leg, so that its switches turn on without
voltage; the leading leg, whose edges end the pulses, has the energy of the output inductor.

        in ──┬──S1──┬── a ── L_r ── Np ── b ──┬──S3──┬── in
             │      │       (dot at a)        │      │
             │      S2 (lagging leg)          S4 (leading leg)
             │      │                         │      │
        gnd ─┴──────┴─────────────────────────┴──────┴──
"""

from __future__ import annotations

from jump_lane.circuit.control import Control
from jump_lane.circuit.elements import Capacitor, Element, Inductor
from jump_lane.circuit.gates import Gates, Instant, on
from jump_lane.equations.sheet import CONTINUOUS, DISCONTINUOUS, Line
from jump_lane.topologies import blocks
from jump_lane.topologies.blocks import rectifying, transformers
from jump_lane.topologies.blocks.both_ways import Drive, secondaries, stages
from jump_lane.topologies.page import Cases, Entry, Page, Proof
from jump_lane.topologies.point import Point

DRIVE = Drive("V_in", "(2*R_S1 + R_pT)", lost="2*f_s*L_r*max(I_v, 0)/(n*V_in)", leakage="L_r", back="I_o/2")

HARD = (
    "Where a switch turns on against voltage (below I_oz, or with less dead time than t_lag), its output capacitance "
    "discharges through R_S1 alone; the peak current simulated then is that of this ideal circuit."
)

IDLE = (
    "In discontinuous conduction the magnetising current goes on flowing in the shorted primary; the formulas leave that "
    "out, which is the less the smaller magnetising_ripple is."
)

DECAY = 0.05
"""Between pulses the primary current decays and follows the inductor; the formulas take whichever is faster."""

SIZING: tuple[Entry, ...] = (
    *stages.both_ways_sizing(DRIVE),
    transformers.behind(
        "k_g",
        dict.fromkeys(stages.SIDES, "1") | {"half-wave": "1/2"},
        "",
        "part of an inductor's current that the primary carries on",
        blocks.SOFT,
    ),
    Line(
        "I_z",
        "k_g*max(k_z*I_max*k_L - dI_ask/2, 0.1*I_max*k_L)/n",
        "A",
        "primary current at the valley of the smallest load for soft switching",
        blocks.DEFINITION,
    ),
    Line("L_z", "2*C_S1*V_in**2/I_z**2", "H", "inductance that charges two output capacitances", blocks.SOFT),
    Line(
        "L_r",
        "max(L_z, L_kT, 0.004*n*V_in/(f_s*k_L*I_max))",
        "H",
        "series inductance, leakage included; at least what costs 0.8 % of the period",
        blocks.SOFT,
        component=True,
    ),
)


def carried_on(current: str) -> str:
    """Return the formula of what the primary still carries as the next pulse begins.

    It follows the inductor current, given as it is then, unless resistance makes it decay faster; that takes a
    rectifier that conducts back, through its body diode where it is a switch.
    """
    held = f"max({DRIVE.resistance} - n*V_BD1/I_p2, 0)"
    decayed = f"I_p2*exp(-{held}*(0.5 - D_p - D_q)/(f_s*L_r))"
    return f"min({current}/n + dI_Lm/2, {decayed})"


def leading(energy: str, current: str) -> tuple[Line, ...]:
    """Return what the leading leg has, from the formulas of the energy and of the primary current it interrupts."""
    return (
        Line("W_lead", energy, "J", "energy for the leading leg", blocks.SOFT, "min"),
        Line("t_lead", f"2*C_S1*V_in/({current})", "s", "dead time the leading leg needs", blocks.SOFT),
    )


OPERATION: tuple[Entry, ...] = (
    *secondaries.both_ways_operation(DRIVE),
    transformers.behind(
        "I_fe",
        {
            "centre-tap": carried_on("I_v"),
            "bridge": carried_on("I_v"),
            "current-doubler": carried_on("(I_pk - dI_L*(0.5 - D_1)/(1 - D_1))"),
            "half-wave": "I_d/n + I_M0 + dI_Lm/2",
        },
        "A",
        "primary current at the end of freewheeling",
        blocks.LEAKAGE_FORWARD,
    ),
    transformers.behind(
        "I_start",
        dict.fromkeys(stages.SIDES, "-I_fe") | {"half-wave": "I_M0 - dI_Lm/2 + I_u/n"},
        "A",
        "primary current as S1 closes",
        blocks.KIRCHHOFF,
        "min",
    ),
    Line(
        "D_w",
        {CONTINUOUS: "0.5 - D_p - D_q", DISCONTINUOUS: "D_2/2"},
        "",
        "part of the period between two pulses in which current flows",
        blocks.DEFINITION,
        "min",
    ),
    Line(
        "I_S1", "D_p*(I_p1 + I_p2)/2 + D_w*(I_p2 + I_fe)/2 + D_q*(I_p1 + I_start)/2", "A", "average current of a switch", blocks.RMS_VALUES
    ),
    Line(
        "I_S1rms",
        "sqrt((D_p*(I_p1**2 + I_p1*I_p2 + I_p2**2) + D_w*(I_p2**2 + I_p2*I_fe + I_fe**2) + D_q*(I_p1**2 + I_p1*I_start + I_start**2))/3)",
        "A",
        "rms current of a switch",
        blocks.RMS_VALUES,
    ),
    Line("I_S1pk", "I_p2", "A", "peak current of a switch", blocks.KIRCHHOFF),
    Line("V_S1", "V_in - R_S1*min(I_p1, 0) + k_d*V_BS1", "V", "voltage that a switch blocks", blocks.KIRCHHOFF),
    Line("V_S1r", "(1 + m_V)*V_S1", "V", "voltage rating a switch should have", blocks.MARGIN),
    Line("I_S1r", "(1 + m_I)*I_S1pk", "A", "peak current rating a switch should have", blocks.MARGIN),
    Cases(
        transformers.secondary,
        {k: transformers.winding("Np", "0", "I_S1rms*sqrt(2)") for k in stages.SIDES}
        | {
            "half-wave": transformers.winding(
                "Np",
                "0",
                "sqrt(I_S1rms**2 + (D - D_b)*(I_M0**2 + dI_Lm**2/12) + (0.5 - D)*I_start**2 + D_b*(I_fe**2 + I_fe*I_M0 + I_M0**2)/3)",
            )
        },
    ),
    Line("dD_k", "2*D_q", "", "part of all pulses that turning the current round takes", blocks.LEAKAGE_FORWARD),
    Line("I_oz", "(n*V_in*sqrt(2*C_S1/L_r)/k_g + dI_L/2)/k_L", "A", "load down to which the lagging leg switches softly", blocks.SOFT),
    Cases(
        transformers.secondary,
        {k: leading("(L_r + n**2*L)*I_p2**2/2", "I_p2") for k in stages.SIDES}
        | {"half-wave": leading("min((L_r + n**2*L)*I_p2**2/2, (L_r + L_m)*I_start**2/2)", "min(I_p2, -I_start)")},
    ),
    Line("W_need", "C_S1*V_in**2", "J", "energy that the output capacitances of a leg need", blocks.SOFT),
    Line("t_lag", "pi/2*sqrt(2*C_S1*L_r)", "s", "dead time the lagging leg needs", blocks.SOFT),
    *secondaries.whole_input(),
    *secondaries.rectifiers(DRIVE),
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
        *rectifying.transformer(p, (("Np", "T.a", "b"),), leak=False),
    )


def gates(shift: Instant, p: Point) -> Gates:
    """Return the gate pattern: S1 and S2 begin the pulses, S4 and S3 end them a shift later."""
    dead, half = p["t_d"] * p["f_s"], 0.5
    legs = {"S1": on(dead, half), "S2": on(half + dead, 1.0), "S4": on(shift - half + dead, shift), "S3": on(shift + dead, shift + half)}
    return {**legs, **rectifying.handing_over(p, shift)}


PAGE = Page(
    name="phase-shifted-full-bridge",
    title="Phase-shifted full-bridge converter",
    good_for="isolated supplies of kilowatts: switches turn on without voltage",
    conversion="0 < V_o < V_in/n (half with a current doubler, or half-wave)",
    isolated=True,
    roles=secondaries.ROLES,
    ripples=(("dI_ask", "I_max*k_L"),),
    sizing=SIZING,
    operation=OPERATION,
    circuit=circuit,
    gates=gates,
    start={**secondaries.START, "L_r": "I_start"},
    idle=("L1",),
    quiet="L1",
    control=Control("D", "shift of the legs, part of the period", highest=0.5),
    duty_limit=0.4,
    turns=transformers.TURNS,
    looser={"L_r": 0.04},
    duty_reserve=0.025,
    bounds=secondaries.BOUNDS,
    caveats={**secondaries.CAVEATS, "C_S1": HARD, "D_f": IDLE},
    proofs=(
        *(p for p in secondaries.both_ways_proofs() if p.symbol not in ("D", "I_S1rms", "I_D2rms")),
        Proof("I_S1rms", "S1.i", "rms", DECAY),
        Proof("I_D2rms", "D2.i", "rms", DECAY),
        Proof("I_Nprms", "L_r.i", "rms", DECAY),
    ),
    asks=blocks.single_asks(),
    secondaries=stages.SIDES,
    figure=(
        ("gate", ("S1.gate", "S4.gate")),
        ("primary current", ("L_r.i",)),
        ("bridge voltage", ("@a", "@b")),
        ("inductor current", ("L1.i",)),
        ("rectified voltage", ("@sw",)),
        ("output ripple", ("load.v~",)),
    ),
)
