"""What is wrong with a file, said in one sentence: key, what was read, what was expected, nearest valid name."""

from __future__ import annotations

import math
import tomllib
from collections.abc import Collection, Mapping, Sequence
from pathlib import Path
from typing import Any

from pydantic import BaseModel

from jump_lane.errors import InputError, nearest
from jump_lane.files import read_text
from jump_lane.quantities import article


def read_toml(path: Path) -> dict[str, Any]:
    """Return the tables of a TOML file.

    Raises
    ------
    InputError
        If it cannot be read or is not TOML.
    """
    return toml_of(read_text(path), str(path))


def toml_of(text: str, where: str) -> dict[str, Any]:
    """Return the tables of a text in TOML.

    Raises
    ------
    InputError
        If it is not TOML.
    """
    try:
        return tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise InputError(f"{where}: not a TOML file: {error}") from None
    except RecursionError:
        raise InputError(f"{where}: tables nested deeper than any file that can be meant") from None


DRAFT = "https://json-schema.org/draft/2020-12/schema"
"""What schemas are written in."""


def tidied(schema: dict[str, Any], name: str, nulls: bool = False) -> dict[str, Any]:
    """Return a schema as it is published: with a name; without nulls where TOML is meant, which has none."""
    body = schema if nulls else _without_nulls(schema)
    return {"$schema": DRAFT, "$id": f"urn:jump-lane:{name}:1", **body}


_BOUNDS = {"ge": "minimum", "le": "maximum", "gt": "exclusiveMinimum", "lt": "exclusiveMaximum"}


def bounded(model: type[BaseModel], schema: dict[str, Any]) -> dict[str, Any]:
    """Return the schema of a model with the bounds of its numbers, which quantities with units hide."""
    for one in _models(model, set()):
        table = schema if one is model else schema["$defs"].get(one.__name__, {})
        table = table.get("anyOf", [table])[0]
        for name, field in one.model_fields.items():
            for mark in field.metadata:
                for key, bound in _BOUNDS.items():
                    if getattr(mark, key, None) is not None and name in table.get("properties", {}):
                        table["properties"][name].setdefault(bound, getattr(mark, key))
    return schema


def _models(model: type[BaseModel], known: set[type]) -> set[type[BaseModel]]:
    """Return a model and all that stand in it."""
    if model in known:
        return set()
    known.add(model)
    found = {model}
    for field in model.model_fields.values():
        for inner in _types(field.annotation):
            found |= _models(inner, known)
    return found


def _types(annotation: Any) -> list[type[BaseModel]]:
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        return [annotation]
    return [t for inner in getattr(annotation, "__args__", ()) for t in _types(inner)]


def _without_nulls(entry: Any) -> Any:
    if isinstance(entry, list):
        return [_without_nulls(e) for e in entry if e != {"type": "null"}]
    if not isinstance(entry, dict):
        return entry
    kept = {
        _BOUNDS.get(k, k): _without_nulls(v)
        for k, v in entry.items()
        if not (k == "default" and (v is None or isinstance(v, dict)))
        and not (k == "title" and isinstance(v, str))
    }
    one = kept.get("anyOf", ())
    if len(one) == 1:
        del kept["anyOf"]
        kept = {**one[0], **kept}
    return kept


_EXPECTED = {
    "string_type": "a text",
    "model_type": "a table",
    "model_attributes_type": "a table",
    "dict_type": "a table",
    "list_type": "a list",
    "tuple_type": "a list",
    "float_type": "a number",
    "float_parsing": "a number",
    "int_type": "a whole number",
    "int_parsing": "a whole number",
    "int_from_float": "a whole number",
    "bool_type": "true or false",
    "bool_parsing": "true or false",
    "finite_number": "a finite number",
    "greater_than": "more than {gt:g}",
    "greater_than_equal": "at least {ge:g}",
    "less_than": "less than {lt:g}",
    "less_than_equal": "at most {le:g}",
}
"""What was expected, by the kind of an error."""


