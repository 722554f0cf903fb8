"""Quadratic boost: two boost stages that share one switch, V_o = V_in/(1 − D)².

While S1 conducts, L1 sees V_in through D2 and L2 sees V_C1; afterwards L1 charges C_1 through D1, and L2 the output
through D3.  Each stage alone is a boost; V_C1 settles where both hold with the same duty ratio.  L2 is made so large
that L1 idles first.

        in ──L1──┬── a ──D1──┬── c ──L2──┬── b ──D3──┬── out
                 │           │           │           │
                 └────────── │ ──D2──────┤          C_o   load
                            C_1          S1          │
                             │           │           │
        gnd ─────────────────┴───────────┴───────────┴──
"""

from __future__ import annotations

from jump_lane.circuit.elements import Element
from jump_lane.circuit.gates import Gates, Instant, on
from jump_lane.equations.sheet import CONTINUOUS, DISCONTINUOUS, REVERSED, WHOLE, Line
from jump_lane.topologies import blocks
from jump_lane.topologies.page import ByTarget, Page, Proof
from jump_lane.topologies.point import Point
from jump_lane.topologies.role import Role


def stages(mark: str, light: bool) -> tuple[Line, ...]:
    """Return both stages at a trial voltage of C_1; ``light`` admits discontinuous conduction."""

    def middle(usual: str, off: str, inductance: str, load: str) -> str | dict[str, str]:
        idling = f"max({usual}, sqrt({load}*({off})/(2*{inductance}*f_s)))"
        return {CONTINUOUS: usual, DISCONTINUOUS: idling} if light else usual

    def duty(on: str, off: str, drop: str, inductance: str, load: str) -> str | dict[str, str]:
        usual = f"({off} + 2*t_d*f_s*{drop})/({on} + {off})"
        idling = f"min({usual}, sqrt(2*{inductance}*f_s*{load}*{off})/{on})"
        return {CONTINUOUS: usual, DISCONTINUOUS: idling} if light else usual

    m = mark
    return (
        Line(f"V_C1{m}", f"V_in + y_{m}*(V_o - V_in)", "V", "voltage of C_1", blocks.VOLT_SECONDS),
        Line(
            f"I_2x{m}",
            middle(f"I_o*V_o/V_C1{m}", f"V_o - V_C1{m} + V_FD3", "L2", "I_o"),
            "A",
            "current of L2 that sets the drops",
            blocks.WITH_LOSSES,
        ),
        Line(
            f"I_1x{m}",
            middle("I_o*V_o/V_in", f"V_C1{m} - V_in + V_FD1", "L1", f"I_o*V_o/V_C1{m}"),
            "A",
            "current of L1 that sets the drops",
            blocks.WITH_LOSSES,
        ),
        Line(f"V_21{m}", f"V_C1{m} - (R_L2 + R_C1)*I_2x{m} - R_S1*(I_1x{m} + I_2x{m})", "V", "voltage of L2, S1 on", blocks.WITH_LOSSES),
        Line(
            f"V_22{m}",
            f"V_o + V_FD3 + (R_D3 + R_L2)*I_2x{m} + R_Co*(I_2x{m} - I_o) - V_C1{m} - R_C1*(I_1x{m} - I_2x{m})",
            "V",
            "voltage of L2 reversed, S1 off",
            blocks.WITH_LOSSES,
        ),
        Line(f"I_2{m}", f"I_o*(1 + V_22{m}/V_21{m})", "A", "average current of L2", blocks.VOLT_SECONDS),
        Line(
            f"V_11{m}", f"V_in - V_FD2 - (R_L1 + R_D2)*I_1x{m} - R_S1*(I_1x{m} + I_2x{m})", "V", "voltage of L1, S1 on", blocks.WITH_LOSSES
        ),
        Line(
            f"V_12{m}",
            f"V_C1{m} + V_FD1 + (R_D1 + R_L1)*I_1x{m} + R_C1*(I_1x{m} - I_2x{m}) - V_in",
            "V",
            "voltage of L1 reversed, S1 off",
            blocks.WITH_LOSSES,
        ),
        Line(
            f"D_s1{m}",
            duty(f"V_11{m}", f"V_12{m}", "V_BD1", "L1", f"I_2{m}"),
            "",
            "duty ratio that the first stage needs",
            blocks.DISCONTINUOUS_RATIO,
        ),
        Line(
            f"D_s2{m}",
            duty(f"V_21{m}", f"V_22{m}", "V_BD3", "L2", "I_o"),
            "",
            "duty ratio that the second stage needs",
            blocks.DISCONTINUOUS_RATIO,
        ),
    )


def shared_duty(mark: str, light: bool) -> Line:
    """Return where V_C1 lies between V_in and V_o, so that both stages need the same duty ratio."""
    meaning = "share of the first stage in the step from V_in to V_o"
    return Line(
        f"y_{mark}", f"D_s1{mark} - D_s2{mark}", "", meaning, blocks.VOLT_SECONDS, within=(0.001, 0.999), through=stages(mark, light)
    )


