"""What needs no calculation, or only tells files apart: topologies, keys, schemas, differences."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from jump_lane.errors import InputError
from jump_lane.library.converter import Converter, Quantity, Source, converter_of, quantity
from jump_lane.library.result import Result
from jump_lane.quantities import RESISTANCE
from jump_lane.report.export import Columns
from jump_lane.report.table import View


@dataclass(frozen=True, repr=False)
class Topologies(Result):
    """The topologies that there are."""

    @property
    def names(self) -> tuple[str, ...]:
        """Their names."""
        from jump_lane.topologies import NAMES

        return tuple(NAMES)

    @property
    def isolated(self) -> tuple[str, ...]:
        """Names of those that isolate."""
        from jump_lane.topologies import pages

        return tuple(p.name for p in pages() if p.isolated)

    def view(self) -> View:
        """Return what each is good for, its conversion range, and whether it isolates."""
        from jump_lane.report.topologies import topologies_view
        from jump_lane.topologies import pages

        return topologies_view(pages())

    def columns(self) -> Columns:
        """Return a row for each topology."""
        rows = self.view().data["topologies"]
        return {
            key: [row[key] for row in rows] for key in ("name", "title", "conversion", "isolated", "good_for")
        }


def list_topologies() -> Topologies:
    """Return the topologies: what each is good for, its conversion range, isolated or not."""
    return Topologies()


@dataclass(frozen=True, repr=False)
class Explanation(Result):
    """What a key of the converter file means."""

    key: str

    def view(self) -> View:
        """Return meaning, what is expected, default, and how it is typed."""
        from jump_lane.report.keys import explain_view

        return explain_view(self.key)


def explain(key: str) -> Explanation:
    """Explain a key of the converter file, a table of it, or a figure of a part.

    Parameters
    ----------
    key
        Dotted, such as ``switching.current_ripple``, ``margin`` or ``parts.S1.resistance``.

    Raises
    ------
    InputError
        If there is no such key, with the nearest one.
    """
    found = Explanation(key)
    found.view()
    return found


@dataclass(frozen=True, repr=False)
class Differences(Result):
    """What differs between two converters."""

    old: Converter
    new: Converter
    shown: View

    def view(self) -> View:
        """Return keys, component values, derived values and verdicts that differ."""
        return self.shown

    def columns(self) -> Columns:
        """Return a row for each difference."""
        groups = ("keys", "components", "values", "verdicts")
        rows = [(group, row) for group in groups for row in self.shown.data[group]]
        found: Columns = {"group": [group for group, _ in rows]}
        return found | {k: [row[k] for _, row in rows] for k in ("what", "before", "after", "change")}


def diff(old: Converter | Source, new: Converter | Source) -> Differences:
    """Return which keys, values and verdicts differ between two converters, every corner of both simulated.

    Raises
    ------
    InputError
        If one of them cannot be derived.
    """
    from jump_lane.library.compiling import ready
    from jump_lane.report.diff import diff_view
    from jump_lane.study.check import check
    from jump_lane.study.diff import keys_differ, values_differ, verdicts_differ

    old, new = converter_of(old), converter_of(new)
    _ = old.design, new.design
    ready()
    values = values_differ(old.design, new.design)
    parts = [d for d in values if new.design.sheet[d.what].line.component]  # type: ignore[union-attr]
    view = diff_view(
        (old.name, new.name),
        keys_differ(old.free, new.free),
        parts,
        [d for d in values if d not in parts],
        verdicts_differ(check(old.design), check(new.design)),
    )
    return Differences(old, new, view)


def schema(which: str = "converter", *, output: str | None = None) -> dict[str, Any]:
    """Return a JSON Schema (draft 2020-12).

    Parameters
    ----------
    which
        A file that is read: ``converter``, ``circuit`` or ``catalogue``.
    output
        Instead the JSON of a result, by what its ``format`` names: usually the command.

    Raises
    ------
    InputError
        If there is no such schema.
    """
    from jump_lane.report.schemas import of_file, of_output

    return of_file(which) if output is None else of_output(output)


@dataclass(frozen=True, repr=False)
class Converted(Result):
    """A quantity in another unit."""

    text: str
    unit: str
    value: float

    def view(self) -> View:
        """Return it in one line."""
        shown = f"{self.value:.6g} {self.unit}"
        return View(
            "convert",
            {"from": self.text, "unit": self.unit, "value": self.value},
            heading=f"{self.text} = {shown}",
        )


def convert(text: str, unit: str, *, impedance: Quantity | None = None) -> Converted:
    """Return a quantity in another unit.

    Parameters
    ----------
    text
        Number and unit, such as ``3.2 kOe``, ``24 AWG`` or ``60 dBµV``.
    unit
        The unit wanted; ``AWG`` gives a gauge.
    impedance
        What joins voltage, current and power, where decibels need it [Ω].

    Raises
    ------
    InputError
        If a unit is unknown, or both are not of one kind.
    """
    from jump_lane.quantities.units import convert as into

    across = quantity(impedance, RESISTANCE, "--impedance")
    if across is not None and across <= 0.0:
        raise InputError(f"--impedance {impedance}: expected more than 0 Ω")
    return Converted(text, unit, into(text, unit, across))
