"""Forward converters whose core drives its current back into the input, behind every secondary side they can have."""

from __future__ import annotations

from jump_lane.equations.sheet import Line
from jump_lane.topologies.blocks.forwards import doubled, half_wave, rectified, rectified_sizing
from jump_lane.topologies.blocks.forwards.lines import left_for_reset
from jump_lane.topologies.blocks.forwards.paths import PATHS
from jump_lane.topologies.blocks.transformers import secondary
from jump_lane.topologies.page import ByTarget, Cases, Entry


def sizing(primary: str) -> dict[str, tuple[Line | ByTarget, ...]]:
    """Return the sizing of every secondary side; ``primary`` is the primary resistance."""
    found = {kind: rectified_sizing.sizing(paths, primary) for kind, paths in PATHS.items()}
    return {"half-wave": half_wave.sizing(primary), **found, "current-doubler": doubled.sizing(primary)}


def operation(primary: str, reset: str, turns: str = "1") -> tuple[Entry, ...]:
    """Return the operation up to primary current and reset.

    Parameters
    ----------
    primary
        Formula of the resistance of the primary circuit.
    reset
        Formula of the primary voltage at which the core drives its current back into the input.
    turns
        Formula of the turns of the winding that leads back there, over those of the primary.
    """
    plain = (*half_wave.operation(primary), *half_wave.freely_reset(reset, turns))
    found = {kind: rectified.operation(paths, primary, reset, turns) for kind, paths in PATHS.items()}
    doubler = doubled.operation(primary, reset, turns)
    return (Cases(secondary, {"half-wave": plain, **found, "current-doubler": doubler}), left_for_reset())


def rectifiers(switches: str = "1") -> tuple[Entry, ...]:
    """Return rectifiers, windings, output and input; ``switches`` is how many are in series with the primary."""
    plain = half_wave.rectifiers(switches, returned=True)
    found = {kind: rectified.rectifiers(paths, switches) for kind, paths in PATHS.items()}
    doubler = doubled.rectifiers()
    return (Cases(secondary, {"half-wave": plain, **found, "current-doubler": doubler}),)
