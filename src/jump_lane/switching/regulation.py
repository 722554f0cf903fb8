"""An average that the control holds, and why it may not be held."""

from __future__ import annotations

import math
from dataclasses import dataclass

from jump_lane.errors import ConvergenceError, UnreachableError
from jump_lane.quantities import show

INSET = 0.01
"""How far from the ends of the control range, as a part of it, a target is looked for where Newton's method fails."""

CLEARLY, EXACTLY = 1e-2, 1e-4
"""An average that misses its target by less than this part of it may only lack some steps, at an end of the range too."""

ALONE, SETTLED = 0.1, 1.05
"""What is off in all over what the average is off: where it is ten times as much at most the average is what misses; where
it is hardly more the states close, and the average has been reached."""

NOTHING = 1e-9
"""An average below this part of its target is none."""


@dataclass(frozen=True)
class Regulation:
    """An average to hold by the control variable.

    Attributes
    ----------
    branch, voltage
        Which element, and whether its voltage or its current is held.
    target
        The average to hold [V or A].
    lowest, highest
        Range of the control variable.
    """

    branch: str
    target: float
    voltage: bool = True
    lowest: float = 0.0
    highest: float = 1.0

    @property
    def unit(self) -> str:
        """Of the average."""
        return "V" if self.voltage else "A"

    def at_end(self, control: float) -> bool:
        """Tell whether a control has run into an end of its range."""
        return min(control - self.lowest, self.highest - control) < INSET * (self.highest - self.lowest)


def unfound(regulation: Regulation | None, size: float, off: float, control: float) -> ConvergenceError:
    """Return why there is no steady state, in volts where the control cannot bring the output there.

    Parameters
    ----------
    size, off, control
        How far the last period is from closing, its average from the target (relative to that also a part of ``size``), and
        the control there.
    """
    beyond = regulation is not None and (
        regulation.at_end(control) or abs(off) > ALONE * size * abs(regulation.target)
    )
    if regulation is None or not beyond:
        return ConvergenceError(f"no periodic steady state found: the residual stays at {size:.1e}")
    target, unit, at_end = regulation.target, regulation.unit, regulation.at_end(control)
    got = 0.0 if abs(target + off) < NOTHING * abs(target) else target + off
    missed = abs(got / target - 1.0) if target else math.inf
    cannot = f"the average of {regulation.branch} cannot be held at {show(target, unit)}"
    if at_end and missed < CLEARLY and size * abs(target) >= SETTLED * abs(off):
        return ConvergenceError(f"{cannot}: at the end of the range of the control the states do not close")
    if missed < (EXACTLY if at_end else CLEARLY):
        return ConvergenceError(
            f"{cannot} exactly: near a control of {control:.4g} no state closes, and the average misses it by {missed:.1e} of it; a little "
            "more or less load, inductance or dead time moves that"
        )
    return UnreachableError(f"{cannot}: {show(got, unit)} was reached")
