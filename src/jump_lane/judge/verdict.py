"""A verdict in words, for what is asked of something that is no quantity of the power stage: a loop, a winding."""

from __future__ import annotations

from dataclasses import dataclass

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
