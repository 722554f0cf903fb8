"""Current-fed full bridge: a boost converter whose output goes through a transformer.

        in ──L──┬── p ──S1──┬── a ── Np ── b ──┬──S3── p          ┌─D1─┬── out
                │           S2   (dot at a)    S4           Ns ──┤     C_o   load
        gnd ────┴───────────┴──────────────────┴──               └─D3─┴──

all on   all four switches conduct: L sees V_on = V_in.
one on   one diagonal conducts alone: L hands its current over through the transformer against V_off = V_or − V_in,
         V_or = n·(V_o + k_F·V_F), behind a bridge (k_F = 2) or a centre tap (k_F = 1).
clamp    what the leakage inductance does not take yet as a diagonal opens flows into the clamp (D_k).

The control variable D is the part of each half period in which all switches conduct; all comes twice a period.
"""

from __future__ import annotations

from jump_lane.circuit.elements import Element, Inductor, Winding
from jump_lane.circuit.gates import Gates, Instant, complement, on, shifted
from jump_lane.equations.sheet import CONTINUOUS, DISCONTINUOUS, WHOLE, Line
from jump_lane.topologies.blocks import capacitors, clamp, coil, roles, secondary, transformers
from jump_lane.topologies.blocks.shape import Shape
from jump_lane.topologies.blocks.sources import DEFINITION, RIGHT_HALF_PLANE, VOLT_SECONDS
from jump_lane.topologies.blocks.stress import stress, winding
from jump_lane.topologies.page import Page, Ripple
from jump_lane.topologies.point import Point
from jump_lane.topologies.role import Role
from jump_lane.topologies.variant import Variant

F = "(2*f_s)"
OFF = "(2*R_S1 + R_pT + n**2*(k_F*R_D1 + R_sT))"

ROUGH = 0.06
"""Accuracy beside a core that takes over some of the current, and a clamp."""


def sizing(v: Variant) -> tuple[Line, ...]:
    """Return turns ratio, duty ratio and inductances."""
    core = "magnetising inductance for its asked ripple, with margin"
    return (
        coil.ratio(),
        Line("k_F", "2" if v.secondary == "bridge" else "1", "", "rectifiers in the path of the current", DEFINITION),
        *transformers.turns_ratio("V_in/((1 - D_lim)*(V_o + k_F*V_FD1))"),
        *transformers.reflected("k_F*V_FD1"),
        coil.ideal("1 - V_in/(n*V_o)"),
        *coil.lossy_duty("V_or - n*R_Co*I_o", f"V_in + (R_S1 - {OFF} - n**2*R_Co)*I_or", "(R_L + R_S1)*I_or", "I_or"),
        *coil.volts("V_in - (R_S1 + R_L)*I_c", f"V_or - V_in + ({OFF} + R_L)*I_c"),
        *coil.handing_over(v, load="I_or", full="(I_max/n)", phases="n", frequency=F),
        Line("L_m", "(1 + m_L)*V_or*(1 - D_c)*n/(2*f_s*r_m*I_max)", "H", core, VOLT_SECONDS, component=True),
    )


def equations(v: Variant) -> tuple[Line, ...]:
    """Return its lines."""
    if v.leaking:
        resistance = f"2*(k_cl*V_or - V_in)*(k_cl - 1)*V_or/({F}*L_kT*I_y**2)"
        clamped, load = clamp.sized("L", frequency=F, resistance=resistance), "I_del"
        turning = (*clamp.turning("I_Lpk", "I_Lv", frequency=F), *clamp.diode("I_Lpk", "V_in + V_cl"))
        handed, blocked = clamp.handed("I_Lv"), "V_in + V_cl*(1 + 1/(4*f_s*R_cl*C_cl))"
    else:
        clamped, load, turning = (), "I_or", ()
        handed, blocked = Shape((("D_2", "I_Lpk", "I_Lv"),), high="I_Lpk"), f"n*(V_o + dV_o/2 + k_F*({v.drop('D1', 'n*I_Lpk')}))"
    switch = Shape((("D_2/2", "I_Lpk", "I_Lv"), ("D/2", "I_Lv/2", "I_Lpk/2"), ("D/2", "I_Lv/2", "I_Lpk/2")), high="I_Lpk")
    diode = Shape(tuple((f"({d})/2", a, b) for d, a, b in handed.pieces), "n", high=handed.high)
    returned = (("D_k", "0", "I_a"), ("D_2 - D_k", "I_a", "I_Lv")) if v.leaking else (("D_2", "I_Lpk", "I_Lv"),)
    drawn = Shape((("D", "I_Lv", "I_Lpk"), *returned))
    return (
        *sizing(v),
        *clamped,
        *in_halves(load),
        *turning,
        Line(
            "dI_Lm",
            {CONTINUOUS: "V_or*D_2/(2*f_s*L_m)", DISCONTINUOUS: "0"},
            "A",
            "ripple of the magnetising current, peak to peak",
            VOLT_SECONDS,
        ),
        *capacitors.smoothing(handed.scaled("n"), F),
        *stress("S1", switch, blocked, spike=not v.leaking, within=ROUGH),
        *stress("D1", diode, "2*(V_o + dV_o/2)/k_F + V_FD1", within=ROUGH),
        *winding("Np", "0", "I_D1rms*sqrt(2)/n"),
        *winding("Ns", "(2 - k_F)*I_D1", "I_D1rms*sqrt(k_F)"),
        *capacitors.supplying(drawn, F),
    )


