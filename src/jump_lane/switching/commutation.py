"""Compiled commutation: which diodes conduct after an event, and what happens to the state.

A combination is tried, and the natural valve that contradicts it most is flipped, until none does.

1. Where entering it would make the states jump, the impulses decide: an open diode driven forward by the
   impulse must conduct, a conducting one driven backward must open.
2. A jump that no diode opposes, and that leaves none with a reversed current as far as that can be had, is carried out (flux
   and charge conserved) and the test goes on from there.
3. Without a jump, conducting currents must not be negative and open voltages not above the forward voltage.

The tables are laid down (``held``): handing them over by value takes as long as the test of a combination.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from jump_lane.switching.propagators import ZERO, inlined, light
from jump_lane.switching.solving import FREE, IMPOSSIBLE
from jump_lane.switching.tables import find

OK, MISSING, CHATTER, UNSOLVABLE, FULL, TOO_MANY, PAUSED, DIVERGED, ENDLESS = 0, 1, 2, 3, 4, 5, 6, 7, 8
"""How a run ends: well; an unknown combination; no consistent combination; contradictory sources; record
full; too many events in a period; where it was asked to pause; with a state beyond all bounds; in a stretch that does not end."""

PRODUCTS, JUMPS, AT, DONE = 0, 1, 2, 3
"""What a run tells: how many products and jumps it took, the combination at its end, periods done."""

FITS = -1
CONTRADICTORY = -2

CONSISTENT, NOISE = 1e-11, 2e-14
"""How far below zero a guard may be: of the sum of the magnitudes that it is made of, and of the size of the state."""

JUMP = 1e-9

SEARCHED, MOST_SEARCHED = 8, 10
"""Natural valves up to which all combinations are tried, and of more of them how many may be in doubt."""

SINGLY, JOINTLY = 6, 3
"""Valves flipped at an event, times their number: one after the other, and besides for a jump that reverses no current."""

DOUBT = 1e3
"""Times rounding that a guard may be off where nothing else fits: the state has gathered some on its way."""

EDGE = 1e-6
"""A guard below this part of the magnitudes that it is made of is at the edge."""


class Sizes(NamedTuple):
    """Numbers of states n, entries of z, gated and natural valves, tangent columns, trips, meters, states of the law.

    `energy` is what a state at rest is compared with [J].
    """

    n: int
    nz: int
    gated: int
    natural: int
    columns: int
    trips: int
    meters: int
    laws: int
    energy: float


@light
def apply(maps, c, z, out):
    """out = maps[c]·z."""
    for i in range(maps.shape[1]):
        s = 0.0
        for j in range(z.shape[0]):
            s += maps[c, i, j] * z[j]
        out[i] = s


@light
def size_of(z, n, energy):
    """Return the norm of the states, that of a circuit at rest included."""
    s = energy
    for i in range(n):
        s += z[i] * z[i]
    return np.sqrt(s)


@inlined
def _lowest(watch, c, first, count, nz, z):
    """Return the most negative of some watched rows applied to z, which one it is, and the largest magnitude."""
    low, which, large = 0.0, -1, 0.0
    for k in range(count):
        s = 0.0
        for j in range(nz):
            s += watch[c, j, first + k] * z[j]
        large = max(large, abs(s))
        if s < low:
            low, which = s, k
    return low, which, large


@light
def magnitude(watch, c, z, nz, row):
    """Return the sum of magnitudes of a watched row applied to z."""
    s = 0.0
    for j in range(nz):
        s += abs(watch[c, j, row] * z[j])
    return s


@light
def _broken(held, c, sizes, z, doubt, valves):
    """Return the guard that is most below zero by more than `doubt` times rounding, of some valves (bits), or FITS."""
    tables = held[0]
    which, low, watch, large = FITS, 0.0, tables.watch, size_of(z, sizes.n, 0.0)
    for k in range(sizes.natural):
        if not (valves >> k) & 1:
            continue
        s, size = 0.0, 0.0
        for j in range(watch.shape[1]):
            term = watch[c, j, k] * z[j]
            s += term
            size += abs(term)
        if s < low and -s > doubt * (CONSISTENT * size + NOISE * (large + tables.rest[c, k])):
            which, low = k, s
    return which


@inlined
def _jumps(tables, c, z, entered, sizes, tick, work):
    """Tell whether entering configuration c moves the state by more than a tick's worth."""
    apply(tables.rate, c, z, work)
    moved, speed = 0.0, 0.0
    for i in range(sizes.n):
        moved += (entered[i] - z[i]) ** 2
        speed += work[i] ** 2
    return np.sqrt(moved) > JUMP * size_of(z, sizes.n, sizes.energy) + 8.0 * tick * np.sqrt(speed)


