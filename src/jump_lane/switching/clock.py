"""Integer time: the period is counted in ticks, gate edges fall on ticks.

A tick is a constant part of the base period of a circuit; where the control moves the period, that is as many ticks more or
less, and what is known of a tick stays known.
"""

from __future__ import annotations

from itertools import groupby
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from jump_lane.circuit.gates import Gates, Instant

LEVELS = 34
"""Propagators are kept for steps of 2⁰ … 2³³ ticks."""

STEPS = 8
"""Largest steps in a base period."""

PERIOD = STEPS << (LEVELS - 1)
"""Ticks in a base period, 2³⁶."""


def parted(span: int, count: int) -> NDArray[np.int64]:
    """Return the ends of so many equal parts of a span [ticks], (count+1,); of one with fewer ticks some are the same."""
    return (np.arange(count + 1, dtype=np.int64) * span + count // 2) // count


class Schedule(NamedTuple):
    """Gate edges of one period.

    Attributes
    ----------
    ticks
        Instants of the edges, the first 0, and the end of the period behind them, (e+1,).
    masks
        Bit pattern of the gated valves after each edge, (e,).
    slopes
        How far each edge moves, in fractions of the base period, per unit of the control variable, (e,).
    drift
        The same of the end of the period.
    trips
        The comparator that brings an edge, its tick being the latest, or −1, (e,).
    anchors, delays
        The edge that one follows, or −1, and how many ticks later; its own tick is the latest, (e,).
    free
        1 where there is no clock: the period ends when its last edge has come.
    """

    ticks: NDArray[np.int64]
    masks: NDArray[np.int64]
    slopes: NDArray[np.float64]
    drift: float
    trips: NDArray[np.int64]
    anchors: NDArray[np.int64]
    delays: NDArray[np.int64]
    free: int = 0

    @property
    def length(self) -> int:
        """Ticks in the period, at most where there is no clock."""
        return int(self.ticks[-1])

    def part(self, last: int, drift: float) -> Schedule:
        """Return the schedule up to edge `last`, which is not in it."""
        return self._replace(
            ticks=self.ticks[: last + 1],
            masks=self.masks[:last],
            slopes=self.slopes[:last],
            drift=drift,
            trips=self.trips[:last],
            anchors=self.anchors[:last],
            delays=self.delays[:last],
            free=self.free if last == len(self.masks) else 0,
        )


WHOLE = Instant(1.0)
"""A period that is the base period whatever the control."""


def schedule(gates: Gates, switches: tuple[str, ...], span: Instant = WHOLE) -> Schedule:
    """Return the edges of `gates` in a period of length `span`, bit i of a mask standing for ``switches[i]``."""
    toggles: dict[int, list[tuple[int, bool, float]]] = {0: []}
    initial, period = 0, round(span.fraction * PERIOD)
    for bit, name in enumerate(switches):
        for start, end in gates.get(name, ()):
            length = end.fraction - start.fraction
            if length <= 0.0:
                continue
            if length >= span.fraction:
                initial |= 1 << bit
                continue
            t0 = round(start.fraction * PERIOD)
            t1 = round(end.fraction * PERIOD)
            if t1 == t0:
                continue
            (before, begin), (after, stop) = divmod(t0, period), divmod(t1, period)
            if begin > stop > 0:
                initial |= 1 << bit
            toggles.setdefault(begin, []).append((bit, True, start.slope - before * span.slope))
            falls = end.slope - after * span.slope
            if stop > 0 or falls != 0.0:
                toggles.setdefault(stop, []).append((bit, False, falls))
    return _ordered(toggles, initial, period, span.slope)


def _ordered(
    toggles: dict[int, list[tuple[int, bool, float]]], mask: int, period: int, drift: float
) -> Schedule:
    """Put edges in order; at one tick those that open come first, and those that move differently stay apart."""
    ticks, masks, slopes = [], [], []
    for tick in sorted(toggles):
        together = sorted(toggles[tick], key=lambda t: (t[1], t[2]))
        for slope, edges in groupby(together, key=lambda t: t[2]):
            for bit, closes, _ in edges:
                mask = mask | (1 << bit) if closes else mask & ~(1 << bit)
            ticks.append(tick)
            masks.append(mask)
            slopes.append(slope)
        if not together:
            ticks.append(tick)
            masks.append(mask)
            slopes.append(0.0)
    return _plain([*ticks, period], masks, slopes, drift)


def _plain(ticks: list[int], masks: list[int], slopes: list[float], drift: float) -> Schedule:
    count = len(masks)
    return Schedule(
        np.array(ticks, dtype=np.int64),
        np.array(masks, dtype=np.int64),
        np.array(slopes, dtype=np.float64),
        drift,
        np.full(count, -1, dtype=np.int64),
        np.full(count, -1, dtype=np.int64),
        np.zeros(count, dtype=np.int64),
    )
