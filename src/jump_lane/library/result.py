"""What every calculation returns: a frozen record that can be looked at, tabled, drawn and written."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Generic, Protocol, TypeVar

from jump_lane.errors import InputError
from jump_lane.report.export import Columns
from jump_lane.report.table import View

if TYPE_CHECKING:
    import pandas
    from matplotlib.figure import Figure

Watch = Callable[[int, int], None]
"""Called with how many points are done and how many there are."""


class Indexed(Protocol):
    """A row that knows its place."""

    @property
    def index(self) -> int:
        """Its place."""


R = TypeVar("R", bound=Indexed)


@dataclass(frozen=True, repr=False)
class Result:
    """A result: printed it is its tables, in a notebook too."""

    def __repr__(self) -> str:
        return f"<{type(self).__name__}: print it, or use frame(), figure(), json()>"

    def view(self) -> View:
        """Return tables and notes for a reader, and data for a program."""
        raise NotImplementedError

    def columns(self) -> Columns:
        """Return the result as columns: heading, with the unit in brackets, to values."""
        raise InputError(f"{type(self).__name__}: there is no table of numbers to write")

    def drawing(self) -> Any:
        """Return the result drawn, 1280 × 800 pixels."""
        raise InputError(f"{type(self).__name__}: there is nothing to draw")

    @property
    def holds(self) -> bool:
        """Whether everything that was asked is met."""
        return self.view().exit_status == 0

    def frame(self) -> pandas.DataFrame:
        """Return the result as a data frame of pandas; units stand in the headings."""
        import pandas

        return pandas.DataFrame(self.columns())

    def figure(self) -> Figure:
        """Return the result as a figure of Matplotlib.

        Raises
        ------
        InputError
            If there is nothing to draw.
        """
        found: Figure = self.drawing()
        return found

    def json(self) -> str:
        """Return the result as JSON, in the published form of the command of the same name."""
        from jump_lane.report.text import to_json

        return to_json(self.view())

    def __str__(self) -> str:
        from jump_lane.report.text import to_text

        return to_text(self.view())

    def __rich_console__(self, console: Any, options: Any) -> Iterator[Any]:
        from jump_lane.report.text import renderables

        yield from renderables(self.view())

    def _repr_html_(self) -> str:
        from jump_lane.report.text import to_html

        return to_html(self.view())


@dataclass(frozen=True)
class Gathered(Generic[R]):
    """Rows in their order, and whether all of them are there."""

    rows: list[R]
    complete: bool


def gather(rows: Iterator[R], count: int, watch: Watch | None) -> Gathered[R]:
    """Gather rows as they come; an interruption keeps what is done."""
    found: list[R] = []
    complete = True
    try:
        for row in rows:
            found.append(row)
            if watch is not None:
                watch(len(found), count)
    except KeyboardInterrupt:
        complete = False
    return Gathered(sorted(found, key=lambda r: r.index), complete)
