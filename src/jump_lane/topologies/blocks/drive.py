"""Gate patterns and components that several pages have in common."""

from __future__ import annotations

from jump_lane.circuit.gates import Gates, Instant, on, shifted
from jump_lane.topologies.point import Point
from jump_lane.topologies.role import Role

SINGLE_ROLES = (Role("S1", "switch"), Role("D1", "rectifier"), Role("L", "inductor"), Role("C_o", "capacitor"), Role("C_i", "capacitor"))
"""One switch, one rectifier, one inductor."""

PAIR_ROLES = (
    Role("S1", "switch"),
    Role("D1", "rectifier"),
    Role("L1", "inductor"),
    Role("L2", "inductor"),
    Role("T", "coupling"),
    Role("C_s", "capacitor"),
    Role("C_o", "capacitor"),
    Role("C_i", "capacitor"),
)
"""One switch, one rectifier, two inductors (on one core or on two), a coupling capacitor."""

FURTHER = range(2, 9)
"""Numbers of the phases made like the first."""

PHASE_ROLES = (
    Role("S1", "switch", also=tuple(f"S{k}" for k in FURTHER)),
    Role("D1", "rectifier", also=tuple(f"D{k}" for k in FURTHER)),
    Role("L", "inductor", "L1", tuple(f"L{k}" for k in FURTHER)),
    Role("C_o", "capacitor"),
    Role("C_i", "capacitor"),
)
"""Several phases; S1, D1 and L stand for those of every phase."""

PHASE_START = {"L1": "I_Lv", **{f"L{k}": "I_L" for k in range(2, 9)}, "C_o": "V_o"}
"""Where the simulation of several phases may start."""


def main_switch(duty: Instant, p: Point) -> Gates:
    """Return the gate pattern: S1 from the start of the period, a synchronous D1 in the rest."""
    main = on(0.0, duty)
    return {"S1": main, **p.rectify(D1=main)}


def phase_switches(duty: Instant, p: Point) -> Gates:
    """Return the gate pattern of several phases: each switch a part of the period after the one before."""
    count = int(p["N"])
    main = [shifted(on(0.0, duty), k / count) for k in range(count)]
    rectified = p.rectify(**{f"D{k}": spans for k, spans in enumerate(main, start=1)})
    return {**{f"S{k}": spans for k, spans in enumerate(main, start=1)}, **rectified}
