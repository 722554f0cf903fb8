"""Dual active bridge: two bridges with an inductance between them; the angle between them is the control, both ways.

        in ──┬──S1──┬─ a ── L ── x ──┐    ║    ┌── c ─┬──S5──┬── out
             │      S2               │ N_p║N_s │      S6     │
             ├──S3──┬─ b ────────────┘    ║    └── d ─┬──S7──┤   C_o  load
             │      S4                    ║           S8     │
        gnd ─┴──────┴─                                ┴──────┴── gnd

Every leg changes over twice a period.  Leg A (S1, S2) rises at 0, leg B (S3, S4) at ½ − t1, leg C (S5, S6) at φ, leg D
(S7, S8) at φ + ½ − t2: t1 and t2 are the zero intervals of the two bridges.  Between two edges the voltage across L is
constant and its current straight.  Power flows from the bridge whose pulses come first.  Each edge finds a current; if it
has the right direction it swings the leg over within the dead time, and the switches turn on without voltage.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from jump_lane.circuit.control import Control
from jump_lane.circuit.elements import Capacitor, Element, IdealTransformer, Inductor, Winding
from jump_lane.circuit.gates import Gates, Instant, instant, on
from jump_lane.equations.sheet import Line, Proof, Sheet
from jump_lane.quantities import PHASE
from jump_lane.spec import Spec
from jump_lane.topologies.blocks import transformers
from jump_lane.topologies.blocks.sources import ASKED, DEFINITION, KIRCHHOFF, LEAST_RMS, PHASE_SHIFT, PIECES, RMS_VALUES, SOFT, VOLT_SECONDS
from jump_lane.topologies.blocks.stress import EFFECTIVE, stresses
from jump_lane.topologies.page import Angled, Naming, Page, Seen
from jump_lane.topologies.point import Point
from jump_lane.topologies.role import Role
from jump_lane.topologies.variant import Variant

FORWARD, REVERSE, IDLE = "forward", "reverse", "idle"
LEGS = {"S1": ("in", "a"), "S2": ("a", "gnd"), "S3": ("in", "b"), "S4": ("b", "gnd")}
FAR_LEGS = {"S5": ("out", "c"), "S6": ("c", "gnd"), "S7": ("out", "d"), "S8": ("d", "gnd")}

SWITCHED = 0.02
"""Part of its voltage that a switch turns on softly with."""

ANGLES = "M, phi, t1, t2"

DELAYED = 0.2
"""Accuracy beside dead time: it delays edges that have no current to swing them over, the more the lighter the load."""

DRAWN = f"sqrt(max(({{1}}I_b*bridges_drawn({ANGLES}, {{0}}))**2 - {{2}}**2, 0))"
"""Rms current of a capacitor beside a bridge, by its number, a factor and its average current."""


def sizing() -> tuple[Line, ...]:
    """Return turns ratio, inductances, and the power in units of what they set."""
    between = "V_in*V_2*phi_m*(1 - 2*phi_m)/(f_s*V_o*I_max)"
    return (
        Line("n_d", "V_nom/V_o", "", "turns ratio at which both voltages match at nominal input", PHASE_SHIFT, "min"),
        transformers.whole_turns(),
        Line("V_2", "n*V_o", "V", "output voltage as the first bridge sees it", KIRCHHOFF),
        Line("M", "V_2/V_in", "", "voltage ratio", DEFINITION),
        Line("L", between, "H", "inductance between the bridges, leakage included", PHASE_SHIFT, "min", component=True),
        Line("L_m", "(1 + m_L)*n*V_2/(2*f_s*r_m*I_max)", "H", "magnetising inductance, with margin", VOLT_SECONDS, component=True),
        Line("p", "V_o*I_o*f_s*L/V_in**2", "", "power, over that which V_in and L set", PHASE_SHIFT),
        Line("I_b", "V_in/(f_s*L)", "A", "current that V_in and L set within a period", DEFINITION),
    )


def _angles(first: str, second: str, source: str) -> tuple[Line, ...]:
    return (
        Line("t1", first, "", "zero interval of the first bridge, part of the period", source),
        Line("t2", second, "", "zero interval of the second bridge, part of the period", source),
    )


INNER = {
    "single": _angles("0", "0", PHASE_SHIFT),
    "extended": _angles("t_1a", "0", ASKED),
    "dual": _angles("t_1a", "t_1a", ASKED),
    "triple": _angles("t_1a", "t_2a", ASKED),
    "least-rms": _angles("least_rms_t1(p, M)", "least_rms_t2(p, M)", LEAST_RMS),
    "soft": _angles("soft_t1(p, M, j_1, j_2, j_m, t_d*f_s)", "soft_t2(p, M, j_1, j_2, j_m, t_d*f_s)", SOFT),
}
"""The zero intervals of each modulation."""

NEEDED = (
    Line("j_1", "3*sqrt(V_in*V_2*C_S1/L)/I_b", "", "what both legs of the first bridge need, half as much again, over I_b", SOFT),
    Line("j_2", "3*sqrt(V_in*V_2*C_S5/L)/(n*I_b)", "", "what both legs of the second bridge need, half as much again, over I_b", SOFT),
    Line("j_m", "M*L/(4*L_m)", "", "peak magnetising current without zero intervals, over I_b", VOLT_SECONDS),
)
"""Currents that soft switching needs."""


def equations(v: Variant) -> tuple[Line, ...]:
    """Return its lines where the phase between the bridges holds the output."""
    return (
        *sizing(),
        *(NEEDED if v.modulation == "soft" else ()),
        *INNER[v.modulation],
        Line("phi", "bridges_phase(p, M, t1, t2)", "", "phase between the bridges, part of the period", PHASE_SHIFT),
        *carried(v),
    )


def _soft(symbol: str, at: str, sign: str, side: str) -> Line:
    """Return the current that swings a leg over as it rises."""
    text = f"{sign}I_b*bridges_at({ANGLES}, {at})" + (" + I_m" if side == "2" else "")
    return Line(
        symbol, text, "A", f"current that swings the leg of {symbol.removeprefix('I_z')} over, seen at the first bridge", PIECES, "min"
    )


def carried(v: Variant) -> tuple[Line, ...]:
    """Return what everything carries between the edges."""
    within = DELAYED if v.dead else 0.02
    return (
        Line("phi_lo", "-0.25 - (t1 - t2)/2", "", "phase of the most negative power", PHASE_SHIFT),
        Line("phi_hi", "0.25 - (t1 - t2)/2", "", "phase of the most positive power", PHASE_SHIFT),
        Line("a_phi", "360*phi", "°", "phase between the bridges, in degrees", DEFINITION),
        Line("t_phi", "phi/f_s", "s", "phase between the bridges, as a time", DEFINITION),
        Line("I_m", "V_2*(0.5 - t2)/(2*f_s*L_m)", "A", "peak magnetising current", VOLT_SECONDS),
        Line("I_0", f"I_b*bridges_at({ANGLES}, 0)", "A", "current of L as S1 turns on", PIECES, "min"),
        Line("I_m0", "V_2*(abs(phi) + abs(phi - t2) - 0.5)/(2*f_s*L_m)", "A", "magnetising current as S1 turns on", VOLT_SECONDS, "min"),
        Line("V_C5", "V_o*min(1, max(0, 1e9*phi))", "V", "voltage of S5 and S8 as S1 turns on", KIRCHHOFF),
        Line("V_C6", "V_o - V_C5", "V", "voltage of S6 and S7 as S1 turns on", KIRCHHOFF),
        Line("I_Lpk", f"I_b*bridges_peak({ANGLES})", "A", "peak current of L", PIECES, proof=Proof("L.i", "peak", within)),
        Line("W_L", "L*I_Lpk**2/2", "J", "energy in L at its peak", DEFINITION),
        Line("I_Lrms", f"I_b*bridges_rms({ANGLES})", "A", "rms current of L", RMS_VALUES, proof=Proof("L.i", "rms", within)),
        Line("I_in", f"I_b*bridges_power({ANGLES})", "A", "average input current", PHASE_SHIFT, proof=Proof("source.i", "average", within)),
        _soft("I_zS1", "0", "-", "1"),
        _soft("I_zS3", "0.5 - t1", "", "1"),
        _soft("I_zS5", "phi", "", "2"),
        _soft("I_zS7", "phi + 0.5 - t2", "-", "2"),
        Line("I_z1", "2*sqrt(V_in*V_2*C_S1/L)", "A", "current that both legs of the first bridge need", SOFT),
        Line("I_z2", "2*sqrt(V_in*V_2*C_S5/L)/n", "A", "current that both legs of the second bridge need, seen at the first", SOFT),
        Line("t_z1", "2*C_S1*V_in/max(min(I_zS1, I_zS3), 0)", "s", "dead time that the first bridge needs", SOFT),
        Line("t_z2", "2*C_S5*V_2/n**2/max(min(I_zS5, I_zS7), 0)", "s", "dead time that the second bridge needs", SOFT),
        *stresses("S1", "abs(I_in)/2", "I_Lrms/sqrt(2)", "I_Lpk", "V_in + V_BS1", within, EFFECTIVE),
        *stresses("S5", "abs(I_o)/2", "n*I_Lrms/sqrt(2)", "n*I_Lpk", "V_o + V_BS5", within, EFFECTIVE),
        Line("I_Np", "0", "A", "average current of winding Np", KIRCHHOFF),
        Line("I_Nprms", "I_Lrms", "A", "rms current of winding Np", RMS_VALUES),
        Line("I_Nsrms", "n*I_Lrms", "A", "rms current of winding Ns", RMS_VALUES),
        Line(
            "C_b",
            "25/(pi**2*f_s**2*L)",
            "F",
            "blocking capacitor in series with L, where one is wanted: rings at a tenth of f_s",
            DEFINITION,
        ),
        Line("Q_o", f"n*I_b/f_s*bridges_charge({ANGLES}, 2)", "C", "charge moved in and out of the output capacitor", PIECES),
        Line("dV_Q", "dV_ask - max(a_ESR*dV_ask, R_Co*2*n*I_Lpk)", "V", "ripple left to the charge", ASKED, "min"),
        Line("C_o", "(1 + m_C)*Q_o/dV_Q", "F", "output capacitance, with margin", PIECES, component=True),
        Line("dV_oESR", "R_Co*2*n*I_Lpk", "V", "ESR share of the output ripple, at most", PIECES),
        Line(
            "dV_o",
            "Q_o/C_o",
            "V",
            "output ripple of the charge, peak to peak",
            PIECES,
            proof=Proof("load.v", "peak_to_peak", 0.1 if within < DELAYED else DELAYED),
        ),
        Line(
            "I_Corms",
            DRAWN.format(2, "n*", "I_o"),
            "A",
            "rms current of the output capacitor",
            RMS_VALUES,
            proof=Proof("C_o.i", "rms", within),
        ),
        Line(
            "I_Cirms",
            DRAWN.format(1, "", "I_in"),
            "A",
            "rms current of the input capacitor",
            RMS_VALUES,
            proof=Proof("source.i", "ac_rms", within),
        ),
        Line("Q_in", f"I_b/f_s*bridges_charge({ANGLES}, 1)", "C", "charge taken from the input capacitor", PIECES),
        Line("C_i", "(1 + m_C)*Q_in/dV_iask", "F", "input capacitance, with margin", PIECES, component=True),
    )


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point; output capacitances need dead time and resistance to swing.

    Only resistance keeps direct currents from the inductances; between fixed voltages, from a start without, none arises.
    """
    first, second = (p["t_d"] > 0.0 and p[f"R_{s}"] > 0.0 and p[f"C_{s}"] > 0.0 for s in ("S1", "S5"))
    inner, outer = ("T.p" if p["R_pT"] > 0.0 else "x"), ("T.s" if p["R_sT"] > 0.0 else "c")
    return (
        p.source(),
        *(p.switch(name, *nodes, shares=p.kinds[0] != "stiff") for name, nodes in (LEGS | FAR_LEGS).items()),
        *(Capacitor(f"C_{name}", *nodes, p["C_S1"]) for name, nodes in LEGS.items() if first),
        *(Capacitor(f"C_{name}", *nodes, p["C_S5"]) for name, nodes in FAR_LEGS.items() if second),
        p.inductor("L", "a", "x"),
        *transformers.path("p", "x", "T.p", 0.0, p["R_pT"]),
        Inductor("L_m", inner, "b", p["L_m"]),
        IdealTransformer("T", (Winding("Np", inner, "b", p["n"]), Winding("Ns", outer, "d", 1.0))),
        *transformers.path("s", "T.s", "c", 0.0, p["R_sT"]),
        p.capacitor("C_o", "out", "gnd"),
        *p.load(),
    )


