"""Views as text for a terminal or a file, and as JSON."""

from __future__ import annotations

import io
import json
import math
import re
from html import escape
from typing import TYPE_CHECKING, Any

from jump_lane.harmless import harmless
from jump_lane.quantities import ROUNDING
from jump_lane.report.table import Table, View

if TYPE_CHECKING:
    from rich.console import Console, RenderableType

WIDTH = 120
"""Columns of a page of text where nothing else is said."""

NARROWEST = 80
"""Columns below which nothing is squeezed."""

PROSE = 12
"""Columns of prose that are never narrower."""

WIDEST = 100_000
"""Columns of a page on which everything has room."""

DIGITS = 12
"""Significant digits of numbers in JSON: what is left of a calculation is the same each time."""

JOINT = "\ue000"
"""Stands for a space at which no line is broken."""

_QUANTITY = re.compile(r"(?<=\d)[ \u00a0](?=(?:[fpnµmkMGT]?(?:Hz|[VAWHFΩsJCK])(?:/W|·s)?|°C|%)(?![A-Za-z]))")

STYLES = {"title": "bold", "good": "green", "bad": "bold red", "faint": "dim", "": ""}
"""How rows are marked."""

BOX = "    \n    \n ── \n    \n    \n    \n    \n    \n"
"""Nothing but a rule below the headings."""


def to_text(view: View, width: int = WIDTH, coloured: bool = False) -> str:
    """Return a view as text of so many columns (more where a column of numbers would not fit)."""
    parts = [to_lines(part, width, coloured) for part in renderables(view)]
    return "\n".join(line for part in parts for line in part)


def renderables(view: View) -> list[Any]:
    """Return what a view consists of, for a console of Rich; blank lines between tables included."""
    from rich.text import Text

    found: list[Any] = []
    if view.heading:
        found += [*(Text(_joined(line), style="bold") for line in view.heading.split("\n")), Text("")]
    if view.changes:
        found += [Text("Set: " + _joined("; ".join(c.text() for c in view.changes)), style="bold"), Text("")]
    for table in view.tables:
        if table.rows or table.title:
            found += [*_titled(table), Text("")]
    found += [Text(_joined(note), style="dim") for note in view.notes]
    return found


def to_lines(part: RenderableType, width: int, coloured: bool) -> list[str]:
    """Return one part of a view as lines, none of which loses a digit for want of room."""
    from rich.measure import Measurement

    console = _console(WIDEST, coloured)
    needed = Measurement.get(console, console.options, part).minimum
    console = _console(max(width, NARROWEST, needed), coloured)
    console.print(part)
    assert isinstance(console.file, io.StringIO)
    text = console.file.getvalue().replace(JOINT, " ")
    return [line.rstrip() for line in text.rstrip("\n").split("\n")]


def _joined(text: str) -> str:
    """Return a text made harmless, its quantities not to be broken between number and unit."""
    return _QUANTITY.sub(JOINT, harmless(text)).replace("\u00a0", JOINT)


def _console(width: int, coloured: bool) -> Console:
    from rich.console import Console

    return Console(
        file=io.StringIO(),
        width=width,
        force_terminal=coloured,
        color_system="standard" if coloured else None,
        markup=False,
        emoji=False,
        highlight=False,
        legacy_windows=False,
    )


def _titled(table: Table) -> list[Any]:
    from rich.padding import Padding
    from rich.text import Text

    if not table.title:
        return [_rich_table(table)]
    return [Text(harmless(table.title), style="bold"), Padding(_rich_table(table), (0, 0, 0, 2))]


def _rich_table(table: Table) -> Any:
    """Return a table for a console of Rich: no empty columns; those of numbers, or with ``<`` behind the heading, never wrap."""
    from rich.box import Box
    from rich.table import Table as RichTable
    from rich.text import Text

    found = RichTable(
        box=Box(BOX),
        show_edge=False,
        pad_edge=False,
        padding=(0, 1, 0, 0),
        header_style="bold" if not table.title else "",
    )
    if not table.title:
        found.box = None
        found.padding = (0, 2, 0, 0)
    shown = [
        k for k in range(len(table.columns)) if k == 0 or not table.rows or any(row[k] for row in table.rows)
    ]
    for k in shown:
        heading = table.columns[k]
        lines = (line for row in table.rows for line in _joined(row[k]).splitlines())
        widest = max(len(heading.rstrip("<>")), *map(len, lines), 0)
        right, whole = heading.endswith(">"), heading.endswith((">", "<"))
        found.add_column(
            Text(harmless(heading.rstrip("<>"))),
            justify="right" if right else "left",
            no_wrap=whole,
            min_width=widest if whole else min(widest, PROSE),
            overflow="fold",
        )
    for k, row in enumerate(table.rows):
        cells = [_joined(row[i]) for i in shown]
        if not table.title:
            cells[0] = f"  {cells[0]}"
        found.add_row(*(Text(c) for c in cells), style=STYLES[table.marks[k]] if table.marks else None)
    return found


def to_html(view: View) -> str:
    """Return a view as HTML for a notebook."""
    parts = [f"<p><b>{escape(harmless(view.heading))}</b></p>"] if view.heading else []
    for table in view.tables:
        heads = "".join(f"<th>{escape(harmless(c.rstrip('<>')))}</th>" for c in table.columns)
        rows = "".join(
            "<tr>" + "".join(f"<td>{escape(harmless(cell))}</td>" for cell in row) + "</tr>"
            for row in table.rows
        )
        title = f"<caption>{escape(harmless(table.title))}</caption>" if table.title else ""
        parts.append(f"<table>{title}<thead><tr>{heads}</tr></thead><tbody>{rows}</tbody></table>")
    parts += [f"<p>{escape(harmless(note))}</p>" for note in view.notes]
    return "\n".join(parts)


def to_json(view: View) -> str:
    """Return a view's data and notes as JSON; numbers that are not finite become null."""
    said: dict[str, Any] = {"notes": list(view.notes)} if view.notes else {}
    if view.changes:
        said["set"] = [{"key": c.key, "before": c.before, "after": c.after} for c in view.changes]
    return json_text({"format": f"jumplane/{view.kind}/1", **said, **view.data})


def json_text(data: Any) -> str:
    """Return data as JSON; numbers that are not finite become null, control characters are written by their number."""
    text = json.dumps(plain(data), indent=2, ensure_ascii=False)
    return re.sub("[\x7f-\x9f]", lambda m: f"\\u{ord(m[0]):04x}", text)


def plain(data: Any) -> Any:
    """Return data as JSON takes it: numbers without the noise of rounding, null for what is not finite."""
    if isinstance(data, dict):
        return {str(k): plain(v) for k, v in data.items()}
    if isinstance(data, list | tuple):
        return [plain(v) for v in data]
    if isinstance(data, float):
        if not math.isfinite(data):
            return None
        return 0.0 if abs(data) < ROUNDING else float(f"{data:.{DIGITS - 1}e}")
    return data
