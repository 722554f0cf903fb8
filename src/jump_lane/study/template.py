"""A new converter file from a topology's example."""

from __future__ import annotations

import tomllib
from collections.abc import Collection, Iterator, Mapping
from importlib.resources import files
from typing import Any

import tomlkit

from jump_lane.design.asked import require_outputs, with_secondary
from jump_lane.spec import parse_spec
from jump_lane.study.tables import EXCLUSIVE
from jump_lane.topologies import page

ITS_OWN = (
    "chosen",
    "parts",
    "driver",
    "controller",
    "thermal",
    "efficiency",
    "damping",
    "control",
    "event",
    "wound",
)
"""Tables of an example that belong to its own specification and parts."""

DEMONSTRATION = "buck"
"""The topology whose example the demonstration runs."""


def example(topology: str) -> str:
    """Return the example converter file of a topology.

    Raises
    ------
    InputError
        If there is no such topology.
    """
    name = page(topology).name
    return files("jump_lane").joinpath("examples", f"{name}.toml").read_text(encoding="utf-8")


SCHEMA_LINE = "#:schema converter.schema.json"
"""First line of a new file, which editors read; `jumplane schema` prints that schema."""


def fill(topology: str, values: Mapping[str, Any]) -> str:
    """Return a topology's example with some keys replaced, comments kept.

    Parameters
    ----------
    values
        Dotted key to value, such as ``{"output.voltage": "5 V"}``; a range is a mapping of its bounds.  Where any is given,
        what belongs to the example's own specification (`ITS_OWN`), its story and its title are left out.

    Raises
    ------
    InputError
        If there is no such topology, or the result is not a valid converter file.
    """
    document = tomlkit.parse(example(topology))
    if not values:
        return f"{SCHEMA_LINE}\n{tomlkit.dumps(document)}"
    for table in (*ITS_OWN, "title"):
        document.pop(table, None)
    for key, value in values.items():
        _set(document, key, value)
    text = _without_story(tomlkit.dumps(document)).rstrip() + "\n"
    spec = parse_spec(tomlkit.parse(text).unwrap(), "new")
    require_outputs(spec, page(topology))
    with_secondary(spec, page(topology))
    return f"{SCHEMA_LINE}\n{text}"


def kept(topology: str, given: Collection[str]) -> dict[str, str]:
    """Return what a new file takes from the example as it is: dotted key to value, given those that are replaced."""
    tables = {
        k: v for k, v in tomllib.loads(example(topology)).items() if k not in (*ITS_OWN, "title", "topology")
    }
    found = {}
    hidden = {*given}
    for table, groups in EXCLUSIVE.items():
        for group in groups:
            said = {f"{table}.{key}" for key in group}
            hidden |= said if any(_within(g, s) for g in given for s in said) else set()
    for key, value in _flat(tables, ""):
        if not any(_within(key, g) for g in hidden):
            found[key] = value
    return found


def _within(key: str, outer: str) -> bool:
    """Return whether a dotted key is another or lies within it."""
    return f"{key}.".startswith(f"{outer}.")


def _flat(at: Any, path: str) -> Iterator[tuple[str, str]]:
    if isinstance(at, dict) and not set(at) <= {"min", "nominal", "max"}:
        for name, inner in at.items():
            yield from _flat(inner, f"{path}.{name}" if path else str(name))
    elif isinstance(at, dict):
        yield path, " … ".join(str(v) for v in at.values())
    elif isinstance(at, list) and at and isinstance(at[0], dict):
        for k, inner in enumerate(at):
            yield from _flat(inner, path if k == 0 else f"{path}.{k + 1}")
    else:
        yield path, str(at)


def _without_story(text: str) -> str:
    """Return a file's text without the comments before its first key."""
    lines = text.split("\n")
    first = next((k for k, line in enumerate(lines) if line and not line.startswith("#")), 0)
    return "\n".join(lines[first:])


def _set(document: Any, key: str, value: Any) -> None:
    *path, last = key.split(".")
    table = _table(document, path)
    for group in EXCLUSIVE.get(path[0], ()) if path else ():
        for other in group if last in group else ():
            if other != last:
                table.pop(other, None)
    if isinstance(value, Mapping):
        inline = tomlkit.inline_table()
        inline.update(value)
        value = inline
    table[last] = value


def _table(document: Any, path: list[str]) -> Any:
    for part in path:
        if part not in document:
            document[part] = tomlkit.table()
        document = document[part]
        if isinstance(document, list):
            document = document[0]
    return document
