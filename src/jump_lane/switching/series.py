"""Compiled: a short stretch as its Taylor series, which gives the state at any instant in it without a ladder of steps.

z(s) = Σ terms[k]·sᵏ with s = 0 … 1 over the stretch; it ends where what is left out is below rounding, which a stretch
that resolves the fastest change allows after a dozen terms.
"""

from __future__ import annotations

from jump_lane.switching.propagators import inlined, light, weigh
from jump_lane.switching.tables import RESOLVED

MOST = 16
"""Terms behind the first, at most."""

LEFT_OUT = 1e-18
"""What the last term may be, of the first."""

ROOT_STEPS = 60
"""Steps of the search for a root; each at least halves what is left of the stretch."""

STATE, POLYNOMIAL, POWERS = MOST + 1, MOST + 2, MOST + 3
ROOM = MOST + 4
"""Rows that the work space of a series needs: its terms, a state, the polynomial of a row, and powers; it is as wide at least."""

TRUNCATED = 0.1
"""By how much of the closeness that is asked terms of a polynomial may move its root, to be left out."""


@inlined
def expand(turned, c, z, h, fine, terms):
    """Fill the terms of z over a stretch of length h [s], `fine` times the longest that is resolved; return the last."""
    nz, last, size = z.shape[0], 0, 1.0
    for i in range(nz):
        terms[0, i] = z[i]
    while size > LEFT_OUT and last < MOST:
        last += 1
        size *= RESOLVED * fine / last
        weigh(turned[c], terms[last - 1], h / last, nz, terms[last])
    return last


@inlined
def state_at(terms, last, s, out):
    """Write the state at the part s of the stretch."""
    powers = terms[POWERS]
    powers[0] = 1.0
    for k in range(last):
        powers[k + 1] = powers[k] * s
    weigh(terms[: last + 1], powers, 1.0, out.shape[0], out)


@light
def first_root(watch, c, row, terms, last, slack, closely, q):
    """Return where in the stretch a watched row, which ends below its slack, falls below it: 0 … 1, closely enough; q is work space."""
    for k in range(last + 1):
        q[k] = 0.0
    for j in range(watch.shape[1]):
        weight = watch[c, j, row]
        if weight != 0.0:
            for k in range(last + 1):
                q[k] += weight * terms[k, j]
    q[0] -= slack
    low, high, end = 0.0, 1.0, 0.0
    if q[0] <= 0.0:
        return 0.0
    for k in range(last + 1):
        end += q[k]
    fall = q[0] - min(end, 0.0)
    while last > 1 and abs(q[last]) <= TRUNCATED * closely * fall:
        last -= 1
    s = q[0] / fall
    for _ in range(ROOT_STEPS):
        value, slope = q[last], 0.0
        for k in range(last - 1, -1, -1):
            slope = slope * s + value
            value = value * s + q[k]
        if value < 0.0:
            high = s
        else:
            low = s
        ahead = s - value / slope if slope < 0.0 else -1.0
        if not low < ahead < high:
            ahead = 0.5 * (low + high)
        if abs(ahead - s) <= closely:
            return ahead
        s = ahead
    return low
