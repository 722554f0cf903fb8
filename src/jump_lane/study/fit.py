"""Ideal values replaced by values that exist: preferred values, or parts of a list, one or several pieces."""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from dataclasses import dataclass, replace

from jump_lane.catalogue.kinds import Capacitor, Inductor, Part
from jump_lane.design.asked import bias_of, unnamed
from jump_lane.design.derive import Design, derive
from jump_lane.design.named import value_of
from jump_lane.equations.formula import pretty
from jump_lane.errors import InputError
from jump_lane.quantities import show, show_percent
from jump_lane.quantities.preferred import closest, next_higher, next_lower
from jump_lane.spec import Spec
from jump_lane.topologies.page import Ask

MOST_PARALLEL = 6
MOST_SERIES = 3


@dataclass(frozen=True)
class Candidate:
    """One way to make a component.

    Attributes
    ----------
    name
        What it consists of.
    value
        What it amounts to, DC bias taken into account [H or F].
    pieces
        How many pieces.
    resistance
        Winding resistance or ESR of the whole [Ω]; None if not known.
    broken
        What is asked or rated and not kept, in words.
    margins
        Name to spare part: saturation, rms current, voltage [1].
    tolerance
        How far the value may be off, up or down [1].
    """

    name: str
    value: float
    pieces: int
    resistance: float | None
    broken: tuple[str, ...]
    margins: tuple[tuple[str, float], ...]
    tolerance: float = 0.0
    part: str = ""
    """Name of the part that it consists of, where it is one of a catalogue."""
    peak_to_peak: tuple[tuple[str, float], ...] = ()


@dataclass(frozen=True)
class Choice:
    """The candidates for one component, best first."""

    symbol: str
    unit: str
    required: float
    is_minimum: bool
    candidates: tuple[Candidate, ...]

    @property
    def best(self) -> Candidate:
        """The candidate proposed."""
        return self.candidates[0]


@dataclass(frozen=True)
class Fit:
    """All choices, and the design before (ideal values) and after."""

    before: Design
    after: Design
    choices: tuple[Choice, ...]


@dataclass(frozen=True)
class _Stress:
    """What a component has to bear at its worst corner; None where the page does not say."""

    peak: float | None
    rms: float | None
    voltage: float | None


def fit(spec: Spec, parts: tuple[Part, ...], series: str, nearest: bool, most: int = 5) -> Fit:
    """Choose a value that exists for every component, in the order in which they are derived.

    Parameters
    ----------
    parts
        Parts to choose from; where none fits the kind, preferred values of `series` are taken.
    nearest
        Whether the nearest preferred value will do where a minimum (or maximum) is meant.
    most
        How many candidates to keep for each component.

    Raises
    ------
    InputError
        If the parts list has parts of a kind but none can make a component.
    """
    spec = unnamed(spec)
    before = derive(spec.model_copy(update={"chosen": {}}))
    chosen: dict[str, float] = {}
    current = before
    choices = []
    kinds = {role.name: role.kind for role in before.page.roles}
    for symbol in before.components():
        if kinds.get(symbol) not in ("inductor", "capacitor"):
            continue
        choice = _choose(current, symbol, parts, series, nearest, most)
        choices.append(choice)
        chosen[symbol] = choice.best.value
        current = derive(_with(spec, chosen, choices))
    return Fit(before, current, tuple(choices))


def _with(spec: Spec, chosen: dict[str, float], choices: list[Choice]) -> Spec:
    """Return the spec with chosen values, and the resistances of chosen parts."""
    known = {c.symbol: c.best.resistance for c in choices if c.best.resistance is not None}
    values = {k: v for k, v in spec.chosen.items() if k not in chosen} | dict(chosen)
    figures = {symbol: {"resistance": r} for symbol, r in known.items()}
    return spec.with_figures(figures).model_copy(update={"chosen": values})


def _choose(
    design: Design, symbol: str, parts: tuple[Part, ...], series: str, nearest: bool, most: int
) -> Choice:
    value = design.sheet[symbol]
    assert value.required is not None and value.line is not None
    minimum = value.line.worst == "max"
    kind = next(r.kind for r in design.page.roles if r.name == symbol)
    stress = _stress(design, symbol)
    fitting = [p for p in parts if isinstance(p, Inductor | Capacitor) and p.kind == kind]
    if fitting:
        judged = [
            _fewest(design, symbol, _made_of(part, kind, value.required, minimum, stress), minimum)
            for part in fitting
        ]
        judged = [c for c in judged if c is not None]
        if not judged:
            raise InputError(f"{symbol}: no {kind} of the list makes {show(value.required, value.unit)}")
    else:
        preferred = _preferred(value.required, value.unit, series, nearest, minimum)
        judged = [_judge(design, symbol, preferred, value.required, minimum)]
    ranked = sorted((c for c in judged if c is not None), key=lambda c: _rank(c, value.required or 0.0))
    return Choice(symbol, value.unit, value.required, minimum, tuple(ranked[:most]))


def _fewest(design: Design, symbol: str, ways: Iterator[Candidate], minimum: bool) -> Candidate | None:
    """Return the first way that breaks nothing, or else the first one; None where there is none."""
    required = design.sheet[symbol].required or 0.0
    first: Candidate | None = None
    for way in ways:
        judged = _judge(design, symbol, way, required, minimum)
        if not judged.broken:
            return judged
        first = first or judged
    return first


