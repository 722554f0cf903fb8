"""Quadratic boost: two boost stages that share one switch, V_o = V_in/(1 − D)².

        in ──L1──┬── a ──D1──┬── c ──L2──┬── b ──D3──┬── out
                 │           │           │           │
                 └────────── │ ──D2──────┤          C_o   load
                            C_1          S1          │
                             │           │           │
        gnd ─────────────────┴───────────┴───────────┴──

on      S1 conducts: L1 sees V_in through D2, L2 sees V_C1.
off     L1 charges C_1 through D1 against V_C1 − V_in, L2 the output through D3 against V_o − V_C1.
idle    L2 is made so large that L1 idles first; then V_C1 rises, and D falls.
"""

from __future__ import annotations

from jump_lane.circuit.elements import Element
from jump_lane.circuit.gates import Gates, Instant, on
from jump_lane.equations.sheet import CONTINUOUS, DISCONTINUOUS, WHOLE, Line
from jump_lane.topologies.blocks import capacitors, coil, roles
from jump_lane.topologies.blocks.shape import Shape, triangle
from jump_lane.topologies.blocks.sources import (
    BOUNDARY_CONDITION,
    DISCONTINUOUS_RATIO,
    ENERGY,
    MARGIN,
    PEAK_DERIVED,
    VOLT_SECONDS,
    WITH_LOSSES,
    ZEROS,
)
from jump_lane.topologies.blocks.stress import stress
from jump_lane.topologies.page import Page, Ripple
from jump_lane.topologies.point import Point
from jump_lane.topologies.role import Role
from jump_lane.topologies.variant import Variant

FIRST, SECOND = triangle("I_L1v", "I_L1pk", "D", "D_12"), triangle("I_L2v", "I_L2pk", "D", "D_2")
"""The currents of L1 and L2."""

IDLE_FIRST = "D_x**2*(1 - D_x)*V_on1**2 - 2*L1*f_s*I_o*((1 - D_x)*V_o - V_in)"
"""What L1 hands over while it idles, less what L2 takes, if the current of L2 does not idle."""

BOTH_IDLE = "(L1*V_o*V_in - L2*V_in**2 + sqrt((L1*V_o*V_in - L2*V_in**2)**2 + 4*L1*L2*V_in**2*V_o**2))/(2*L1*V_o)"
"""Voltage of C_1 at which both hand over the same charge while both idle, whatever the load."""


def duty() -> tuple[Line, ...]:
    """Return the duty ratio in continuous conduction: both stages lose their drops, at the currents of ideal parts."""
    return (
        Line("I_1c", "I_o*V_o/V_in", "A", "current of L1 with ideal parts", VOLT_SECONDS),
        Line("I_2c", "I_o*sqrt(V_o/V_in)", "A", "current of L2 with ideal parts", VOLT_SECONDS),
        Line("w_1", "D_i*(V_FD2 + R_D2*I_1c + R_S1*(I_1c + I_2c)) + R_L1*I_1c", "V", "drops of the first stage", WITH_LOSSES),
        Line("x_1", "(1 - D_i)*(V_FD1 + R_D1*I_1c)", "V", "drop of its rectifier", WITH_LOSSES),
        Line("w_2", "D_i*R_S1*(I_1c + I_2c) + R_L2*I_2c + (1 - D_i)*(V_FD3 + R_D3*I_2c)", "V", "drops of the second stage", WITH_LOSSES),
        Line("D_c", "1 - (sqrt(w_2**2 + 4*V_o*(V_in - w_1 - x_1)) - w_2)/(2*V_o)", "", "duty ratio in continuous conduction", ENERGY),
        Line("V_C1c", "(V_in - w_1 - x_1)/(1 - D_c)", "V", "voltage of C_1 in continuous conduction", VOLT_SECONDS),
        Line("V_on1", "V_in - V_FD2 - (R_L1 + R_D2)*I_1c - R_S1*(I_1c + I_2c)", "V", "voltage of L1, S1 on", WITH_LOSSES),
        Line("V_on2", "V_C1c - R_L2*I_2c - R_S1*(I_1c + I_2c)", "V", "voltage of L2, S1 on", WITH_LOSSES),
    )


