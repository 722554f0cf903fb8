"""Two-switch flyback: both ends of the primary are switched, and leakage energy returns to the input.

While S1 and S2 conduct, the magnetising inductance sees V_in; afterwards it hands its current over to the secondary.
The leakage inductance drives its current through D_c1 and D_c2 back into the source, so that no switch ever sees more
than V_in.  The reflected output voltage has to stay below V_in.

        in ──┬──S1──┬── a ── L_k ──┐      ┌──D1──┬── out
             │      D_c1           Np ∥ Ns       │
             │      │    ┌── b ────┘      │      C_o   load
            D_c2    │    │                └──────┴──
             └──────│────┤
        gnd ────────┴─S2─┴──
"""

from __future__ import annotations

from jump_lane.circuit.elements import Diode, Element
from jump_lane.circuit.gates import Gates, Instant, on
from jump_lane.equations.sheet import Line
from jump_lane.topologies import blocks
from jump_lane.topologies.blocks import flybacks, transformers
from jump_lane.topologies.page import Bound, Cases, Entry, Page, Proof
from jump_lane.topologies.point import Point
from jump_lane.topologies.role import Role

PRIMARY = "(R_S1 + R_S2 + R_pT)"

OPERATION: tuple[Entry, ...] = (
    Cases(
        transformers.leaking,
        {
            "leaking": flybacks.leaking_operation(
                flybacks.Leaky(
                    (Line("V_cl", "V_in", "V", "clamp voltage across the primary", blocks.KIRCHHOFF),),
                    fall="f_s*L_kT*I_pk/(V_cl - V_2 + R_pT*I_pk/2)",
                    half="I_pk/2",
                    back="f_s*L_kT*max(I_v, 0)/(V_in + V_2)",
                    taken="(D_k2*I_pk + D_k1*max(I_v, 0))/2",
                    primary=PRIMARY,
                )
            ),
            "tight": flybacks.tight_operation(PRIMARY),
        },
    ),
    *flybacks.flyback_currents("2", ("D_1*I_m - D_k2*I_pk/2", "(D_1*(I_m**2 + dI**2/12) + D_k2*I_pk**2/3)")),
    *blocks.device("S1", "(D_1 + D_k1/2)", "I_m", "dI", "V_in"),
    *blocks.device("S2", "(D_1 + D_k1/2)", "I_m", "dI", "V_in"),
    *blocks.device("D_c1", "D_k2", "(I_pk/2)", "I_pk", "V_in", "clamp diode"),
    *flybacks.windings(),
)


def circuit(p: Point) -> tuple[Element, ...]:
    """Return the elements at an operating point."""
    return (
        p.source(),
        p.switch("S1", "in", "a"),
        p.switch("S2", "b", "gnd"),
        Diode("D_c1", "gnd", "a"),
        Diode("D_c2", "b", "in"),
        *transformers.two_windings(p, ("a", "b"), ("gnd", "s")),
        p.rectifier("D1", "s", "out"),
        p.capacitor("C_o", "out", "gnd"),
        *p.load(),
    )


def gates(duty: Instant, p: Point) -> Gates:
    """Return the gate pattern: both switches together, a synchronous D1 in the rest."""
    main = on(0.0, duty)
    return {"S1": main, "S2": main, **p.rectify(D1=main)}


PAGE = Page(
    name="two-switch-flyback",
    title="Two-switch flyback converter",
    good_for="isolated supplies from high input voltage: no switch sees more than V_in, no clamp losses",
    conversion="V_o > 0, reflected below V_in",
    isolated=True,
    roles=(*flybacks.ROLES, Role("S2", "switch")),
    ripples=flybacks.RIPPLES,
    sizing=flybacks.flyback_sizing(PRIMARY),
    operation=OPERATION,
    circuit=circuit,
    gates=gates,
    start={"L_m": "I_Lmv", "C_o": "V_o"},
    idle=("S1", "D1"),
    turns=transformers.TURNS,
    looser=transformers.LOOSER,
    duty_limit=0.4,
    bounds=(Bound("V_or", "V_in", "the clamp diodes would conduct instead of D1; lower the turns ratio or duty_limit"),),
    proofs=(*(p for p in flybacks.flyback_proofs() if p.symbol not in ("V_S1", "V_cl")), Proof("V_S1", "S1.v", "maximum", needs="L_kT")),
    asks=flybacks.flyback_asks(),
    figure=(
        ("gate", ("S1.gate", "S2.gate")),
        ("currents", ("L_m.i", "S1.i", "D1.i")),
        ("primary voltage", ("Np.v",)),
        ("output ripple", ("load.v~",)),
        ("output level", ("load.v=",)),
    ),
)
