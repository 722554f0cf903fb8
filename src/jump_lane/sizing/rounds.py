"""Rounds of solving: steps that settle values which follow each other, and values to let be where none do."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

CREEPING = 2e-3
"""Steps below this part are let be where nothing settles further; the limits are kept to as much."""

LONGEST = 2.5
"""Largest factor of one step."""

CIRCLING, MIXED = 14, 5
"""Rounds after which values are taken to go round in circles, as every example settles before, and how many rounds are mixed then."""

JUMPED = 0.01
"""How near to each other values lie between which a limit jumps from broken to kept, as one of a mode does."""


class Round(NamedTuple):
    """The values of a round, the factor by which each has to change, and those that keep their limits."""

    values: dict[str, float]
    asked: dict[str, float]
    kept: set[str]


def damped(steps: dict[str, float], last: dict[str, float], gains: dict[str, float]) -> dict[str, float]:
    """Return steps of which those that turn back are halved once more, and others grow again; the gains are kept."""
    for symbol, factor in steps.items():
        turned = math.log(factor) * math.log(last.get(symbol, 1.0)) < 0.0
        gains[symbol] = max(0.5 * gains[symbol], 0.1) if turned else min(1.3 * gains[symbol], 1.0)
    return {s: f ** gains[s] for s, f in steps.items()}


def mixed(course: list[Round]) -> dict[str, float]:
    """Return steps that take what the last ones did to each other into account (Anderson 1965, J. ACM 12: mixing of iterates).

    Values that follow each other may go round in circles, which no damping of any one of them ends soon.
    """
    course = course[-MIXED:]
    symbols = [s for s in course[-1].asked if all(s in one.values for one in course)]
    at = np.array([[math.log(one.values[s]) for s in symbols] for one in course])
    step = np.array([[math.log(one.asked[s]) for s in symbols] for one in course])
    was, did = np.diff(at, axis=0), np.diff(step, axis=0)
    weights = np.linalg.lstsq(did.T, step[-1], rcond=1e-6)[0]
    found = np.clip(step[-1] - (was + did).T @ weights, -math.log(LONGEST), math.log(LONGEST))
    return course[-1].asked | dict(zip(symbols, np.exp(found).tolist(), strict=True))


def let_be(course: list[Round]) -> Round | None:
    """Return the round whose values are asked to move least, of those that may be let be, or none."""
    return min((r for r in course if _stays(r, course)), key=_largest, default=None)


def _largest(one: Round) -> float:
    return max((abs(math.log(f)) for f in one.asked.values()), default=0.0)


def _stays(one: Round, course: list[Round]) -> bool:
    """Tell whether a round has values to let be: each hardly asked to move, or just beyond where its limit jumps to being kept."""
    return all(
        abs(math.log(f)) < CREEPING or (s in one.kept and _jumps(s, one, course))
        for s, f in one.asked.items()
    )


def _jumps(symbol: str, one: Round, course: list[Round]) -> bool:
    """Tell whether a value just beyond that of a round, where that asks it to go, has been asked to come back."""
    way = math.log(one.asked[symbol])
    near = (
        (math.log(other.values[symbol] / one.values[symbol]), math.log(other.asked[symbol]))
        for other in course
        if symbol in other.values
    )
    return any(0.0 < off * math.copysign(1.0, way) < JUMPED and back * way < 0.0 for off, back in near)
