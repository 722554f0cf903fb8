"""Component values solved so that the simulated converter just keeps every limit in all cases.

Every limit tells by which factor its components have to be multiplied; each takes the largest of its lower bounds (or the
smallest of its upper ones), round by round, until nothing moves.  Cases between the corners, or with values at the ends of
their tolerances, are looked over at the end; those that break a limit join.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field

from jump_lane.design.asked import chosen_values
from jump_lane.design.derive import Design, derive
from jump_lane.errors import ConvergenceError, NoResultError
from jump_lane.sizing.case import Case, Values, between, corners, extremes, kind_of
from jump_lane.sizing.readings import Reading, about, read
from jump_lane.sizing.rounds import CIRCLING, CREEPING, LONGEST, Round, damped, let_be, mixed
from jump_lane.spec import Spec

ROUNDS = 40
SETTLED = 8e-4
"""A step below this part of a value is none."""

NEAR = 0.85
"""Cases whose value over limit is below this part of the worst are left out until the next look over all."""

BROKEN = 1.0005
"""A limit exceeded by more than this, in value over limit, is broken."""

JOINS = 6
"""How often cases may join."""

HEEDED, MOVED = 8, 0.03
"""Rounds in which a limit has to come nearer while its component moves, and what counts as moving (ln)."""

LOWERED = 0.95
"""By which factor a turns ratio is lowered until the output can be held."""


@dataclass(frozen=True)
class Sizing:
    """Values that just keep every limit.

    Attributes
    ----------
    design
        The textbook design.
    exact
        Component values that just keep every limit, all at once, without margin.
    values
        The same with margin (none where tolerances are kept).
    deciding
        For each component what decides it.
    unkept
        Limits that no value keeps, or only one that the file fixes, each at its worst.
    jumping
        Components whose limit jumps from broken to kept just before their value.
    tolerances
        Whether every limit is kept with all values at the ends of their tolerances.
    rounds, solves
        What it took.
    """

    design: Design
    exact: dict[str, float]
    values: dict[str, float]
    deciding: dict[str, Reading]
    unkept: list[Reading]
    jumping: frozenset[str]
    tolerances: bool
    rounds: int
    solves: int


@dataclass
class _State:
    """A solution under way."""

    design: Design
    values: dict[str, float]
    fixed: dict[str, float]
    told: Callable[[str], None]
    rounds: int = 0
    solves: int = 0
    stuck: set[str] = field(default_factory=set)
    deaf: set[str] = field(default_factory=set)
    """Components that their limit does not heed."""
    jumping: set[str] = field(default_factory=set)
    """Components whose limit jumps from broken to kept just before their value."""
    kept: dict[str, float] = field(default_factory=dict)
    """The last value of each component at which it kept its limits."""

    @property
    def free(self) -> set[str]:
        """Components whose value is looked for."""
        return set(self.values) - self.deaf

    def read(self, values: Values, cases: list[Case]) -> list[Reading]:
        """Return what the cases show."""
        self.solves += len(cases)
        return list(read(self.design, self.fixed | dict(values), cases))

    def moved(self, readings: list[Reading]) -> dict[str, float]:
        """Return by which factor each component has to change; what no value keeps goes halfway back to one that did, if any."""
        self.stuck = {c for r in readings if math.isnan(r.factor) for c in r.mend.components}
        out = {}
        for symbol, value in self.values.items():
            found, factor = deciding(readings, symbol), 1.0
            if symbol in self.stuck:
                factor = math.sqrt(self.kept.get(symbol, value) / value)
            elif found is not None and symbol not in self.deaf:
                factor = found.factor
                if found.kept:
                    self.kept[symbol] = value
            out[symbol] = min(max(factor, 1.0 / LONGEST), LONGEST)
        return out


def deciding(readings: list[Reading], symbol: str) -> Reading | None:
    """Return what decides a component: the largest of its lower bounds, or the smallest of its upper ones."""
    own = [r for r in readings if symbol in r.mend.components and not math.isnan(r.factor)]
    lower = [r for r in own if r.mend.least]
    if lower:
        return max(lower, key=lambda r: r.factor)
    return min(own, key=lambda r: r.factor, default=None)


def size(spec: Spec, tolerances: bool = False, told: Callable[[str], None] = lambda _: None) -> Sizing:
    """Solve the component values of a converter that its file does not fix.

    Parameters
    ----------
    tolerances
        Whether every limit is to be kept with all values at the ends of their tolerances.
    told
        Is told of every round, in words.

    Raises
    ------
    InputError
        If no textbook design exists to start from.
    NoResultError
        If a case has no steady state, or the values do not settle.
    """
    textbook = derive(spec)
    bare = spec.model_copy(
        update={"margin": spec.margin.model_copy(update={"inductance": 0.0, "capacitance": 0.0})}
    )
    start = derive(bare)
    fixed = chosen_values(start.spec, start.page, start.sheet)
    every = corners(start)
    state = _State(start, {s: v for s, v in start.components().items() if s not in fixed}, fixed, told)
    readings = _first(state, every)
    sized = {c for r in readings for c in r.mend.components}
    state.values = {s: v for s, v in state.values.items() if s in sized}
    pool = [*every, *(extremes(start) if tolerances else between(start))]
    readings = _settle(state, every, pool)
    turns = start.spec.transformer.primary_turns
    if turns and "n" in state.values:
        whole = turns / math.ceil(turns / state.values.pop("n") - 1e-6)
        state.fixed = {**state.fixed, "n": whole}
        state.deaf.clear()
        readings = _settle(state, every, pool)
        state.values["n"] = state.fixed.pop("n")
    return _result(state, textbook, readings, tolerances)


def _first(state: _State, cases: list[Case]) -> list[Reading]:
    """Read the start, a turns ratio lowered until the output can be held, the other values derived anew with it."""
    for _ in range(12):
        try:
            return state.read(state.values, cases)
        except NoResultError:
            if "n" not in state.values:
                raise
            lower = {"n": state.values["n"] * LOWERED}
            again = state.design.sized(lower, state.design.inputs, state.design.loads).components()
            state.values = {s: again[s] for s in state.values}
    return state.read(state.values, cases)


def _settle(state: _State, every: list[Case], pool: list[Case]) -> list[Reading]:
    """Solve with some cases, look over all, let those that break a limit join; return the last look over all."""
    active = list(every)
    for join in range(JOINS):
        active = _solve(state, active)
        readings = state.read(state.values, pool)
        own = about(readings, state.free - state.stuck)
        broken = [r for r in own if r.ratio > BROKEN and r.case not in active]
        state.told(f"looked over {len(pool)} cases: {len({r.case for r in broken})} join")
        asked = {s: f for s, f in state.moved(own).items() if s not in state.jumping}
        slack = [s for s, f in asked.items() if abs(math.log(f)) > 2.0 * SETTLED]
        if not broken and (join or not slack):
            return readings
        active = _worst_cases(own, pool if slack else active)
    raise ConvergenceError("cases between the corners go on breaking limits; values have not settled")


def _worst_cases(readings: list[Reading], known: list[Case]) -> list[Case]:
    """Return the known cases, and for every limit the one in which it is worst."""
    worst: dict[tuple[str, str], Reading] = {}
    for reading in readings:
        for symbol in reading.mend.components:
            key = (reading.limit.symbol, symbol)
            if key not in worst or reading.ratio > worst[key].ratio:
                worst[key] = reading
    return _ordered({*known, *(r.case for r in worst.values())})


def _ordered(cases: set[Case]) -> list[Case]:
    return sorted(cases, key=lambda c: (c.others, c.off, c.v_in, c.i_o))


def _solve(state: _State, cases: list[Case]) -> list[Case]:
    """Iterate until no component moves; return the cases that have come near a limit.

    Raises
    ------
    ConvergenceError
        Naming what still moves.
    """
    active = list(cases)
    steps: dict[str, float] = {}
    state.jumping.clear()
    gains, begun = dict.fromkeys(state.values, 1.0), dict(state.values)
    seen: dict[str, list[tuple[float, float]]] = {}
    course: list[Round] = []
    readings: list[Reading] = []
    for k in range(ROUNDS):
        try:
            shown = _tried(state, active, steps)
        except NoResultError as error:
            raise _on_the_way(error, readings, steps) from None
        readings = about(shown, state.free)
        last, steps = steps, state.moved(readings)
        state.rounds += 1
        largest = max((abs(math.log(f)) for f in steps.values()), default=0.0)
        state.told(f"round {state.rounds}: largest step {100 * largest:.2g} %")
        if largest < SETTLED:
            return active
        for symbol in _unheeded(state, readings, seen):
            state.deaf.add(symbol)
            state.values[symbol] = begun[symbol]
            steps.pop(symbol)
        values = {s: state.values[s] for s in steps}
        course.append(Round(values, steps, {s for s in steps if state.kept.get(s) == values[s]}))
        slower = damped(steps, last, gains)
        steps = mixed(course) if k >= CIRCLING and largest > CREEPING else slower
        for symbol, factor in steps.items():
            state.values[symbol] *= factor
        active = _near(readings, active)
    kept = let_be(course)
    if kept is not None:
        state.values |= kept.values
        state.jumping = {s for s, f in kept.asked.items() if abs(math.log(f)) >= CREEPING}
        return active
    moving = ", ".join(s for s, f in course[-1].asked.items() if abs(math.log(f)) > SETTLED)
    raise ConvergenceError(f"the values of {moving} have not settled in {ROUNDS} rounds")


def _on_the_way(error: NoResultError, readings: list[Reading], steps: dict[str, float]) -> NoResultError:
    """Return why a round has no result, with the limit that asked for it."""
    symbol = max(steps, key=lambda s: abs(math.log(steps[s])), default="")
    found = deciding(readings, symbol)
    if found is None:
        return error
    more = "more" if steps[symbol] > 1.0 else "less"
    return ConvergenceError(f"{error}; met where {more} {symbol} is asked for: {found.limit.meaning}")


def _unheeded(
    state: _State, readings: list[Reading], seen: dict[str, list[tuple[float, float]]]
) -> list[str]:
    """Note where the values stand; return those that move on while their limit does not come nearer."""
    out = []
    for symbol in state.free:
        found = deciding(readings, symbol)
        if found is None or symbol in state.stuck or found.limit.symbol != "mode":
            continue  # ripples always heed their components
        before = seen.setdefault(symbol, [])
        before.append((state.values[symbol], found.ratio - 1.0))
        if len(before) <= HEEDED:
            continue
        course = before[-1 - HEEDED :]
        (value, off), (now, left) = course[0], course[-1]
        far = abs(math.log(now / value)) > MOVED and min(abs(off), abs(left)) > SETTLED
        one_way = all(o * left > 0.0 for _, o in course)  # else it circles around where the limit is kept
        if far and one_way and abs(left) > 0.8 * abs(off):
            out.append(symbol)
    return out


def _tried(state: _State, cases: list[Case], steps: dict[str, float]) -> list[Reading]:
    """Read the cases; where one has no result, go halfway back."""
    for _ in range(5):
        try:
            return state.read(state.values, cases)
        except NoResultError:
            if not steps:
                raise
            steps = {s: f**0.5 for s, f in steps.items()}
            for symbol, factor in steps.items():
                state.values[symbol] /= factor
    return state.read(state.values, cases)


def _near(readings: list[Reading], cases: list[Case]) -> list[Case]:
    """Return the cases in which some limit is within reach of its worst."""
    worst: dict[str, float] = {}
    for r in readings:
        worst[r.limit.symbol] = max(worst.get(r.limit.symbol, 0.0), r.ratio)
    kept = {r.case for r in readings if r.ratio >= NEAR * worst[r.limit.symbol]}
    return [c for c in cases if c in kept]


def _result(state: _State, textbook: Design, readings: list[Reading], tolerances: bool) -> Sizing:
    decided = {s: found for s in state.values if (found := _decided(readings, s)) is not None}
    margin = textbook.spec.margin
    extra = {"L": margin.inductance, "C": margin.capacitance, "n": 0.0}
    values = {}
    for symbol, value in state.values.items():
        by = decided.get(symbol)
        m = 0.0 if tolerances or by is None else extra[kind_of(textbook, symbol)]
        if by is not None and by.limit.symbol == "mode" and textbook.spec.switching.mode == "boundary":
            m = 0.0
        values[symbol] = value * (1.0 + m) if by is None or by.mend.least else value / (1.0 + m)
    return Sizing(
        textbook,
        dict(state.values),
        values,
        decided,
        _unkept(readings),
        frozenset(state.jumping),
        tolerances,
        state.rounds,
        state.solves,
    )


def _decided(readings: list[Reading], symbol: str) -> Reading | None:
    """Return what decides a component, first of all what none of its values keeps."""
    lost = [r for r in readings if symbol in r.mend.components and math.isnan(r.factor)]
    return max(lost, key=lambda r: r.ratio, default=None) or deciding(readings, symbol)


def _unkept(readings: list[Reading]) -> list[Reading]:
    """Return every limit that is broken, each where it is worst."""
    worst: dict[str, Reading] = {}
    for r in readings:
        symbol = r.limit.symbol
        if r.ratio > 1.001 and (symbol not in worst or r.ratio > worst[symbol].ratio):
            worst[symbol] = r
    return list(worst.values())
