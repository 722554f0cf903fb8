"""The conduction mode asked for: as a limit of the inductances, and as a verdict."""

from __future__ import annotations

import math
from collections.abc import Callable

from jump_lane.design.derive import Design
from jump_lane.equations.sheet import BOUNDARY, CONTINUOUS, DISCONTINUOUS
from jump_lane.judge.advice import advice
from jump_lane.judge.limit import Limit, Mend, Scene
from jump_lane.operating.mode import towards_boundary

TOUCHING = 1e-6
"""A current that reaches zero no nearer than this touches the boundary, over which dead time may hold it there."""


def mode_limit(design: Design, j: int) -> Limit | None:
    """Return the conduction mode asked for as a limit of the inductances, at load corner j; None where none is asked.

    Synchronous rectifiers conduct through the whole period at any load.  At a given load, half of the ripple over the mean is
    in proportion to 1/L, and the part of the period that does not idle to √L.
    """
    if design.page.naming is not None:
        return None
    wanted = design.spec.switching.mode
    coils = design.page.sized_by_mode
    if wanted == "either" or (wanted == CONTINUOUS and design.synchronous):
        return None
    if wanted == BOUNDARY and design.loads[j] < max(design.loads):
        return None
    page = design.page
    if wanted == DISCONTINUOUS:

        def inverse(scene: Scene) -> float:
            near = towards_boundary(page, scene.recording)
            return 1.0 / near if near > 0.0 else math.inf  # rising towards the end, it never idles

        def shrink(scene: Scene, allowed: float) -> float:
            found = allowed * towards_boundary(page, scene.recording)
            if found <= 0.0:
                return math.nan
            return found * found if found > 1.0 else found

        return _limit(wanted, inverse, Mend(coils, shrink, least=False))

    def measure(scene: Scene) -> float:
        return towards_boundary(page, scene.recording)

    def grow(scene: Scene, allowed: float) -> float:
        value = measure(scene)
        if allowed <= value <= 1.0 + TOUCHING:
            return 1.0
        found = value / allowed
        return found * found if found > 1.0 else found

    return _limit(wanted, measure, Mend(coils, grow))


def _limit(wanted: str, measure: Callable[[Scene], float], mend: Mend) -> Limit:
    return Limit(
        symbol="mode",
        meaning=f"{wanted} conduction",
        unit="",
        measure=measure,
        asked=1.0,
        highest=1.0,
        key="switching.mode",
        otherwise="the current does not fall towards the end of the period; another duty_limit or secondary side does",
        mend=mend,
    )


def judge_mode(design: Design, mode: str, scene: Scene, j: int) -> tuple[bool, str]:
    """Tell whether a simulated mode is the one asked for, and what to change if it is not."""
    wanted = design.spec.switching.mode
    if design.page.naming is not None:
        return True, ""
    if wanted in ("either", BOUNDARY) or mode in (wanted, BOUNDARY):
        return True, ""
    limit = mode_limit(design, j)
    return (True, "") if limit is None else (False, advice(design, limit, scene))
