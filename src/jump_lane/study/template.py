"""A new converter file from a topology's example."""

from __future__ import annotations

from importlib.resources import files
from typing import Any

import tomlkit

from jump_lane.spec import parse_spec
from jump_lane.topologies import page
from jump_lane.topologies.asked import with_secondary

ITS_OWN = ("chosen", "parts", "driver", "controller", "thermal", "efficiency", "damping")
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


def fill(topology: str, values: dict[str, str]) -> str:
    """Return a topology's example with some keys replaced, comments kept.

    Parameters
    ----------
    values
        Dotted key to value, such as ``{"output.voltage": "5 V"}``.  Where any is given, what belongs to the
        example's own specification (`ITS_OWN`) is left out; a range of which any
        bound is given keeps only the bounds given.

    Raises
    ------
    InputError
        If there is no such topology, or the result is not a valid converter file.
    """
    document = tomlkit.parse(example(topology))
    if not values:
        return tomlkit.dumps(document)
    for table in ITS_OWN:
        document.pop(table, None)
    _keep_only_given_bounds(document, values)
    for key, value in values.items():
        _set(document, key, value)
    text = tomlkit.dumps(document).rstrip() + "\n"
    with_secondary(parse_spec(tomlkit.parse(text).unwrap(), "new"), page(topology))
    return text


def _set(document: Any, key: str, value: str) -> None:
    *path, last = key.split(".")
    _table(document, path)[last] = value


def _table(document: Any, path: list[str]) -> Any:
    for part in path:
        document = document[part]
        if isinstance(document, list):
            document = document[0]
    return document


def _keep_only_given_bounds(document: Any, values: dict[str, str]) -> None:
    for path in (["input", "voltage"], ["output", "current"]):
        given = [k for k in values if k.startswith(".".join(path) + ".")]
        if not given:
            continue
        *outer, last = path
        table = tomlkit.inline_table()
        for bound in ("min", "nominal", "max"):
            if ".".join([*path, bound]) in values:
                table[bound] = values[".".join([*path, bound])]
        _table(document, outer)[last] = table
