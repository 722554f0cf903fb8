"""What mends a limit that is not kept: component values as the waveform asks for them, or what stands against it."""

from __future__ import annotations

import math

from jump_lane.design.derive import Design
from jump_lane.judge.limit import Limit, Scene
from jump_lane.quantities import show


def advice(design: Design, limit: Limit, scene: Scene) -> str:
    """Return what to change so that a limit is kept at this operating point."""
    mend = limit.mend
    if mend is None:
        return limit.otherwise
    factor = mend.factor(scene, limit.highest)
    known = [c for c in mend.components if c in design.sheet]
    if math.isinf(factor):
        more = f": {limit.otherwise}" if limit.otherwise else ""
        return f"no {' or '.join(known)} is large enough at this load{more}"
    if math.isnan(factor):
        esr = "lower its resistance (the ESR), which alone makes more"
        return f"no {' or '.join(known)} mends that: {limit.otherwise or esr}"
    verb, end = ("raise", "at least") if mend.least else ("lower", "at most")
    changes = (
        f"{symbol} from {show(value.worst, value.unit)} to {end} {show(value.worst * factor, value.unit)}"
        for symbol, value in ((c, design.sheet[c]) for c in known)
    )
    return f"{verb} {' and '.join(changes)}"


def judged(design: Design, limit: Limit, scene: Scene, value: float) -> tuple[bool, str]:
    """Return whether a value keeps a limit, and what to say of it."""
    holds, said = limit.judge(value)
    if holds or not math.isfinite(value):
        return holds, said
    return holds, f"{said}: {advice(design, limit, scene)}"
