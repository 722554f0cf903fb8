"""Choosing parts: those of a catalogue within their ratings over all corners, ranked by loss, temperature or cost."""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property, partial

from jump_lane.catalogue.kinds import ROLES, Part
from jump_lane.catalogue.load import samples
from jump_lane.design.derive import Design, derive
from jump_lane.design.named import known_parts
from jump_lane.dissipation.budget import Budget, budget, estimate
from jump_lane.errors import InputError, JumpLaneError, nearest
from jump_lane.judge.derived import unkept
from jump_lane.spec import Spec
from jump_lane.study.candidates import Candidates, candidates_for
from jump_lane.study.pool import spread
from jump_lane.topologies.role import Role

GOALS = ("loss", "temperature", "cost")
"""What combinations can be ranked by: loss [W], highest temperature [°C], cost figure."""

CHOSEN_KINDS = ("switch", "rectifier", "inductor")
"""Kinds of components that are chosen where nothing is said."""

CHUNK = 20

Named = tuple[tuple[str, str, int], ...]
"""Component, name of its part, pieces of it."""


@dataclass(frozen=True)
class Combination:
    """One part for each component, with its loss, temperature and cost; ``failure`` says why there is none.

    ``gaps`` names what is not known of its parts, so that its loss or temperature is too small.
    """

    index: int
    parts: tuple[Part, ...]
    counts: tuple[int, ...]
    loss: float = float("nan")
    hottest: float = float("nan")
    failure: str = ""
    gaps: tuple[str, ...] = ()

    @property
    def cost(self) -> float:
        """Sum of the cost figures of all pieces; not a number where one is not known."""
        pairs = zip(self.parts, self.counts, strict=True)
        return sum(float("nan") if p.cost is None else n * p.cost for p, n in pairs)


@dataclass(frozen=True)
class Proven:
    """A combination simulated at all corners: its losses there, what is not kept, why there is no result."""

    combination: Combination
    budgets: tuple[Budget, ...] = ()
    broken: tuple[str, ...] = ()

    @property
    def hottest(self) -> float:
        """Highest temperature at any corner [°C]."""
        return max((b.hottest for b in self.budgets), default=float("nan"))


@dataclass(frozen=True)
class Work:
    """What to choose from, and the combinations to be simulated."""

    spec: Spec
    design: Design
    candidates: tuple[Candidates, ...]
    weights: dict[str, float]
    combinations: tuple[Combination, ...]
    designs: dict[Named, Design] = field(default_factory=dict)
    """Designs at nominal input and full load that were needed, by the parts that sizes follow from (see `_sizing`)."""

    @property
    def tried(self) -> int:
        """Number of combinations of all parts that were looked at."""
        return _product(c.tried for c in self.candidates)

    @property
    def valid(self) -> int:
        """Number of combinations of parts within their ratings."""
        return _product(len(c.parts) for c in self.candidates)

    @cached_property
    def chosen(self) -> frozenset[str]:
        """Elements of the circuit that parts are chosen for."""
        return frozenset(element for c in self.candidates for element in c.role.elements)


def _product(counts: Iterator[int]) -> int:
    total = 1
    for count in counts:
        total *= count
    return total


def goals(text: str, known: Sequence[str] = GOALS) -> dict[str, float]:
    """Read what to rank by: ``loss``, or several with weights such as ``loss=1,temperature=0.02,cost=0.5``.

    Raises
    ------
    InputError
        If one is not known, a weight is no number of at least 0, or all of them are 0.
    """
    found = {}
    for term in text.split(","):
        name, given, weight = (t.strip() for t in term.partition("="))
        if name not in known:
            raise InputError(f"--by {text}: {nearest(name, known)}")
        try:
            found[name] = float(weight) if given else 1.0
        except ValueError:
            raise InputError(f"--by {text}: {weight!r} is not a number") from None
        if not 0.0 <= found[name] < math.inf:
            raise InputError(f"--by {text}: {weight}; expected a weight of at least 0")
    if not any(found.values()):
        raise InputError(f"--by {text}: every weight is 0; expected one above")
    return found


