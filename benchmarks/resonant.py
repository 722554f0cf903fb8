"""Converters controlled by frequency and angles: a regulated corner, a map of the gain, a map over two angles.

Everything is measured in one process on one core, best of several; ratios are to the bare product of two 12 × 12 matrices
by NumPy, so that machines can be compared.
"""

from __future__ import annotations

import time
from collections.abc import Callable

import numpy as np

import jump_lane as jl
from jump_lane.operating.point import solve
from jump_lane.study import angles, gain

REPEATS = 5


def best(work: Callable[[], object], repeats: int = REPEATS) -> float:
    """Return the least time that some work takes [s]."""
    times = []
    for _ in range(repeats):
        start = time.perf_counter()
        work()
        times.append(time.perf_counter() - start)
    return min(times)


def main() -> None:
    """Print what each takes."""
    dock = jl.load(jl.new("half-bridge-llc")).design
    winch = jl.load(jl.new("dual-active-bridge")).design
    matrix = np.eye(12)
    unit = best(lambda: [matrix @ matrix for _ in range(1000)]) / 1000.0
    for i, j in np.ndindex(dock.shape):
        solve(dock, i, j)
    corners = [best(lambda i=i, j=j: solve(dock, i, j)) for i, j in np.ndindex(dock.shape)]  # type: ignore[misc]
    grid = gain.work(dock, 40, 8)
    list(gain.run(gain.work(dock, 3, 2)))
    mapped = best(lambda: list(gain.run(grid)), 2)
    square = angles.work(winch, "phi", "t1", 24)
    list(angles.run(angles.work(winch, "phi", "t1", 8)))
    turned = best(lambda: list(angles.run(square)), 2)
    print(f"bare product of two matrices          {1e6 * unit:8.2f} µs")
    for what, taken in (
        ("regulated corner of an LLC, mean", float(np.mean(corners))),
        ("regulated corner of an LLC, slowest", max(corners)),
        ("state of a gain map (40 × 8)", mapped / grid.count),
        ("state of a map over two angles", turned / square.count),
    ):
        print(f"{what:36s} {1e3 * taken:8.2f} ms   {taken / unit:10.0f} products")
    print(f"{'gain map, 40 × 8, one core':36s} {mapped:8.2f} s")
    print(
        f"{'map over two angles, 60 × 60, by rule':36s} {3600.0 * turned / square.count:7.2f} s on one core"
    )


if __name__ == "__main__":
    main()
