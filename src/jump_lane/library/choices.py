"""Values and parts chosen: solved exactly, made of what exists, picked of a catalogue."""

from __future__ import annotations

import os
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from jump_lane.errors import InputError, NoResultError
from jump_lane.library.compiling import ready
from jump_lane.library.converter import Converter, takes_converter
from jump_lane.library.result import Result, Watch, gather
from jump_lane.report.export import Columns
from jump_lane.report.table import View

if TYPE_CHECKING:
    from jump_lane.sizing.solve import Sizing
    from jump_lane.study.check import Check
    from jump_lane.study.fit import Fit
    from jump_lane.study.pick import Combination, Proven, Work


@dataclass(frozen=True, repr=False)
class Sized(Result):
    """Component values solved so that the simulated converter just keeps every limit."""

    converter: Converter
    sizing: Sizing
    after: Check

    @property
    def values(self) -> dict[str, float]:
        """Solved component values [SI], by symbol."""
        return dict(self.sizing.values)

    def view(self) -> View:
        """Return textbook and exact values, what decides each, and what no value keeps."""
        from jump_lane.report.size import size_view

        return replace(size_view(self.sizing, self.after), changes=self.converter.changes)

    def write(self, path: Path) -> bool:
        """Put the values under ``[chosen]`` of a converter file; tell whether that changed it."""
        from jump_lane.files import edit
        from jump_lane.study.write import with_values

        sheet = self.after.design.sheet
        units = {s: (v, sheet[s].unit) for s, v in self.values.items()}
        return edit(path, lambda text: with_values(text, units))

    def columns(self) -> Columns:
        """Return a row for each value: textbook, just kept, with margin [SI]."""
        found = self.sizing
        return {
            "symbol": list(found.values),
            "unit": [found.design.sheet[s].unit for s in found.values],
            "textbook": [found.design.sheet[s].worst for s in found.values],
            "just kept": [found.exact[s] for s in found.values],
            "value": list(found.values.values()),
        }


@takes_converter
def size(converter: Converter, *, tolerance: bool = False, anew: bool = False, watch: Any = None) -> Sized:
    """Solve component values so that the simulated converter just keeps every limit at and between all corners.

    Parameters
    ----------
    tolerance
        Whether limits are kept with all values at the ends of their tolerances.
    anew
        Whether values that the file chooses, or its parts bring, are looked for as well.
    watch
        Called with what is being done, as text.

    Raises
    ------
    InputError, NoResultError
        If nothing can be derived, or no point has a steady state.
    """
    from jump_lane.design.asked import unnamed
    from jump_lane.design.derive import derive as derived
    from jump_lane.sizing.solve import size as solve
    from jump_lane.study.check import check as run

    spec = converter.asked
    if anew:
        spec = unnamed(spec).model_copy(update={"chosen": {}})
    ready()
    try:
        found = solve(spec, tolerance, watch or (lambda _: None))
        after = run(derived(spec.model_copy(update={"chosen": {**spec.chosen, **found.values}})))
    except (InputError, NoResultError) as error:
        raise type(error)(f"{converter.name}: {error}") from None
    return Sized(converter, found, after)


@dataclass(frozen=True, repr=False)
class Fitted(Result):
    """Ideal values replaced by values that exist."""

    converter: Converter
    fit: Fit
    after: Check

    def view(self) -> View:
        """Return the candidates of each component, before and after, and the verdicts."""
        from jump_lane.report.fit import fit_view

        return replace(fit_view(self.fit, self.after), changes=self.converter.changes)

    @property
    def left(self) -> dict[str, str]:
        """Component that is left as it is to what its best candidate breaks."""
        return {c.symbol: c.best.broken[0] for c in self.fit.choices if c.best.broken}

    def write(self, path: Path) -> bool:
        """Put what holds into a converter file, with the lists that parts come from; tell whether that changed it."""
        from jump_lane.files import edit
        from jump_lane.study.write import with_choices

        lists = [os.path.relpath(name, path.parent) for name in self.converter.catalogues]
        return edit(path, lambda text: with_choices(text, self.fit, lists))

    def columns(self) -> Columns:
        """Return a row for each candidate: component, rank, what it is made of, value [SI], what it breaks."""
        rows = [(c, k, rank) for c in self.fit.choices for rank, k in enumerate(c.candidates, start=1)]
        return {
            "symbol": [c.symbol for c, _, _ in rows],
            "rank": [rank for _, _, rank in rows],
            "made of": [k.name for _, k, _ in rows],
            "value": [k.value for _, k, _ in rows],
            "unit": [c.unit for c, _, _ in rows],
            "broken": ["; ".join(k.broken) for _, k, _ in rows],
        }


