"""Reading a catalogue: TOML with ``[[part]]`` tables, or CSV with a heading line; validated strictly.

A TOML catalogue may also name tables of its own exported from elsewhere, and say which column means what::

    [[table]]
    file    = "export.csv"
    kind    = "mosfet"
    columns = { part = "Order code", resistance = { column = "R on max", unit = "mΩ" } }
"""

from __future__ import annotations

import csv
import difflib
import io
from collections.abc import Iterator, Mapping
from functools import lru_cache
from importlib import resources
from pathlib import Path
from typing import Any, TypeVar

from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator

from jump_lane.catalogue.kinds import KINDS, Material, Part
from jump_lane.errors import InputError, nearest
from jump_lane.files import read_text
from jump_lane.validation import bounded, explain, read_toml, tidied

SAMPLES, MAGNETICS = "sample-catalogue.csv", "sample-magnetics.csv"
"""Shipped lists: parts of a power stage; cores, materials, bobbins and wires."""


Entry = Part | Material


class Column(BaseModel):
    """Where a figure stands in an exported table, and the unit of its bare numbers."""

    model_config = ConfigDict(extra="forbid")

    column: str = Field(description="Heading of the column")
    unit: str = Field(default="", description="Unit of the numbers in it, where they carry none")


class Exported(BaseModel):
    """A table exported from elsewhere; columns that are not named are left alone."""

    model_config = ConfigDict(extra="forbid")

    file: str = Field(description="CSV file, relative to the catalogue")
    kind: str = Field(description="Kind of the parts in it")
    columns: dict[str, str | Column] = Field(description="For each figure the heading of its column")
    separator: str = Field(default=",", min_length=1, max_length=1, description="What separates the columns")
    decimal: str = Field(default=".", min_length=1, max_length=1, description="The decimal mark")

    @field_validator("kind")
    @classmethod
    def _known(cls, kind: str) -> str:
        if kind not in KINDS:
            raise ValueError(nearest(kind, KINDS))
        return kind


class CatalogueFile(BaseModel):
    """A catalogue."""

    model_config = ConfigDict(extra="forbid", arbitrary_types_allowed=True)

    part: list[dict[str, Any]] = Field(default=[], description="Parts, each with its kind and figures")
    table: list[Exported] = Field(default=[], description="Tables exported from elsewhere")


def load(path: Path) -> tuple[Part, ...]:
    """Read the parts of a power stage in a catalogue.

    Raises
    ------
    InputError
        If it cannot be read, or an entry is not valid: file, entry, key, what was read and expected.
    """
    return tuple(p for p in _load(path, changed(path)) if isinstance(p, Part))


def load_materials(path: Path) -> tuple[Material, ...]:
    """Read the cores, materials, bobbins and wires in a catalogue.

    Raises
    ------
    InputError
        As `load` does.
    """
    return tuple(p for p in _load(path, changed(path)) if isinstance(p, Material))


def changed(path: Path) -> int:
    """Return when a file was changed last [ns].

    Raises
    ------
    InputError
        If it is not there.
    """
    try:
        return path.stat().st_mtime_ns
    except OSError as error:
        raise InputError(f"{path}: {error.strerror or error}") from None
    except ValueError as error:
        raise InputError(f"{str(path)!r}: {error}") from None


@lru_cache(maxsize=32)
def _load(path: Path, _: int) -> tuple[Entry, ...]:
    if path.suffix.lower() == ".toml":
        found = tuple(_from_toml(path))
    elif path.suffix.lower() == ".csv":
        found = tuple(_from_csv(_read(path), str(path)))
    else:
        raise InputError(f"{path}: expected a catalogue that ends in .csv or .toml")
    if not found:
        raise InputError(
            f"{path}: no parts in it; expected [[part]] tables, or a CSV heading with part, kind, …"
        )
    _require_distinct(found, str(path))
    return found


Kind = TypeVar("Kind", Part, Material)


class Samples(Mapping[str, Kind]):
    """A shipped list by name; every part in it is read when it is first asked for."""

    def __init__(self, file: str) -> None:
        self._file = file
        text = resources.files("jump_lane").joinpath("examples", file).read_text(encoding="utf-8")
        self._rows = {row["part"]: _given(row) for row in csv.DictReader(io.StringIO(text))}
        self._read: dict[str, Kind] = {}

    def __getitem__(self, name: str) -> Kind:
        if name not in self._read:
            self._read[name] = read_part(self._rows[name], f"{self._file}: {name}")  # type: ignore[assignment]
        return self._read[name]

    def __iter__(self) -> Iterator[str]:
        return iter(self._rows)

    def __len__(self) -> int:
        return len(self._rows)

    def of_kind(self, kind: str) -> tuple[Kind, ...]:
        """Return every part of a kind."""
        return tuple(self[name] for name, row in self._rows.items() if row["kind"] == kind)


@lru_cache(maxsize=1)
def sample_parts() -> Samples[Part]:
    """Return the shipped catalogue by name; every part in it is made up."""
    return Samples(SAMPLES)


@lru_cache(maxsize=1)
def sample_materials() -> Samples[Material]:
    """Return shipped cores, materials, bobbins and wires by name; shapes and wires are of standards, all else is made up."""
    return Samples(MAGNETICS)


