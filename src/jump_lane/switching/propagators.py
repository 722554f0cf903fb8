"""Compiled matrix work: propagators on a ladder of step lengths.

Scalar loops over small dense matrices, compiled once by numba and cached.

References
----------
C. Moler and C. Van Loan, "Nineteen dubious ways to compute the exponential of a matrix, twenty-five years
later", SIAM Review 45 (2003) 3-49 (scaling and squaring).
W. Zhong and F. Williams, "A precise time step integration method", Proc. IMechE C 208 (1994) 427-430
(doubling the increment).
"""

from __future__ import annotations

import contextlib
from pathlib import Path
from typing import Any

import numpy as np
from numba import njit


def _kept() -> bool:
    """Tell whether compiled code can be kept: beside the package, or in a folder of the user's.

    What was kept of other sources is thrown away: a function is compiled together with those that it calls, and what it is
    kept by is its own file alone.
    """
    try:
        folder = Path(str(njit(cache=True)(_itself).stats.cache_path))
    except RuntimeError:
        return False
    sources = sorted(Path(__file__).parent.glob("*.py"))
    now = "\n".join(f"{s.name} {s.stat().st_mtime_ns} {s.stat().st_size}" for s in sources)
    with contextlib.suppress(OSError):
        stamp = folder / "compiled-from.txt"
        if not stamp.is_file() or stamp.read_text() != now:
            folder.mkdir(parents=True, exist_ok=True)
            for old in folder.glob("*.nb[ci]"):
                old.unlink()
            stamp.write_text(now)
    return True


def _itself(x):
    return x


CACHED = _kept()
"""Whether compiled code outlives the process; where nothing can be written, it does not."""

_njit: Any = njit
OPTIONS: dict[str, Any] = {"cache": CACHED, "nogil": True, "error_model": "numpy", "boundscheck": False}
"""How everything here is compiled."""

LEAN: dict[str, Any] = {**OPTIONS, "no_cfunc_wrapper": True}
"""The same without a second entrance that nobody goes in by."""

compiled: Any = _njit(**LEAN, _nrt=True)
"""How functions are compiled that allocate arrays."""

light: Any = _njit(**LEAN, _nrt=False)
"""How functions are compiled that allocate nothing: the references of the arrays that they are handed are not counted.

Counting takes half of the time of a period, whose loops are a few products of small matrices long.
"""

inlined: Any = _njit(**LEAN, inline="always")
"""How small functions of the innermost loop are compiled, and large ones with one caller: into it, without handing arrays over."""

ZERO: Any = np.int64(0)
"""Zero where it is handed to a function: a literal is a type of its own, and the function would be compiled for it once more."""


@light
def multiply(a, b, out):
    """out = a·b for small square matrices."""
    n = a.shape[0]
    for i in range(n):
        for j in range(n):
            out[i, j] = 0.0
        for k in range(n):
            factor = a[i, k]
            if factor != 0.0:
                for j in range(n):
                    out[i, j] += factor * b[k, j]


@light
def halvings(rate, h):
    """How often h has to be halved until a short Taylor series of exp(rate·h) is exact to rounding."""
    norm = 0.0
    for i in range(rate.shape[0]):
        s = 0.0
        for j in range(rate.shape[0]):
            s += abs(rate[i, j])
        norm = max(norm, s)
    count = 0
    while norm * h > 0.05:
        h *= 0.5
        count += 1
    return count


@light
def increment(rate, h, d, work):
    """d = exp(rate·h) − 1, by a Taylor series at a small step and doubling d ← 2d + d²."""
    n = rate.shape[0]
    count = halvings(rate, h)
    h /= 2.0**count
    for i in range(n):
        for j in range(n):
            d[i, j] = rate[i, j] * h / 9.0
    for order in range(8, 0, -1):
        multiply(rate, d, work)
        for i in range(n):
            for j in range(n):
                d[i, j] = (work[i, j] + rate[i, j]) * (h / order)
    for _ in range(count):
        double(d, work)


@light
def double(d, work):
    """Replace d = Φ(h) − 1 by Φ(2h) − 1."""
    n = d.shape[0]
    multiply(d, d, work)
    for i in range(n):
        for j in range(n):
            d[i, j] = 2.0 * d[i, j] + work[i, j]


@compiled
def ladder(rate, tick, phi):
    """Fill phi[level] with the transpose of exp(rate·tick·2^level) for all levels.

    Transposed, a product with a state runs over neighbours in memory.
    """
    n = rate.shape[0]
    d = np.empty((n, n))
    work = np.empty((n, n))
    increment(rate, tick, d, work)
    for level in range(phi.shape[0]):
        if level > 0:
            double(d, work)
        for i in range(n):
            for j in range(n):
                phi[level, j, i] = d[i, j]
            phi[level, i, i] += 1.0


@inlined
def weigh(columns, weights, scale, count, out):
    """out = scale·Σ weights[j]·columns[j], the first `count` entries of it.

    Two columns at once: a sum that waits for itself in memory does so half as often.
    """
    n = columns.shape[0]
    j = 2 - n % 2
    first = scale * weights[0]
    if j == 1:
        for i in range(count):
            out[i] = columns[0, i] * first
    else:
        second = scale * weights[1]
        for i in range(count):
            out[i] = columns[0, i] * first + columns[1, i] * second
    while j < n:
        first, second = scale * weights[j], scale * weights[j + 1]
        for i in range(count):
            out[i] += columns[j, i] * first + columns[j + 1, i] * second
        j += 2


@inlined
def propagate(phi, c, level, z, out):
    """out = Φ·z for the transposed propagator phi[c, level]."""
    weigh(phi[c, level], z, 1.0, z.shape[0], out)


@light
def advance(phi, c, ticks, z, work):
    """Carry z through so many ticks of configuration c; work is as long as z."""
    level, top = 0, phi.shape[1] - 1
    while ticks > 0:
        if level == top or ticks & 1:
            propagate(phi, c, level, z, work)
            for i in range(z.shape[0]):
                z[i] = work[i]
            ticks -= 1
        if level < top:
            ticks >>= 1
            level += 1


@compiled
def sample(phi, c, z, ticks, out):
    """out[i] = state at ticks[i] (ascending) after z in configuration c."""
    now = 0
    state, work = z.copy(), np.empty(z.shape[0])
    for i in range(ticks.shape[0]):
        advance(phi, c, ticks[i] - now, state, work)
        now = ticks[i]
        for r in range(z.shape[0]):
            out[i, r] = state[r]
