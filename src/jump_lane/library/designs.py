"""Results of a design: derived, sized, made of values and parts that exist, checked, compared, damped."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

from jump_lane.design.derive import Design
from jump_lane.errors import InputError, JumpLaneError
from jump_lane.library.compiling import ready
from jump_lane.library.converter import Converter, takes_converter
from jump_lane.library.result import Result, Watch, gather
from jump_lane.report.export import Columns
from jump_lane.report.table import View

if TYPE_CHECKING:
    from jump_lane.control.design import LoopDesign
    from jump_lane.study.check import Check
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


@takes_converter
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
    loop: LoopDesign | None = None
    """The loop that holds the output, where it is closed."""

    def view(self, every: bool = False, explain: Sequence[str] = ()) -> View:
        """Return one screen: verdicts first; with `every` all quantities, with `explain` why some symbols are what they are."""
        from jump_lane.report.check import check_view

        found = check_view(self.check, every, explain, self.before)
        if self.loop is not None:
            from jump_lane.report.loop import with_loop

            found = with_loop(found, self.loop)
        return replace(found, changes=self.converter.changes)

    def columns(self) -> Columns:
        """Return a row for each quantity at each corner: asked, derived, simulated [SI], verdict."""
        from jump_lane.report.verdicts import check_columns

        return check_columns(self.check)


@takes_converter
def check(converter: Converter, *, compare: bool = False, closed_loop: bool = False) -> Checked:
    """Simulate every corner of a converter with the output held, and judge everything that its file asks.

    Parameters
    ----------
    compare
        Whether the converter without its settings is checked too, to be shown beside.
    closed_loop
        Whether its loop is closed: the output then is where that holds it, tolerances of reference and divider included, and
        what is asked of the loop is judged as well.

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

    loop = None
    if closed_loop:
        from jump_lane.library.closed import under_loop

        under = under_loop(converter)
        converter, loop = under.converter, under.loop
    design = converter.design
    ready()
    found = run(design)
    before = run(converter.before) if compare and converter.before is not None else None
    return Checked(converter, found, before, loop)


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


@takes_converter
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
    ready()
    got = gather(study.run(work, processes), len(work.spots), watch)
    return Tolerances(converter, work, *study.judge(work, got.rows), got.complete)


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