def _rank(candidate: Candidate, required: float) -> tuple[int, int, float]:
    excess = candidate.value / required
    return len(candidate.broken), candidate.pieces, max(excess, 1.0 / excess)


def _stress(design: Design, symbol: str) -> _Stress:
    x = symbol.replace("_", "")

    def worst(name: str) -> float | None:
        return float(design.sheet[name].values.max()) if name in design.sheet else None

    return _Stress(worst(f"I_{x}pk"), worst(f"I_{x}rms"), bias_of(symbol, design.sheet) or None)


def _preferred(required: float, unit: str, series: str, nearest: bool, minimum: bool) -> Candidate:
    if nearest:
        value = closest(required, series)
    else:
        value = next_higher(required, series) if minimum else next_lower(required, series)
    return Candidate(f"{series} {show(value, unit)}", value, 1, None, (), ())


def _made_of(
    part: Inductor | Capacitor, kind: str, required: float, minimum: bool, stress: _Stress
) -> Iterator[Candidate]:
    """Yield pieces of a part, in parallel or in series, from the fewest that reach the value on."""
    counts = range(1, (MOST_SERIES if kind == "inductor" else MOST_PARALLEL) + 1)
    for count in counts:
        value = value_of(part, count, stress.voltage or 0.0) or 0.0
        if not minimum and value > required:
            return
        if value >= required or not minimum or count == counts[-1]:
            yield _assembled(part, kind, count, value, stress)


def _assembled(part: Inductor | Capacitor, kind: str, count: int, value: float, stress: _Stress) -> Candidate:
    together = "in series" if kind == "inductor" else "in parallel"
    name = part.name if count == 1 else f"{count} × {part.name} {together}"
    share = 1.0 if kind == "inductor" else 1.0 / count
    checks = (
        ("saturation", getattr(part, "saturation_current", None), stress.peak),
        ("rms current", part.rms_current, None if stress.rms is None else stress.rms * share),
        ("voltage", getattr(part, "voltage", None), stress.voltage),
    )
    margins, broken = [], []
    for what, limit, load in checks:
        if limit is None or load is None:
            continue
        margins.append((what, limit / load - 1.0))
        if load > limit:
            unit = "V" if what == "voltage" else "A"
            broken.append(f"{what}: {show(load, unit)} where {show(limit, unit)} is allowed")
    if part.at_hand is not None and part.at_hand < count:
        broken.append(f"{part.at_hand} at hand where {count} are needed")
    resistance = None
    if part.resistance is not None:
        resistance = part.resistance * count if kind == "inductor" else part.resistance / count
    return Candidate(name, value, count, resistance, tuple(broken), tuple(margins), part.tolerance, part.name)


def _judge(design: Design, symbol: str, candidate: Candidate, required: float, minimum: bool) -> Candidate:
    """Add what the candidate does to everything that is asked, at its value and at its least favourable one."""
    found, ripples = _tried(design, symbol, candidate, candidate.value)
    missing = candidate.value < required * 0.999 if minimum else candidate.value > required * 1.001
    if missing and not ripples:
        found.append(f"{symbol}: {'less' if minimum else 'more'} than derived")
    if candidate.tolerance > 0.0 and not found:
        off = -candidate.tolerance if minimum else candidate.tolerance
        extreme, _ = _tried(design, symbol, candidate, candidate.value * (1.0 + off))
        found = [f"at {show_percent(off)} of its value, {reason}" for reason in extreme]
    return replace(candidate, broken=(*candidate.broken, *found), peak_to_peak=tuple(ripples))


def _tried(
    design: Design, symbol: str, candidate: Candidate, value: float
) -> tuple[list[str], list[tuple[str, float]]]:
    """Return what is asked and not kept with this value, and the ripples, derived at the worst corner."""
    spec = design.spec
    figures = {} if candidate.resistance is None else {symbol: {"resistance": candidate.resistance}}
    components = design.components()
    chosen = dict(itertools.takewhile(lambda item: item[0] != symbol, components.items())) | {symbol: value}
    try:
        tried = derive(spec.with_figures(figures).model_copy(update={"chosen": chosen}))
    except InputError as error:
        return [str(error)], []
    broken, ripples = [], []
    for ask in (a for a in tried.asks if a.remedy == symbol):
        worst, limit = _worst(tried, ask)
        unit = tried.sheet[ask.symbol].unit
        ripples.append((ask.symbol, worst))
        if worst > limit * (1.0 + 1e-6):
            broken.append(f"{pretty(ask.symbol)}: {show(worst, unit)} where {show(limit, unit)} is asked")
    return broken + _wrong_mode(tried), ripples


def _worst(design: Design, ask: Ask) -> tuple[float, float]:
    """Return a derived value and its limit at the corner where they are nearest."""
    rows, columns = design.shape
    pairs = (
        (design.sheet[ask.symbol].corner(i, j), design.sheet[ask.limit].corner(i, j))
        for i in range(rows)
        for j in range(columns)
    )
    return max(pairs, key=lambda pair: pair[0] / pair[1])


def _wrong_mode(design: Design) -> list[str]:
    wanted = design.spec.switching.mode if design.page.naming is None else ""
    modes = set(design.conductions)
    if wanted not in ("continuous", "discontinuous") or design.synchronous or modes == {wanted}:
        return []
    return [f"mode: {' and '.join(sorted(modes))} where {wanted} is asked"]
