"""What commands do with a result: progress on the way, tables and figures written, shown, exit status."""

from __future__ import annotations

import contextlib
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any

import typer

from jump_lane.cli.render import note, show

if TYPE_CHECKING:
    from jump_lane.library.result import Result, Watch
    from jump_lane.report.table import View

INTERRUPTED = 130
"""Exit status of work that was interrupted; what was finished is shown and kept."""


def require_outputs(
    file: Path | None, table: list[Path] | None, figure: Path | None, overwrite: bool
) -> None:
    """Refuse files that cannot be written, or that the command reads, before any work is done."""
    if not table and figure is None:
        return
    from jump_lane.files import require_apart, require_free
    from jump_lane.report.export import require_kind
    from jump_lane.report.figures import figure_kind

    require_apart((file,), (*(table or []), figure))
    for path in table or []:
        require_kind(path)
        require_free(path, overwrite)
    if figure is not None:
        figure_kind(figure)
        require_free(figure, overwrite)


def finish(
    result: Result,
    json: bool,
    *,
    view: View | None = None,
    table: list[Path] | None = None,
    figure: Path | None = None,
    drawing: Any = None,
    overwrite: bool = False,
) -> None:
    """Write the tables and the figure of a result, show it, and end with its exit status.

    Parameters
    ----------
    view, drawing
        What to show and draw, where that is not what the result shows and draws by itself.
    """
    from jump_lane.files import write_whole
    from jump_lane.report.export import write

    notes = []
    for path in table or []:
        write(path, result.columns(), overwrite)
        notes.append(f"wrote {path}")
    if figure is not None:
        from jump_lane.report.figures import figure_kind, save

        drawn = result.drawing() if drawing is None else drawing
        write_whole(figure, save(drawn, figure_kind(figure)), overwrite)
        notes.append(f"wrote {figure}")
    for text in notes:
        note(text)
    show(result.view() if view is None else view, json)
    if not getattr(result, "complete", True):
        raise typer.Exit(INTERRUPTED)


@contextlib.contextmanager
def progress(label: str = "simulating") -> Iterator[Watch | None]:
    """Show how many points are done and how long the others take, on a terminal; nothing elsewhere."""
    if not sys.stderr.isatty():
        yield None
        return
    from rich.console import Console
    from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeRemainingColumn

    columns = (
        TextColumn("{task.description}", markup=False),
        BarColumn(),
        MofNCompleteColumn(),
        TimeRemainingColumn(),
    )
    with Progress(*columns, console=Console(stderr=True), transient=True) as bar:
        task = bar.add_task(label, total=None)

        def watch(done: int, count: int) -> None:
            bar.update(task, completed=done, total=count)

        yield watch
