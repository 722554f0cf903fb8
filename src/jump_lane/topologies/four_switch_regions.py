"""Four-switch buck-boost with a buck and a boost region: steps up or down without inverting, with little ripple.

        in ──S1──┬── a ──L── b ──┬──D2──┬── out
                 │               │      │
                 D1              S2    C_o   load
                 │               │      │
        gnd ─────┴───────────────┴──────┴──

One control variable u = D_S1 + D_S2 runs through both regions.
below 1 S1 works with the duty ratio D_S1 = u, S2 stays open and D2 conducts: a buck converter.
above 1 S1 stays closed, D1 open, and S2 works with the duty ratio D_S2 = u − 1: a boost converter.
"""

from __future__ import annotations

from jump_lane.circuit.control import Control
from jump_lane.circuit.gates import Gates, Instant, Interval, on
from jump_lane.equations.sheet import CONTINUOUS, DISCONTINUOUS, WHOLE, Line
from jump_lane.topologies.blocks import capacitors, coil, roles
from jump_lane.topologies.blocks.shape import triangle
from jump_lane.topologies.blocks.sources import DEFINITION, DISCONTINUOUS_RATIO, RIGHT_HALF_PLANE, VOLT_SECONDS
from jump_lane.topologies.blocks.stress import CURRENTS, stress
from jump_lane.topologies.four_switch import ROLES, circuit
from jump_lane.topologies.page import Page, Ripple
from jump_lane.topologies.point import Point
from jump_lane.topologies.variant import Variant

COIL = triangle("I_Lv", "I_Lpk", "D_1", "D_2")
BUCK, BOOST = "(1 - s_r)", "s_r"
"""Factors that leave one region: s_r is 1 in the boost region."""


def equations(v: Variant) -> tuple[Line, ...]:
    """Return its lines."""
    on_buck, off_buck = "V_in - V_o - V_FD2 - (R_S1 + R_D2 + R_L)*I_c", "V_o + V_FD1 + V_FD2 + (R_D1 + R_D2 + R_L)*I_c"
    on_boost, off_boost = "V_in - (R_S1 + R_S2 + R_L)*I_c", "V_o + V_FD2 - V_in + (R_S1 + R_D2 + R_L)*I_c"
    rising, falling = COIL.during("D_1"), COIL.during("D_2")
    return (
        coil.ratio(),
        Line("I_c", "I_o*max(1, V_o/V_in)", "A", "inductor current in continuous conduction, about", VOLT_SECONDS),
        Line("V_bk", off_buck, "V", "inductor voltage reversed, S1 open (buck region)", VOLT_SECONDS),
        Line("V_bt", on_boost, "V", "inductor voltage, S2 closed (boost region)", VOLT_SECONDS),
        Line("D_S1", f"min(1, V_bk/max({on_buck} + V_bk, V_bk))", "", "duty ratio of S1 in continuous conduction", VOLT_SECONDS),
        Line("s_r", "floor(D_S1)", "", "1 in the boost region, 0 in the buck region", DEFINITION),
        Line("D_S2", f"max(0, s_r*({off_boost})/(V_bt + {off_boost}))", "", "duty ratio of S2 in continuous conduction", VOLT_SECONDS),
        Line("D_c", "D_S1 + D_S2", "", "control in continuous conduction", DEFINITION),
        Line("V_on", f"{BUCK}*({on_buck}) + {BOOST}*V_bt", "V", "inductor voltage while its current rises", VOLT_SECONDS),
        Line("V_off", f"{BUCK}*V_bk + {BOOST}*({off_boost})", "V", "inductor voltage reversed, while it falls", VOLT_SECONDS),
        *coil.sized(v, "(V_bk*(1 - D_S1) + V_bt*D_S2)", full="(I_max*max(1, V_o/V_in))", load="I_c", phases="(1 - D_S2)"),
        Line(
            "D_1",
            {CONTINUOUS: "D_c - s_r", DISCONTINUOUS: f"sqrt(2*L*f_s*I_o*V_off/(V_on*({BUCK}*(V_on + V_off) + {BOOST}*V_on)))"},
            "",
            "part of the period in which the current rises",
            DISCONTINUOUS_RATIO,
        ),
        Line("D", "s_r + D_1", "", "control through both regions", DEFINITION),
        Line(
            "D_2",
            {CONTINUOUS: "1 - D_1", DISCONTINUOUS: "D_1*V_on/V_off"},
            "",
            "part of the period in which the current falls",
            DISCONTINUOUS_RATIO,
        ),
        coil.swing("L", "V_on*D_1"),
        *coil.carried("L", f"I_o*({BUCK} + {BOOST}*(D_1 + D_2)/D_2)", "D_1"),
        Line("f_z", "D_2**2*R_o/(2*pi*L*s_r)", "Hz", "right-half-plane zero, boost region", RIGHT_HALF_PLANE, "min", modes=WHOLE),
        *capacitors.smoothing(rising.scaled(BUCK) + falling),
        *stress("S1", rising + falling.scaled(BOOST), f"V_in + {v.drop('D1', 'I_Lpk')}", shows=CURRENTS),
        *stress("D1", falling.scaled(BUCK), "V_in"),
        *stress("S2", rising.scaled(BOOST), f"V_o + dV_o/2 + {v.drop('D2', 'I_Lpk')}"),
        *stress("D2", rising.scaled(BUCK) + falling, "V_o + dV_o/2", shows=CURRENTS),
        *capacitors.supplying(rising + falling.scaled(BOOST)),
    )


def gates(control: Instant, p: Point) -> Gates:
    """Return the gate pattern: S1 works below u = 1, S2 above; synchronous D1 and D2 in the rest."""
    boost = control.fraction > 1.0
    first: tuple[Interval, ...] = on(0.0, 1.0) if boost else on(0.0, control)
    second: tuple[Interval, ...] = on(0.0, control - 1.0) if boost else ()
    return {"S1": first, "S2": second, **p.rectify(D1=first, D2=second)}


PAGE = Page(
    name="four-switch-regions",
    title="Four-switch buck-boost converter, buck and boost regions",
    good_for="battery across its output voltage with a single inductor; less ripple than gated together",
    conversion="V_o > 0, any magnitude",
    roles=ROLES,
    ripples=(Ripple("L", "I_max*max(V_o/V_in, 1)"),),
    equations=equations,
    circuit=circuit,
    gates=gates,
    control=Control("D", "control through both regions (below 1 stepping down, above 1 up)", highest=2.0),
    idle=("S2", "D2"),
    figure=(
        ("gate", ("S1.gate", "S2.gate")),
        ("inductor current", ("L.i",)),
        ("switch nodes", ("@a", "@b")),
        ("rectifier currents", ("D1.i", "D2.i")),
        *roles.OUTPUT_PANELS,
    ),
)