def plan(
    spec: Spec,
    choose: Sequence[str],
    weights: dict[str, float],
    most: int,
    same: Sequence[Sequence[str]] = (),
) -> Work:
    """Return the parts within their ratings and the combinations to simulate.

    Parameters
    ----------
    choose
        Components to choose; without any, switches, rectifiers and inductors for which the file names no part.
    most
        How many combinations to simulate; of more, those of the most promising parts.
    same
        Groups of components that get the same part.

    Raises
    ------
    InputError
        If a component is not there, or no part fits.
    """
    roles = _chosen_roles(derive(spec), choose)
    free = _freed(spec, [r.name for r in roles])
    design = derive(free)
    catalogue = _catalogue(spec)
    every = _alike(tuple(candidates_for(design, role, catalogue, weights) for role in roles), same)
    for candidates in every:
        if not candidates.parts:
            why = ", ".join(f"{n} {reason}" for reason, n in candidates.fallen.items()) or "there are none"
            raise InputError(f"no part for {candidates.role.name}: of {candidates.tried}, {why}")
    groups = [[k for k, c in enumerate(every) if c.role.name in group] for group in same]
    kept = _limited(every, most, groups)
    combinations = tuple(
        Combination(k, parts, tuple(c.count(p) for c, p in zip(kept, parts, strict=True)))
        for k, parts in enumerate(_combined(kept, groups))
    )
    return Work(free, design, every, weights, combinations)


def _alike(every: tuple[Candidates, ...], same: Sequence[Sequence[str]]) -> tuple[Candidates, ...]:
    """Return the candidates of grouped components cut to the parts that all of the group can be."""
    names = [c.role.name for c in every]
    found = {c.role.name: c for c in every}
    for group in same:
        for name in group:
            if name not in found:
                raise InputError(f"--same {','.join(group)}: {name} is not chosen; {nearest(name, names)}")
        common = set.intersection(*({p.name for p in found[name].parts} for name in group))
        for name in group:
            known = found[name]
            parts = tuple(p for p in known.parts if p.name in common)
            lost = len(known.parts) - len(parts)
            fallen = known.fallen | ({f"not fit for all of {', '.join(group)}": lost} if lost else {})
            found[name] = replace(known, parts=parts, fallen=fallen)
    return tuple(found.values())


def _combined(kept: Sequence[Candidates], groups: Sequence[Sequence[int]]) -> Iterator[tuple[Part, ...]]:
    """Yield one part for each component, those of a group the same."""
    for parts in itertools.product(*(c.parts for c in kept)):
        if all(len({parts[k].name for k in group}) == 1 for group in groups):
            yield parts


def _chosen_roles(design: Design, choose: Sequence[str]) -> list[Role]:
    roles = {r.name: r for r in design.page.roles if r.kind in ROLES and r.kind != "transformer"}
    for name in choose:
        if name not in roles:
            raise InputError(f"--choose {name}: {nearest(name, roles)}")
    if choose:
        return [roles[name] for name in dict.fromkeys(choose)]
    free = [r for r in roles.values() if r.kind in CHOSEN_KINDS and "part" not in design.spec.data(r.name)]
    if not free:
        raise InputError("the file names a part for every component: --choose says which to choose again")
    return free


def _freed(spec: Spec, names: list[str]) -> Spec:
    """Return the spec without the parts and values of some components."""
    parts = {k: v for k, v in spec.parts.items() if k not in names}
    chosen = {k: v for k, v in spec.chosen.items() if k not in names}
    return spec.model_copy(update={"parts": parts, "chosen": chosen})


def _catalogue(spec: Spec) -> list[Part]:
    """Return the parts to choose from: those of the file's own catalogues, or else the samples."""
    known = known_parts(spec)
    if not spec.catalogue.files:
        return list(known.values())
    shipped = {id(part) for part in samples()}
    return [part for part in known.values() if id(part) not in shipped]


def _limited(every: tuple[Candidates, ...], most: int, groups: Sequence[Sequence[int]]) -> list[Candidates]:
    """Return the candidates cut to their most promising, the longest list first, until few enough combine."""
    kept = list(every)
    bound = {k for group in groups for k in group[1:]}
    while _product(len(c.parts) for k, c in enumerate(kept) if k not in bound) > most:
        longest = max(range(len(kept)), key=lambda k: len(kept[k].parts))
        kept[longest] = replace(kept[longest], parts=kept[longest].parts[:-1])
    return kept


def _named(work: Work, combination: Combination) -> Named:
    every = zip(work.candidates, combination.parts, combination.counts, strict=True)
    return tuple((c.role.name, p.name, n) for c, p, n in every)


