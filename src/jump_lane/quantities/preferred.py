"""Preferred values E3 to E192."""

from __future__ import annotations

import math
from bisect import bisect_left, bisect_right
from functools import lru_cache

from jump_lane.errors import InputError, nearest

_E24 = (10, 11, 12, 13, 15, 16, 18, 20, 22, 24, 27, 30, 33, 36, 39, 43, 47, 51, 56, 62, 68, 75, 82, 91)
SERIES = ("E3", "E6", "E12", "E24", "E48", "E96", "E192")


@lru_cache
def decade(series: str) -> tuple[float, ...]:
    """Return the values of one decade, 1 ≤ value < 10.

    Raises
    ------
    InputError
        If there is no such series.

    References
    ----------
    IEC 60063:2015, tables 1 and 2; the three-digit series are 10^(i/n) rounded, but for 9.20 in E192.
    """
    if series not in SERIES:
        raise InputError(f"series: read {series!r}; {nearest(series, SERIES)}")
    count = int(series[1:])
    if count <= 24:
        return tuple(v / 10.0 for v in _E24[:: 24 // count])
    values = [round(10.0 ** (i / count), 2) for i in range(count)]
    return tuple(9.2 if v == 9.19 else v for v in values)


@lru_cache(maxsize=512)
def _ladder(power: int, series: str) -> tuple[float, ...]:
    """Return the values of three decades, the middle one from 10^power on, ascending."""
    return tuple(float(f"{m:.2f}e{power + k}") for k in (-1, 0, 1) for m in decade(series))


def _around(value: float, series: str) -> tuple[float, ...]:
    return _ladder(math.floor(math.log10(value)), series)


def next_higher(value: float, series: str) -> float:
    """Return the smallest preferred value that is not below `value`."""
    found = _around(value, series)
    return found[bisect_left(found, value * (1.0 - 1e-9))]


def next_lower(value: float, series: str) -> float:
    """Return the largest preferred value that is not above `value`."""
    found = _around(value, series)
    return found[bisect_right(found, value * (1.0 + 1e-9)) - 1]


def closest(value: float, series: str) -> float:
    """Return the preferred value nearest to `value` by ratio."""
    found = _around(value, series)
    k = bisect_left(found, value)
    return min(found[k - 1 : k + 1], key=lambda v: abs(math.log(v / value)))
