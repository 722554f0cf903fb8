"""Chosen values and parts written into a converter file, everything else left byte for byte."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import tomlkit

from jump_lane.design.named import KEYS
from jump_lane.quantities import brief
from jump_lane.study.fit import Fit


def with_choices(text: str, fit: Fit, catalogues: Sequence[str] = ()) -> str:
    """Return a converter file's text with what is proposed and kept.

    Parts are named under ``[parts]`` with their number, and the lists they come from (``catalogues``, relative to the file)
    under ``[catalogue]``; preferred values stand under ``[chosen]``.
    """
    document = tomlkit.parse(text)
    for choice in fit.choices:
        best = choice.best
        if best.broken:
            continue
        if best.part:
            _name(document, choice.symbol, best.part, best.pieces)
            _list(document, catalogues)
            continue
        _unname(document, choice.symbol)
        _set(document, ("chosen", choice.symbol), brief(best.value, choice.unit))
        if best.resistance is not None:
            _set(document, ("parts", choice.symbol, "resistance"), brief(best.resistance, "Ω"))
    return tomlkit.dumps(document)


def _list(document: Any, catalogues: Sequence[str]) -> None:
    """Name the lists that parts come from."""
    known = document.get("catalogue", {}).get("files", [])
    missing = [name for name in catalogues if name not in known]
    if not missing:
        return
    if "catalogue" not in document:
        document["catalogue"] = tomlkit.table()
    if "files" not in document["catalogue"]:
        document["catalogue"]["files"] = tomlkit.array()
    for name in missing:
        document["catalogue"]["files"].append(name)


def _name(document: Any, component: str, part: str, pieces: int) -> None:
    """Name a part and the number of its pieces, and take away what was chosen or said against it."""
    given = tomlkit.inline_table()
    given["part"] = part
    if pieces > 1:
        given["count"] = pieces
    if "parts" not in document:
        document["parts"] = tomlkit.table()
    known = document["parts"].get(component)
    wanted = given if pieces > 1 else part
    if known != wanted:
        document["parts"][component] = wanted
    if component in document.get("chosen", {}):
        del document["chosen"][component]


def _unname(document: Any, component: str) -> None:
    """Take away the name of a component's part, whose value and figures no longer hold; keep what else is said."""
    parts = document.get("parts", {})
    given = parts.get(component)
    if isinstance(given, str):
        del parts[component]
    elif given is not None:
        for key in KEYS:
            if key in given:
                del given[key]


def with_values(text: str, values: Mapping[str, tuple[float, str]]) -> str:
    """Return a converter file's text with component values [SI unit] under ``[chosen]``, and no part named against them."""
    document = tomlkit.parse(text)
    for symbol, (value, unit) in values.items():
        _unname(document, symbol)
        _set(document, ("chosen", symbol), brief(value, unit))
    return tomlkit.dumps(document)


def with_keys(text: str, values: Mapping[tuple[str, ...], str]) -> str:
    """Return a converter file's text with keys set."""
    document = tomlkit.parse(text)
    for path, value in values.items():
        _set(document, path, value)
    return tomlkit.dumps(document)


def with_parts(text: str, names: Mapping[str, tuple[str, int]]) -> str:
    """Return a converter file's text with parts and their pieces under ``[parts]``, and no value chosen against them."""
    document = tomlkit.parse(text)
    for component, (name, pieces) in names.items():
        _name(document, component, name, pieces)
    return tomlkit.dumps(document)


def _set(document: Any, path: tuple[str, ...], value: str) -> None:
    """Set one key, making tables on the way; a key that already has the value is left untouched."""
    at = document
    for depth, part in enumerate(path[:-1]):
        if part not in at:
            at[part] = tomlkit.table() if depth == 0 else tomlkit.inline_table()
        elif isinstance(at[part], str):
            named = tomlkit.inline_table()
            named["part"] = at[part]
            at[part] = named
        at = at[part]
    if at.get(path[-1]) != value:
        at[path[-1]] = value