def legs(phi: Instant | float, t1: Instant | float, t2: Instant | float, dead: float) -> Gates:
    """Return the gates from the instants at which the legs rise; every switch turns on a dead time later."""
    first, second = instant(t1), instant(t2)
    rises = (instant(0.0), 0.5 - first, instant(phi), instant(phi) + 0.5 - second)
    upper = {f"S{2 * k + 1}": on(at + dead, at + 0.5) for k, at in enumerate(rises)}
    lower = {f"S{2 * k + 2}": on(at + (0.5 + dead), at + 1.0) for k, at in enumerate(rises)}
    return upper | lower


def by_phase(phi: Instant, p: Point) -> Gates:
    """Return the gates where the phase is the control."""
    return legs(phi, p["t1"], p["t2"], p["t_d"] * p["f_s"])


def by_first(t1: Instant, p: Point) -> Gates:
    """Return the gates where the inner angle of the first bridge is the control, the centres of the pulses staying apart."""
    return legs(p["d_phi"] - (t1 - p["t2"]) / 2.0, t1, p["t2"], p["t_d"] * p["f_s"])


def by_both(t1: Instant, p: Point) -> Gates:
    """Return the gates where one inner angle of both bridges is the control."""
    return legs(p["d_phi"], t1, t1, p["t_d"] * p["f_s"])


