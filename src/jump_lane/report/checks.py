"""Many files checked: a line each."""

from __future__ import annotations

from collections.abc import Sequence

from jump_lane.report.table import Table, View
from jump_lane.report.verdicts import check_data
from jump_lane.study.check import Check

WORST = (0, 1, 2, 3)
"""Exit statuses from the best to the worst."""


def checks_view(verdicts: Sequence[tuple[str, int, str, Check | None]], quiet: bool) -> View:
    """Show a line for each file, or only for those that are not met; the exit status is the worst of them."""
    status = max((s for _, s, _, _ in verdicts), default=0, key=WORST.index)
    shown = [v for v in verdicts if v[1] or not quiet]
    rows = tuple((name, _shortly(name, line)) for name, _, line, _ in shown)
    marks = tuple("bad" if s else "good" for _, s, _, _ in shown)
    met = sum(s == 0 for _, s, _, _ in verdicts)
    notes = () if quiet and not status else (f"{met} of {len(verdicts)} files meet everything",)
    data = {
        "holds": status == 0,
        "files": [
            {
                "file": name,
                "exit_status": s,
                "verdict": line,
                "check": None if check is None else check_data(check),
            }
            for name, s, line, check in verdicts
        ],
    }
    tables = (Table("", ("File", "verdict"), rows, marks),) if rows else ()
    return View("checks", data, tables, notes, status)


def _shortly(name: str, line: str) -> str:
    """Return a message without the name of its file in front."""
    return line.removeprefix(f"{name}: ")
