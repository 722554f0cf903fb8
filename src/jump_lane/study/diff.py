"""Two converter files: which keys, values and verdicts differ."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from jump_lane.design.derive import Design
from jump_lane.equations.formula import pretty
from jump_lane.quantities import show
from jump_lane.study.check import Check, Finding

SAME = 5e-4
"""Values that differ by less than this part of them are the same to four digits."""


@dataclass(frozen=True)
class Difference:
    """One thing that differs; ``change`` is relative [1], NaN where that says nothing."""

    what: str
    meaning: str
    before: str
    after: str
    change: float = math.nan


def keys_differ(old: dict[str, Any], new: dict[str, Any]) -> list[Difference]:
    """Return the keys of two files that differ, as they are typed there."""
    before, after = dict(_flat(old, "")), dict(_flat(new, ""))
    every = [*before, *(k for k in after if k not in before)]
    return [
        Difference(k, "", before.get(k, ""), after.get(k, "")) for k in every if before.get(k) != after.get(k)
    ]


def _flat(at: Any, path: str) -> Iterator[tuple[str, str]]:
    if isinstance(at, dict):
        for name, inner in at.items():
            yield from _flat(inner, f"{path}.{name}" if path else str(name))
    elif isinstance(at, list) and any(isinstance(inner, dict) for inner in at):
        for k, inner in enumerate(at, start=1):
            yield from _flat(inner, path if len(at) == 1 else f"{path}.{k}")
    else:
        yield path, str(at)


def values_differ(old: Design, new: Design) -> list[Difference]:
    """Return component values, and derived values at their worst corners, that differ."""
    found = []
    for value in new.sheet:
        if value.line is None or value.symbol not in old.sheet:
            continue
        before, after = old.sheet[value.symbol].worst, value.worst
        scale = max(abs(before), abs(after))
        if not math.isfinite(scale) or abs(after - before) <= SAME * scale:
            continue
        change = after / before - 1.0 if before else math.nan
        found.append(
            Difference(value.symbol, value.meaning, show(before, value.unit), show(after, value.unit), change)
        )
    return found


def verdicts_differ(old: Check, new: Check) -> list[Difference]:
    """Return what is asked and judged otherwise, each at its worst corner."""
    before, after = dict(_verdicts(old)), dict(_verdicts(new))
    every = [*before, *(k for k in after if k not in before)]
    return [
        Difference(k, "", before.get(k, "not asked"), after.get(k, "not asked"))
        for k in every
        if before.get(k) != after.get(k)
    ]


def _verdicts(check: Check) -> Iterator[tuple[str, str]]:
    for finding, _, _ in check.worst():
        if finding.asked is not None:
            yield pretty(finding.symbol), _words(finding)
    modes = sorted({c.mode_advice for c in check.corners if not c.mode_holds})
    yield "conduction mode", "; ".join(modes) or "holds"
    failures = sorted({c.failure for c in check.corners if c.failure})
    yield "a result at every corner", "; ".join(failures) or "holds"
    for rating in check.ratings:
        name = f"{rating.component}: {rating.what}"
        yield name, "holds" if rating.holds else f"needs {show(rating.needed, rating.unit)}"


def _words(finding: Finding) -> str:
    return "holds" if finding.holds else finding.advice.partition(":")[0]