def in_halves(load: str) -> tuple[Line, ...]:
    """Return the operation of the inductor, half a period being its period."""
    lines = coil.handed_over("L", load, frequency=F)
    duty = Line("D", lines[0].text, "", "part of each half period in which all switches conduct", lines[0].source)
    return (
        duty,
        *lines[1:],
        *coil.carried("L", f"{load}*(D + D_2)/D_2"),
        Line("f_z", "D_2**2*n**2*R_o/(2*pi*L)", "Hz", "right-half-plane zero", RIGHT_HALF_PLANE, "min", modes=WHOLE),
    )


CAVEATS = clamp.CAVEATS | {
    "dI_Lm": "Where the core has more current than the inductor, it goes on flowing through rectifiers and inductor; the "
    "formulas leave that out, which is the less the smaller magnetising_ripple is."
}


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point."""
    leaks = p["L_kT"] > 0.0
    a = "T.a" if leaks or p["R_pT"] > 0.0 else "a"
    return (
        p.source(),
        p.inductor("L", "in", "p"),
        *(clamp.circuit(p, "p") if leaks else ()),
        p.switch("S1", "p", "a", shares=True),
        p.switch("S2", "a", "gnd", shares=True),
        p.switch("S3", "p", "b", shares=True),
        p.switch("S4", "b", "gnd", shares=True),
        *transformers.path("k" if leaks else "a", "a", "T.a", p["L_kT"], p["R_pT"]),
        Inductor("L_m", a, "b", p["L_m"]),
        *secondary.into_capacitor(p, Winding("Np", a, "b", p["n"])),
        p.capacitor("C_o", "out", "gnd"),
        *p.load(),
    )


def gates(duty: Instant, p: Point) -> Gates:
    """Return the gate pattern: both diagonals conduct for more than half of the period, so that they overlap."""
    one = on(0.0, 0.5 + duty / 2)
    two = shifted(one, 0.5)
    primary = {"S1": one, "S4": one, "S2": two, "S3": two}
    if not p.synchronous:
        return primary
    dead = p["t_d"] * p["f_s"]
    return {**primary, **secondary.alternately(p, complement(two, dead), complement(one, dead))}


PAGE = Page(
    name="current-fed-full-bridge",
    title="Current-fed full bridge (isolated boost)",
    good_for="isolated step-up from a battery: continuous input current, low voltage on the switches",
    conversion="V_o > V_in/n",
    isolated=True,
    roles=(
        Role("S1", "switch", also=("S2", "S3", "S4")),
        Role("D1", "rectifier", also=("D2", "D3", "D4")),
        Role("T", "transformer"),
        Role("L_m", "magnetising"),
        roles.L,
        roles.C_O,
        roles.C_I,
    ),
    ripples=(Ripple("L", "I_max*V_o/V_in"),),
    equations=equations,
    circuit=circuit,
    gates=gates,
    start={"C_cl": "V_cl"},
    idle=("L",),
    quiet="L",
    duty_limit=0.5,
    duty_reserve=0.02,
    turns=transformers.TURNS,
    caveats=CAVEATS,
    secondaries=("bridge", "centre-tap"),
    figure=(
        ("gate", ("S1.gate", "S2.gate")),
        ("inductor current", ("L.i",)),
        ("device currents", ("S1.i", "D1.i")),
        ("bridge voltage", ("@p",)),
        *roles.OUTPUT_PANELS,
    ),
)
