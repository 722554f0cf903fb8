"""Angles of two bridges with which every switch turns on without voltage, at the least rms current that leaves.

All is in parts, as in `bridges`.  A leg swings over as it changes if the current that it finds then is large enough and has
the right direction, and stays over if that current has not turned round before the dead time ends.  Where no angles do that
for all four legs, those are taken that do it for most.  There is no closed form: angles are searched for, in ever finer
squares about the best ones.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from jump_lane.equations.bridges import Array, bridges_at, bridges_phase, bridges_rms, each

WIDEST = 0.49
"""Largest zero interval that is tried, part of the period."""

POINTS, FINER, ROUNDS, BEST = 25, 0.5, 18, 4
"""Points on a side of a square, how much smaller the next one is, how many there are; from how many places the search starts."""

KEPT = 0.6
"""Part of the current that a leg needs that is to be left as its dead time ends: the swing itself delays the edges."""

LACK = 1e-9
"""What may lack of a current, over V_1·T/L: rounding."""


def soft_t1(p: Array, m: Array, first: Array, second: Array, aid: Array, dead: Array) -> Array:
    """Return the inner angle of the first bridge.

    Parameters
    ----------
    p, m
        Power over V_1²·T/L and voltage ratio.
    first, second
        Currents that the legs of both bridges need, seen at the first, over V_1·T/L.
    aid
        Peak magnetising current over V_1·T/L without a zero interval of the second bridge, which helps to swing its legs over.
    dead
        Dead time, part of the period.
    """
    return each(lambda *values: _angles(*values)[0], p, m, first, second, aid, dead)


def soft_t2(p: Array, m: Array, first: Array, second: Array, aid: Array, dead: Array) -> Array:
    """Return the inner angle of the second bridge; see `soft_t1`."""
    return each(lambda *values: _angles(*values)[1], p, m, first, second, aid, dead)


@lru_cache(maxsize=4096)
def _angles(*asked: float) -> tuple[float, float]:
    """Return both inner angles; not numbers where none passes the power on."""
    side = np.linspace(0.0, WIDEST, POINTS)
    hard, rms, t1, t2 = _looked_at(asked, *(a.ravel() for a in np.meshgrid(side, side)))
    order = np.lexsort((rms, hard))[:BEST]
    if not np.isfinite(rms[order[0]]):
        return float("nan"), float("nan")
    return _refined(asked, np.stack([t1[order], t2[order]]))


def _refined(asked: tuple[float, ...], places: Array) -> tuple[float, float]:
    """Return both angles of the best place near some, (2, places), in ever finer squares about each."""
    half, count = WIDEST / (POINTS - 1), places.shape[1]
    steps = np.linspace(-1.0, 1.0, 7)
    around = np.stack([a.ravel() for a in np.meshgrid(steps, steps)])
    every = np.arange(count)
    for _ in range(ROUNDS):
        tried = np.clip(places[:, :, None] + half * around[:, None, :], 0.0, WIDEST)
        hard, rms, *_ = _looked_at(asked, *(t.ravel() for t in tried))
        best = np.lexsort((rms.reshape(count, -1), hard.reshape(count, -1)), axis=1)[:, 0]
        places = tried[:, every, best]
        half *= FINER
    hard, rms, t1, t2 = _looked_at(asked, *places)
    k = int(np.lexsort((rms, hard))[0])
    return float(t1[k]), float(t2[k])


def _looked_at(asked: tuple[float, ...], t1: Array, t2: Array) -> tuple[Array, Array, Array, Array]:
    """Return how many legs are not swung over, the rms current, and the angles."""
    p, m, first, second, aid, dead = asked
    power, ratio = np.full_like(t1, p), np.full_like(t1, m)
    phi = bridges_phase(power, ratio, t1, t2)
    helped = aid * (1.0 - 2.0 * t2)
    legs = (
        (np.zeros_like(t1), -1.0, 0.0, first),
        (0.5 - t1, 1.0, 0.0, first),
        (phi, 1.0, helped, second),
        (phi + 0.5 - t2, -1.0, helped, second),
    )
    with np.errstate(invalid="ignore"):
        rms = bridges_rms(ratio, phi, t1, t2)
        hard = np.zeros_like(t1)
        for at, sign, more, needed in legs:
            now, then = (sign * bridges_at(ratio, phi, t1, t2, x) + more for x in (at, at + dead))
            hard += (now < needed - LACK) | (then < KEPT * needed - LACK)
    gone = ~np.isfinite(phi)
    return np.where(gone, np.inf, hard), np.where(gone, np.inf, rms), t1, t2


SOFT_BRIDGES = {f.__name__: f for f in (soft_t1, soft_t2)}
"""Functions of formulas, by name."""
