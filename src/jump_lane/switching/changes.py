"""What changes in a run over time: at an instant, or once a period by a controller."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

from jump_lane.circuit.circuit import Circuit


class Clocked(Protocol):
    """A controller that is called once a period with plain numbers.

    Attributes
    ----------
    sample
        Where in the period it looks, as a part of it; 0 is just before the clock, and before the control is asked for.
    rows
        Watched rows that it looks at.
    """

    sample: float
    rows: tuple[str, ...]

    def control(self) -> float:
        """Return the control variable of the period that begins."""

    def read(self, values: tuple[float, ...]) -> None:
        """Take in what was seen."""

    def aim(self, reference: float, pace: float) -> None:
        """Hold another value from now on, which it goes to by at most so much a period; at once if that is zero."""


@dataclass(frozen=True)
class Change:
    """Something that happens at an instant [s] from the start.

    Attributes
    ----------
    name, value, slope
        The reference or the increment of a source that is set, and how fast it moves from there [1/s].
    circuit
        The circuit that there is from then on: same elements with other values, some left out.
    control
        The control variable from the next period on.
    reference
        What a controller that is called once a period holds from then on, going there with the slope (at once if that is zero).
    """

    time: float
    name: str = ""
    value: float = 0.0
    slope: float = 0.0
    circuit: Circuit | None = None
    control: float | None = None
    reference: float | None = None
