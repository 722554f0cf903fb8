"""A verdict in words, for what is asked of something that is no quantity of the power stage: a loop, a winding."""

from __future__ import annotations

from dataclasses import dataclass

from jump_lane.quantities import show

ROUNDING = 1e-3
"""At a limit within this part it holds."""


@dataclass(frozen=True)
class Verdict:
    """One thing asked, what there is, and whether it holds; in words.

    Attributes
    ----------
    advice
        What mends it.
    warning
        Whether a miss is only told.
    """

    what: str
    asked: str
    found: str
    holds: bool
    advice: str = ""
    warning: bool = False


def at_most(what: str, got: float, most: float, unit: str, advice: str = "") -> Verdict:
    """Return whether a value stays at or below a limit, and if not what mends it."""
    holds = got <= most * (1.0 + ROUNDING)
    return Verdict(what, f"≤ {show(most, unit)}", show(got, unit), holds, "" if holds else advice)


def at_least(what: str, got: float, least: float, unit: str, advice: str = "") -> Verdict:
    """Return whether a value is at or above a limit, and if not what mends it."""
    holds = got >= least * (1.0 - ROUNDING)
    return Verdict(what, f"≥ {show(least, unit)}", show(got, unit), holds, "" if holds else advice)
