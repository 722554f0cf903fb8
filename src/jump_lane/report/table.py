"""A table as data, and what every command hands to the renderer."""

from __future__ import annotations

import csv
import io
from dataclasses import dataclass
from typing import Any

from jump_lane.harmless import harmless


@dataclass(frozen=True)
class Table:
    """A table of text cells; columns whose heading ends in ``>`` are set flush right, and those of numbers
    or with ``<`` are never wrapped.

    Without a title its first heading is one, and no rule is drawn.
    """

    title: str
    columns: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    marks: tuple[str, ...] = ()
    """For each row "" (plain), "good", "bad" or "faint"."""


@dataclass(frozen=True)
class View:
    """What a command shows: tables and notes for a reader, ``data`` for a program."""

    kind: str
    data: dict[str, Any]
    tables: tuple[Table, ...] = ()
    notes: tuple[str, ...] = ()
    exit_status: int = 0
    heading: str = ""
    """What stands above everything, in one line."""
    changes: tuple[Any, ...] = ()
    """What was set against the file, each with ``text()``."""


def to_csv(columns: tuple[str, ...], rows: list[tuple[Any, ...]]) -> str:
    """Return rows of numbers and text as CSV with a heading line; no cell starts a formula of a spreadsheet."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow([_inert(c) for c in columns])
    writer.writerows([[_inert(cell) for cell in row] for row in rows])
    return out.getvalue()


def _inert(cell: Any) -> Any:
    """Return a cell, text that a spreadsheet would run put behind an apostrophe."""
    if not isinstance(cell, str):
        return cell
    cell = harmless(cell)
    if not cell.startswith(("=", "+", "-", "@", "\t", "\r")):
        return cell
    try:
        float(cell)
    except ValueError:
        return f"'{cell}"
    return cell
