"""The nomenclature page of the documentation, written from the pages of the topologies.

``python -m jump_lane.report.nomenclature`` prints it.
"""

from __future__ import annotations

import tomllib
from collections.abc import Iterator
from typing import Any

from jump_lane.design.derive import derive
from jump_lane.design.line_input import line_side
from jump_lane.dissipation.damping import derive_damping
from jump_lane.equations.formula import pretty
from jump_lane.equations.sheet import Sheet
from jump_lane.spec import Spec, parse_spec
from jump_lane.study.template import DEMONSTRATION, example
from jump_lane.topologies import NAMES, page

LINE_FED = {"ac": {"min": "85 V", "max": "265 V", "frequency": "50 Hz"}}
RINGING = {"ring": "40 MHz", "added": "1 nF", "ring_added": "20 MHz"}


def nomenclature() -> str:
    """Return a Markdown page with symbol, unit and meaning of every value of every derivation."""
    entries: dict[str, tuple[str, dict[str, None]]] = {}
    for sheet in _sheets():
        for value in sheet:
            _, meanings = entries.setdefault(value.symbol, (value.unit, {}))
            meanings[value.meaning] = None
    lines = [
        "# Nomenclature",
        "",
        "Symbols of all derivations, as they are written in formulas (and printed, where that differs).",
        "",
        "| symbol | unit | meaning |",
        "|---|---|---|",
    ]
    for symbol, (unit, meanings) in sorted(entries.items(), key=lambda e: (e[0].lower(), e[0])):
        shown = f"`{symbol}`" + (f" ({pretty(symbol)})" if pretty(symbol) != symbol else "")
        lines.append(f"| {shown} | {unit or '1'} | {'; '.join(meanings)} |")
    return "\n".join(lines) + "\n"


def _sheets() -> Iterator[Sheet]:
    """Derive every topology with every secondary it can have, a line side, and damping both ways."""
    for name in NAMES:
        for secondary in page(name).secondaries or (None,):
            yield derive(_asked(name, {"transformer": {"secondary": secondary}} if secondary else {})).sheet
    line = line_side(_asked(DEMONSTRATION, {"input": LINE_FED}))[1]
    assert line is not None
    yield line
    for clamp in ({}, {"clamp": "1 kV"}):
        design = derive(_asked(DEMONSTRATION, {"damping": {"S1": RINGING | clamp}}))
        yield derive_damping(design, "S1").sheet


def _asked(name: str, changes: dict[str, dict[str, Any]]) -> Spec:
    """Return a topology's example with some tables changed; an input is replaced, as it is one of two kinds."""
    tables = tomllib.loads(example(name))
    for table, keys in changes.items():
        kept = {} if table == "input" else tables.get(table, {})
        tables[table] = kept | keys
    return parse_spec(tables, name)


if __name__ == "__main__":
    print(nomenclature(), end="")
