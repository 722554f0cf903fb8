"""What a periodic steady state shows: exact averages, rms, extremes, conduction, and samples.

Averages, rms values and powers come from the exact moments ∫z zᵀdt of every stretch, extremes from the
turning points between samples; nothing is read off a grid.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from jump_lane.errors import InputError, nearest
from jump_lane.switching import propagators
from jump_lane.switching.clock import PERIOD
from jump_lane.switching.configuration import conducting, signals
from jump_lane.switching.engine import Engine, Trace
from jump_lane.switching.network import Array
from jump_lane.switching.steady import SteadyState
from jump_lane.waveforms import Measures, Waveforms


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


class Recording:
    """Everything that can be read off one recorded period.

    Signals are named ``element.v`` and ``element.i`` (voltage from terminal a to b, current into a), ``@node``
    (potential), ``switch.gate`` (0 or 1), and for a switch with a body diode also ``switch.body.i``.  The
    current of such a switch is that of channel and body diode together, that of a saturating inductor the whole.
    """

    def __init__(self, engine: Engine, trace: Trace) -> None:
        self.engine = engine
        self.trace = trace
        self.network = engine.network
        self.period = engine.circuit.period
        self.width = engine.n + 1
        self._inner = self._inner_valves()
        used = np.unique(trace.configurations)
        self._rows = {int(c): self._stack(int(c)) for c in used}

    def _inner_valves(self) -> list[tuple[int, int, float]]:
        """Return (branch, valve within it, sign of the valve's current in the branch's)."""
        branches = list(self.network.branches)
        return [
            (branches.index(v.within), branches.index(v.name), v.sign)
            for v in self.network.valves
            if v.within
        ]

    # --- signals -----------------------------------------------------------------------------------------

    @cached_property
    def names(self) -> tuple[str, ...]:
        """Return all signal names, in the order of the rows of `_stack`."""
        branches = self.network.branches
        return (
            *(f"{b}.v" for b in branches),
            *(f"{b}.i" for b in branches),
            *(f"@{n}" for n in self.network.nodes),
            *(f"{s}.gate" for s in self.engine.switches),
        )

    @cached_property
    def _index(self) -> dict[str, int]:
        return {name: i for i, name in enumerate(self.names)}

    def _stack(self, c: int) -> Array:
        """Return every signal as a row over [y; 1] in configuration c."""
        configuration = self.engine.configurations[c]
        voltage, current = signals(self.network, configuration)
        for branch, valve, sign in self._inner:
            current[branch] += sign * current[valve]
        gates = np.zeros((self.network.gated, self.width))
        closed = conducting(configuration.combo, self.network)
        gates[:, -1] = closed[: self.network.gated]
        nodes = configuration.unknowns[: len(self.network.nodes)]
        return np.vstack([voltage, current, nodes, gates])

    def index(self, name: str) -> int:
        """Return the row of a signal.

        Raises
        ------
        InputError
            If there is no such signal.
        """
        if name not in self._index:
            raise InputError(f"no signal {name!r}; {nearest(name, self._index)}")
        return self._index[name]

    # --- exact integrals ---------------------------------------------------------------------------------

    @cached_property
    def _moments(self) -> list[Array]:
        out = []
        for c, z, ticks in zip(
            self.trace.configurations, self.trace.states, self.trace.durations, strict=True
        ):
            rate = np.ascontiguousarray(self.engine.rate(int(c))[: self.width, : self.width])
            moment = np.empty((self.width, self.width))
            propagators.moments(rate, z[: self.width].copy(), ticks * self.engine.tick, moment)
            out.append(moment)
        return out

    @cached_property
    def _averages(self) -> Array:
        total = sum(
            self._rows[int(c)] @ m[:, -1]
            for c, m in zip(self.trace.configurations, self._moments, strict=True)
        )
        return np.asarray(total) / self.period

    @cached_property
    def _squares(self) -> Array:
        total = sum(
            np.einsum("ij,jk,ik->i", self._rows[int(c)], m, self._rows[int(c)])
            for c, m in zip(self.trace.configurations, self._moments, strict=True)
        )
        return np.asarray(total) / self.period

    def mean_product(self, first: str, second: str) -> float:
        """Return the average of the product of two signals over the period."""
        i, j = self.index(first), self.index(second)
        total = sum(
            self._rows[int(c)][i] @ m @ self._rows[int(c)][j]
            for c, m in zip(self.trace.configurations, self._moments, strict=True)
        )
        return float(total) / self.period

    def power(self, branch: str) -> float:
        """Return the average power that a branch takes [W]."""
        return self.mean_product(f"{branch}.v", f"{branch}.i")

    # --- extremes and samples ----------------------------------------------------------------------------

    @cached_property
    def _grids(self) -> list[tuple[NDArray[np.int64], Array]]:
        """For every stretch the sample ticks from its start (both ends included) and the states there."""
        out = []
        for c, z, span in zip(
            self.trace.configurations, self.trace.states, self.trace.durations, strict=True
        ):
            step = 1 << int(self.engine.coarse_level(int(c)))
            count = max(int(-(-span // step)), 8)
            ticks = np.round(np.linspace(0, span, count + 1)).astype(np.int64)
            out.append((ticks, self._states(int(c), z, ticks)))
        return out

    def _states(self, c: int, z: Array, ticks: NDArray[np.int64]) -> Array:
        out = np.empty((len(ticks), self.engine.nz))
        propagators.sample(self.engine.ladder(c), z, ticks, out)
        return out[:, : self.width]

    @cached_property
    def _extremes(self) -> tuple[Array, Array]:
        low = np.full(len(self.names), np.inf)
        high = np.full(len(self.names), -np.inf)
        for i, (ticks, states) in enumerate(self._grids):
            c = int(self.trace.configurations[i])
            rows = self._rows[c]
            values = states @ rows.T
            low = np.minimum(low, values.min(axis=0))
            high = np.maximum(high, values.max(axis=0))
            turning = self._turning_points(i, ticks, states)
            if len(turning):
                values = turning @ rows.T
                low = np.minimum(low, values.min(axis=0))
                high = np.maximum(high, values.max(axis=0))
        return low, high

    def _turning_points(self, i: int, ticks: NDArray[np.int64], states: Array) -> Array:
        """Return states at the instants where any signal turns within stretch i."""
        c = int(self.trace.configurations[i])
        rate = self.engine.rate(c)[: self.width, : self.width]
        slopes = states @ (self._rows[c] @ rate).T
        scale = np.abs(slopes).max(axis=0) * 1e-9
        turns = (
            (slopes[:-1] * slopes[1:] < 0.0) & (np.abs(slopes[:-1]) > scale) & (np.abs(slopes[1:]) > scale)
        )
        at, which = np.nonzero(turns)
        if len(at) == 0:
            return np.zeros((0, self.width))
        curves = states @ (self._rows[c] @ rate @ rate).T
        span = np.diff(ticks).astype(float)
        seconds = span[at] * self.engine.tick
        root = _hermite_root(
            slopes[at, which],
            slopes[at + 1, which],
            curves[at, which] * seconds,
            curves[at + 1, which] * seconds,
        )
        instants = np.unique(np.round(ticks[at] + root * span[at]).astype(np.int64))
        return self._states(c, self.trace.states[i], instants)

    def measures(self, name: str) -> Measures:
        """Return average, rms, extremes and conduction of one signal over the period."""
        i = self.index(name)
        low, high = self._extremes
        return Measures(
            average=float(self._averages[i]),
            rms=float(np.sqrt(max(self._squares[i], 0.0))),
            minimum=float(low[i]),
            maximum=float(high[i]),
        )

    def waveforms(self, names: tuple[str, ...], per_period: int = 400) -> Waveforms:
        """Return samples of some signals over one period, both sides of every jump included."""
        rows = [self.index(name) for name in names]
        times, values = [], []
        for i, (start, span) in enumerate(zip(self.trace.ticks, self.trace.durations, strict=True)):
            c = int(self.trace.configurations[i])
            count = max(int(np.ceil(per_period * span / PERIOD)), len(self._grids[i][0]) - 1, 2)
            ticks = np.round(np.linspace(0, span, count + 1)).astype(np.int64)
            states = self._states(c, self.trace.states[i], ticks)
            times.append((start + ticks) * self.engine.tick)
            values.append(states @ self._rows[c][rows].T)
        table = np.vstack(values)
        return Waveforms(np.concatenate(times), {n: table[:, k] for k, n in enumerate(names)}, self.period)

    def samples_between(
        self, name: str, start: float, end: float, per_period: int = 2000
    ) -> tuple[Array, Array]:
        """Return instants and samples of a signal from `start` to `end` [s], both included exactly.

        The window may reach over several periods.
        """
        wave = self.waveforms((name,), per_period)
        first, last = int(np.floor(start / self.period)), int(np.ceil(end / self.period))
        time = np.concatenate([wave.time + k * self.period for k in range(first, last)])
        values = np.tile(wave.signals[name], last - first)
        inside = (time > start) & (time < end)
        ends = [self.value_at(name, start, after=True), self.value_at(name, end, after=False)]
        return (
            np.concatenate([[start], time[inside], [end]]),
            np.concatenate([ends[:1], values[inside], ends[1:]]),
        )

    def value_at(self, name: str, time: float, after: bool = True) -> float:
        """Return a signal at an instant [s]; at a jump just after or just before it."""
        tick = round(time / self.engine.tick)
        tick = tick % PERIOD if after else (tick - 1) % PERIOD + 1
        side = "right" if after else "left"
        i = max(int(np.searchsorted(self.trace.ticks, tick, side=side)) - 1, 0)  # type: ignore[call-overload]
        c = int(self.trace.configurations[i])
        at = np.array([tick - self.trace.ticks[i]], dtype=np.int64)
        return float(self._states(c, self.trace.states[i], at)[0] @ self._rows[c][self.index(name)])

    # --- who conducts ------------------------------------------------------------------------------------

    @cached_property
    def stretches(self) -> list[Stretch]:
        """Return the stretches of the period with the valves that conduct in each."""
        out = []
        for start, span, c in zip(
            self.trace.ticks, self.trace.durations, self.trace.configurations, strict=True
        ):
            closed = conducting(self.engine.configurations[int(c)].combo, self.network)
            names = tuple(v.name for v, on in zip(self.network.valves, closed, strict=True) if on)
            begin = float(start * self.engine.tick)
            out.append(Stretch(begin, begin + float(span * self.engine.tick), names))
        return out

    def ends(self, stretch: int, name: str) -> tuple[float, float]:
        """Return a signal just after the start and just before the end of a stretch."""
        c = int(self.trace.configurations[stretch])
        row = self._rows[c][self.index(name)]
        states = self._grids[stretch][1]
        return float(row @ states[0]), float(row @ states[-1])

    @cached_property
    def edges(self) -> list[Edge]:
        """Return the instants at which the conducting valves change, several at one instant taken together."""
        found: list[Edge] = []
        last = len(self.trace.ticks) - 1
        for k, tick in enumerate(self.trace.ticks):
            previous = self._grids[last if k == 0 else k - 1][1][-1]
            start = self._grids[k][1][0]
            before = self._rows[int(self.trace.configurations[last if k == 0 else k - 1])] @ previous
            after = self._rows[int(self.trace.configurations[k])] @ start
            if found and tick == self.trace.ticks[k - 1]:
                before = found.pop().before
            found.append(Edge(float(tick * self.engine.tick), before, after))
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
        return float(row @ self._moments[stretch][:, -1]) / length

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


def _hermite_root(f0: Array, f1: Array, d0: Array, d1: Array) -> Array:
    """Return the root in (0, 1) of the cubic with end values f and end slopes d; signs of f differ."""
    low, high = np.zeros_like(f0), np.ones_like(f0)
    bend, mean = d0 + d1 + 2.0 * (f0 - f1), 3.0 * (f1 - f0) - 2.0 * d0 - d1
    t = 0.5 * (low + high)
    for _ in range(30):
        value = f0 + t * (d0 + t * (mean + t * bend))
        same = value * f0 > 0.0
        low, high = np.where(same, t, low), np.where(same, high, t)
        t = 0.5 * (low + high)
    return t


def record(state: SteadyState) -> Recording:
    """Return the recording of a steady state."""
    return Recording(state.engine, state.run.trace)
