"""Turns ratios lowered for what a winding drops: leakage and resistance that nobody knows before it is wound."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace
from typing import TYPE_CHECKING

from jump_lane.design.derive import derive
from jump_lane.errors import InputError, NoResultError
from jump_lane.library.converter import Converter
from jump_lane.magnetics.feed import ratios_of
from jump_lane.study.check import Check

if TYPE_CHECKING:
    from jump_lane.magnetics.choice import Choice

SPARE = 1e-3
"""How far below its limit the duty ratio is led [1]: two windings never drop quite the same."""

DIGITS = 5
"""Digits of a turns ratio as it stands in a file."""


def eased(converter: Converter, choice: Choice, checks: Iterable[Check | str]) -> dict[str, float]:
    """Return turns ratios, by symbol, with which the duty ratio keeps its limit with windings such as those found.

    They are those of the winding that exceeds the limit least, lowered as much as what is derived falls for a limit that is
    lower by so much; whole turns may be off to either side.  Empty where something else is broken, or the ratio is not ours
    to choose.

    Parameters
    ----------
    choice, checks
        Designs, and what the check of the converter says with each of them.
    """
    spec, asked = converter.unwound, choice.asked
    exceeding = [(over, k) for k, known in enumerate(checks) if (over := _overrun(known)) is not None]
    limit, windings = spec.switching.duty_limit, asked.table.winding.values()
    fixed = spec.transformer.turns_ratio is not None or any(w.turns is not None for w in windings)
    if not exceeding or limit is None or fixed or len(asked.coil.windings) < 2:
        return {}
    over, least = min(exceeding)
    wound = ratios_of(asked.design, asked.coil, choice.designs[least].wound)
    lower = spec.switching.model_copy(update={"duty_limit": limit / over / (1.0 + SPARE)})
    try:
        now, then = (derive(s).sheet for s in (spec, spec.model_copy(update={"switching": lower})))
    except (InputError, NoResultError):
        return {}
    ours = [s for s in wound if asked.design.chooses(s) and s not in spec.chosen]
    found = {
        s: wound[s] * min(then[s].worst / now[s].worst, 1.0 / over) / (1.0 + asked.table.turns_error)
        for s in ours
    }
    return {s: float(f"{value:.{DIGITS}g}") for s, value in found.items()}


def with_ratios(converter: Converter, ratios: Mapping[str, float]) -> Converter:
    """Return a converter with turns ratios chosen."""
    tables = {**converter.free, "chosen": {**converter.free.get("chosen", {}), **ratios}}
    return replace(converter, tables=tables, free=tables, original=tables)


def _overrun(found: Check | str) -> float | None:
    """Return how far the duty ratio exceeds its limit [1], where it does; None where it does not, or an output that follows is off,
    which no ratio of the first one mends."""
    if isinstance(found, str):
        return None
    symbol = found.design.page.control.symbol
    broken = [f for c in found.corners for f in c.findings if not f.holds]
    if any(f.target for f in broken):
        return None
    over = [f.simulated / f.asked for f in broken if f.symbol == symbol and f.asked]
    return max(over, default=None)
