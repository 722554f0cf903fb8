"""The conduction mode that a recording shows, and how far it is from its boundary."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from jump_lane.equations.sheet import BOUNDARY, CONTINUOUS, DISCONTINUOUS, FAINT, NEAR, REVERSED
from jump_lane.topologies.page import Page
from jump_lane.topologies.point import Point

if TYPE_CHECKING:
    from jump_lane.switching.record import Recording


def idle_part(page: Page, recording: Recording) -> float:
    """Return the part of the period in which the circuit idles."""
    if page.quiet:
        return 1.0 - recording.flowing(f"{page.quiet}.i", FAINT)
    return 1.0 - recording.carrying(*(v for name in page.idle for v in (name, f"{name}.body")))


def simulated_mode(page: Page, point: Point, recording: Recording) -> str:
    """Return the mode that a recording shows: as its page names it, or how the inductor conducts."""
    if page.naming is not None:
        return page.naming.shown(recording, point)
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