def _sizing(work: Work, combination: Combination) -> Named:
    """Return the parts of a combination that sizes follow from: all but rectifiers, whose drop hardly matters."""
    rectifiers = {c.role.name for c in work.candidates if c.role.kind == "rectifier"}
    return tuple(one for one in _named(work, combination) if one[0] not in rectifiers)


def _designed(work: Work, combination: Combination) -> Design:
    """Return the design with the parts of a combination, sized once for all that have the same sizes."""
    key = _sizing(work, combination)
    if key not in work.designs:
        work.designs[key] = derive(_with(work.spec, key)).at()
    return replace(work.designs[key], spec=_with(work.spec, _named(work, combination)))


def _with(spec: Spec, named: Named) -> Spec:
    """Return the spec with the parts named."""
    parts = {name: part if n == 1 else {"part": part, "count": n} for name, part, n in named}
    return spec.model_copy(update={"parts": {**spec.parts, **parts}})


def run(work: Work, processes: int) -> Iterator[Combination]:
    """Yield the combinations with loss and temperature at nominal input and full load, in any order."""
    yield from spread(work.combinations, partial(_estimated, work), processes, CHUNK)


def _estimated(work: Work, combinations: Sequence[Combination]) -> Iterator[Combination]:
    for combination in combinations:
        try:
            design = _designed(work, combination)
            found = estimate(design, design.point(0, 0))
        except JumpLaneError as error:
            yield replace(combination, failure=str(error))
        else:
            gaps = tuple(dict.fromkeys(g.text() for g in found.gaps if g.component in work.chosen))
            yield replace(combination, loss=found.loss, hottest=found.hottest, gaps=gaps)


def ranked(work: Work, done: Sequence[Combination]) -> list[Combination]:
    """Return the combinations that have a result, best first.

    What is not wholly known comes behind what is, and among either what is too hot already at nominal input and full load.
    """
    reserve = work.spec.thermal.reserve

    def order(combination: Combination) -> tuple[bool, bool, float]:
        limits = [p.max_temperature for p in combination.parts if p.max_temperature is not None]
        hot = bool(limits) and combination.hottest > max(limits) - reserve
        return bool(combination.gaps), hot, score(work.weights, combination)

    return sorted((c for c in done if not c.failure), key=order)


def score(weights: dict[str, float], combination: Combination) -> float:
    """Return what is to be small: the weighted sum of loss, temperature and cost."""
    values = {"loss": combination.loss, "temperature": combination.hottest, "cost": combination.cost}
    return sum(weight * values[name] for name, weight in weights.items())


TRIES = 4
"""How many combinations are tried for each that is to keep everything."""


def prove(work: Work, best: Sequence[Combination], count: int) -> list[Proven]:
    """Return the first combinations simulated at all corners, until `count` of them keep everything.

    At most `TRIES` times as many are tried.
    """
    found: list[Proven] = []
    for combination in best[: TRIES * count]:
        found.append(_proven(work, combination))
        if sum(not p.broken for p in found) == count:
            break
    return found


def _without_temperature(work: Work, budgets: Sequence[Budget]) -> Iterator[str]:
    """Yield the chosen components whose temperature is not known: that they hold cannot be said."""
    for component in budgets[0].components if budgets else ():
        if component.name in work.chosen and component.name not in budgets[0].temperatures:
            yield f"{component.name}: its temperature is not known, as no thermal resistance is given"


def _proven(work: Work, combination: Combination) -> Proven:
    try:
        design = derive(_with(work.spec, _named(work, combination)))
        rows, columns = design.shape
        corners = [(i, j) for i in range(rows) for j in range(columns)]
        budgets: list[Budget] = []
        broken: dict[str, None] = {}
        for i, j in corners:
            start = budgets[-1].temperatures if budgets else None
            budgets.append(budget(design, i, j, start))
            where = f" at {design.corner_name((i, j))}"
            texts = (*budgets[-1].broken, *unkept(design, i, j))
            broken |= dict.fromkeys(text + where for text in texts)
        broken |= dict.fromkeys(_without_temperature(work, budgets))
        return Proven(combination, tuple(budgets), tuple(broken))
    except JumpLaneError as error:
        return Proven(combination, broken=(str(error),))
