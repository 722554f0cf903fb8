"""Tables of numbers for colleagues: CSV with units in the heading, JSON, Parquet."""

from __future__ import annotations

import csv
import io
from pathlib import Path
from typing import Any

from jump_lane.errors import InputError
from jump_lane.files import read_text, write_whole
from jump_lane.report.table import to_csv

Columns = dict[str, list[Any]]
"""Heading (with unit in brackets) to values."""


def write(path: Path, columns: Columns, overwrite: bool) -> None:
    """Write columns into a file whose name ends in .csv or .parquet.

    Raises
    ------
    InputError
        On another ending, or as `write_whole` does.
    """
    kind = path.suffix.lower()
    if kind == ".csv":
        rows = list(zip(*columns.values(), strict=True))
        write_whole(path, to_csv(tuple(columns), [tuple(_cell(v) for v in row) for row in rows]), overwrite)
    elif kind == ".parquet":
        write_whole(path, _parquet(columns), overwrite)
    else:
        raise InputError(f"{path}: expected a name that ends in .csv or .parquet")


def require_kind(path: Path) -> None:
    """Refuse a name that does not say which format is meant, before any work is done."""
    if path.suffix.lower() not in (".csv", ".parquet"):
        raise InputError(f"{path}: expected a name that ends in .csv or .parquet")


def _cell(value: Any) -> str:
    if isinstance(value, float):
        return "" if value != value else f"{value:.9g}"
    return str(value)


def _parquet(columns: Columns) -> bytes:
    import pyarrow
    import pyarrow.parquet

    out = io.BytesIO()
    pyarrow.parquet.write_table(pyarrow.table(columns), out)
    return out.getvalue()


def read(path: Path) -> Columns:
    """Return the columns of a .csv or .parquet file, cells of the former as text.

    Raises
    ------
    InputError
        If it cannot be read, has another ending, or rows of different lengths.
    """
    kind = path.suffix.lower()
    if kind == ".csv":
        return _from_csv(read_text(path), str(path))
    if kind != ".parquet":
        raise InputError(f"{path}: expected a name that ends in .csv or .parquet")
    import pyarrow
    import pyarrow.parquet

    try:
        found: Columns = pyarrow.parquet.read_table(path).to_pydict()
    except (OSError, pyarrow.ArrowException) as error:
        raise InputError(f"{path}: no table that can be read: {str(error).splitlines()[0]}") from None
    return found


def _from_csv(text: str, where: str) -> Columns:
    rows = [row for row in csv.reader(io.StringIO(text)) if row]
    if len(rows) < 2:
        raise InputError(f"{where}: expected a heading line and at least one row")
    heads = [h.strip() for h in rows[0]]
    for k, row in enumerate(rows[1:], start=2):
        if len(row) != len(heads):
            hint = "; are the columns separated by commas?" if len(heads) == 1 else ""
            raise InputError(f"{where}, line {k}: {len(row)} cells where the heading has {len(heads)}{hint}")
    return {head: [row[k].strip() for row in rows[1:]] for k, head in enumerate(heads)}