def derived(sheet: Sheet) -> NDArray[np.str_]:
    """Return which way power flows at every corner."""
    power = np.broadcast_to(sheet["p"].values, sheet.shape)
    return np.where(power > 0.0, FORWARD, np.where(power < 0.0, REVERSE, IDLE))


def shown(seen: Seen, p: Point) -> str:
    """Return which way power flows in a simulated period, and how many of eight switches turn on without voltage."""
    power = seen.measures("load.i").average
    way = FORWARD if power > 0.0 else REVERSE if power < 0.0 else IDLE
    levels = dict.fromkeys(LEGS, p["V_in"]) | dict.fromkeys(FAR_LEGS, p["V_o"])
    soft = sum(seen.turn_on_voltage(name) <= SWITCHED * level for name, level in levels.items())
    return f"{way}/{soft} soft"


FIGURE = (
    ("gate", ("S1.gate", "S3.gate", "S5.gate", "S7.gate")),
    ("first bridge", ("@a", "@b")),
    ("second", ("@c", "@d")),
    ("current", ("L.i", "L_m.i")),
    ("output ripple", ("load.v~",)),
)


def varied(spec: Spec) -> Page:
    """Return the page with what the file lets hold the output."""
    if spec.angles.regulated_by == "outer":
        return PAGE
    both = spec.angles.modulation == "dual"
    found = "bridges_both(p, M, d_phi)" if both else "bridges_first(p, M, d_phi, t_2a)"
    angles = (
        Line("d_phi", "phi_a", "", "distance of the centres of both pulses, part of the period", ASKED),
        Line("t1", found, "", "zero interval that holds the output, part of the period", PHASE_SHIFT),
        Line("t2", "t1" if both else "t_2a", "", "zero interval of the second bridge, part of the period", ASKED),
        Line("phi", "d_phi - (t1 - t2)/2", "", "phase between the bridges, part of the period", DEFINITION),
    )
    control = Control("t1", "zero interval of the first bridge", 0.0, 0.5, PHASE)
    gates = by_both if both else by_first
    return replace(PAGE, control=control, gates=gates, equations=lambda v: (*sizing(), *angles, *carried(v)), varied=None)


