"""Every key of the converter file with what it means: from its schema, so that words and reader agree."""

from __future__ import annotations

import difflib
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import cache
from typing import Any

from jump_lane.errors import InputError, nearest
from jump_lane.quantities import brief
from jump_lane.spec.file import schema

NAMED = {
    "damping": "DEVICE",
    "thermal.sink": "NAME",
    "wound": "COMPONENT",
    "wound.COMPONENT.winding": "WINDING",
}
"""Tables of tables whose keys are names, and what stands for such a name here."""


@dataclass(frozen=True)
class Key:
    """A key of the converter file.

    Attributes
    ----------
    path
        Dotted, such as ``output.voltage_ripple``.
    meaning, expected, example
        What it says, what may stand there, and how that is typed.
    default
        What holds where it is missing; None where it has to be given or nothing holds.
    required
        Whether its table cannot do without.
    """

    path: str
    meaning: str
    expected: str
    example: str
    default: str | None
    required: bool
    unit: str = ""

    @property
    def table(self) -> str:
        """Return the dotted name of the table that it stands in."""
        return self.path.rpartition(".")[0]


@cache
def keys() -> Mapping[str, Key]:
    """Return every key by its dotted path; tables come before what they hold."""
    whole = schema()
    return {key.path: key for key in _walk(whole, whole, "")}


def key(path: str) -> Key:
    """Return a key by its dotted path.

    Raises
    ------
    InputError
        If there is none, with the nearest one.
    """
    every = keys()
    path = _unnamed(path)
    if path not in every:
        short = [p for p in every if p.rpartition(".")[2] == path]
        hint = (
            f"it stands in {', '.join(p.rpartition('.')[0] or 'the file' for p in short)}"
            if short
            else _nearest(path)
        )
        raise InputError(f"{path}: no such key of the converter file; {hint}")
    return every[path]


def _nearest(path: str) -> str:
    """Return the key nearest to a path; by its last part where it has no other."""
    every = keys()
    lasts = {p.rpartition(".")[2]: p for p in every}
    close = difflib.get_close_matches(path, lasts, n=1, cutoff=0.6) if "." not in path else []
    return f"nearest valid name: {lasts[close[0]]}" if close else nearest(path, every)


def _unnamed(path: str) -> str:
    """Return a path with what stands for names in place of names and numbers of outputs."""
    parts = [p for p in path.split(".") if not p.isdecimal()]
    for table, stand_in in NAMED.items():
        depth = table.count(".") + 1
        if ".".join(parts[:depth]) == table and len(parts) > depth:
            known = ".".join((table, stand_in, parts[depth])) in keys()
            parts[depth : depth + (not known)] = [stand_in]
    return ".".join(parts)


def _walk(table: dict[str, Any], whole: dict[str, Any], prefix: str) -> Iterator[Key]:
    required = table.get("required", [])
    for name, entry in table["properties"].items():
        path = f"{prefix}{name}"
        yield _key(path, entry, whole, name in required)
        inner = _table(entry, whole)
        if inner is not None:
            yield from _walk(inner, whole, f"{path}.{NAMED[path]}." if path in NAMED else f"{path}.")


def _resolved(entry: dict[str, Any], whole: dict[str, Any]) -> dict[str, Any]:
    """Return an entry with what it refers to put in."""
    if "$ref" not in entry:
        return entry
    target = whole["$defs"][entry["$ref"].rpartition("/")[2]]
    return {**_resolved(target, whole), **{k: v for k, v in entry.items() if k != "$ref"}}


def _table(entry: dict[str, Any], whole: dict[str, Any]) -> dict[str, Any] | None:
    """Return the table that stands at an entry, be it one of a list, one by a name, or one of several forms."""
    entry = _resolved(entry, whole)
    if "properties" in entry:
        return entry
    for further in (*_choices(entry), entry.get("items"), entry.get("additionalProperties")):
        found = _table(further, whole) if isinstance(further, dict) else None
        if found is not None:
            return found
    return None


def _key(path: str, entry: dict[str, Any], whole: dict[str, Any], required: bool) -> Key:
    entry = _resolved(entry, whole)
    examples = entry.get("examples") or entry.get("enum", ())
    return Key(
        path=path,
        meaning=entry.get("description", ""),
        expected=expected(entry, whole),
        example=str(examples[0]) if examples else "",
        default=_default(entry),
        required=required,
        unit=entry.get("x-unit", ""),
    )


def _default(entry: dict[str, Any]) -> str | None:
    """Return what holds where a key is missing, as one would type it."""
    default = entry.get("default")
    if isinstance(default, float) and "x-quantity" in entry:
        return brief(default, entry.get("x-unit", ""))
    return None if default in (None, "", []) else str(default)


def _choices(entry: dict[str, Any]) -> Any:
    """Return what may stand at an entry, one or the other: told apart by their form, or by what tells them apart."""
    return entry.get("anyOf", entry.get("oneOf", ()))


def expected(entry: dict[str, Any], whole: dict[str, Any]) -> str:
    """Return in words what may stand at an entry of a schema."""
    entry = _resolved(entry, whole)
    if "enum" in entry:
        return "one of " + ", ".join(str(v) for v in entry["enum"])
    if "x-quantity" in entry:
        return str(entry["x-quantity"])
    if entry.get("type") == "array":
        return f"a list: {expected(entry['items'], whole)}"
    if entry.get("type") == "object":
        return _object(entry, whole)
    if choices := _choices(entry):
        return " or ".join(dict.fromkeys(expected(one, whole) for one in choices))
    return {"integer": "a whole number", "number": "a number", "string": "text", "boolean": "true or false"}[
        entry["type"]
    ]


def _object(entry: dict[str, Any], whole: dict[str, Any]) -> str:
    if "properties" in entry:
        return "a table { " + ", ".join(entry["properties"]) + " }"
    return f"a table by name: {expected(entry['additionalProperties'], whole)}"
