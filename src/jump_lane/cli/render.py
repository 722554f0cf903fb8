"""The one renderer: views become tables on a terminal or versioned JSON on standard output."""

from __future__ import annotations

import json
import math
import re
import shutil
import sys
import textwrap
from typing import Any

import typer

from jump_lane.cli.streams import coloured
from jump_lane.harmless import harmless
from jump_lane.report.table import Table, View

STYLES = {"title": "1", "good": "32", "bad": "1;31", "faint": "2", "": ""}
"""Terminal attributes (ECMA-48, SGR) of what is marked so."""

PLAIN_WIDTH = 150
"""Width of the tables where standard output is not a terminal."""


def show(view: View, as_json: bool = False) -> None:
    """Print a view and end the command with its exit status."""
    if as_json:
        print(to_json(view))
    else:
        _print_tables(view)
    if view.exit_status:
        raise typer.Exit(view.exit_status)


def note(text: str) -> None:
    """Print a note to standard error."""
    print(harmless(text), file=sys.stderr)


def to_json(view: View) -> str:
    """Return a view's data and notes as JSON; numbers that are not finite become null."""
    said = {"notes": list(view.notes)} if view.notes else {}
    data = {"format": f"jumplane/{view.kind}/1", **said, **view.data}
    text = json.dumps(_plain(data), indent=2, ensure_ascii=False)
    return re.sub("[\x7f-\x9f]", lambda m: f"\\u{ord(m[0]):04x}", text)


def _plain(data: Any) -> Any:
    if isinstance(data, dict):
        return {str(k): _plain(v) for k, v in data.items()}
    if isinstance(data, list | tuple):
        return [_plain(v) for v in data]
    if isinstance(data, float) and not math.isfinite(data):
        return None
    return data


def _print_tables(view: View) -> None:
    width = shutil.get_terminal_size().columns if sys.stdout.isatty() else PLAIN_WIDTH
    for table in view.tables:
        print(_styled(harmless(table.title), "title"))
        for line in layout(table, max(width, 80)):
            print(line)
        print()
    for text in view.notes:
        print(_styled(harmless(text), "faint"))


def _styled(text: str, style: str) -> str:
    code = STYLES[style]
    return f"\x1b[{code}m{text}\x1b[0m" if code and text and coloured(sys.stdout) else text


def layout(table: Table, width: int) -> list[str]:
    """Return a table as lines of text: columns padded, the widest ones wrapped to fit the width."""
    heads = [harmless(c.rstrip(">")) for c in table.columns]
    right = [c.endswith(">") for c in table.columns]
    rows = [tuple(harmless(cell) for cell in row) for row in table.rows]
    widths = [
        max([len(head), *(len(part) for row in rows for part in row[i].split("\n"))])
        for i, head in enumerate(heads)
    ]
    _squeeze(widths, width - 2 * len(widths))
    lines = _wrapped(tuple(heads), widths, right)
    lines.append("  " + "─" * (sum(widths) + 2 * len(widths) - 2))
    for i, row in enumerate(rows):
        mark = table.marks[i] if table.marks else ""
        lines += [_styled(line, mark) for line in _wrapped(row, widths, right)]
    return lines


def _squeeze(widths: list[int], room: int) -> None:
    """Narrow the widest columns until the table fits, none below 16 characters."""
    while sum(widths) > room:
        widest = max(range(len(widths)), key=widths.__getitem__)
        if widths[widest] <= 16:
            return
        second = max((w for i, w in enumerate(widths) if i != widest), default=16)
        widths[widest] = max(widths[widest] - (sum(widths) - room), min(second, widths[widest] - 1), 16)


def _wrapped(cells: tuple[str, ...], widths: list[int], right: list[bool]) -> list[str]:
    columns = [
        [p for part in cell.split("\n") for p in _pieces(part, widths[i])] for i, cell in enumerate(cells)
    ]
    lines = []
    for k in range(max(len(c) for c in columns)):
        texts = [c[k] if k < len(c) else "" for c in columns]
        padded = [t.rjust(w) if r else t.ljust(w) for t, w, r in zip(texts, widths, right, strict=True)]
        lines.append(("  " + "  ".join(padded)).rstrip())
    return lines


def _pieces(text: str, width: int) -> list[str]:
    if len(text) <= width:
        return [text]
    indent = " " * (len(text) - len(text.lstrip()))
    return textwrap.wrap(text, width, subsequent_indent=indent + "  " if indent else "")
