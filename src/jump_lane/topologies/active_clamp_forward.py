"""Active-clamp forward: a second switch and a capacitor reset the core over all of the off-time.

While S1 conducts, the secondary puts V_in/n through D1 to the inductor.  While S2 conducts instead, the magnetising
current swings through C_cl, whose voltage V_in·D/(1 − D) resets the core; so the duty ratio may exceed one half.

        in ──┬──────────┬            ┌─ s ──D1──┬── sw ──L──┬── out
             Np (dot)  C_cl          Ns (dot)   │           │
             │          │       ∥    │          D2         C_o   load
             a ───S2─── c            │          │           │
             S1                      └──────────┴───────────┴──
        gnd ─┴──
"""

from __future__ import annotations

from jump_lane.circuit.elements import Capacitor, Element
from jump_lane.circuit.gates import Gates, Instant, complement, on
from jump_lane.derivation import Line
from jump_lane.topologies import blocks
from jump_lane.topologies.blocks import forwards, transformers
from jump_lane.topologies.page import Entry, Page, Point, Proof, Role

SIZING: tuple[Entry, ...] = (
    *forwards.forward_sizing(),
    Line(
        "C_cl",
        "(2*(1 - D_c)/f_s)**2/L_m",
        "F",
        "clamp capacitance: half a radian of resonance with L_m in the off-time",
        blocks.VOLT_SECONDS,
        component=True,
    ),
)

OPERATION = (
    *forwards.forward_operation(),
    Line(
        "V_cl",
        "V_in*D_w/(1 - D_w)",
        "V",
        "clamp voltage above the input, average over the off-time",
        blocks.VOLT_SECONDS,
    ),
    Line(
        "Q_k",
        "L_kT*I_pk**2/(2*n**2*V_cl)",
        "C",
        "charge that leakage puts into the clamp",
        blocks.LEAKAGE_FORWARD,
    ),
    Line(
        "I_Mo",
        "-Q_k*f_s/(1 - D_w)",
        "A",
        "average magnetising current that takes it out",
        blocks.LEAKAGE_FORWARD,
    ),
    Line(
        "dV_cl",
        "(max(dI_Lm/2 + I_Mo, 0*I_Mo)**2*(1 - D_w)/(2*dI_Lm*f_s) + Q_k)/C_cl",
        "V",
        "ripple of the clamp capacitor, peak to peak",
        blocks.OUTPUT_FILTER,
    ),
    Line("V_clm", "V_cl - 2/3*D_w*dV_cl", "V", "the same, average over the period", blocks.VOLT_SECONDS),
    *forwards.primary_device("S1", "V_in + V_cl + dV_cl/3 + k_d*V_BS2", "I_Mo"),
    Line(
        "I_S2rms",
        "dI_Lm/2*sqrt((1 - D_w)/3)",
        "A",
        "rms current of switch S2, without leakage",
        blocks.RMS_VALUES,
    ),
    Line("V_S2", "V_S1", "V", "voltage that switch S2 blocks", blocks.KIRCHHOFF),
    *forwards.secondary("(V_cl + dV_cl/3)", idle="(V_cl + dV_cl/6)/n + V_o"),
)


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point."""
    return (
        p.source(),
        p.switch("S1", "a", "gnd"),
        p.switch("S2", "c", "a"),
        Capacitor("C_cl", "c", "in", p["C_cl"]),
        *forwards.transformer(p, ("in", "a")),
    )


def gates(duty: Instant, p: Point) -> Gates:
    """Return the gate pattern: S2 while S1 is open."""
    return {**forwards.forward_gates(duty, p), "S2": complement(on(0.0, duty), p["t_d"] * p["f_s"])}


PAGE = Page(
    name="active-clamp-forward",
    title="Forward converter with active clamp",
    good_for="isolated supplies with a wide input range: duty ratio beyond one half, core driven both ways",
    conversion="0 < V_o < V_in/n",
    isolated=True,
    roles=(*forwards.ROLES, Role("S2", "switch")),
    ripples=forwards.RIPPLES,
    sizing=SIZING,
    operation=OPERATION,
    circuit=circuit,
    gates=gates,
    start={**forwards.START, "C_cl": "V_cl"},
    idle=("D1", "D2"),
    turns=transformers.TURNS,
    looser=transformers.LOOSER,
    duty_limit=0.6,
    proofs=(
        *forwards.forward_proofs(),
        Proof("V_clm", "C_cl.v", "average"),
        Proof("dV_cl", "C_cl.v", "peak_to_peak", 0.05),
    ),
    asks=blocks.single_asks(),
    figure=forwards.PANELS,
)
