"""Several phases in parallel, shifted by equal parts of the period: what their ripples leave of each other."""

from __future__ import annotations

from jump_lane.equations.sheet import Line
from jump_lane.topologies.blocks.sources import DEFINITION


def shares() -> tuple[Line, ...]:
    """Return the load current of one phase."""
    return (
        Line("I_ph", "I_o/N", "A", "load current of one phase", DEFINITION),
        Line("I_phf", "I_max/N", "A", "load current of one phase at full load", DEFINITION),
    )
