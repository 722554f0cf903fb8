"""Active-clamp flyback: a second switch and a capacitor keep the leakage energy and give it back.

While S1 conducts, the magnetising inductance sees V_in.  While S2 conducts instead, the current of L_k swings from
I_pk to −I_pk through C_cl, so that C_cl keeps its voltage; the secondary takes what the magnetising current leaves.
When S1 takes over, L_k first turns its current round within D_k1.

        in ──┬───────── L_k ──┐      ┌──D1──┬── out
             │                Np ∥ Ns       │
            C_cl              │      │     C_o   load
             └─ c ──S2── d ───┤      └──────┴──
                              S1
        gnd ──────────────────┴──
"""

from __future__ import annotations

from dataclasses import replace

from jump_lane.circuit.elements import Capacitor, Element, IdealTransformer, Inductor, Winding
from jump_lane.circuit.gates import Gates, Instant, complement, on
from jump_lane.equations.sheet import CONTINUOUS, REVERSED, Line
from jump_lane.topologies import blocks
from jump_lane.topologies.blocks import flybacks, transformers
from jump_lane.topologies.page import Entry, Page, Proof
from jump_lane.topologies.point import Point
from jump_lane.topologies.role import Role

SIZING: tuple[Entry, ...] = (
    *flybacks.flyback_sizing(),
    Line(
        "L_k",
        "max(L_kT, 0.01*(V_in + V_or)/(f_s*I_c))",
        "H",
        "leakage and series inductance; at least what turns its current round in 2 % of the period",
        blocks.LEAKAGE,
        "min",
        component=True,
    ),
    Line(
        "C_cl",
        "(2*(1 - D_c)/f_s)**2/L_k",
        "F",
        "clamp capacitance: a quarter radian of resonance in half of the off-time",
        blocks.LEAKAGE,
        component=True,
    ),
)

SWING = (
    Line("a_k", "(R_pT + R_S2)*(1 - D_1)/(6*f_s*L_k)", "", "damping of L_k by the primary", blocks.LEAKAGE),
    Line("b_k", "n**2*(R_sT + R_D1 + R_Co)*(1 - D_1)/(6*f_s*L_k)", "", "damping of L_k by the secondary", blocks.LEAKAGE),
    Line(
        "I_n", "(I_pk*(1 - a_k) - b_k*I_v)/(1 + a_k + b_k)", "A", "current of L_k turned round, at the end of the off-time", blocks.LEAKAGE
    ),
)

