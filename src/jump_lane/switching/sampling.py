"""Signals of a recorded period: as rows over the states, at instants that show them all, and their extremes."""

from __future__ import annotations

from functools import cached_property
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from jump_lane.errors import InputError, nearest
from jump_lane.switching import propagators
from jump_lane.switching.clock import parted
from jump_lane.switching.engine import Engine
from jump_lane.switching.network import Array
from jump_lane.switching.runs import Trace
from jump_lane.switching.survey import Outline, Survey, extremes, outline, survey
from jump_lane.switching.waveforms import Waveforms


class Sampled:
    """Signals of one recorded period; see `Recording` for their names."""

    def __init__(self, engine: Engine, trace: Trace) -> None:
        self.engine = engine
        self.trace = trace
        self.network = engine.network
        self.period = trace.length * engine.tick
        self.width = engine.n + 1
        self._samples: dict[int, tuple[Array, list[Array]]] = {}

    # --- signals -----------------------------------------------------------------------------------------

    @property
    def names(self) -> tuple[str, ...]:
        """Return all signal names, in the order of the rows of `Engine.signals`."""
        return self.network.signals

    @property
    def _index(self) -> dict[str, int]:
        return self.network.signal_numbers

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

    @cached_property
    def _lasting(self) -> tuple[tuple[NDArray[np.int64], Array], Array, NDArray[np.int64]]:
        """Configurations and states that stretches start with, what is left of the ticks of these events, and lengths [ticks]."""
        trace = self.trace
        return (trace.configurations, trace.states), np.append(trace.rests, 0.0), trace.durations

    @cached_property
    def _outline(self) -> Outline:
        """What the stretches are; how signals go in them, which takes as long as the period itself, is in `_seen`."""
        return outline(self.network.stamp, self.engine.tables, *self._lasting)  # type: ignore[no-any-return]

    @cached_property
    def _seen(self) -> Survey:
        branches = len(self.network.branches)
        return survey(  # type: ignore[no-any-return]
            self._outline, branches, self.engine.tables, *self._lasting, self.engine.tick
        )

    @property
    def _origins(self) -> Array:
        """The states at the ticks on which the stretches start (their events may lie within the ticks before), (k, nz)."""
        return self._outline.origins

    @cached_property
    def _rows(self) -> dict[int, Array]:
        """Every signal as a row over [y; 1] in every configuration that was met, (s, n+1)."""
        return dict(zip(self._outline.order.tolist(), self._outline.rows, strict=True))

    @cached_property
    def _turned_on(self) -> list[int]:
        """The valves that conduct in each stretch and did not in the one before, as bits."""
        combos = self.engine.tables.info[self.trace.configurations, 0].tolist()
        return [now & ~before for now, before in zip(combos, [combos[-1], *combos], strict=False)]

    @cached_property
    def grids(self) -> list[tuple[NDArray[np.int64], Array]]:
        """For every stretch instants from its start [ticks], both ends included, that show every signal; states there."""
        return [(self._seen.ticks[part], self._seen.states[part]) for part in self._parts]

    @cached_property
    def _parts(self) -> list[slice]:
        return [slice(a, b) for a, b in pairwise(self._seen.first.tolist())]

    def _states(self, c: int, z: Array, ticks: NDArray[np.int64]) -> Array:
        out = np.empty((len(ticks), self.engine.nz))
        propagators.sample(self.engine.tables.phi, c, z, ticks, out)
        return out[:, : self.width]

    @cached_property
    def _values(self) -> list[Array]:
        """For every stretch the signals at the instants of its grid, (instants, signals)."""
        return [self._seen.values[part] for part in self._parts]

    @property
    def within(self) -> tuple[Array, Array]:
        """Return least and largest values of all signals in every stretch, good to 1e-4, (stretches, signals)."""
        return self._seen.lows, self._seen.highs

    @cached_property
    def _extremes(self) -> Array:
        return np.asarray(extremes(self.engine.tables.phi, self._outline, self._seen))

    def waveforms(self, names: tuple[str, ...], per_period: int = 400) -> Waveforms:
        """Return samples of some signals over one period, both sides of every jump included."""
        rows = [self.index(name) for name in names]
        instants, states = self._evenly(per_period)
        configurations = self.trace.configurations
        table = np.vstack(
            [z @ self._rows[int(c)][rows].T for c, z in zip(configurations, states, strict=True)]
        )
        return Waveforms(instants, {n: table[:, k] for k, n in enumerate(names)}, self.period)

    def _evenly(self, per_period: int) -> tuple[Array, list[Array]]:
        """Return instants of samples [s], and the states there in every stretch; they are kept."""
        if per_period in self._samples:
            return self._samples[per_period]
        times, values = [], []
        for i, (start, span) in enumerate(zip(self.trace.ticks, self.trace.durations, strict=True)):
            count = max(int(np.ceil(per_period * span / self.trace.length)), 2)
            ticks = np.sort(np.concatenate((parted(span, count), self.grids[i][0])))
            ticks = ticks[np.diff(ticks, prepend=-1) > 0]
            values.append(self._states(int(self.trace.configurations[i]), self._origins[i], ticks))
            times.append((start + ticks) * self.engine.tick)
        return self._samples.setdefault(per_period, (np.concatenate(times), values))

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
        whole = self.trace.length
        tick = tick % whole if after else (tick - 1) % whole + 1
        side = "right" if after else "left"
        i = max(int(np.searchsorted(self.trace.ticks, tick, side=side)) - 1, 0)  # type: ignore[call-overload]
        c = int(self.trace.configurations[i])
        at = np.array([tick - self.trace.ticks[i]], dtype=np.int64)
        return float(self._states(c, self._origins[i], at)[0] @ self._rows[c][self.index(name)])
