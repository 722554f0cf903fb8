"""Results of a design: derived, sized, made of values and parts that exist, checked, compared, damped."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

from jump_lane.errors import InputError, JumpLaneError, NoResultError
from jump_lane.library.converter import Converter, Quantity
from jump_lane.library.result import Result, Watch, gather
from jump_lane.report.export import Columns
from jump_lane.report.table import View
from jump_lane.study.compare import Candidate
from jump_lane.topologies.design import Design

if TYPE_CHECKING:
    from jump_lane.sizing.solve import Sizing
    from jump_lane.study.check import Check
    from jump_lane.study.damping import Comparison
    from jump_lane.study.fit import Fit
    from jump_lane.study.pick import Combination, Proven, Work
    from jump_lane.study.tolerance import Study, Worst


@dataclass(frozen=True, repr=False)
class Derivation(Result):
    """Every value of a converter as the textbook has it, over the corners of input and load."""

    converter: Converter

    @property
    def design(self) -> Design:
        """The derived converter: ``sheet``, ``inputs`` [V], ``loads`` [A]."""
        return self.converter.design

    @property
    def components(self) -> dict[str, float]:
        """Component values in use, in SI units, by symbol."""
        return self.design.components()

    @property
    def values(self) -> dict[str, float]:
        """Every value at its worst corner, in SI units, by symbol."""
        return {v.symbol: v.worst for v in self.design.sheet}

    def formula(self, symbol: str) -> tuple[str, str, str]:
        """Return formula, the same with the numbers of its worst corner, and source of a symbol; empty if it is given."""
        if symbol not in self.design.sheet:
            from jump_lane.errors import nearest

            raise InputError(f"{symbol}: no such symbol; {nearest(symbol, self.values)}")
        value = self.design.sheet[symbol]
        return (*self.design.sheet.written(value), value.line.source if value.line else "")

    def view(self, every: bool = False, formulas: Sequence[str] | None = None) -> View:
        """Return one screen; with `every` all values, with `formulas` what leads to some symbols (none: all)."""
        from jump_lane.report.derivation import derivation_view

        case = self.converter
        found = derivation_view(self.design, case.name, every, formulas, case.before)
        return replace(found, changes=case.changes)

    def columns(self) -> Columns:
        """Return a row for each value: symbol, meaning, unit, value at its worst corner, smallest, largest, origin, key."""
        from jump_lane.report.derivation import derivation_columns

        return derivation_columns(self.design)


def derive(converter: Converter) -> Derivation:
    """Derive every value and stress of a converter at its worst corner of input and load.

    Returns
    -------
    Derivation
        Values in SI units, each with formula, numbers and source (the page of its topology names them).

    Raises
    ------
    InputError
        If the topology cannot do what is asked, with what would mend it.
    """
    _ = converter.design
    return Derivation(converter)


@dataclass(frozen=True, repr=False)
class Checked(Result):
    """Every corner simulated with the output held, and judged."""

    converter: Converter
    check: Check
    before: Check | None = None

    @property
    def holds(self) -> bool:
        """Whether all that the file asks is met at every corner, and every named part rated for it."""
        return self.check.exit_status == 0

    def view(self, every: bool = False, explain: Sequence[str] = ()) -> View:
        """Return one screen: verdicts first; with `every` all quantities, with `explain` why some symbols are what they are."""
        from jump_lane.report.check import check_view

        found = check_view(self.check, every, explain, self.before)
        return replace(found, changes=self.converter.changes)

    def columns(self) -> Columns:
        """Return a row for each quantity at each corner: asked, derived, simulated [SI], verdict."""
        from jump_lane.report.check import check_columns

        return check_columns(self.check)


def check(converter: Converter, *, compare: bool = False) -> Checked:
    """Simulate every corner of a converter with the output held, and judge everything that its file asks.

    Parameters
    ----------
    compare
        Whether the converter without its settings is checked too, to be shown beside.

    Returns
    -------
    Checked
        Verdicts, ratings and stresses [SI]; corners without a trustworthy result say why.

    Raises
    ------
    InputError
        If nothing can be derived.
    """
    from jump_lane.study.check import check as run

    found = run(converter.design)
    before = run(converter.before) if compare and converter.before is not None else None
    return Checked(converter, found, before)


@dataclass(frozen=True, repr=False)
class Tolerances(Result):
    """Limits with values off by their tolerances: worst case and yield."""

    converter: Converter
    study: Study
    worst: list[Worst]
    failed: list[Any]
    complete: bool

    def view(self) -> View:
        """Return the worst case and the yield of every limit."""
        from jump_lane.report.tolerance import tolerance_view

        return replace(
            tolerance_view(self.study, self.worst, self.failed, self.complete), changes=self.converter.changes
        )

    def columns(self) -> Columns:
        """Return a row for each limit: nominal, worst, limit [SI], part of the draws that keep it."""
        rows = self.worst
        return {
            "symbol": [w.ask.symbol for w in rows],
            "unit": [w.unit for w in rows],
            "nominal": [w.nominal for w in rows],
            "worst": [w.value for w in rows],
            "limit": [w.limit for w in rows],
            "yield [1]": [w.kept for w in rows],
        }


def tolerance(
    converter: Converter, *, draws: int = 100, seed: int = 1, processes: int = 1, watch: Watch | None = None
) -> Tolerances:
    """Simulate every corner with values at the ends of their tolerances, and as random draws.

    Parameters
    ----------
    draws, seed
        Number of draws, uniform within the tolerances, and what makes them repeatable.
    processes
        Local processes that share the work.
    watch
        Told of progress.
    """
    from jump_lane.study import tolerance as study

    work = study.study(converter.design, draws, seed)
    got = gather(study.run(work, processes), len(work.spots), watch)
    return Tolerances(converter, work, *study.judge(work, got.rows), got.complete)


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
    from jump_lane.sizing.solve import size as solve
    from jump_lane.study.check import check as run
    from jump_lane.topologies.asked import unnamed
    from jump_lane.topologies.design import derive as derived

    spec = converter.spec
    if anew:
        spec = unnamed(spec).model_copy(update={"chosen": {}})
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
    from pathlib import Path

    from jump_lane.catalogue.load import load as load_parts
    from jump_lane.quantities.preferred import decade
    from jump_lane.study.check import check as run
    from jump_lane.study.fit import fit as choose

    decade(series)
    listed = tuple(part for path in converter.catalogues for part in load_parts(Path(path)))
    try:
        found = choose(converter.spec, listed, series, nearest)
    except InputError as error:
        raise InputError(f"{converter.name}: {error}") from None
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
        work = study.plan(converter.spec, choose, weights, most, same)
    except InputError as error:
        raise InputError(f"{converter.name}: {error}") from None
    got = gather(study.run(work, processes), len(work.combinations), watch)
    proven = study.prove(work, study.ranked(work, got.rows), top)
    return Picked(converter, work, got.rows, proven, got.complete)


@dataclass(frozen=True, repr=False)
class Compared(Result):
    """Converters side by side."""

    title: str
    candidates: tuple[Candidate, ...]

    def view(self) -> View:
        """Return converters side by side, least device stress first, and why some cannot do it."""
        from jump_lane.report.compare import compare_view

        return compare_view(self.title, list(self.candidates))

    def columns(self) -> Columns:
        """Return a row for each converter."""
        rows = self.candidates
        return {
            "converter": [c.name for c in rows],
            "lowest control [1]": [c.duty[0] for c in rows],
            "highest control [1]": [c.duty[1] for c in rows],
            "conduction": [", ".join(c.modes) for c in rows],
            "device stress [1]": [c.stress for c in rows],
            "inductive energy [J]": [c.energy for c in rows],
            "C_o rms [A]": [c.output_rms for c in rows],
            "C_i rms [A]": [c.input_rms for c in rows],
            "reason": [c.failure for c in rows],
        }


def compare(converters: Sequence[Converter], topologies: Sequence[str] = ()) -> Compared:
    """Put converters side by side, or what several topologies make of one specification.

    Parameters
    ----------
    converters
        Several, or one with `topologies`.
    topologies
        Names of topologies to try with the one converter's specification, with ideal parts and nothing chosen.

    Raises
    ------
    InputError
        If there is nothing to compare, or no such topology.
    """
    from jump_lane.study.compare import candidate, of_topologies
    from jump_lane.topologies import page

    if topologies and len(converters) > 1:
        raise InputError("compare: several topologies are tried with one file, not with several")
    if not topologies and len(converters) < 2:
        raise InputError("compare: one file; expected several, or --topology, --every or --isolated")
    if topologies:
        names = [page(name).name for name in topologies]
        one = converters[0]
        return Compared(one.spec.title or one.name, tuple(of_topologies(one.spec, names)))
    return Compared("Converters", tuple(candidate(c.name, c.spec) for c in converters))


@dataclass(frozen=True, repr=False)
class Dampened(Result):
    """A ringing device without and with its damping."""

    converter: Converter
    comparison: Comparison

    def view(self) -> View:
        """Return the derived damping, and peak voltage and loss as simulated."""
        from jump_lane.report.damping import damping_view

        return replace(damping_view(self.comparison), changes=self.converter.changes)

    def drawing(self) -> Any:
        """Return the voltage across the device without and with damping over one period."""
        from jump_lane.report.damping import damping_figure

        return damping_figure(self.comparison)

    def columns(self) -> Columns:
        """Return a row for each derived value."""
        sheet = list(self.comparison.damped.sheet)
        return {
            "symbol": [v.symbol for v in sheet],
            "meaning": [v.meaning for v in sheet],
            "value": [v.worst for v in sheet],
            "unit": [v.unit for v in sheet],
        }


def damp(
    converter: Converter, device: str, *, input_voltage: Quantity | None = None, load: Quantity | None = None
) -> Dampened:
    """Derive the damping of a ringing device from two measured frequencies, and simulate it without and with it.

    Parameters
    ----------
    device
        A switch or rectifier with a ``[damping]`` table in the file.

    Raises
    ------
    InputError
        If the file does not say how it rings.
    """
    from jump_lane.study.damping import compare_damping
    from jump_lane.topologies.blocks.damping import derive_damping

    design = converter.at(input_voltage, load)
    derive_damping(design, device)
    return Dampened(converter, compare_damping(design, device))


@dataclass(frozen=True)
class Verdict:
    """The check of one file among many: exit status, one line, and the check if there is one."""

    name: str
    status: int
    line: str
    checked: Checked | None = None


@dataclass(frozen=True, repr=False)
class CheckedMany(Result):
    """Many files, each checked."""

    verdicts: tuple[Verdict, ...]

    def view(self, quiet: bool = False) -> View:
        """Return a line for each file, with `quiet` only for those that are not met; the worst exit status."""
        from jump_lane.report.checks import checks_view

        lines = [
            (v.name, v.status, v.line, None if v.checked is None else v.checked.check) for v in self.verdicts
        ]
        return checks_view(lines, quiet)

    def columns(self) -> Columns:
        """Return a row for each file."""
        return {
            "file": [v.name for v in self.verdicts],
            "exit status": [v.status for v in self.verdicts],
            "verdict": [v.line for v in self.verdicts],
        }


def check_many(cases: Iterable[tuple[str, Callable[[], Converter]]]) -> CheckedMany:
    """Check many converters; what is wrong with one of them does not stop the others.

    Parameters
    ----------
    cases
        Name, and what loads the converter.
    """
    return CheckedMany(tuple(_verdict(name, load) for name, load in cases))


def _verdict(name: str, load: Callable[[], Converter]) -> Verdict:
    from jump_lane.report.check import summary

    try:
        found = check(load())
    except JumpLaneError as error:
        return Verdict(name, error.exit_status, str(error))
    return Verdict(name, found.check.exit_status, summary(found.check), found)
