"""A limit: something that a file asks for, how it is measured, and what to change where it is not kept."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from jump_lane.quantities import show_percent

if TYPE_CHECKING:  # derivations know limits too, and never simulate
    from jump_lane.switching.record import Recording

ROUNDING = 1e-3
"""A limit met to this part of it holds, at its limit."""


@dataclass(frozen=True)
class Scene:
    """What is judged: the recording of an operating point, and its control variable."""

    recording: Recording
    control: float


@dataclass(frozen=True)
class Mend:
    """Which component values keep a limit.

    Attributes
    ----------
    components
        Their symbols; several are changed by one common factor.
    factor
        By what they have to be multiplied so that the limit is just kept, as far as the waveform tells it; NaN if no value
        can.  Gets the scene and the largest value allowed.
    least
        Whether that is a least value (or a largest one).
    """

    components: tuple[str, ...]
    factor: Callable[[Scene, float], float]
    least: bool = True


@dataclass(frozen=True)
class Limit:
    """Something asked at one corner.

    Attributes
    ----------
    symbol, meaning, unit
        What is limited.
    measure
        Its value as simulated.
    asked, lowest, highest
        What is asked (to be shown), and between which values it holds.
    key
        Where the file says so.
    otherwise
        What to change where no component value keeps it.
    mend
        The component values that keep it, where such keep it.
    """

    symbol: str
    meaning: str
    unit: str
    measure: Callable[[Scene], float]
    asked: float
    highest: float
    key: str
    otherwise: str = ""
    lowest: float = -math.inf
    mend: Mend | None = None

    @property
    def target(self) -> bool:
        """Whether a value is to be met rather than not to be exceeded."""
        return math.isfinite(self.lowest)

    def judge(self, value: float) -> tuple[bool, str]:
        """Return whether a value keeps the limit, and what to say of it."""
        if not math.isfinite(value):
            return False, "no finite value"
        if self.target:
            if self.lowest <= value <= self.highest:
                return True, ""
            return False, f"off by {_percent(value, self.asked)}"
        if value <= self.highest * (1.0 - ROUNDING):
            return True, ""
        if value <= self.highest * (1.0 + ROUNDING):
            return True, "at its limit"
        return False, f"over by {_percent(value, self.highest)}"


FAR = 100.0
"""From so many times the limit on, that is told instead of percent."""


def _percent(value: float, limit: float) -> str:
    if limit and value / limit >= FAR:
        return f"a factor of {value / limit:.3g}"
    return show_percent(abs(value / limit - 1.0)) if limit else "all of it"