@light
def _misfit(held, c, z, entered, sizes, tick, work, doubt):
    """Test configuration c against the state z; `entered` receives the state after entering it.

    Returns the natural valve to flip, FITS or CONTRADICTORY, and whether a jump has to be carried out.
    """
    tables, d = held[0], sizes.natural
    kind = tables.info[c, 2]
    for i in range(sizes.nz):
        entered[i] = z[i]
    jumped = False
    if kind != FREE:
        apply(tables.projection, c, z, entered)
        if kind == IMPOSSIBLE or _jumps(tables, c, z, entered, sizes, tick, work):
            low, which, large = _lowest(tables.watch, c, 3 * (d + sizes.trips), d, sizes.nz, z)
            if which >= 0 and -low > 1e-6 * large:
                return which, False
            if kind == IMPOSSIBLE:
                return CONTRADICTORY, False
            jumped = True
    return _broken(held, c, sizes, entered, doubt, ZERO - 1), jumped


@light
def _project(held, c, z, p, columns, sizes, work):
    """Carry z and the tangent columns onto the constraints of configuration c."""
    tables, n = held[0], sizes.n
    apply(tables.projection, c, z, work)
    for i in range(n):
        z[i] = work[i]
    for m in range(columns):
        apply(tables.projection, c, p[m], work)
        for i in range(n):
            p[m, i] = work[i]


@light
def commutate(held, combo, z, p, columns, sizes, tick, work, stats):
    """Find the combination after an event and carry the state (and tangents) over.

    Returns status, combination, configuration.
    """
    tables, entered, seen, patience = held[0], work[0], ZERO, JOINTLY * (sizes.natural + 1)
    for _ in range((SINGLY + JOINTLY) * (sizes.natural + 1)):
        c = find(tables.info, combo)
        if c < 0:
            return MISSING, combo, c
        which, jumped = _misfit(held, c, z, entered, sizes, tick, work[1], 1.0)
        if which == CONTRADICTORY:
            return UNSOLVABLE, combo, c
        turned = FITS
        if jumped and patience > 0:
            closed = combo >> sizes.gated
            turned = _broken(held, c, sizes, entered, 1.0, closed)
        if turned != FITS:
            which, patience = turned, patience - 1
        elif tables.info[c, 2] != FREE and (jumped or which == FITS):
            _project(held, c, z, p, columns, sizes, work[1])
            stats[JUMPS] += jumped
        if which == FITS:
            return OK, combo, c
        combo ^= 1 << (sizes.gated + which)
        seen |= 1 << which
    status, found, c = _search(held, combo, seen, z, p, columns, sizes, tick, work, 1.0)
    if status == CHATTER:
        return _search(held, combo, seen, z, p, columns, sizes, tick, work, DOUBT)
    return status, found, c


@inlined
def _doubtful(tables, combo, seen, z, sizes):
    """Return the natural valves that may be flipped: all if they are few, or those that went round in circles and any that
    are at the edge of conducting; two in series start together."""
    if sizes.natural <= SEARCHED:
        return (1 << sizes.natural) - 1
    for flipped in (0, seen):
        c = find(tables.info, combo ^ (flipped << sizes.gated))
        if c < 0:
            continue
        for k in range(sizes.natural):
            value = 0.0
            for j in range(sizes.nz):
                value += tables.watch[c, j, k] * z[j]
            if value <= EDGE * magnitude(tables.watch, c, z, sizes.nz, k):
                seen |= 1 << k
    return seen


@light
def _search(held, combo, seen, z, p, columns, sizes, tick, work, doubt):
    """Try every combination of natural valves in doubt, where flipping the worst one went round in circles.

    Guards may be off by `doubt` times rounding.
    """
    tables, channels = held[0], combo & ((1 << sizes.gated) - 1)
    free = _doubtful(tables, combo, seen, z, sizes)
    fixed, count = (combo >> sizes.gated) & ~free, 0
    for k in range(sizes.natural):
        count += (free >> k) & 1
    code, left = 0, 1 << count
    if count > MOST_SEARCHED:
        left = 0
    while left > 0:
        left -= 1
        candidate = channels | ((fixed | code) << sizes.gated)
        code = (code - free) & free
        c = find(tables.info, candidate)
        if c < 0:
            return MISSING, candidate, c
        which, _ = _misfit(held, c, z, work[0], sizes, tick, work[1], doubt)
        if which == FITS:
            if tables.info[c, 2] != FREE:
                _project(held, c, z, p, columns, sizes, work[1])
            return OK, candidate, c
    return CHATTER, combo, -1