PAGE = Page(
    name="dual-active-bridge",
    title="Dual active bridge converter",
    good_for="isolated links of kilowatts between two buses, power both ways",
    conversion="any ratio up to the power that the inductance passes on at a phase of a quarter period",
    isolated=True,
    roles=(
        Role("S1", "switch", also=("S2", "S3", "S4")),
        Role("S5", "switch", also=("S6", "S7", "S8")),
        Role("T", "transformer"),
        Role("L", "inductor"),
        Role("C_o", "capacitor"),
        Role("C_i", "capacitor"),
    ),
    equations=equations,
    circuit=circuit,
    gates=by_phase,
    control=Control("phi", "phase between the bridges", -0.5, 0.5, PHASE, "phi_lo", "phi_hi"),
    naming=Naming("p", derived, shown),
    angled=Angled(
        ("phi", "t1", "t2"),
        lambda angles, p: legs(angles["phi"], angles["t1"], angles["t2"], p["t_d"] * p["f_s"]),
        least={"phi": "least_rms_phi(p, M)", "t1": "least_rms_t1(p, M)", "t2": "least_rms_t2(p, M)"},
        plain={"phi": "bridges_phase(p, M, 0, 0)", "t1": "0", "t2": "0"},
        leads="S1",
        levels=dict.fromkeys(LEGS, "V_in") | dict.fromkeys(FAR_LEGS, "V_o"),
        capacitances=dict.fromkeys(LEGS, "C_S1") | dict.fromkeys(FAR_LEGS, "C_S5"),
        drives={
            **{name: ("L.i", sign) for name, sign in zip(LEGS, (-1.0, 1.0, 1.0, -1.0), strict=True)},
            **{name: ("Ns.i", sign) for name, sign in zip(FAR_LEGS, (-1.0, 1.0, 1.0, -1.0), strict=True)},
        },
    ),
    bodies=True,
    returns=True,
    varied=varied,
    start={
        "L": "I_0",
        "L_m": "I_m0",
        "C_o": "V_o",
        **dict.fromkeys(("C_S1", "C_S4"), "V_in"),
        **dict.fromkeys(("C_S5", "C_S8"), "V_C5"),
        **dict.fromkeys(("C_S6", "C_S7"), "V_C6"),
    },
    idle=("L",),
    duty_limit=0.0,
    turns=transformers.TURNS,
    modulations=tuple(INNER),
    figure=FIGURE,
)
