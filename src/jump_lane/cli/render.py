"""The one renderer: views become tables on a terminal or versioned JSON on standard output."""

from __future__ import annotations

import os
import shutil
import sys

import typer

from jump_lane.cli.streams import coloured
from jump_lane.harmless import harmless
from jump_lane.report.table import View


def show(view: View, as_json: bool = False) -> None:
    """Print a view and end the command with its exit status."""
    from jump_lane.report.text import to_json, to_text

    print(to_json(view) if as_json else to_text(view, width(), coloured(sys.stdout)))
    if view.exit_status:
        raise typer.Exit(view.exit_status)


def width() -> int:
    """Return the columns of the terminal, or those of a page where there is none."""
    from jump_lane.report.text import WIDTH

    if sys.stdout.isatty() or "COLUMNS" in os.environ:
        return shutil.get_terminal_size().columns
    return WIDTH


def note(text: str) -> None:
    """Print a note to standard error."""
    print(harmless(text), file=sys.stderr)
