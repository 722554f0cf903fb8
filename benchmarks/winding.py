"""The search for a winding: combinations in a second, and the time of one over that of a design computed alone, layer by layer.

python benchmarks/winding.py
"""

from __future__ import annotations

import statistics
import time
import tomllib

import jump_lane as jl
from jump_lane.magnetics.asked import asked_of
from jump_lane.magnetics.proof import prove
from jump_lane.magnetics.search import Search
from jump_lane.study.template import example

ROUNDS, ALONE = 3, 20


def measured(topology: str, component: str) -> None:
    tables = tomllib.loads(example(topology))
    tables.pop("wound", None)
    asked = asked_of(jl.load(tables).design, component)
    searches, alone, looked = [], [], 0
    for _ in range(ROUNDS):
        search = Search(asked, {"loss": 1.0, "volume": 1.0})
        start = time.perf_counter()
        found = search.run()
        searches.append(time.perf_counter() - start)
        looked = search.tally.looked
        start = time.perf_counter()
        for candidate in found[:ALONE]:
            prove(asked, candidate.wound, exact=False)
        alone.append((time.perf_counter() - start) / min(ALONE, len(found)))
    took, one = statistics.median(searches), statistics.median(alone)
    words = f"{topology} {component}, {len(asked.coil.windings)} windings"
    print(
        f"{words:40} {looked:>12,} combinations in {took:6.2f} s: {1e5 * took / looked:7.4f} s for 100,000, ",
        end="",
    )
    print(f"one is 1/{one * looked / took:,.0f} of a design computed alone ({1e3 * one:.1f} ms)")


if __name__ == "__main__":
    for name, part in (
        ("buck", "L"),
        ("flyback", "T"),
        ("half-bridge-llc", "T"),
        ("multi-output-flyback", "T"),
    ):
        measured(name, part)