def explain(error: Any, model: type[BaseModel], kinds: Collection[str] = ()) -> str:
    """Return one validation error as a sentence: key, what was read, what was expected, nearest name.

    `kinds` are names of alternative tables, which the place of an error does not need to repeat.  Tables of a list are counted
    from 1, as those who set their keys do.
    """
    path = [part for part in error["loc"] if part not in ("str", "float", "dict", *kinds)]
    key = ".".join(str(part + 1 if isinstance(part, int) else part) for part in path) or "file"
    read = error.get("input")
    if error["type"] == "extra_forbidden":
        valid = _fields(model, path[:-1])
        return f"{key}: unknown key" + (f"; {nearest(str(path[-1]), valid)}" if valid else "")
    if error["type"] == "missing":
        expected = "one more" if isinstance(path[-1], int) else _description(model, path)
        return f"{key}: missing; expected {expected}"
    if error["type"] == "literal_error":
        expected = error["ctx"]["expected"]
        names = [n.strip(" '") for n in expected.replace(" or ", ", ").split(",")]
        return f"{key}: read {read!r}, expected {expected}; {nearest(str(read), names)}"
    if error["type"] == "union_tag_invalid":
        kind = error["ctx"]["tag"]
        return f"{key}.kind: read {kind!r}; {nearest(kind, kinds)}"
    message = str(error["msg"]).removeprefix("Value error, ")
    if error["type"] == "value_error":
        return f"{key}: {message}"
    expected = _EXPECTED.get(error["type"], "").format(**error.get("ctx", {}))
    return f"{key}: read {read!r}" + (
        f", expected {expected}" if expected else f"; {message[0].lower()}{message[1:]}"
    )


def _model_at(model: type[BaseModel], path: list[Any]) -> type[BaseModel] | None:
    for part in path:
        if isinstance(part, int):
            continue
        field = model.model_fields.get(str(part))
        inner: Any = field.annotation if field else None
        if inner is not None and hasattr(inner, "__args__"):
            inner = inner.__args__[0]
        if not (isinstance(inner, type) and issubclass(inner, BaseModel)):
            return None
        model = inner
    return model


def _fields(model: type[BaseModel], path: list[Any]) -> list[str]:
    """Return the keys of the table at a path, or none where alternatives stand there."""
    found = _model_at(model, path)
    return list(found.model_fields) if found else []


def _description(model: type[BaseModel], path: list[Any]) -> str:
    found = _model_at(model, path[:-1])
    field = found.model_fields.get(str(path[-1])) if found else None
    text = field.description if field and field.description else f"{article(str(path[-1]))} table"
    return text[0].lower() + text[1:]


def numbers_of(
    columns: Mapping[str, Sequence[object]], wanted: Mapping[str, str], where: str, least: int
) -> dict[str, list[float]]:
    """Return columns of a table as finite numbers, whatever unit stands in brackets behind their headings.

    Parameters
    ----------
    wanted
        Names of the columns with their units.
    where
        What to call the table.
    least
        Rows that it has at least.

    Raises
    ------
    InputError
        If a column is missing, too short, or holds something else.
    """
    expected = ", ".join(f"{name} [{unit}]" for name, unit in wanted.items())
    named = {head.partition("[")[0].strip().lower(): head for head in columns}
    for name in wanted:
        if name not in named:
            read = ", ".join(columns) or "none"
            raise InputError(f"{where}: no column {name!r}, read {read}; expected {expected}")
    found = {}
    for name in wanted:
        head = named[name]
        try:
            found[name] = [float(str(cell)) for cell in columns[head]]
        except ValueError as error:
            raise InputError(f"{where}, column {head}: {error}; expected numbers") from None
        if len(found[name]) < least or not all(map(math.isfinite, found[name])):
            raise InputError(f"{where}, column {head}: expected at least {least} rows of finite numbers")
    return found
