"""The conduction mode that a recording shows, how far it is from its boundary, and whether it is the one asked for."""

from __future__ import annotations

import math
from collections.abc import Callable

from jump_lane.derivation import BOUNDARY, CONTINUOUS, DISCONTINUOUS, FAINT, NEAR, REVERSED
from jump_lane.judge.limit import Limit, Mend, Scene
from jump_lane.quantities import show
from jump_lane.switching.record import Recording
from jump_lane.topologies.design import Design
from jump_lane.topologies.page import Page


def idle_part(page: Page, recording: Recording) -> float:
    """Return the part of the period in which the circuit idles."""
    if page.quiet:
        return 1.0 - recording.flowing(f"{page.quiet}.i", FAINT)
    return 1.0 - recording.carrying(*(v for name in page.idle for v in (name, f"{name}.body")))


def simulated_mode(page: Page, recording: Recording) -> str:
    """Return the conduction mode that a recording shows."""
    rectifier = page.idle[-1]
    current = recording.measures(f"{rectifier}.i")
    if idle_part(page, recording) > NEAR:
        return DISCONTINUOUS
    whole = page.reversible or page.quiet
    last = current.minimum if whole else recording.last_current(rectifier)
    if abs(last) < NEAR * current.peak:
        return BOUNDARY
    together = last if whole else recording.lowest(*(f"{name}.i" for name in page.idle))
    return REVERSED if min(last, together) < -NEAR * current.peak else CONTINUOUS


def towards_boundary(page: Page, recording: Recording) -> float:
    """Return how near the boundary of continuous conduction is: 1 there, less in continuous conduction.

    In continuous conduction it is half of the ripple over the mean of the current handed over, in discontinuous conduction
    the period over the part of it that does not idle.
    """
    idle = idle_part(page, recording)
    if idle > 0.0:
        return 1.0 / max(1.0 - idle, 1e-6)
    rectifier = page.idle[-1]
    current = recording.measures(f"{rectifier}.i")
    if page.reversible or page.quiet:
        least = FAINT * current.peak if page.quiet else 0.0
        mean = current.average - least
        return 1.0 - (current.minimum - least) / mean if mean > 0.0 else math.inf
    part = recording.carrying(rectifier, f"{rectifier}.body")
    last = recording.last_current(rectifier)
    mean = current.average / max(part, 1e-9)
    return 1.0 - last / mean if mean > 0.0 else math.inf


def mode_limit(design: Design, j: int) -> Limit | None:
    """Return the conduction mode asked for as a limit of the inductances, at load corner j; None where none is asked.

    Synchronous rectifiers conduct through the whole period at any load.
    """
    wanted = design.spec.switching.mode
    coils = design.page.sized_by_mode
    if wanted == "either" or (wanted == CONTINUOUS and design.synchronous):
        return None
    if wanted == BOUNDARY and design.loads[j] < max(design.loads):
        return None
    page = design.page
    if wanted == DISCONTINUOUS:

        def inverse(scene: Scene) -> float:
            return 1.0 / towards_boundary(page, scene.recording)

        def shrink(scene: Scene, allowed: float) -> float:
            found = allowed / inverse(scene)
            return found * found if found > 1.0 else found

        return _limit(wanted, inverse, Mend(coils, shrink, least=False))

    def measure(scene: Scene) -> float:
        return towards_boundary(page, scene.recording)

    return _limit(wanted, measure, Mend(coils, lambda scene, allowed: measure(scene) / allowed))


def _limit(wanted: str, measure: Callable[[Scene], float], mend: Mend) -> Limit:
    return Limit(
        symbol="mode",
        meaning=f"{wanted} conduction",
        unit="",
        measure=measure,
        asked=1.0,
        highest=1.0,
        key="switching.mode",
        remedy=lambda _: "",
        mend=mend,
    )


def judge_mode(design: Design, mode: str) -> tuple[bool, str]:
    """Tell whether a simulated mode is the one asked for, and what to change if it is not."""
    wanted = design.spec.switching.mode
    if wanted in ("either", BOUNDARY) or mode in (wanted, BOUNDARY):
        return True, ""
    if wanted == CONTINUOUS:
        if design.synchronous:
            return True, ""
        return False, f"raise L to at least {show(design.sheet['L_crit'].worst, 'H')}"
    smallest = float(design.sheet["L_full"].values.min())
    return False, f"lower L below {show(smallest, 'H')}"
