"""Tables of numbers for colleagues: CSV with units in the heading, JSON, Parquet."""

from __future__ import annotations

import io
from pathlib import Path
from typing import Any

from jump_lane.errors import InputError
from jump_lane.files import write_whole
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
