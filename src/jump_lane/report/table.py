"""A table as data, and what every command hands to the renderer."""

from __future__ import annotations

import csv
import io
from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True)
class Table:
    """A titled table of text cells; columns whose heading ends in ``>`` are set flush right."""

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


def to_csv(columns: tuple[str, ...], rows: list[tuple[Any, ...]]) -> str:
    """Return rows of numbers and text as CSV with a heading line."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(columns)
    writer.writerows(rows)
    return out.getvalue()