@takes_converter
def fit(converter: Converter, *, series: str = "E12", nearest: bool = False) -> Fitted:
    """Replace ideal component values by preferred ones (IEC 60063) or parts of the converter's own lists.

    Parameters
    ----------
    series
        E3 to E192.
    nearest
        Whether the nearest preferred value is taken, even below a minimum.

    Raises
    ------
    InputError
        If there is no such series, or a list cannot be read.
    """
    from jump_lane.catalogue.load import load as load_parts
    from jump_lane.quantities.preferred import decade
    from jump_lane.study.check import check as run
    from jump_lane.study.fit import fit as choose

    decade(series)
    listed = tuple(part for path in converter.catalogues for part in load_parts(Path(path)))
    try:
        found = choose(converter.asked, listed, series, nearest)
    except InputError as error:
        raise InputError(f"{converter.name}: {error}") from None
    ready()
    return Fitted(converter, found, run(found.after))


@dataclass(frozen=True, repr=False)
class Picked(Result):
    """Parts chosen of a catalogue, ranked, the best ones proven at all corners."""

    converter: Converter
    work: Work
    tried: list[Combination]
    proven: list[Proven]
    complete: bool

    @property
    def best(self) -> dict[str, tuple[str, int]]:
        """Component to part, and pieces of it, of the best combination that keeps everything; empty if none does."""
        found = next((p.combination for p in self.proven if not p.broken), None)
        if found is None:
            return {}
        every = zip(self.work.candidates, found.parts, found.counts, strict=True)
        return {c.role.name: (p.name, n) for c, p, n in every}

    def view(self) -> View:
        """Return what was tried, why parts fell out, and the best combinations."""
        from jump_lane.report.pick import pick_view

        return replace(
            pick_view(self.work, self.tried, self.proven, self.complete), changes=self.converter.changes
        )

    def write(self, path: Path) -> bool:
        """Put the best parts into a converter file; tell whether that changed it."""
        from jump_lane.files import edit
        from jump_lane.study.write import with_parts

        return edit(path, lambda text: with_parts(text, self.best))

    def columns(self) -> Columns:
        """Return a row for each combination simulated: parts, loss [W], hottest [°C], cost, why there is none."""
        heads = [c.role.name for c in self.work.candidates]
        found: Columns = {name: [c.parts[k].name for c in self.tried] for k, name in enumerate(heads)}
        return found | {
            "loss [W]": [c.loss for c in self.tried],
            "hottest [°C]": [c.hottest for c in self.tried],
            "cost": [c.cost for c in self.tried],
            "reason": [c.failure for c in self.tried],
        }


@takes_converter
def pick(
    converter: Converter,
    *,
    choose: Sequence[str] = (),
    same: Sequence[Sequence[str]] = (),
    by: str = "loss",
    most: int = 2000,
    top: int = 5,
    processes: int = 1,
    watch: Watch | None = None,
) -> Picked:
    """Choose parts of a catalogue: within ratings and margins at all corners, ranked by simulated loss.

    Parameters
    ----------
    choose
        Components; by default switches, rectifiers and inductors for which the file names no part.
    same
        Groups of components that get the same part.
    by
        ``loss``, ``temperature``, ``cost`` or a weighted sum of them, such as ``loss=1,cost=0.5``.
    most, top
        Combinations to simulate at most, and to prove at all corners.

    Raises
    ------
    InputError
        If a component or goal is not known, or no part fits.
    """
    from jump_lane.study import pick as study

    weights = study.goals(by)
    try:
        work = study.plan(converter.asked, choose, weights, most, same)
    except InputError as error:
        raise InputError(f"{converter.name}: {error}") from None
    ready()
    got = gather(study.run(work, processes), len(work.combinations), watch)
    proven = study.prove(work, study.ranked(work, got.rows), top)
    return Picked(converter, work, got.rows, proven, got.complete)
