"""What a periodic steady state shows: exact averages, rms, extremes, conduction, and samples.

Averages, rms values and powers come from the exact moments ∫z zᵀdt of every stretch, or from quadrature where these
would lose their digits; extremes are looked for between instants that show every signal; nothing is read off a
fixed grid.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from itertools import compress

import numpy as np
from numpy.typing import NDArray

from jump_lane.switching import measuring
from jump_lane.switching.integrals import Integrals
from jump_lane.switching.network import Array
from jump_lane.switching.steady import SteadyState
from jump_lane.switching.waveforms import Measures

BREACH = 1e-5
"""A diode law broken by less than this part of the largest voltage or current is rounding."""


@dataclass(frozen=True)
class Stretch:
    """A part of the period without an event: instants [s] and the names of the conducting valves."""

    start: float
    end: float
    conducting: tuple[str, ...]


@dataclass(frozen=True)
class Edge:
    """An instant at which the conducting valves change.

    Attributes
    ----------
    time
        When [s].
    before, after
        Every signal on either side, in the order of `Recording.names`.
    """

    time: float
    before: Array
    after: Array


class Recording(Integrals):
    """Everything that can be read off one recorded period.

    Signals are named ``element.v`` and ``element.i`` (voltage from terminal a to b, current into a), ``@node``
    (potential), ``switch.gate`` (0 or 1), and for a switch with a body diode also ``switch.body.i``.  The
    current of such a switch is that of channel and body diode together, that of a saturating inductor the whole.
    """

    def measures(self, name: str) -> Measures:
        """Return average, rms, extremes and conduction of one signal over the period."""
        i = self.index(name)
        low, high = self._extremes
        return Measures(
            average=float(self.averages[i]),
            rms=float(self.rms[i]),
            minimum=float(low[i]),
            maximum=float(high[i]),
        )

    @cached_property
    def trespasses(self) -> tuple[str, ...]:
        """Return where a diode breaks its law, in words: open above its forward voltage, or with a current reversed."""
        branches, d = len(self.network.branches), len(self.network.valves)
        first = branches - d
        largest = [np.abs(self.within[1][:, k : k + branches]).max(initial=1e-150) for k in (0, branches)]
        found = []
        for at in range(self.network.gated, d):
            valve = self.network.valves[at]
            if valve.knot or self.network.stamp.bars[at] >= 0:
                continue
            for k, c in enumerate(self.trace.configurations):
                if self.trace.durations[k] <= 1:
                    continue  # a tick is how closely two events that fall together are told apart
                closed = bool((self.engine.combo(int(c)) >> at) & 1)
                signal = first + at + (branches if closed else 0)
                limit = 0.0 if closed else valve.v_f
                allowed = BREACH * largest[closed]
                beyond = -self.within[0][k, signal] if closed else self.within[1][k, signal] - limit
                if beyond > allowed and self._beyond(k, signal, -1.0 if closed else 1.0) - limit > allowed:
                    what = (
                        "carries a reversed current"
                        if closed
                        else "stands above its forward voltage while open"
                    )
                    found.append(f"{valve.name} {what} at {self.trace.ticks[k] * self.engine.tick:.4g} s")
        return tuple(found)

    def _beyond(self, k: int, signal: int, sign: float) -> float:
        """Return the exact largest sign·signal of stretch k."""
        c = int(self.trace.configurations[k])
        ticks, states = self.grids[k]
        only = slice(signal, signal + 1)
        best = np.full(1, -np.inf)
        measuring.refine(
            self.engine.tables.phi, c, ticks, states, np.ascontiguousarray(self._values[k][:, only]),
            self._rows[c][only], sign, best.copy(), best,
        )  # fmt: skip
        return float(best[0])

    @cached_property
    def _carries(self) -> NDArray[np.bool_]:
        """Whether each valve conducts in each stretch: its gate is on, or, of a diode, a current flows, (stretches, p)."""
        branches, valves = len(self.network.branches), len(self.network.valves)
        last = slice(2 * branches - valves, 2 * branches)
        lows, highs = (side[:, last] for side in self.within)
        flowing = np.maximum(np.abs(lows), np.abs(highs))
        largest = np.abs(self.within[1][:, branches : 2 * branches]).max(initial=0.0)
        carries = flowing > np.maximum(1e-6 * flowing.max(axis=0), 1e-9 * largest)
        carries[:, : self.network.gated] = True
        return np.asarray(carries & self._outline.on[self._outline.which])

    @cached_property
    def valves(self) -> frozenset[str]:
        """Return the names of switches and diodes."""
        return frozenset(v.within or v.name for v in self.network.valves if not v.knot)

    @cached_property
    def stretches(self) -> list[Stretch]:
        """Return the stretches of the period with the valves that conduct in each."""
        out = []
        valves, tick = [v.name for v in self.network.valves], self.engine.tick
        starts, spans = self.trace.ticks.tolist(), self.trace.durations.tolist()
        for start, span, carries in zip(starts, spans, self._carries.tolist(), strict=True):
            begin = start * tick
            out.append(Stretch(begin, begin + span * tick, tuple(compress(valves, carries))))
        return out

    def ends(self, stretch: int, name: str) -> tuple[float, float]:
        """Return a signal just after the start and just before the end of a stretch."""
        values = self._values[stretch][:, self.index(name)]
        return float(values[0]), float(values[-1])

    @cached_property
    def edges(self) -> list[Edge]:
        """Return the instants at which the conducting valves change, several at one instant taken together."""
        found: list[Edge] = []
        last = len(self.trace.ticks) - 1
        for k, tick in enumerate(self.trace.ticks):
            previous = self.grids[last if k == 0 else k - 1][1][-1, : self.width]
            start = self.grids[k][1][0, : self.width]
            before = self._rows[int(self.trace.configurations[last if k == 0 else k - 1])] @ previous
            after = self._rows[int(self.trace.configurations[k])] @ start
            if found and tick == self.trace.ticks[k - 1]:
                before = found.pop().before
            found.append(Edge(float(tick * self.engine.tick), before, after))
        return found

    def turn_on_voltage(self, switch: str) -> float:
        """Return the largest voltage that a switch turns on against [V]; 0 if it never turns on."""
        bit, voltage = self.engine.switches.index(switch), self.index(f"{switch}.v")
        if self.engine.statistics.jumps:
            gate = self.index(f"{switch}.gate")
            ons = (e for e in self.edges if e.before[gate] < 0.5 < e.after[gate])
            return max((float(e.before[voltage]) for e in ons), default=0.0)
        found, trace = 0.0, self.trace
        for k, on in enumerate(self._turned_on):
            if (on >> bit) & 1:
                row = self._rows[int(trace.configurations[k - 1])][voltage]
                found = max(found, float(row @ trace.states[k, : self.width]))
        return found

    def last_current(self, valve: str) -> float:
        """Return the current of a valve (body diode included) at the end of the stretch it conducts last [A]."""
        both = {valve, f"{valve}.body"}
        conducting = [i for i, s in enumerate(self.stretches) if both & set(s.conducting)]
        return self.ends(conducting[-1], f"{valve}.i")[1] if conducting else 0.0

    def lowest(self, *signals: str) -> float:
        """Return the least sum of signals at the end of any stretch."""
        known = [s for s in signals if s in self._index]
        sums = [np.sum([self.ends(k, s) for s in known], axis=0) for k in range(len(self.stretches))]
        return float(np.min(sums))

    def stretch_average(self, stretch: int, name: str) -> float:
        """Return the average of a signal over a stretch."""
        c = int(self.trace.configurations[stretch])
        row = self._rows[c][self.index(name)]
        length = float(self.trace.durations[stretch] * self.engine.tick)
        if length == 0.0:
            return self.ends(stretch, name)[0]
        return float(row @ self._moments.each[stretch][:, -1]) / length

    def fraction(self, *valves: str, every: bool = False) -> float:
        """Return the part of the period in which any (or every one) of `valves` conducts."""
        combine = all if every else any
        busy = sum(s.end - s.start for s in self.stretches if combine(v in s.conducting for v in valves))
        return busy / self.period

    def carrying(self, *valves: str) -> float:
        """Return the part of the period in which any of `valves` carries a current (not just could)."""
        known = [v for v in valves if f"{v}.i" in self._index]
        least = {v: 1e-6 * self.measures(f"{v}.i").peak for v in known}
        busy = 0.0
        for k, stretch in enumerate(self.stretches):
            on = [v for v in known if v in stretch.conducting]
            if any(max(map(abs, self.ends(k, f"{v}.i"))) > least[v] for v in on):
                busy += stretch.end - stretch.start
        return busy / self.period

    def flowing(self, signal: str, level: float) -> float:
        """Return the part of the period in stretches where a signal exceeds ``level`` of its peak somewhere."""
        least = level * self.measures(signal).peak
        lengths = (
            s.end - s.start
            for k, s in enumerate(self.stretches)
            if max(map(abs, self.ends(k, signal))) > least
        )
        return sum(lengths) / self.period

    def blocking(self, branch: str) -> float:
        """Return the largest voltage magnitude across a valve while it is open [V]."""
        low, high = self._extremes
        i = self.index(f"{branch}.v")
        return float(max(abs(low[i]), abs(high[i])))


def record(state: SteadyState) -> Recording:
    """Return the recording of a steady state."""
    return Recording(state.engine, state.trace)
