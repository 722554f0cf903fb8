"""What a periodic steady state shows: exact averages, rms, extremes, conduction, and samples.

Averages, rms values and powers come from the exact moments ∫z zᵀdt of every stretch, or from quadrature where these
would lose their digits; extremes are looked for between instants that show every signal; nothing is read off a
fixed grid.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from jump_lane.errors import InputError, nearest
from jump_lane.switching import measuring, propagators
from jump_lane.switching.clock import PERIOD
from jump_lane.switching.configuration import conducting
from jump_lane.switching.engine import Engine, Trace
from jump_lane.switching.network import Array
from jump_lane.switching.steady import SteadyState
from jump_lane.waveforms import Measures, Waveforms

ROUNDING = 1e-14
"""Doubt about an integral of products by moments, of the sum of the magnitudes that it adds up."""

DIGITS = 1e-8
"""Where that doubt exceeds this part of the integral, it is found by quadrature."""

BREACH = 1e-5
"""A diode law broken by less than this part of the largest voltage or current is rounding."""

FAINT = 1e-9
"""Signals are shown down to this part of the largest voltage or current."""


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
        used = np.unique(trace.configurations)
        self._rows = {int(c): self._stack(int(c)) for c in used}

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
        voltage, current, nodes = self.engine.rows(c)
        gates = np.zeros((self.network.gated, self.width))
        gates[:, -1] = conducting(self.engine.combo(c), self.network)[: self.network.gated]
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

    # --- integrals ---------------------------------------------------------------------------------------

    @cached_property
    def _moments(self) -> list[Array]:
        out = []
        for k, (c, ticks) in enumerate(zip(self.trace.configurations, self.trace.durations, strict=True)):
            moment = np.empty((self.width, self.width))
            start = self._origin(k)[: self.width].copy()
            propagators.moments(self.engine.rate(int(c)), start, ticks * self.engine.tick, moment)
            out.append(moment)
        return out

    def _origin(self, k: int) -> Array:
        """Return the state at the tick on which stretch k starts (its event may lie within the tick before)."""
        return np.asarray(self.grids[k][1][1 if self.trace.rests[k] > 0.0 else 0])

    @cached_property
    def _totals(self) -> dict[int, Array]:
        """For every configuration ∫z zᵀdt over all its stretches."""
        out = {c: np.zeros((self.width, self.width)) for c in self._rows}
        for c, moment in zip(self.trace.configurations, self._moments, strict=True):
            out[int(c)] += moment
        return out

    def _mean(self, rows: dict[int, Array], others: dict[int, Array], floor: float = 0.0) -> Array:
        """Return averages over the period of products of signals, given as rows by configuration, pair by pair.

        Digits count down to ``floor`` of the largest average.
        """
        out = np.zeros(len(next(iter(rows.values()))))
        doubt = out.copy()
        for c, moment in self._totals.items():
            out += np.sum((rows[c] @ moment) * others[c], axis=1)
            doubt += np.sum((np.abs(rows[c]) @ np.abs(moment)) * np.abs(others[c]), axis=1)
        lost = np.flatnonzero(
            ROUNDING * doubt > DIGITS * np.maximum(np.abs(out), floor * np.abs(out).max(initial=0.0))
        )
        if len(lost):
            out[lost] = self._quadrature(
                {c: r[lost] for c, r in rows.items()}, {c: r[lost] for c, r in others.items()}
            )
        return out / self.period

    def _quadrature(self, rows: dict[int, Array], others: dict[int, Array]) -> Array:
        """Return integrals of products of signals by Boole's rule over the steps of every stretch."""
        total = np.zeros(len(next(iter(rows.values()))))
        for (states, weights), c in zip(self._dense, self.trace.configurations, strict=True):
            a, b = rows[int(c)], others[int(c)]
            total += weights @ ((states @ a.T) * (states @ b.T))
        return total

    @cached_property
    def _dense(self) -> list[tuple[Array, Array]]:
        """For every stretch, states at the ends and quarters of its steps, and the weights of Boole's rule [s]."""
        out = []
        for (ticks, states), c in zip(self.grids, self.trace.configurations, strict=True):
            inner = np.empty((3 * (len(ticks) - 1), self.engine.nz))
            measuring.quarters(self.engine.tables.phi, c, ticks, states, inner)
            steps = np.diff(ticks)[:, None] * self.engine.tick / 90.0
            ends = np.zeros(len(ticks))
            ends[:-1] += 7.0 * steps[:, 0]
            ends[1:] += 7.0 * steps[:, 0]
            middle = (steps * np.array([32.0, 12.0, 32.0])).ravel()
            every = np.vstack([states, inner])[:, : self.width]
            out.append((every, np.concatenate([ends, middle])))
        return out

    @cached_property
    def _averages(self) -> Array:
        total = np.zeros(len(self.names))
        for c, moment in self._totals.items():
            total += self._rows[c] @ moment[:, -1]
        return total / self.period

    @cached_property
    def _squares(self) -> Array:
        return self._mean(self._rows, self._rows)

    def mean_product(self, first: str, second: str) -> float:
        """Return the average of the product of two signals over the period."""
        i, j = self.index(first), self.index(second)
        rows = {c: r[i : i + 1] for c, r in self._rows.items()}
        return float(self._mean(rows, {c: r[j : j + 1] for c, r in self._rows.items()})[0])

    @cached_property
    def powers(self) -> dict[str, float]:
        """Return the average power that every branch takes [W]."""
        count = len(self.network.branches)
        voltages = {c: r[:count] for c, r in self._rows.items()}
        currents = {c: r[count : 2 * count] for c, r in self._rows.items()}
        return dict(zip(self.network.branches, self._mean(voltages, currents, 0.01).tolist(), strict=True))

    def power(self, branch: str) -> float:
        """Return the average power that a branch takes [W]."""
        return self.powers[branch]

    # --- extremes and samples ----------------------------------------------------------------------------

    @cached_property
    def grids(self) -> list[tuple[NDArray[np.int64], Array]]:
        """For every stretch instants from its start [ticks], both ends included, that show every signal; states there."""
        branches = len(self.network.branches)
        watched = {c: self._watched(c, 2 * branches) for c in self._rows}
        starts = np.array(
            [
                self._rows[int(c)][: 2 * branches] @ z[: self.width]
                for c, z in zip(self.trace.configurations, self.trace.states, strict=True)
            ]
        )
        lows, highs = starts.min(axis=0), starts.max(axis=0)
        for kind in (slice(branches), slice(branches, None)):
            highs[kind] += FAINT * np.abs(starts[:, kind]).max(initial=1e-150)
        room, out = 256, []
        rests = np.append(self.trace.rests, 0.0)
        for k, (c, z, span) in enumerate(
            zip(self.trace.configurations, self.trace.states, self.trace.durations, strict=True)
        ):
            used = -1
            while used < 0:
                ticks, states = np.empty(room, dtype=np.int64), np.empty((room, self.engine.nz))
                first = int(self.engine.tables.info[c, 1])
                used = measuring.walk(
                    self.engine.tables.phi, c, z, rests[k : k + 2], span, first, self.engine.tick,
                    watched[int(c)], lows, highs, ticks, states,
                )  # fmt: skip
                room = room if used >= 0 else 4 * room
            out.append((ticks[:used].copy(), states[:used].copy()))
        return out

    def _watched(self, c: int, count: int) -> Array:
        rows, rate = self._rows[c][:count], self.engine.rate(c)
        slopes = rows @ rate
        return np.ascontiguousarray(np.vstack([rows, slopes, slopes @ rate]).T)

    def _states(self, c: int, z: Array, ticks: NDArray[np.int64]) -> Array:
        out = np.empty((len(ticks), self.engine.nz))
        propagators.sample(self.engine.tables.phi, c, z, ticks, out)
        return out[:, : self.width]

    @cached_property
    def _values(self) -> list[Array]:
        """For every stretch the signals at the instants of its grid, (instants, signals)."""
        return [
            np.ascontiguousarray(states[:, : self.width] @ self._rows[int(c)].T)
            for (_, states), c in zip(self.grids, self.trace.configurations, strict=True)
        ]

    @cached_property
    def within(self) -> tuple[Array, Array]:
        """Return least and largest values of all signals in every stretch, good to 1e-4, (stretches, signals)."""
        shape = (len(self.grids), len(self.names))
        lows, highs = np.empty(shape), np.empty(shape)
        for k, (ticks, _) in enumerate(self.grids):
            measuring.estimate(ticks, self._values[k], 1.0, highs[k])
            measuring.estimate(ticks, self._values[k], -1.0, lows[k])
        return -lows, highs

    @cached_property
    def _extremes(self) -> tuple[Array, Array]:
        lows, highs = self.within
        near = measuring.NEAR * (highs.max(axis=0) - lows.min(axis=0))
        out = []
        for sign, estimates in ((-1.0, -lows), (1.0, highs)):
            best = np.full(len(self.names), -np.inf)
            wanted = estimates.max(axis=0) - near
            for k, (ticks, states) in enumerate(self.grids):
                c = int(self.trace.configurations[k])
                measuring.refine(
                    self.engine.tables.phi,
                    c,
                    ticks,
                    states,
                    self._values[k],
                    self._rows[c],
                    sign,
                    wanted,
                    best,
                )
            out.append(sign * best)
        return out[0], out[1]

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
            count = max(int(np.ceil(per_period * span / PERIOD)), 2)
            even = np.round(np.linspace(0, span, count + 1)).astype(np.int64)
            ticks = np.union1d(even, self.grids[i][0])
            states = self._states(c, self._origin(i), ticks)
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
        return float(self._states(c, self._origin(i), at)[0] @ self._rows[c][self.index(name)])

    # --- who conducts ------------------------------------------------------------------------------------

    @cached_property
    def trespasses(self) -> tuple[str, ...]:
        """Return where a diode breaks its law, in words: open above its forward voltage, or with a current reversed."""
        branches, d = len(self.network.branches), len(self.network.valves)
        first = branches - d
        largest = [np.abs(self.within[1][:, k : k + branches]).max(initial=1e-150) for k in (0, branches)]
        found = []
        for at in range(self.network.gated, d):
            valve = self.network.valves[at]
            if valve.knot:
                continue
            for k, c in enumerate(self.trace.configurations):
                if self.network.stamp.bars[at] >= 0:
                    continue
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
        said = np.array(
            [conducting(self.engine.combo(int(c)), self.network) for c in self.trace.configurations]
        )
        carries[:, : self.network.gated] = True
        return np.asarray(carries & said.reshape(carries.shape))

    @cached_property
    def valves(self) -> frozenset[str]:
        """Return the names of switches and diodes."""
        return frozenset(v.within or v.name for v in self.network.valves if not v.knot)

    @cached_property
    def stretches(self) -> list[Stretch]:
        """Return the stretches of the period with the valves that conduct in each."""
        out = []
        for start, span, carries in zip(self.trace.ticks, self.trace.durations, self._carries, strict=True):
            names = tuple(v.name for v, on in zip(self.network.valves, carries, strict=True) if on)
            begin = float(start * self.engine.tick)
            out.append(Stretch(begin, begin + float(span * self.engine.tick), names))
        return out

    def ends(self, stretch: int, name: str) -> tuple[float, float]:
        """Return a signal just after the start and just before the end of a stretch."""
        c = int(self.trace.configurations[stretch])
        row = self._rows[c][self.index(name)]
        states = self.grids[stretch][1][:, : self.width]
        return float(row @ states[0]), float(row @ states[-1])

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


def record(state: SteadyState) -> Recording:
    """Return the recording of a steady state."""
    return Recording(state.engine, state.trace)
