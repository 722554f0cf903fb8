"""Two bridges with an inductance between them: power, currents and phases of every modulation, exact for ideal parts.

Each bridge is the mean of two square waves, one of each leg, so that one routine covers every combination of angles.
All is in parts: instants and angles of the period T, power over V_1²·T/L, currents over V_1·T/L, where M is the voltage of
the second bridge, seen at the first, over V_1.  Leg A of the first bridge rises at 0, leg B at ½ − t1; leg C of the second
bridge at φ, leg D at φ + ½ − t2.  Arguments are numbers [1], or arrays of them that are broadcast.

References
----------
R. W. De Doncker, D. M. Divan and M. H. Kheraluwalla, "A three-phase soft-switched high-power-density dc/dc converter for
high-power applications", IEEE Trans. Industry Applications 27 (1991) 63-73 (power of a phase shift).
F. Krismer and J. W. Kolar, "Closed form solution for minimum conduction loss modulation of DAB converters", IEEE Trans.
Power Electronics 27 (2012) 174-188 (angles of least rms current).
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


def _wrapped(x: Array) -> Array:
    """Return parts of the period from −½ to ½."""
    return x - np.round(x)


def _passed(x: Array) -> Array:
    """Return what two square waves a part x apart pass on through the inductance, times four."""
    w = _wrapped(x)
    return np.asarray(w * (1.0 - 2.0 * np.abs(w)))


def _common(x: Array) -> Array:
    """Return the mean product of the integrals of two square waves a part x apart."""
    w = np.abs(_wrapped(x))
    return np.asarray((1.0 - 24.0 * w**2 + 32.0 * w**3) / 48.0)


def _ramp(x: Array) -> Array:
    """Return the integral of a square wave that rises at 0, without its average."""
    return np.asarray(np.abs(_wrapped(x)) - 0.25)


def bridges_power(m: Array, phi: Array, t1: Array, t2: Array) -> Array:
    """Return the power from the first bridge to the second, over V_1²·T/L (De Doncker 1991)."""
    sums = _passed(phi) + _passed(phi + t1) + _passed(phi - t2) + _passed(phi + t1 - t2)
    return np.asarray(m / 4.0 * sums)


def _waves(m: Array, phi: Array, t1: Array, t2: Array) -> tuple[tuple[Array, Array], ...]:
    """Return the square waves across the inductance: height over V_1, and where each rises."""
    zero, half = np.zeros_like(m), np.full_like(m, 0.5)
    return (half, zero), (half, -t1), (-m / 2.0, phi), (-m / 2.0, phi - t2)


def bridges_rms(m: Array, phi: Array, t1: Array, t2: Array) -> Array:
    """Return the rms current of the inductance over V_1·T/L."""
    m, phi, t1, t2 = np.broadcast_arrays(*(np.asarray(a, dtype=float) for a in (m, phi, t1, t2)))
    waves = _waves(m, phi, t1, t2)
    square = sum(c * d * _common(x - y) for c, x in waves for d, y in waves)
    return np.asarray(np.sqrt(np.maximum(square, 0.0)))


def bridges_at(m: Array, phi: Array, t1: Array, t2: Array, x: Array) -> Array:
    """Return the current of the inductance over V_1·T/L at a part x of the period."""
    m, phi, t1, t2, x = np.broadcast_arrays(*(np.asarray(a, dtype=float) for a in (m, phi, t1, t2, x)))
    return np.asarray(sum(c * _ramp(x - rise) for c, rise in _waves(m, phi, t1, t2)))


def bridges_peak(m: Array, phi: Array, t1: Array, t2: Array) -> Array:
    """Return the peak current of the inductance over V_1·T/L: the largest at an edge."""
    edges = (0.0, 0.5 - t1, phi, phi + 0.5 - t2)
    return np.asarray(np.max([np.abs(bridges_at(m, phi, t1, t2, np.asarray(e))) for e in edges], axis=0))


def bridges_charge(m: Array, phi: Array, t1: Array, t2: Array, port: Array) -> Array:
    """Return the charge that the ripple of the current at a port moves in and out of its capacitor, over V_1·T²/L.

    ``port`` is 1 for the current that the first bridge draws, 2 for the one that the second delivers, seen at the first.
    """
    return each(_charge, m, phi, t1, t2, port)


def bridges_drawn(m: Array, phi: Array, t1: Array, t2: Array, port: Array) -> Array:
    """Return the rms current at a port, average included, over V_1·T/L; see `bridges_charge`."""
    return each(_drawn, m, phi, t1, t2, port)


def each(of: Callable[..., float], *arguments: Array) -> Array:
    """Return a function of numbers for every combination of arguments that are broadcast; not a number where one is not."""
    arrays = np.broadcast_arrays(*(np.asarray(a, dtype=float) for a in arguments))
    rows = zip(*(a.ravel() for a in arrays), strict=True)
    found = [of(*row) if np.isfinite(row).all() else np.nan for row in rows]
    return np.array(found).reshape(arrays[0].shape)


def _lines(m: float, phi: float, t1: float, t2: float, port: float) -> tuple[Array, Array, Array]:
    """Return lengths, first and last values of the straight pieces of the current at a port, over half a period."""
    edges = np.array([0.0, 0.5 - t1, phi, phi + 0.5 - t2])
    cuts = np.unique(np.concatenate([edges % 0.5, [0.0, 0.5]]))
    first, last = cuts[:-1], cuts[1:]
    middle = (first + last) / 2.0
    a, b = (0.0, 0.5 - t1) if port == 1.0 else (phi, phi + 0.5 - t2)
    sign = _high(middle - a) - _high(middle - b)
    fixed = [np.asarray(v) for v in (m, phi, t1, t2)]
    start, end = (sign * bridges_at(fixed[0], fixed[1], fixed[2], fixed[3], x) for x in (first, last))
    return last - first, start, end


def _charge(*values: float) -> float:
    length, start, end = _lines(*values)
    mean = float(np.sum(length * (start + end)))
    return float(np.sum(length * _positive(start - mean, end - mean)))


def _drawn(*values: float) -> float:
    length, start, end = _lines(*values)
    return float(np.sqrt(2.0 * np.sum(length * (start**2 + start * end + end**2)) / 3.0))


def _high(x: Array) -> Array:
    """Return 1 in the half period behind an edge, 0 in the other."""
    return np.where(_wrapped(x) >= 0.0, 1.0, 0.0)


def _positive(a: Array, b: Array) -> Array:
    """Return the average of the positive part of a line from a to b."""
    high, low = np.maximum(a, b), np.minimum(a, b)
    span = np.where(high > low, high - low, 1.0)
    return np.where(low >= 0.0, (a + b) / 2.0, np.where(high <= 0.0, 0.0, high**2 / (2.0 * span)))


HALVINGS = 60


def bridges_phase(p: Array, m: Array, t1: Array, t2: Array) -> Array:
    """Return the phase φ that passes a power (over V_1²·T/L) on; not a number where none does.

    The power rises with the distance of the centres of both bridges' pulses from −¼ to ¼, whatever the inner angles.
    """
    p, m, t1, t2 = np.broadcast_arrays(*(np.asarray(a, dtype=float) for a in (p, m, t1, t2)))
    off = (t1 - t2) / 2.0
    low, high = np.full_like(p, -0.25), np.full_like(p, 0.25)
    reached = np.abs(p) <= np.abs(bridges_power(m, high - off, t1, t2)) * (1.0 + 1e-12)
    for _ in range(HALVINGS):
        middle = (low + high) / 2.0
        short = bridges_power(m, middle - off, t1, t2) < p
        low, high = np.where(short, middle, low), np.where(short, high, middle)
    return np.where(reached, (low + high) / 2.0 - off, np.nan)


def bridges_first(p: Array, m: Array, delta: Array, t2: Array) -> Array:
    """Return the zero interval of the first bridge that passes a power on, the centres of the pulses `delta` apart.

    The power falls with it; not a number where none does.
    """
    return _inner_angle(p, delta, lambda t1: bridges_power(m, delta - (t1 - t2) / 2.0, t1, t2))


def bridges_both(p: Array, m: Array, delta: Array) -> Array:
    """Return the zero interval of both bridges that passes a power on; see `bridges_first`."""
    return _inner_angle(p, delta, lambda t: bridges_power(m, delta, t, t))


def _inner_angle(p: Array, delta: Array, power: Callable[[Array], Array]) -> Array:
    p, delta = np.broadcast_arrays(np.asarray(p, dtype=float), np.asarray(delta, dtype=float))
    way = np.where(delta < 0.0, -1.0, 1.0)
    low, high = np.zeros_like(p), np.full_like(p, 0.5)
    reached = (way * power(low) >= way * p) & (way * power(high) <= way * p)
    for _ in range(HALVINGS):
        middle = (low + high) / 2.0
        above = way * power(middle) > way * p
        low, high = np.where(above, middle, low), np.where(above, high, middle)
    return np.where(reached, (low + high) / 2.0, np.nan)


def _least_rms(p: Array, m: Array) -> tuple[Array, Array, Array]:
    """Return φ, t1 and t2 of the least rms current for a power (over V_1²·T/L); not numbers where none passes it on."""
    p, m = np.broadcast_arrays(np.asarray(p, dtype=float), np.asarray(m, dtype=float))
    up = m > 1.0
    ratio, power = np.where(up, 1.0 / m, m), np.where(up, np.abs(p) / m**2, np.abs(p))
    delta, one, two = _forward(power, ratio)
    first, second = np.where(up, two, one), np.where(up, one, two)
    phi = np.where(p < 0.0, -delta, delta) - (first - second) / 2.0
    return phi, first, second


def _forward(p: Array, m: Array) -> tuple[Array, Array, Array]:
    """Return the distance of the centres, t1 and t2 for p ≥ 0 and m ≤ 1 (Krismer and Kolar 2012)."""
    with np.errstate(all="ignore"):
        least = np.where(m < 1.0, (1.0 - np.sqrt(1.0 - m**2)) / m, 1.0)
        width = np.sqrt(p / np.maximum(1.0 - m, 1e-300))
        triangular = (m < 1.0) & (p <= m**2 * (1.0 - m) / 4.0)
        single = p >= m * (1.0 - least**2) / 8.0
        one, two = 0.5 - width, 0.5 - width / m
        shift = (1.0 - np.sqrt(1.0 - 8.0 * p / m)) / 4.0
        u = _between(p, m, least)
        v = _inner(u, m)
    t1 = np.where(triangular, one, np.where(single, 0.0, (u - v) / 4.0))
    t2 = np.where(triangular, two, 0.0)
    phi = np.where(triangular, 0.0, np.where(single, shift, (1.0 - u) / 4.0))
    return phi + (t1 - t2) / 2.0, t1, t2


def _inner(u: Array, m: Array) -> Array:
    return np.asarray(
        -(1.0 - m * u) + np.sqrt(np.maximum((1.0 - m * u) ** 2 + u**2 - 2.0 * u + 2.0 * m, 0.0))
    )


def _between(p: Array, m: Array, least: Array) -> Array:
    """Return where the power m·(2 − u² − v²)/16, which falls with u from `least` to 1, is p."""
    low, high = least.copy(), np.ones_like(least)
    for _ in range(HALVINGS):
        middle = (low + high) / 2.0
        above = m * (2.0 - middle**2 - _inner(middle, m) ** 2) / 16.0 > p
        low, high = np.where(above, middle, low), np.where(above, high, middle)
    return np.asarray((low + high) / 2.0)


def least_rms_phi(p: Array, m: Array) -> Array:
    """Return the phase φ of the least rms current for a power; see `_least_rms`."""
    return _least_rms(p, m)[0]


def least_rms_t1(p: Array, m: Array) -> Array:
    """Return the inner angle of the first bridge for the least rms current at a power; see `_least_rms`."""
    return _least_rms(p, m)[1]


def least_rms_t2(p: Array, m: Array) -> Array:
    """Return the inner angle of the second bridge for the least rms current at a power; see `_least_rms`."""
    return _least_rms(p, m)[2]


BRIDGES = {
    f.__name__: f
    for f in (
        bridges_power,
        bridges_rms,
        bridges_at,
        bridges_peak,
        bridges_charge,
        bridges_drawn,
        bridges_phase,
        bridges_first,
        bridges_both,
        least_rms_phi,
        least_rms_t1,
        least_rms_t2,
    )
}
"""Functions of formulas, by name."""
