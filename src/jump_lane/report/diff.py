"""Two converter files side by side: keys, values and verdicts that differ."""

from __future__ import annotations

from dataclasses import asdict

from jump_lane.equations.formula import pretty
from jump_lane.quantities import show_change
from jump_lane.report.table import Table, View
from jump_lane.study.diff import Difference

MOST = 30
"""Derived values shown at most."""


def diff_view(
    names: tuple[str, str],
    keys: list[Difference],
    components: list[Difference],
    values: list[Difference],
    verdicts: list[Difference],
) -> View:
    """Show what differs between two files; the exit status is 1 if anything does."""
    shown = sorted(values, key=lambda d: -abs(d.change) if d.change == d.change else -1e9)[:MOST]
    tables = [
        Table(
            "Keys that differ",
            ("key", f"{names[0]}>", f"{names[1]}>"),
            tuple((d.what, d.before or "–", d.after or "–") for d in keys),
        ),
        _values("Component values that differ", components),
        _values("Derived values that differ, largest change first", shown),
        Table(
            "Verdicts that differ",
            ("asked", names[0], names[1]),
            tuple((d.what, d.before, d.after) for d in verdicts),
        ),
    ]
    notes = [f"{len(values) - MOST} more derived values differ: --json has all"] if len(values) > MOST else []
    same = [t.title.partition(" that")[0].lower() for t in tables if not t.rows]
    if same:
        notes.append("no difference in: " + ", ".join(same))
    groups = (("keys", keys), ("components", components), ("values", values), ("verdicts", verdicts))
    data = {"files": list(names), **{name: [asdict(d) for d in group] for name, group in groups}}
    status = 1 if any(group for _, group in groups) else 0
    return View("diff", data, tuple(t for t in tables if t.rows), tuple(notes), status)


def _values(title: str, found: list[Difference]) -> Table:
    rows = tuple((pretty(d.what), d.meaning, d.before, d.after, _percent(d.change)) for d in found)
    return Table(title, ("symbol", "meaning", "before>", "after>", "change>"), rows)


def _percent(change: float) -> str:
    return "" if change != change else show_change(change)
