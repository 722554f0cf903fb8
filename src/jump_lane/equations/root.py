"""The root of a function of one unknown, for what is asked for in every command and cannot wait for a large library to load.

References
----------
C. Ridders, "A new algorithm for computing a single root of a real continuous function", IEEE Trans. Circuits Syst. 26 (1979)
979-980.
"""

from __future__ import annotations

import math
from collections.abc import Callable

STEPS = 100
"""Steps at most; each at least halves the interval."""


def root(function: Callable[[float], float], low: float, high: float, within: float) -> float:
    """Return where a continuous function vanishes between two ends at which its signs differ.

    It is found when two guesses in a row differ by no more than `within`, or the interval is as short.

    Raises
    ------
    ValueError
        If the signs at the ends are the same.
    """
    at_low, at_high, last = function(low), function(high), math.inf
    if at_low * at_high > 0.0:
        raise ValueError(f"no change of sign between {low:g} and {high:g}")
    for _ in range(STEPS):
        middle = 0.5 * (low + high)
        there = function(middle)
        below = math.sqrt(there * there - at_low * at_high)
        if below == 0.0:
            return low if at_low == 0.0 else middle
        found = middle + (middle - low) * math.copysign(there / below, there * (at_low - at_high))
        at_found = function(found)
        if at_found == 0.0 or abs(found - last) <= within:
            return found
        ends = sorted(((low, at_low), (middle, there), (found, at_found), (high, at_high)))
        left = next(k for k in range(3) if ends[k][1] * ends[k + 1][1] <= 0.0)
        (low, at_low), (high, at_high) = ends[left : left + 2]
        if high - low <= within:
            return found
        last = found
    return last
