"""Windings for specifications at random: searched, proven from their own sheets, put back and checked.

``python -m tests.wide_wound 0 100`` winds a component of each of those of seeds 0 to 99 and says what came of it.
"""

from __future__ import annotations

import random
import sys
import tomllib
from typing import Any

import jump_lane as jl
from jump_lane.magnetics.choice import judged
from jump_lane.magnetics.written import with_design
from tests.wide import attempted, told, wide

ENDS = (0.7, 2.6), (0.3, 3.3), (4.5, 5.7)
"""5 V to 400 V, 2 W to 2 kW, 30 kHz to 500 kHz: what ferrites and powders are made for."""


def outcome(seed: int) -> tuple[str, str]:
    """Return what came of winding a component of a specification: in a word, and which it was or why not."""
    tables, rng = wide(seed, ENDS), random.Random(seed)

    def work() -> tuple[str, str]:
        page = jl.load(tables).design.page
        component = rng.choice([role.name for role in page.roles if role.kind in ("inductor", "transformer")])
        given = tables | {"wound": {component: {}}}
        found = jl.wind(given, component, count=1)
        wrong = unproven(given, component, found.design(1), found.judgements[0])
        if wrong:
            return "WRONG", f"{component}: {wrong}"
        if found.held:
            return "wound", component
        lost = "with it" if jl.check(tables).holds else "with any"
        return f"wound, and told that the converter does not hold {lost}", component

    return attempted(work)


def unproven(given: dict[str, Any], component: str, design: Any, said: str) -> str:
    """Return what of a design does not hold once it is written and read again, beyond what was said of the converter with it."""
    again = given | tomllib.loads(with_design("", design.asked, design.found, design.ratios))
    other = jl.wound(again, component)
    broken = [v.what for v in judged(other.asked, other.found) if not (v.holds or v.warning)]
    if broken:
        return f"{broken} by its own sheet"
    if abs(other.found.loss - design.found.loss) > 1e-3 * design.found.loss:
        return f"{other.found.loss} W by its own sheet, {design.found.loss} W as found"
    return (
        ""
        if jl.check(again).holds == said.startswith("MET")
        else f"the converter with it is not as was said: {said}"
    )


def main(first: int, last: int) -> None:
    """Say what came of the specifications of some seeds."""
    told(first, last, outcome, lambda seed: wide(seed, ENDS)["topology"])


if __name__ == "__main__":
    main(*map(int, sys.argv[1:]))