def sizing(v: Variant) -> tuple[Line, ...]:
    """Return the choice of both inductors."""
    second = {"continuous": "max((1 + m_L)*max(L_c2, L_r2), L_k2)", "either": "max((1 + m_L)*L_r2, L_k2)"}.get(v.target, "L_k2")
    return (
        Line("L_r1", "V_on1*D_c/(f_s*dI_1ask)", "H", "inductance L1 for the ripple asked", VOLT_SECONDS),
        Line("L_r2", "V_on2*D_c/(f_s*dI_2ask)", "H", "inductance L2 for the ripple asked", VOLT_SECONDS),
        Line("L_crit", "V_on1*D_c*(1 - D_c)**2/(2*f_s*I_o)", "H", "critical inductance L1 at the load", BOUNDARY_CONDITION),
        Line("L_c2", "V_on2*D_c*(1 - D_c)/(2*f_s*I_o)", "H", "critical inductance L2 at the load", BOUNDARY_CONDITION),
        Line("L_full", "V_on1*D_c*(1 - D_c)**2/(2*f_s*I_max)", "H", "critical inductance L1 at full load", BOUNDARY_CONDITION),
        coil.chosen(v, "L1", "L_r1"),
        Line("L_k2", "1.02*L1*V_on2/(V_on1*(1 - D_c))", "H", "inductance L2 with which L2 idles just after L1", BOUNDARY_CONDITION),
        Line("L2", second, "H", "inductance L2: ripple, continuous conduction as asked, idles no sooner than L1", MARGIN, component=True),
        Line("I_B2", "V_on2*D_c*(1 - D_c)/(2*f_s*L2)", "A", "load current below which L2 idles too", BOUNDARY_CONDITION),
        Line("I_B", "V_on1*D_c*(1 - D_c)**2/(2*f_s*L1)", "A", "boundary load current", BOUNDARY_CONDITION),
    )


def idling() -> tuple[Line, ...]:
    """Return the duty ratio while L1 idles, and while both do; the smaller one holds the output."""
    alone, both = "duty ratio while L1 idles alone", "duty ratio while both idle"
    return (
        Line("D_x", IDLE_FIRST, "", alone, DISCONTINUOUS_RATIO, within=(1e-4, 0.999), modes=(DISCONTINUOUS,)),
        Line("V_C1y", BOTH_IDLE, "V", "voltage of C_1 while both idle", DISCONTINUOUS_RATIO),
        Line("D_y", "sqrt(2*L2*f_s*I_o*(V_o - V_C1y))/V_C1y", "", both, DISCONTINUOUS_RATIO),
    )