def samples() -> tuple[Part, ...]:
    """Return every part of the shipped catalogue."""
    return tuple(sample_parts().values())


def _read(path: Path) -> str:
    return read_text(path)


def _from_toml(path: Path) -> Iterator[Entry]:
    try:
        tables = CatalogueFile.model_validate(read_toml(path))
    except ValidationError as error:
        raise InputError("\n".join(f"{path}: {explain(e, CatalogueFile)}" for e in error.errors())) from None
    for i, entry in enumerate(tables.part, start=1):
        yield read_part(entry, f"{path}: part {i}")
    for table in tables.table:
        yield from _from_export(table, path.parent / table.file)


def _from_csv(text: str, where: str) -> Iterator[Entry]:
    reader = csv.DictReader(io.StringIO(text))
    _require_commas(reader, where)
    for i, row in enumerate(_rows(reader, where), start=1):
        yield read_part(_given(row), f"{where}: entry {i}")


def _require_commas(reader: csv.DictReader[str], where: str) -> None:
    """Refuse a heading that is one column, as it is where another character separates the columns."""
    try:
        headings = list(reader.fieldnames or ())
    except csv.Error as error:
        raise InputError(f"{where}: not a table of text: {error}") from None
    for name, mark in (("a semicolon", ";"), ("a tabulator", "\t"), ("a bar", "|")):
        if len(headings) == 1 and mark in headings[0]:
            raise InputError(
                f"{where}: one column, {headings[0][:60]!r}: the columns seem to be separated by {name}; expected commas, or a "
                f"TOML catalogue with [[table]] separator = {mark!r}"
            )


def _near(name: str, headings: list[str], table: Exported) -> str:
    """Return the heading that a name is near to; others are not quoted, as the file may be anything."""
    close = difflib.get_close_matches(name, headings, n=1, cutoff=0.6)
    if close:
        return f"nearest valid name: {close[0]}"
    return f"it has {len(headings)} columns, separated by {table.separator!r}"


def _rows(reader: csv.DictReader[str], where: Path | str) -> Iterator[dict[str, Any]]:
    try:
        yield from reader
    except csv.Error as error:
        raise InputError(f"{where}: not a table of text: {error}") from None


def _given(row: dict[str, Any]) -> dict[str, Any]:
    return {
        k.strip(): v.strip() for k, v in row.items() if k is not None and isinstance(v, str) and v.strip()
    }


def _from_export(table: Exported, path: Path) -> Iterator[Entry]:
    rows = csv.DictReader(io.StringIO(_read(path)), delimiter=table.separator)
    try:
        headings = [h.strip() for h in rows.fieldnames or ()]
    except csv.Error as error:
        raise InputError(f"{path}: not a table of text: {error}") from None
    wanted = {k: Column(column=c) if isinstance(c, str) else c for k, c in table.columns.items()}
    for key, column in wanted.items():
        if column.column not in headings:
            raise InputError(
                f"{path}: no column {column.column!r} for {key}; {_near(column.column, headings, table)}"
            )
    for i, row in enumerate(_rows(rows, path), start=1):
        cells = _given(row)
        entry = {k: _cell(cells[c.column], c, table.decimal) for k, c in wanted.items() if c.column in cells}
        yield read_part({"kind": table.kind, **entry}, f"{path}: entry {i}")


def _cell(text: str, column: Column, decimal: str) -> str:
    """Return a cell with a point as decimal mark, and with the column's unit where it is a bare number."""
    text = text if decimal == "." else text.replace(decimal, ".")
    try:
        float(text)
    except ValueError:
        return text
    return f"{text} {column.unit}".rstrip()


def read_part(entry: dict[str, Any], where: str) -> Entry:
    """Validate one entry; `where` names it in a complaint.

    Raises
    ------
    InputError
        Saying which key of which entry is wrong, and how.
    """
    kind = entry.get("kind")
    if not isinstance(kind, str) or kind not in KINDS:
        read = "missing" if kind is None else f"read {kind!r}"
        raise InputError(f"{where}: kind: {read}; {nearest(str(kind), KINDS)}")
    model = KINDS[kind]
    try:
        return model.model_validate(entry)  # type: ignore[return-value]
    except ValidationError as error:
        name = f"{where} ({entry['part']})" if "part" in entry else where
        raise InputError("\n".join(f"{name}: {explain(e, model)}" for e in error.errors())) from None


def _require_distinct(parts: tuple[Entry, ...], where: str) -> None:
    names = [p.name for p in parts]
    repeated = {n for n in names if names.count(n) > 1}
    if repeated:
        raise InputError(f"{where}: part {sorted(repeated)[0]!r} is there more than once")


def schema() -> dict[str, Any]:
    """Return the JSON Schema of a TOML catalogue."""
    base = CatalogueFile.model_json_schema()
    kinds = [bounded(model, model.model_json_schema()) for model in KINDS.values()]
    for one in kinds:
        one["required"] = ["kind", *one.get("required", [])]
    base["properties"]["part"]["items"] = {"anyOf": kinds}
    return tidied(base, "catalogue")
