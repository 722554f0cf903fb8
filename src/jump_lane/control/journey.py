"""A converter over time: from rest or from its steady state, through events, in open loop or under its loop."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np

from jump_lane.circuit.law import Law, Row
from jump_lane.control.design import LoopDesign
from jump_lane.control.digital import Sampled
from jump_lane.control.events import Planned, planned
from jump_lane.control.loops import AnyLoop, controller, law_of
from jump_lane.control.network import REFERENCE
from jump_lane.control.stage import Stage
from jump_lane.errors import NoResultError
from jump_lane.judge.rating import BLOCKED, PEAK, ratings_of
from jump_lane.judge.stress import VALVES
from jump_lane.operating.mode import simulated_mode
from jump_lane.spec import Spec
from jump_lane.spec.loop import Event
from jump_lane.switching.changes import Change
from jump_lane.switching.network import Array
from jump_lane.switching.record import Recording
from jump_lane.switching.steady import SteadyState
from jump_lane.switching.transient import Passage, travel
from jump_lane.topologies.components import components

MODES = 24
"""Changes of the way it conducts that are looked at."""

OUTPUT, COMMAND = "output", "command"


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
    until: float
    """When what happens is over [s]."""

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
    end: float
    rest: bool
    band: float
    complete: bool = True

    @property
    def output(self) -> str:
        """Row of what is held."""
        return "held"

    @property
    def unit(self) -> str:
        """Its unit."""
        return "A" if self.stage.string else "V"

    def swings(self) -> list[Swing]:
        """Return what the output does in each span between events."""
        marks = [(0.0, 0.0, "from rest" if self.rest else "")]
        marks += [(p.event.at, p.event.at + p.event.over, p.words) for p in self.plan]
        last = self.passage.time
        out = []
        for k, (start, until, words) in enumerate(marks):
            end = marks[k + 1][0] if k + 1 < len(marks) else last
            if words and min(end, last) - start > 2.0 * self.stage.circuit.period:
                out.append(self._swing(words, start, min(end, last), until))
        return out

    def _swing(self, words: str, start: float, end: float, until: float) -> Swing:
        strip, period = self.passage.strip, self.stage.circuit.period
        k = strip.names.index(self.output)
        before = np.flatnonzero(strip.end <= start + 1e-9 * period)
        within = np.flatnonzero((strip.start >= start - 1e-9 * period) & (strip.end <= end + 1e-9 * period))
        tail = within[-max(len(within) // 20, 1) :]
        average = float(np.average(strip.mean[tail, k], weights=(strip.end - strip.start)[tail]))
        was = float(strip.mean[before[-1], k]) if len(before) else 0.0
        low, low_at, high, high_at = strip.extremes(self.output, start, end)
        allowed = self.band * max(abs(average), abs(self.stage.target) * 1e-3)
        drifting = abs(float(strip.mean[tail[-1], k]) - float(strip.mean[tail[0], k])) > 0.2 * allowed
        low_end, high_end = float(strip.low[tail, k].min()), float(strip.high[tail, k].max())
        last: float | None
        if min(average + allowed - high_end, low_end - average + allowed) > 0.0:
            last = self.passage.last_outside(self.output, average - allowed, average + allowed, start, end)
        else:  # it ripples by more than the band: its averages tell
            off = within[np.abs(strip.mean[within, k] - average) > allowed]
            last = float(strip.end[off[-1]]) if len(off) else start
        calm = last is not None and not drifting and last < end - 2.0 * period
        return Swing(
            words, start, end, was, average, low, low_at, high, high_at,
            max(last - start, 0.0) if calm and last is not None else None, until,
        )  # fmt: skip

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
        for engine, trace, _ in self.passage.again(time + 0.1 * period, time + 0.9 * period):
            if trace.ticks[0] == 0 and len(trace.ticks) and trace.length > 0:
                try:
                    return simulated_mode(self.stage.design.page, self.stage.point, Recording(engine, trace))
                except (NoResultError, ZeroDivisionError, ValueError):
                    return ""
        return ""


def rows_of(stage: Stage, law: Law | None) -> dict[str, Row]:
    """Return the rows that are followed: what is held, inductors, the command of the law, and every device."""
    rows = {k: v for k, v in stage.watched.items() if k in ("held", "output", "input")}
    branches = {name for name, _, _ in stage.circuit.branches}
    for number in range(2, len(stage.point.kinds) + 1):
        rows[f"output {number}"] = {f"load{number}.v": 1.0}
    if law is not None:
        rows[COMMAND] = law.outputs["command"]
    for name in stage.inductors:
        rows[f"{name}.i"] = {f"{name}.i": 1.0}
    for component in components(stage.design, stage.point):
        if component.kind in VALVES and component.name in branches:
            rows[f"{component.name}.v"] = {f"{component.name}.v": 1.0}
            rows[f"{component.name}.i"] = {f"{component.name}.i": 1.0}
    return rows


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
    kind = "" if loop is None else "digital" if isinstance(loop, Sampled) else "analogue"
    law, states = (None, {}) if loop is None else law_of(loop, stage)
    circuit = replace(stage.circuit, control=stage.open.control, law=law)
    plan = planned(stage, circuit, events, end, kind)
    begin: SteadyState | None = None if rest else stage.open
    start = {} if rest else dict(states) or stage.open.states
    clocked = controller(loop, stage) if isinstance(loop, Sampled) else None
    if clocked is not None and rest:
        clocked.from_rest(stage.design.spec.control.soft_start / circuit.period)  # type: ignore[union-attr]
    moving = tuple(
        {c.name for p in plan for c in p.changes if c.name} | ({REFERENCE} if law is not None else set())
    )
    passage = Passage(
        circuit,
        rows_of(stage, law),
        stage.inputs,
        moving,
        start,
        0 if begin is None else begin.combo,
        clocked,
    )
    journey = Journey(stage, loop, passage, tuple(plan), end, rest, band)
    if rest and law is not None:
        _soft(journey)
    return journey


def _soft(journey: Journey) -> None:
    """Let the reference of an analogue loop rise from zero, or be there at once."""
    control = journey.stage.design.spec.control
    assert control is not None
    if control.soft_start > 0.0:
        slope = control.reference / control.soft_start
        journey.passage.change(Change(0.0, REFERENCE, 0.0, slope))


def changes_of(journey: Journey) -> list[Change]:
    """Return everything that changes on the way, in order of time."""
    control = journey.stage.design.spec.control
    out = [c for p in journey.plan for c in p.changes]
    if (
        journey.rest
        and journey.passage.circuit.law is not None
        and control is not None
        and control.soft_start > 0.0
    ):
        out.append(Change(control.soft_start, REFERENCE, control.reference))
    return sorted(out, key=lambda c: c.time)


def go(journey: Journey, step: Callable[[float], None] | None = None) -> Journey:
    """Run it; an interruption keeps what is done.

    Raises
    ------
    NoResultError
        If the circuit has no consistent combination of valves on the way, or its states grow beyond all bounds.
    """
    try:
        travel(journey.passage, [c for c in changes_of(journey) if c.time < journey.end], journey.end, step)
    except KeyboardInterrupt:
        return replace(journey, complete=False)
    return journey


AFTER, REST_PERIODS = 0.4, 400.0
"""How long a run goes on behind the last event, as a part of the time until then; and at least so many periods."""


def span_of(stage: Stage, spec: Spec, rest: bool) -> float:
    """Return how long a run takes unless the user says so [s]."""
    least = REST_PERIODS * stage.circuit.period
    soft = spec.control.soft_start if rest and spec.control is not None else 0.0
    last = max((e.at + e.over for e in spec.event), default=0.0)
    last = max(last, 2.0 * soft)
    return last + max(AFTER * last, least)


STEP_PERIODS = 60.0


def load_step(found: LoopDesign) -> tuple[Array, Array] | None:
    """Return instants [s] and the output at a load step down from full load and back; None where the load cannot step."""
    stage = found.nominal
    if stage.string:
        return None
    loop = found.loop.loop
    size = min(loop.step if loop.step is not None else 0.5 * stage.i_o, stage.i_o)
    proof = next((p for p in found.proofs if p.stage.words == stage.words), None)
    slow = (
        3.0 / proof.margins.crossover if proof is not None and math.isfinite(proof.margins.crossover) else 0.0
    )
    span = max(STEP_PERIODS * stage.circuit.period, slow)
    first = 5.3 * stage.circuit.period
    events = (
        Event(at=first, load=stage.i_o - size),
        Event(at=first + span, load=stage.i_o),
    )
    try:
        run = go(prepare(stage, found.loop, events, first + 2.0 * span, False, 0.02))
    except NoResultError:
        return None
    time, values = run.passage.samples(0.0, run.passage.time, 40)
    return time, values[:, run.passage.strip.names.index(run.output)]
