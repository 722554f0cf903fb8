"""How long a run over time takes, and who watches it."""

from __future__ import annotations

from collections.abc import Callable

from jump_lane.errors import InputError
from jump_lane.library.converter import Quantity, quantity
from jump_lane.library.result import Watch
from jump_lane.quantities import TIME


def length_asked(end: Quantity | None, otherwise: float) -> float:
    """Return how long a run takes [s]: what the user says, or otherwise.

    Raises
    ------
    InputError
        If it is no time above zero.
    """
    given = quantity(end, TIME, "end")
    length = otherwise if given is None else given
    if length <= 0.0:
        raise InputError("end: expected a time above 0 s")
    return length


def periods_watched(watch: Watch | None, length: float, period: float) -> Callable[[float], None]:
    """Return what tells a watcher how many periods of a run are done, by the time it has reached [s]."""
    count = max(int(length / period), 1)

    def step(time: float) -> None:
        if watch is not None:
            watch(min(int(time / period), count), count)

    return step