def second_inductance() -> ByTarget:
    """Return the choice of L2: never so small that it idles before L1."""

    def line(text: str, meaning: str) -> Line:
        return Line("L2", text, "H", f"inductance L2: {meaning}", blocks.MARGIN, component=True)

    return ByTarget(
        {
            "continuous": line("max((1 + m_L)*max(L_c2, L_r2), L_k2)", "ripple and continuous conduction"),
            "either": line("max((1 + m_L)*L_r2, L_k2)", "ripple as asked, with margin"),
            "boundary": line("L_k2", "at the boundary at full load"),
            "discontinuous": line("L_k2", "idles no sooner than L1"),
        }
    )


SIZING = (
    Line("M", "V_o/V_in", "", "conversion ratio", blocks.DEFINITION),
    Line("D_i", "1 - sqrt(V_in/V_o)", "", "duty ratio with ideal parts", blocks.VOLT_SECONDS),
    Line("D_pk", "1 - sqrt(sqrt((R_L1 + R_D2 + R_S1)/R_o))", "", "duty ratio of the highest output", blocks.PEAK_DERIVED, "min"),
    Line("M_pk", "sqrt(R_o/(R_L1 + R_D2 + R_S1))/2", "", "highest conversion ratio", blocks.PEAK_DERIVED, "min"),
    shared_duty("c", light=False),
    Line("D_c", "D_s2c", "", "duty ratio with drops, continuous conduction", blocks.VOLT_SECONDS),
    Line("L_r1", "V_11c*D_c/(f_s*dI_1ask)", "H", "inductance L1 for the ripple asked", blocks.VOLT_SECONDS),
    Line("L_r2", "V_21c*D_c/(f_s*dI_2ask)", "H", "inductance L2 for the ripple asked", blocks.VOLT_SECONDS),
    Line("L_crit", "V_11c*D_c*(1 - D_c)/(2*f_s*I_2c)", "H", "critical inductance L1 at the load", blocks.BOUNDARY_CONDITION),
    Line("L_c2", "V_21c*D_c*(1 - D_c)/(2*f_s*I_o)", "H", "critical inductance L2 at the load", blocks.BOUNDARY_CONDITION),
    Line("L_full", "V_11c*D_c*(1 - D_c)**2/(2*f_s*I_max)", "H", "critical inductance L1 at full load", blocks.BOUNDARY_CONDITION),
    blocks.inductance("L1", "L_r1", "L_crit", "L_full"),
    Line("L_k2", "1.02*L1*V_21c/(V_11c*(1 - D_c))", "H", "inductance L2 with which L2 idles just after L1", blocks.BOUNDARY_CONDITION),
    second_inductance(),
    Line("I_B", "V_11c*D_c*(1 - D_c)**2/(2*f_s*L1)", "A", "boundary load current", blocks.BOUNDARY_CONDITION),
    Line("I_B2", "V_21c*D_c*(1 - D_c)/(2*f_s*L2)", "A", "load current below which L2 idles too", blocks.BOUNDARY_CONDITION),
)

STORED = blocks.Shape(
    "I_d0", (("D_1", "-I_v/I_d0", "-I_pk/I_d0"), ("D_12", "1", "I_d1/I_d0"), ("max(D_2 - D_12, 0)", "-I_2a/I_d0", "-I_v/I_d0"))
)
"""Current of C_1: D1 charges it, L2 discharges it."""

