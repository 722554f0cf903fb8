"""An efficiency map with temperatures, and the simulation of many combinations of parts, in one process and in two.

python benchmarks/efficiency.py
"""

from __future__ import annotations

import os

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import time
import tomllib
from collections.abc import Callable

from jump_lane.design.derive import derive
from jump_lane.spec import parse_spec
from jump_lane.study import efficiency, pick
from jump_lane.study.template import example

POINTS = 25
COMBINATIONS = 2000


def seconds(work: Callable[[], list]) -> tuple[float, int]:
    start = time.perf_counter()
    found = work()
    assert not any(one.failure for one in found)
    return time.perf_counter() - start, len(found)


def main() -> None:
    tables = tomllib.loads(example("buck"))
    design = derive(parse_spec(tables, "buck"))
    list(efficiency.run(efficiency.work(design, "load", 2), 1))
    grid = efficiency.work(design, "map", POINTS)
    one, count = seconds(lambda: list(efficiency.run(grid, 1)))
    two, _ = seconds(lambda: list(efficiency.run(grid, 2)))
    print(
        f"map of {count} points: {one:.1f} s in one process, {two:.1f} s in two (goal 20 s), {one / two:.2f} times"
    )
    start = time.perf_counter()
    work = pick.plan(parse_spec(tables, "buck"), ("S1", "D1", "L"), {"loss": 1.0}, COMBINATIONS)
    done = sorted(pick.run(work, 2), key=lambda c: c.index)
    best = pick.prove(work, pick.ranked(work, done), 5)
    took = time.perf_counter() - start
    print(
        f"{len(done)} combinations of {work.tried}, {len(best)} proven: {took:.1f} s in two processes (goal 30 s)"
    )


if __name__ == "__main__":
    main()
