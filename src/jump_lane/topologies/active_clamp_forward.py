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
from jump_lane.equations.sheet import CONTINUOUS, REVERSED, Line
from jump_lane.topologies import blocks
from jump_lane.topologies.blocks import forwards, transformers
from jump_lane.topologies.page import Cases, Entry, Page, Proof
from jump_lane.topologies.point import Point
from jump_lane.topologies.role import Role

PRIMARY = "(R_S1 + R_pT)"

RESONANT = dict.fromkeys(forwards.SIDES, "(1/L_m + 1/(n**2*L))") | {"half-wave": "1/L_m"}

SIZING: tuple[Entry, ...] = (
    *forwards.forward_sizing(forwards.clamped.sizing(PRIMARY)),
    Cases(
        transformers.secondary,
        {
            kind: (
                Line(
                    "C_cl",
                    f"(2*(1 - D_c)/f_s)**2*{inductance}",
                    "F",
                    "clamp capacitance: half a radian of resonance in the off-time",
                    blocks.VOLT_SECONDS,
                    component=True,
                ),
            )
            for kind, inductance in RESONANT.items()
        },
    ),
)

OPERATION: tuple[Entry, ...] = (
    *forwards.clamped.operation(PRIMARY),
    *forwards.primary_device("S1", "V_in + V_r"),
    Line("V_S2", "V_S1", "V", "voltage that switch S2 blocks", blocks.KIRCHHOFF),
    *forwards.clamped.rectifiers(),
    Line(
        "k_u",
        {CONTINUOUS: "k_d*min(1, 1e9*V_BS1/V_in)*min(1, max(0, -1e9*I_p1/I_max))", REVERSED: "0"},
        "",
        "1 where the core begins the pulse in dead time",
        blocks.KIRCHHOFF,
    ),
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


EARLY = (
    "Where the core has more current than the inductor's valley, S1's body diode begins the pulse a dead time early; the "
    "formulas leave that out, so that D is derived too large by up to t_d·f_s, and the clamp voltage with it."
)

PAGE = Page(
    name="active-clamp-forward",
    title="Forward converter with active clamp",
    good_for="isolated supplies with a wide input range: duty ratio beyond one half, core driven both ways",
    conversion="0 < V_o < V_in/n (twice behind a centre tap or a bridge)",
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
    proofs=(*forwards.forward_proofs(), Proof("V_clm", "C_cl.v", "average"), Proof("dV_cl", "C_cl.v", "peak_to_peak", 0.05, "dV_cls")),
    bounds=forwards.BOUNDS,
    caveats={**forwards.CAVEATS, "k_u": EARLY},
    asks=forwards.forward_asks(),
    secondaries=forwards.SIDES,
    figure=forwards.PANELS,
)