OPERATION = (
    shared_duty("d", light=True),
    Line("D", {CONTINUOUS: "D_s2d", REVERSED: "D_s2d - t_d*f_s"}, "", "duty ratio that holds the output", blocks.DISCONTINUOUS_RATIO),
    Line("V_C1", "V_C1d", "V", "voltage of C_1", blocks.VOLT_SECONDS),
    *blocks.on_times(),
    Line(
        "D_12",
        {CONTINUOUS: "1 - D_1", DISCONTINUOUS: "min(1 - D_1, D_1*V_11d/V_12d)"},
        "",
        "falling part of the period, L1",
        blocks.DISCONTINUOUS_RATIO,
    ),
    Line(
        "D_2",
        {CONTINUOUS: "1 - D_1", DISCONTINUOUS: "min(1 - D_1, D_1*V_21d/V_22d)"},
        "",
        "falling part of the period, L2",
        blocks.DISCONTINUOUS_RATIO,
    ),
    Line("dI_L1", "V_11d*D_1/(f_s*L1)", "A", "ripple of L1, peak to peak", blocks.VOLT_SECONDS),
    Line("dI_L2", "V_21d*D_1/(f_s*L2)", "A", "ripple of L2, peak to peak", blocks.VOLT_SECONDS),
    Line("dI", "dI_L2", "A", "ripple of the current handed over to the output", blocks.KIRCHHOFF),
    Line("I_1m", "I_2d/D_12", "A", "middle of the slope of L1", blocks.KIRCHHOFF),
    Line("I_m", "I_o/D_2", "A", "middle of the slope of L2", blocks.KIRCHHOFF),
    Line("I_pk", "I_m + dI/2", "A", "peak of the current handed over", blocks.KIRCHHOFF),
    Line("I_v", "I_m - dI/2", "A", "valley of the current handed over", blocks.KIRCHHOFF, "min"),
    Line(
        "f_z",
        "D_12**2*D_2**2*R_o/(pi*(2*L1 + D_2**2*L2))",
        "Hz",
        "right-half-plane zero, below the resonance of L1 and C_1",
        blocks.ZEROS,
        "min",
        modes=WHOLE,
    ),
    blocks.ratio_left("1/(1 - D)**2"),
    *blocks.inductor("L1", "(D_1 + D_12)*I_1m", "dI_L1", "D_1 + D_12"),
    *blocks.inductor("L2", "(D_1 + D_2)*I_m", "dI_L2", "D_1 + D_2"),
    Line("I_d0", "I_L1pk - I_L2pk", "A", "current into C_1 as S1 opens", blocks.KIRCHHOFF),
    Line("I_2a", "I_pk - dI*D_12/D_2", "A", "current of L2 as D1 stops", blocks.KIRCHHOFF),
    Line("I_d1", "I_1m - dI_L1/2 - I_2a", "A", "current into C_1 as D1 stops", blocks.KIRCHHOFF),
    Line("Q_1", STORED.charge(), "C", "charge moved in and out of C_1", blocks.PIECES),
    Line("C_1", "(1 + m_C)*Q_1/(r_C*V_C1)", "F", "capacitance C_1, with margin", blocks.PIECES, component=True),
    Line("dV_C1", "Q_1/C_1 + R_C1*I_L1pk", "V", "ripple of C_1, peak to peak", blocks.PIECES),
    Line("I_C1rms", STORED.alternating, "A", "rms current of C_1", blocks.RMS_VALUES),
    Line("V_C1r", "(1 + m_V)*(V_C1 + dV_C1/2)", "V", "voltage rating C_1 should have", blocks.MARGIN),
    *blocks.smoothing(blocks.delivered()),
    *blocks.device("S1", "D_1", "(I_1m + I_m)", "(dI_L1 + dI)", "V_o + dV_o/2 + max(V_FD3 + R_D3*I_pk, k_d*V_BD3)"),
    *blocks.device(
        "D1",
        "D_12",
        "I_1m",
        "dI_L1",
        {
            CONTINUOUS: "V_C1 + dV_C1/2 - V_FD2 - R_D2*I_L1v - R_S1*(I_L1v + I_L2v)",
            REVERSED: "V_C1 + dV_C1/2 + max(-R_D2*I_L1v - R_S1*(I_L1v + I_L2v), k_d*V_BS1)",
        },
        "rectifier",
    ),
    *blocks.device(
        "D2", "D_1", "I_1m", "dI_L1", {CONTINUOUS: "V_o + V_FD3 - V_C1 + dV_C1/2 - V_FD1", DISCONTINUOUS: "V_o + V_FD3 - V_in"}, "rectifier"
    ),
    *blocks.device("D3", "D_2", "I_m", "dI", "V_o + dV_o/2 - R_S1*(I_L1v + I_L2v)", "rectifier"),
    *blocks.supplying(blocks.triangle("dI_L1", fall="D_12")),
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
    isolated=False,
    roles=(
        Role("S1", "switch"),
        Role("D1", "rectifier"),
        Role("D2", "rectifier"),
        Role("D3", "rectifier"),
        Role("L1", "inductor"),
        Role("L2", "inductor"),
        Role("C_1", "capacitor"),
        Role("C_o", "capacitor"),
        Role("C_i", "capacitor"),
    ),
    ripples=(("dI_1ask", "I_max*V_o/V_in"), ("dI_2ask", "I_max*sqrt(V_o/V_in)")),
    sizing=SIZING,
    operation=OPERATION,
    circuit=circuit,
    gates=gates,
    start={"L1": "I_L1v", "L2": "I_L2v", "C_1": "V_C1", "C_o": "V_o"},
    idle=("S1", "D1"),
    proofs=(
        *blocks.held_proofs(),
        *blocks.inductor_proofs("L1", "L2"),
        *blocks.coupling_proofs("C_1"),
        *blocks.output_proofs(),
        *blocks.device_proofs("S1", "D1"),
        *blocks.rectifier_proofs("D2"),
        *blocks.rectifier_proofs("D3"),
        Proof("I_Cirms", "source.i", "ac_rms"),
    ),
    asks=blocks.pair_asks(),
    figure=(
        ("gate", ("S1.gate",)),
        ("inductor current", ("L1.i", "L2.i")),
        ("device currents", ("S1.i", "D1.i", "D3.i")),
        ("switch node", ("@b", "@a")),
        ("output ripple", ("load.v~",)),
        ("output level", ("load.v=",)),
    ),
)