OPERATION: tuple[Entry, ...] = (
    *flybacks.leaking_operation(
        flybacks.Leaky(
            SWING,
            fall="D_2 - f_s*L_k*(I_n + I_v)/(V_in + V_2)",
            half="0",
            back="f_s*L_k*(I_n + I_v)/(V_in + V_2)",
            taken="D_k1*(I_v - I_n)/2",
            leakage="L_k",
        )
    ),
    Line("V_Ccl", "V_2 + 2*f_s*L_k*I_pk/D_k2", "V", "voltage of the clamp capacitor", blocks.LEAKAGE),
    Line("dI_Lm", "dI", "A", "ripple of the magnetising current, peak to peak", blocks.VOLT_SECONDS),
    Line("f_z", "D_2**2*n**2*R_o/(2*pi*D_1*L_m)", "Hz", "right-half-plane zero", blocks.RIGHT_HALF_PLANE, "min"),
    *blocks.inductor("L_m", "(D_1 + D_2)*I_m", "dI", "D_1 + D_2"),
    Line("I_ns", "n*I_pk", "A", "peak magnetising current as the secondary sees it", blocks.KIRCHHOFF),
    Line("I_a", "n*(I_v + dI*D_k1/D_2 + I_n)", "A", "largest secondary current", blocks.LEAKAGE),
    Line(
        "I_am",
        "n*(I_pk - dI*D_k2/(2*D_2) + a_k*I_pk/2 + b_k*(I_n + I_v)/4)",
        "A",
        "secondary current halfway to its largest",
        blocks.LEAKAGE,
    ),
    Line("I_D1", "I_o", "A", "average current of rectifier D1", blocks.KIRCHHOFF),
    Line("I_D1rms", "sqrt(D_k2*(4*I_am**2 + I_a**2)/6 + D_k1*I_a**2/3)", "A", "rms current of rectifier D1", blocks.RMS_VALUES),
    Line("I_D1pk", "max(I_a, (4*I_am - I_a)**2/(8*max(2*I_am - I_a, 2*I_am/3)))", "A", "peak current of rectifier D1", blocks.KIRCHHOFF),
    Line(
        "V_D1",
        {
            CONTINUOUS: "V_o + (V_in - R_S1*I_v)*L_m/((L_m + L_k)*n)",
            REVERSED: "V_o + (V_in + max(-R_S1*I_v, k_d*V_BS1))*L_m/((L_m + L_k)*n)",
        },
        "V",
        "voltage that rectifier D1 blocks",
        blocks.KIRCHHOFF,
    ),
    Line("V_D1r", "(1 + m_V)*V_D1", "V", "voltage rating D1 should have", blocks.MARGIN),
    blocks.with_spike("D1", "rectifier"),
    Line("I_D1r", "(1 + m_I)*I_D1pk", "A", "peak current rating D1 should have", blocks.MARGIN),
    *blocks.smoothing(blocks.Shape("I_a", (("D_k2/2", "0", "I_am/I_a"), ("D_k2/2", "I_am/I_a", "1"), ("D_k1", "1", "0")))),
    Line("I_S1", "D_1*I_m - D_k1*(I_n - I_v)/2", "A", "average current of switch S1", blocks.RMS_VALUES),
    Line(
        "I_S1rms", "sqrt(D_k1*(I_n**2 - I_n*I_v + I_v**2)/3 + D_1*(I_m**2 + dI**2/12))", "A", "rms current of switch S1", blocks.RMS_VALUES
    ),
    Line("I_S1pk", "I_pk", "A", "peak current of switch S1", blocks.KIRCHHOFF),
    Line("V_S1", "V_in + 1.01*V_Ccl + k_d*V_BS2", "V", "voltage that switch S1 blocks", blocks.KIRCHHOFF),
    Line("V_S1r", "(1 + m_V)*V_S1", "V", "voltage rating S1 should have", blocks.MARGIN),
    Line("I_S1r", "(1 + m_I)*I_S1pk", "A", "peak current rating S1 should have", blocks.MARGIN),
    Line("I_S2rms", "sqrt(D_k2*I_pk*I_n/3)", "A", "rms current of switch S2 and C_cl", blocks.RMS_VALUES),
    Line("V_S2", "V_S1", "V", "voltage that switch S2 blocks", blocks.KIRCHHOFF),
    *flybacks.windings(),
    *blocks.chopped_input("D_1", "I_m", "dI"),
)


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point."""
    inner = "T.s" if p["R_sT"] > 0.0 else "gnd"
    return (
        p.source(),
        Inductor("L_k", "in", "T.p", p["L_k"], p["R_pT"]),
        *transformers.path("s", "gnd", "T.s", 0.0, p["R_sT"]),
        IdealTransformer("T", (Winding("Np", "T.p", "d", p["n"]), Winding("Ns", inner, "s", 1.0))),
        Inductor("L_m", "T.p", "d", p["L_m"]),
        p.switch("S1", "d", "gnd"),
        p.switch("S2", "c", "d"),
        Capacitor("C_cl", "c", "in", p["C_cl"]),
        p.rectifier("D1", "s", "out"),
        p.capacitor("C_o", "out", "gnd"),
        *p.load(),
    )


def gates(duty: Instant, p: Point) -> Gates:
    """Return the gate pattern: S1 from the start of the period, S2 (and a synchronous D1) in the rest."""
    main = on(0.0, duty)
    return {"S1": main, "S2": complement(main, p["t_d"] * p["f_s"]), **p.rectify(D1=main)}


PAGE = Page(
    name="active-clamp-flyback",
    title="Flyback converter with active clamp",
    good_for="small isolated supplies at high frequency: leakage energy recovered, S1 turns on without voltage",
    conversion="V_o > 0, any magnitude",
    isolated=True,
    reversible=True,
    roles=(*flybacks.ROLES, Role("S2", "switch")),
    ripples=flybacks.RIPPLES,
    sizing=SIZING,
    operation=OPERATION,
    circuit=circuit,
    gates=gates,
    start={"L_m": "I_Lmv", "C_o": "V_o", "C_cl": "V_Ccl", "L_k": "I_pk"},
    idle=("S1", "S2", "L_m"),
    turns=transformers.TURNS,
    looser={"L_k": 0.03},
    proofs=(
        *blocks.held_proofs(),
        *blocks.inductor_proofs("L_m"),
        Proof("dV_o", "load.v", "peak_to_peak", 0.05, "dV_ask"),
        Proof("I_Corms", "C_o.i", "rms", scale="I_ns"),
        *(replace(p, scale="I_ns") if p.symbol in ("I_D1rms", "I_D1pk") else p for p in blocks.device_proofs("S1", "D1", shared=True)),
        Proof("I_S2rms", "S2.i", "rms", scale="I_ns"),
        Proof("V_Ccl", "C_cl.v", "average"),
    ),
    asks=flybacks.flyback_asks(),
    figure=(
        ("gate", ("S1.gate", "S2.gate")),
        ("currents", ("L_m.i", "L_k.i", "D1.i")),
        ("switch voltage", ("@d",)),
        ("output ripple", ("load.v~",)),
        ("output level", ("load.v=",)),
    ),
)
