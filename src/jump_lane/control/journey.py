"""A converter over time: from rest or from its steady state, through events, in open loop or under its loop."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np

from jump_lane.catalogue.kinds import SATURATED, Transformer
from jump_lane.circuit.law import Law, Row
from jump_lane.control.design import LoopDesign
from jump_lane.control.digital import Sampled
from jump_lane.control.events import Planned, planned
from jump_lane.control.loops import AnyLoop, close, controller
from jump_lane.control.modulator import COMMAND
from jump_lane.control.network import REFERENCE
from jump_lane.control.stage import SOURCE, Stage
from jump_lane.design.components import components
from jump_lane.errors import NoResultError
from jump_lane.judge.rating import BLOCKED, PEAK, ratings_of
from jump_lane.judge.stress import VALVES
from jump_lane.operating.mode import simulated_mode
from jump_lane.spec import Spec
from jump_lane.spec.loop import Event
from jump_lane.switching.changes import Change
from jump_lane.switching.record import Recording
from jump_lane.switching.transient import Passage, travel

MODES = 24
"""Changes of the way it conducts that are looked at."""

HELD = "held"
"""Row of what is held."""

TAIL, DRIFT, CALM = 20, 0.2, 2.0
"""Where an output ends is told by the last twentieth of a span; it drifts if it moves there by more than that part of the band; and
it has settled if it has been within the band for so many periods at least."""


@dataclass(frozen=True)
class Swing:
    """What the output does after an event (or from the start).

    Attributes
    ----------
    words, start, end
        What happened, and the span until the next event [s].
    before, after
        Average before and at the end of the span.
    low, high
        Extremes in the span, and when.
    settled
        How long after the event the output (its average over each period, if it ripples by more than the band) last was outside
        the band about where it ends; None where it does not settle.
    """

    words: str
    start: float
    end: float
    before: float
    after: float
    low: float
    low_at: float
    high: float
    high_at: float
    settled: float | None

    @property
    def deviation(self) -> float:
        """How far the output goes beyond both averages."""
        return max(self.undershoot, self.overshoot)

    @property
    def undershoot(self) -> float:
        """How far the output falls below both averages."""
        return max(min(self.before, self.after) - self.low, 0.0)

    @property
    def overshoot(self) -> float:
        """How far it rises above both averages."""
        return max(self.high - max(self.before, self.after), 0.0)


@dataclass(frozen=True)
class Strain:
    """The largest voltage or current of a component on the way, and what it is rated for."""

    component: str
    what: str
    value: float
    at: float
    limit: float | None
    unit: str

    @property
    def holds(self) -> bool | None:
        """Whether it stays within; None where the rating is not known."""
        return None if self.limit is None else self.value <= self.limit


@dataclass(frozen=True)
class Journey:
    """A run over time with what it is asked.

    Attributes
    ----------
    loop
        None in open loop.
    band
        Part of the output in which it counts as settled.
    """

    stage: Stage
    loop: AnyLoop | None
    passage: Passage
    plan: tuple[Planned, ...]
    changes: tuple[Change, ...]
    end: float
    rest: bool
    band: float
    complete: bool = True

    @property
    def unit(self) -> str:
        """Its unit."""
        return "A" if self.stage.string else "V"

    def swings(self) -> list[Swing]:
        """Return what the output does in each span between events."""
        marks = [(0.0, "from rest" if self.rest else ""), *((p.event.at, p.words) for p in self.plan)]
        ends = [*(start for start, _ in marks[1:]), self.passage.time]
        least = CALM * self.stage.circuit.period
        return [
            self._swing(words, start, min(end, self.passage.time))
            for (start, words), end in zip(marks, ends, strict=True)
            if words and min(end, self.passage.time) - start > least
        ]

    def _swing(self, words: str, start: float, end: float) -> Swing:
        strip, period = self.passage.strip, self.stage.circuit.period
        k, within = strip.names.index(HELD), strip.within(start, end)
        length = strip.end - strip.start
        before = np.flatnonzero((strip.end < start + 0.5 * period) & (length > 0.5 * period))
        tail = within[-max(len(within) // TAIL, 1) :]
        average = float(np.average(strip.mean[tail, k], weights=length[tail]))
        was = float(strip.mean[before[-1], k]) if len(before) and start > 0.0 else 0.0
        allowed = self.band * max(abs(average), abs(self.stage.target) * 1e-3)
        last: float | None
        low, high = float(strip.low[tail, k].min()), float(strip.high[tail, k].max())
        if average - allowed < low and high < average + allowed:
            last = self.passage.last_outside(HELD, average - allowed, average + allowed, start, end)
        else:  # it ripples by more than the band: its averages tell
            off = within[np.abs(strip.mean[within, k] - average) > allowed]
            last = float(strip.end[off[-1]]) if len(off) else start
        drift = abs(float(strip.mean[tail[-1], k] - strip.mean[tail[0], k]))
        calm = last is not None and last < end - CALM * period and drift <= DRIFT * allowed
        settled = max(last - start, 0.0) if calm and last is not None else None
        return Swing(words, start, end, was, average, *strip.extremes(HELD, start, end), settled)

    def strains(self) -> Iterator[Strain]:
        """Yield the largest voltages and currents of every component, with what it is rated for."""
        strip = self.passage.strip
        for component in components(self.stage.design, self.stage.point):
            known: dict[str, float | None] = {}
            if component.part is not None:
                rated = ratings_of(component.part, component.pieces, self.stage.design.spec.margin)
                known = {r.quantity: r.limit for r in rated}
            for row, what, quantity, unit in (
                (f"{component.name}.v", "voltage", BLOCKED, "V"),
                (f"{component.name}.i", "peak current", PEAK, "A"),
            ):
                if row in strip.names:
                    low, low_at, high, high_at = strip.extremes(row, 0.0, math.inf)
                    value, at = (high, high_at) if abs(high) >= abs(low) else (low, low_at)
                    yield Strain(component.name, what, abs(value), at, known.get(quantity), unit)
            core = f"{component.coil}.i"
            if (
                isinstance(component.part, Transformer)
                and component.part.saturation is not None
                and core in strip.names
            ):
                low, low_at, high, high_at = strip.extremes(core, 0.0, math.inf)
                value, at = (high, high_at) if abs(high) >= abs(low) else (low, low_at)
                limit = component.part.saturation.crossing(SATURATED)
                yield Strain(component.name, "magnetising current", abs(value), at, limit, "A")

    def modes(self) -> list[tuple[float, str]]:
        """Return when the converter starts to conduct in another way, and how."""
        strip, period = self.passage.strip, self.stage.circuit.period
        changed = [0, *(np.flatnonzero(np.diff(strip.met)) + 1)]
        out: list[tuple[float, str]] = []
        for at in changed[:MODES]:
            mode = self._mode(float(strip.start[at]), period)
            if mode and (not out or out[-1][1] != mode):
                out.append((float(strip.start[at]), mode))
        return out

    def _mode(self, time: float, period: float) -> str:
        """Return how a period conducts, if a change does not cut it."""
        for engine, trace, _ in self.passage.again(time + 0.1 * period, time + 0.9 * period):
            if trace.ticks[0] == 0 and trace.length == self.passage.here.edges.length:
                return simulated_mode(self.stage.design.page, self.stage.point, Recording(engine, trace))
        return ""


def rows_of(stage: Stage, law: Law | None) -> dict[str, Row]:
    """Return the rows that are followed: what is held, outputs, the command of the law, and every component."""
    rows: dict[str, Row] = {HELD: {stage.held: 1.0}, "output": {"load.v": 1.0}, "input": {f"{SOURCE}.i": 1.0}}
    for number in range(2, len(stage.point.kinds) + 1):
        rows[f"output {number}"] = {f"load{number}.v": 1.0}
    if law is not None and COMMAND in law.outputs:
        rows[COMMAND] = law.outputs[COMMAND]
    branches = {name for name, _, _ in stage.circuit.branches}
    signals = [f"{name}.i" for name in stage.inductors]
    for component in components(stage.design, stage.point):
        if component.name in branches and component.kind in (*VALVES, "capacitor"):
            signals.append(f"{component.name}.v")
        if component.name in branches and component.kind in VALVES:
            signals.append(f"{component.name}.i")
    return rows | {signal: {signal: 1.0} for signal in signals}


def prepare(
    stage: Stage, loop: AnyLoop | None, events: Sequence[Event], end: float, rest: bool, band: float
) -> Journey:
    """Return a run that is ready to start.

    Raises
    ------
    InputError
        If an event cannot happen.
    NoResultError
        If there is no steady state to start from.
    """
    state = stage.open if loop is None else close(loop, stage).state
    circuit = replace(state.engine.circuit, control=state.control)
    kind = "" if loop is None else "digital" if isinstance(loop, Sampled) else "analogue"
    plan = tuple(planned(stage, circuit, events, end, kind))
    soft = _soft_start(stage, kind) if rest else []
    clocked = controller(loop, stage) if isinstance(loop, Sampled) else None
    if clocked is not None and rest:
        control = stage.design.spec.control
        clocked.from_rest(control.soft_start / circuit.period if control is not None else 0.0)
    moving = {c.name for c in (*soft, *(c for p in plan for c in p.changes)) if c.name}
    states, combo = ({}, 0) if rest else (state.engine.named(state.start), state.combo)
    passage = Passage(
        circuit, rows_of(stage, circuit.law), stage.inputs, tuple(moving), states, combo, clocked
    )
    changes = sorted((*soft, *(c for p in plan for c in p.changes)), key=lambda c: c.time)
    return Journey(stage, loop, passage, plan, tuple(changes), end, rest, band)


def _soft_start(stage: Stage, kind: str) -> list[Change]:
    """Return how the reference of an analogue loop rises from zero, if it takes its time."""
    control = stage.design.spec.control
    if kind != "analogue" or control is None or control.soft_start == 0.0:
        return []
    rise = control.reference / control.soft_start
    return [Change(0.0, REFERENCE, 0.0, rise), Change(control.soft_start, REFERENCE, control.reference)]


def go(journey: Journey, step: Callable[[float], None] | None = None) -> Journey:
    """Run it; an interruption keeps what is done.

    Raises
    ------
    NoResultError
        If the circuit has no consistent combination of valves on the way, or its states grow beyond all bounds.
    """
    coming = [c for c in journey.changes if c.time < journey.end]
    done = travelled(journey.passage, coming, journey.end, step)
    return journey if done else replace(journey, complete=False)


def travelled(
    passage: Passage, changes: Sequence[Change], end: float, step: Callable[[float], None] | None
) -> bool:
    """Run a passage to its end [s]; tell whether it was not interrupted."""
    try:
        travel(passage, changes, end, step)
    except KeyboardInterrupt:
        return False
    return True


AFTER, REST_PERIODS = 0.4, 400.0
"""How long a run goes on behind the last event, as a part of the time until then; and at least so many periods."""


def length_of_run(last: float, period: float) -> float:
    """Return how long a run takes whose last event is over at an instant, unless the user says so [s]."""
    return last + max(AFTER * last, REST_PERIODS * period)


def span_of(stage: Stage, spec: Spec, rest: bool) -> float:
    """Return how long a run takes unless the user says so [s]."""
    soft = spec.control.soft_start if rest and spec.control is not None else 0.0
    last = max((e.at + e.over for e in spec.event), default=0.0)
    return length_of_run(max(last, 2.0 * soft), stage.circuit.period)


STEP_PERIODS, CROSSOVERS, INSTANTS = 60.0, 3.0, 8
"""How long a load step is looked at, in periods and in periods of the crossover, whichever is longer; and at how many instants of
the period, as the worst one is not known before."""


def load_step(found: LoopDesign, instants: int = INSTANTS) -> Journey | None:
    """Return a load step down from full load and back, at the instant of the period where the output deviates most.

    None where there is no result.
    """
    stage, loop = found.nominal, found.loop.loop
    period = stage.circuit.period
    size = min(0.5 * stage.i_o if loop.step is None else loop.step, stage.i_o)
    crossover = math.nan if found.middle is None else found.middle.margins.crossover
    slow = CROSSOVERS / crossover if math.isfinite(crossover) else 0.0
    span = math.ceil(max(STEP_PERIODS, slow / period)) * period
    runs = []
    for k in range(instants):
        first = (5.0 + (k + 0.5) / instants) * period
        events = (Event(at=first, load=stage.i_o - size), Event(at=first + span, load=stage.i_o))
        try:
            runs.append(go(prepare(stage, found.loop, events, first + 2.0 * span, False, 0.02)))
        except NoResultError:
            return None
    return max(runs, key=lambda run: max(s.deviation for s in run.swings()))
