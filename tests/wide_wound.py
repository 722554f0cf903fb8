"""Windings for specifications at random: searched, proven from their own sheets, put back and checked.

``python -m tests.wide_wound 0 100`` winds a component of each of those of seeds 0 to 99 and says what came of it.
"""

from __future__ import annotations

import random
import sys
import time
import tomllib
import traceback
from collections import Counter
from typing import Any

import jump_lane as jl
from jump_lane.errors import InputError, NoResultError
from jump_lane.magnetics.choice import judged
from jump_lane.magnetics.written import with_design
from tests.wide import wide

ENDS = (0.7, 2.6), (0.3, 3.3), (4.5, 5.7)
"""5 V to 400 V, 2 W to 2 kW, 30 kHz to 500 kHz: what ferrites and powders are made for."""


def outcome(tables: dict[str, Any], rng: random.Random) -> tuple[str, str]:
    """Return what came of winding a component of a specification: in a word, and which it was or why not."""
    try:
        page = jl.load(tables).design.page
        kinds = ("inductor", "transformer")
        component = rng.choice([role.name for role in page.roles if role.kind in kinds])
        given = tables | {"wound": {component: {}}}
        found = jl.wind(given, component, count=1)
        wrong = unproven(given, component, found.design(1), found.judgements[0])
    except InputError as error:
        return "refused", str(error)
    except NoResultError as error:
        return "no result", str(error)
    except Exception:
        return "BROKEN", traceback.format_exc()
    if found.judgements[0].startswith("MET"):
        word = "wound"
    elif not jl.check(tables).holds:
        word = "wound, for a converter that does not hold with any"
    else:
        word = "wound, and told that the converter does not hold with it"
    return ("WRONG", f"{component}: {wrong}") if wrong else (word, component)


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
    counts: Counter[str] = Counter()
    for seed in range(first, last):
        start, tables = time.process_time(), wide(seed, ENDS)
        word, why = outcome(tables, random.Random(seed))
        counts[word] += 1
        print(
            f"{seed} {tables['topology']} {time.process_time() - start:.0f} s {word}: {why[-300:]}",
            flush=True,
        )
    print(dict(counts))


if __name__ == "__main__":
    main(*map(int, sys.argv[1:]))
