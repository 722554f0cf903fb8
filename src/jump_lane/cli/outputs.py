"""What commands over many operating points share: progress, tables and figures written, their options."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Protocol, TypeVar

import typer

from jump_lane.cli.render import note

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator

    from jump_lane.report.export import Columns


class Indexed(Protocol):
    """A result that knows its place."""

    @property
    def index(self) -> int:
        """Its place."""


R = TypeVar("R", bound=Indexed)

Processes = Annotated[int, typer.Option(min=1, help="Local processes that share the work.")]
Tables = Annotated[
    list[Path] | None,
    typer.Option("--table", metavar="FILE", help="Write the table as .csv or .parquet; repeatable."),
]
Figure = Annotated[
    Path | None, typer.Option("--figure", metavar="PNG|SVG", help="Draw a figure into this file.")
]


def require_outputs(file: Path, table: list[Path] | None, figure: Path | None, overwrite: bool) -> None:
    """Refuse files that cannot be written, or that the command reads, before any work is done."""
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


def write_outputs(
    table: list[Path] | None,
    figure: Path | None,
    overwrite: bool,
    columns: Columns,
    draw: Callable[[str], bytes],
) -> None:
    """Write the table and draw the figure that were asked for."""
    from jump_lane.files import write_whole
    from jump_lane.report.export import write
    from jump_lane.report.figures import figure_kind

    for path in table or []:
        write(path, columns, overwrite)
        note(f"wrote {path}")
    if figure is not None:
        write_whole(figure, draw(figure_kind(figure)), overwrite)
        note(f"wrote {figure}")


def collect(rows: Iterator[R], count: int, label: str = "simulating") -> tuple[list[R], bool]:
    """Gather rows with a progress bar on standard error; an interruption keeps what is done."""
    found: list[R] = []
    complete = True
    with typer.progressbar(length=count, label=label, file=sys.stderr) as bar:
        try:
            for row in rows:
                found.append(row)
                bar.update(1)
        except KeyboardInterrupt:
            complete = False
    return sorted(found, key=lambda r: r.index), complete
