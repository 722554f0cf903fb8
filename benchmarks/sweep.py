"""Regulated steady states of a SEPIC over input voltage and load, in one process and in two.

python benchmarks/sweep.py
"""

from __future__ import annotations

import statistics
import time
import tomllib

from jump_lane.design.derive import derive
from jump_lane.spec import parse_spec
from jump_lane.study.axes import read_axis
from jump_lane.study.sweep import Sweep, columns, run
from jump_lane.study.template import example

ROUNDS = 3


def seconds(work: Sweep, processes: int) -> float:
    start = time.perf_counter()
    rows = list(run(work, processes))
    assert len(rows) == work.count
    assert not any(row.failure for row in rows)
    return time.perf_counter() - start


def main() -> None:
    tables = tomllib.loads(example("sepic"))
    design = derive(parse_spec(tables, "sepic"))
    axes = tuple(read_axis(a, design) for a in ("input.voltage=9V..18V/40", "output.current=0.05A..1A/25log"))
    work = Sweep(design, axes, columns(design, []), None, tables)
    list(run(Sweep(design, axes[:1], columns(design, []), None, tables)))
    rounds = [(seconds(work, 1), seconds(work, 2)) for _ in range(ROUNDS)]
    one, two = (statistics.median(r[k] for r in rounds) for k in (0, 1))
    ratio = statistics.median(a / b for a, b in rounds)
    print(
        f"{work.count} regulated steady states: {one:.2f} s in one process, {two:.2f} s in two (goal 2 s in one), "
        f"{ratio:.2f} times faster (goal 1.7)"
    )


if __name__ == "__main__":
    main()
