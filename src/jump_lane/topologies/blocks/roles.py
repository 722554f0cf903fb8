"""Components and gate patterns that several pages have in common."""

from __future__ import annotations

from jump_lane.circuit.gates import Gates, Instant, on, shifted
from jump_lane.topologies.point import Point
from jump_lane.topologies.role import Role

S1, D1, L, C_O, C_I = (
    Role("S1", "switch"),
    Role("D1", "rectifier"),
    Role("L", "inductor"),
    Role("C_o", "capacitor"),
    Role("C_i", "capacitor"),
)

SINGLE = (S1, D1, L, C_O, C_I)
"""One switch, one rectifier, one inductor."""

PAIR = (S1, D1, Role("L1", "inductor"), Role("L2", "inductor"), Role("T", "coupling"), Role("C_s", "capacitor"), C_O, C_I)
"""One switch, one rectifier, two inductors (on one core or on two), a coupling capacitor."""

FLYBACK = (S1, D1, Role("T", "transformer"), Role("L_m", "magnetising"), C_O, C_I)
"""One switch, one rectifier, and a transformer that stores what it hands over."""

FURTHER = range(2, 9)
"""Numbers of the phases made like the first."""

PHASES = (
    Role("S1", "switch", also=tuple(f"S{k}" for k in FURTHER)),
    Role("D1", "rectifier", also=tuple(f"D{k}" for k in FURTHER)),
    Role("L", "inductor", "L1", tuple(f"L{k}" for k in FURTHER)),
    C_O,
    C_I,
)
"""Several phases; S1, D1 and L stand for those of every phase."""


def main_switch(duty: Instant, p: Point) -> Gates:
    """Return the gate pattern: S1 from the start of the period, a synchronous D1 in the rest."""
    main = on(0.0, duty)
    return {"S1": main, **p.rectify(D1=main)}


def both_switches(duty: Instant, p: Point) -> Gates:
    """Return the gate pattern: S1 and S2 together, synchronous rectifiers in the rest."""
    main = on(0.0, duty)
    others = [name for name in ("D1", "D2") if name in p.owners]
    return {"S1": main, "S2": main, **p.rectify(**dict.fromkeys(others, main))}


def phase_switches(duty: Instant, p: Point) -> Gates:
    """Return the gate pattern of several phases: each switch a part of the period after the one before."""
    count = int(p["N"])
    main = [shifted(on(0.0, duty), k / count) for k in range(count)]
    rectified = p.rectify(**{f"D{k}": spans for k, spans in enumerate(main, start=1)})
    return {**{f"S{k}": spans for k, spans in enumerate(main, start=1)}, **rectified}


def panels(node: str, *inductors: str) -> tuple[tuple[str, tuple[str, ...]], ...]:
    """Return the panels of the figure of a converter with one switch and one rectifier."""
    return (
        ("gate", ("S1.gate", "D1.gate")),
        ("inductor current", tuple(f"{name}.i" for name in inductors)),
        ("device currents", ("S1.i", "D1.i")),
        ("switch node", (f"@{node}",)),
        *OUTPUT_PANELS,
    )


OUTPUT_PANELS = (("output ripple", ("load.v~",)), ("output level", ("load.v=",)))

PHASE_PANELS = (
    ("gate", tuple(f"S{k}.gate" for k in range(1, 5))),
    ("inductor current", tuple(f"L{k}.i" for k in range(1, 5))),
    ("input current", ("source.i",)),
    ("switch node", ("@sw1",)),
    *OUTPUT_PANELS,
)
"""Panels of the figure of several phases; the first four are drawn."""
