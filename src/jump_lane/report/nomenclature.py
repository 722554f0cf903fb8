"""The nomenclature page of the documentation, written from the pages of the topologies.

``python -m jump_lane.report.nomenclature`` prints it.
"""

from __future__ import annotations

import tomllib

from jump_lane.formula import pretty
from jump_lane.spec import parse_spec
from jump_lane.study.template import example
from jump_lane.topologies import NAMES
from jump_lane.topologies.design import derive


def nomenclature() -> str:
    """Return a Markdown page with symbol, unit and meaning of every value in every topology's example."""
    entries: dict[str, tuple[str, dict[str, list[str]]]] = {}
    for name in NAMES:
        for value in derive(parse_spec(tomllib.loads(example(name)), name)).sheet:
            _, meanings = entries.setdefault(value.symbol, (value.unit, {}))
            meanings.setdefault(value.meaning, []).append(name)
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


if __name__ == "__main__":
    print(nomenclature(), end="")
