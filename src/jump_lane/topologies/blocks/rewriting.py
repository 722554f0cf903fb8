"""The same equations with other symbols: seen from the primary, or for pulses that come twice a period."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import replace

from jump_lane.equations.compose import substitute
from jump_lane.equations.sheet import Line
from jump_lane.topologies.page import ByTarget

Text = str | Mapping[str, str]

TWICE = {"f_s": "(2*f_s)"}
"""Pulses come twice a period."""


def rewritten(entries: Iterable[Line | ByTarget], symbols: Mapping[str, str]) -> tuple[Line | ByTarget, ...]:
    """Return lines with symbols replaced, in formulas by what is given, and as names where that is a name."""
    return tuple(_entry(entry, symbols) for entry in entries)


def _entry(entry: Line | ByTarget, symbols: Mapping[str, str]) -> Line | ByTarget:
    if isinstance(entry, Line):
        return _line(entry, symbols)
    return replace(entry, lines={k: _line(v, symbols) for k, v in entry.lines.items()})


def _line(line: Line, symbols: Mapping[str, str]) -> Line:
    names = {k: v for k, v in symbols.items() if v.isidentifier()}
    return replace(
        line,
        symbol=names.get(line.symbol, line.symbol),
        text=_text(line.text, symbols),
        meaning=_replaced(line.meaning, names),
        through=tuple(_line(inner, symbols) for inner in line.through),
    )


def _text(text: Text, symbols: Mapping[str, str]) -> Text:
    if isinstance(text, str):
        return substitute(text, symbols)
    return {mode: substitute(t, symbols) for mode, t in text.items()}


def _replaced(text: str, symbols: Mapping[str, str]) -> str:
    return re.sub(r"[A-Za-z_]\w*", lambda found: symbols.get(found[0], found[0]), text)