def equations(v: Variant) -> tuple[Line, ...]:
    """Return its lines."""
    stored = Shape(
        (
            ("D", "-I_L2v", "-I_L2pk"),
            ("D_12", "I_L1pk - I_L2pk", "I_L1v - I_L2pk + dI_L2*D_12/D_2"),
            ("max(D_2 - D_12, 0)", "-(I_L2pk - dI_L2*D_12/D_2)", "-I_L2v"),
        )
    )
    both = Shape((("D", "I_L1v + I_L2v", "I_L1pk + I_L2pk"),))
    return (
        coil.ratio(),
        coil.ideal("1 - sqrt(V_in/V_o)"),
        Line("D_pk", "1 - sqrt(sqrt((R_L1 + R_D2 + R_S1)/R_o))", "", "duty ratio of the highest output", PEAK_DERIVED, "min"),
        Line("M_pk", "sqrt(R_o/(R_L1 + R_D2 + R_S1))/2", "", "highest conversion ratio", PEAK_DERIVED, "min"),
        *duty(),
        *sizing(v),
        *idling(),
        *coil.gated({CONTINUOUS: "D_c", DISCONTINUOUS: "min(D_x, D_y)"}),
        Line("V_C1m", {CONTINUOUS: "V_C1c", DISCONTINUOUS: "min((1 - D)*V_o, V_C1y)"}, "V", "voltage of C_1, by the stages", VOLT_SECONDS),
        Line(
            "D_2",
            {CONTINUOUS: "1 - D", DISCONTINUOUS: "min(1 - D, D*V_C1m/(V_o - V_C1m))"},
            "",
            "part of the period in which the current of L2 falls",
            DISCONTINUOUS_RATIO,
        ),
        Line(
            "D_12",
            {CONTINUOUS: "1 - D", DISCONTINUOUS: "min(1 - D, D*V_on1/(V_C1m - V_in))"},
            "",
            "part of the period in which the current of L1 falls",
            DISCONTINUOUS_RATIO,
        ),
        coil.swing("L1", "V_on1*D"),
        coil.swing("L2", "(V_C1m - V_C1c + V_on2)*D"),
        *coil.carried("L2", "I_o*(D + D_2)/D_2"),
        *coil.carried("L1", "I_L2*(D + D_12)/D_12", fall="D_12"),
        Line(
            "f_z",
            "D_12**2*D_2**2*R_o/(pi*(2*L1 + D_2**2*L2))",
            "Hz",
            "right-half-plane zero, below the resonance of L1 and C_1",
            ZEROS,
            "min",
            modes=WHOLE,
        ),
        coil.ratio_left("1/(1 - D)**2"),
        *capacitors.coupling("C_1", "V_C1m", stored, "R_C1*I_L1pk"),
        *capacitors.smoothing(SECOND.during("D_2")),
        *stress("S1", both, f"V_o + dV_o/2 + {v.drop('D3', 'I_L2pk')}"),
        *stress("D1", FIRST.during("D_12"), "V_C1 + dV_C1/2"),
        *stress(
            "D2", FIRST.during("D"), {CONTINUOUS: "V_o + V_FD3 - V_C1 + max(dV_o, dV_C1)/2", DISCONTINUOUS: "V_o + dV_o/2 + V_FD3 - V_in"}
        ),
        *stress("D3", SECOND.during("D_2"), "V_o + dV_o/2"),
        *capacitors.supplying(FIRST),
    )


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point."""
    return (
        p.source(),
        p.inductor("L1", "in", "a"),
        p.rectifier("D1", "a", "c"),
        p.rectifier("D2", "a", "b"),
        p.capacitor("C_1", "c", "gnd"),
        p.inductor("L2", "c", "b"),
        p.switch("S1", "b", "gnd"),
        p.rectifier("D3", "b", "out"),
        p.capacitor("C_o", "out", "gnd"),
        *p.load(),
    )


def gates(duty: Instant, p: Point) -> Gates:
    """Return the gate pattern: a synchronous D2 conducts with S1, or sooner to take over a reversed current."""
    main = on(0.0, duty)
    if not p.synchronous:
        return {"S1": main}
    lead = p["t_d"] * p["f_s"] if p["I_L1v"] < 0.0 else 0.0
    return {"S1": main, "D2": on(-lead, duty), **p.rectify(D1=main, D3=main)}


PAGE = Page(
    name="quadratic-boost",
    title="Quadratic boost converter, two capacitors",
    good_for="steep step-up with one switch: 24 V to some hundred volts at moderate duty ratio",
    conversion="V_o > V_in",
    roles=(
        roles.S1,
        roles.D1,
        Role("D2", "rectifier"),
        Role("D3", "rectifier"),
        Role("L1", "inductor"),
        Role("L2", "inductor"),
        Role("C_1", "capacitor"),
        roles.C_O,
        roles.C_I,
    ),
    ripples=(Ripple("L1", "I_max*V_o/V_in", "dI_1ask"), Ripple("L2", "I_max*sqrt(V_o/V_in)", "dI_2ask")),
    equations=equations,
    circuit=circuit,
    gates=gates,
    figure=(
        ("gate", ("S1.gate",)),
        ("inductor current", ("L1.i", "L2.i")),
        ("device currents", ("S1.i", "D1.i", "D3.i")),
        ("switch node", ("@b", "@a")),
        *roles.OUTPUT_PANELS,
    ),
)
