"""20,000 periods of a buck under a type III loop: engine time, and its ratio to the bare loop of matrix products.

python benchmarks/transient.py
"""

from __future__ import annotations

import statistics
import time

import numpy as np
from numba import njit

from jump_lane.circuit.circuit import Circuit
from jump_lane.circuit.elements import Capacitor, Diode, Inductor, Resistor, Switch, VoltageSource
from jump_lane.circuit.gates import on
from jump_lane.circuit.law import Law
from jump_lane.control.network import operational, times
from jump_lane.switching.engine import Engine
from jump_lane.switching.journey import FOLLOW
from jump_lane.switching.propagators import OPTIONS, propagate

PERIODS, ROUNDS = 20_000, 15

NETWORK = {
    "V_ref": 1.2, "R_1": 12e3, "R_b": 2490.0, "R_2": 4300.0, "C_1": 15e-9, "C_2": 270e-12, "R_3": 620.0, "C_3": 2.7e-9,
    "A_0": np.inf, "f_u": np.inf,
}  # fmt: skip

START = {"L": 6.0, "C": 10.7, "v_1": 1.2, "v_2": 1.2, "v_3": 0.6}
"""A state without zeros, as on the way."""


def products(phi, z, fresh, count):
    """Do nothing but carry the state through so many steps, each a product of a propagator and what the one before led to."""
    for k in range(count):
        propagate(phi, 0, k % 30, z, fresh)
        for i in range(z.shape[0]):
            z[i] = fresh[i]


bare = njit(**{**OPTIONS, "cache": False})(products)
"""Compiled anew each time: what is kept knows this file alone, and not the product that is compiled into it."""


def circuit() -> Circuit:
    elements = (
        VoltageSource("source", "in", "gnd", 24.0),
        Switch("S1", "in", "sw", 25e-3),
        Diode("D1", "gnd", "sw", 0.42, 15e-3),
        Inductor("L", "sw", "out", 15e-6, 20e-3),
        Capacitor("C", "out", "gnd", 90e-6, 4e-3),
        Resistor("load", "out", "gnd", 1.8),
    )
    dynamics = operational(NETWORK, "@out")
    law = Law(dynamics.rates, level=times(dynamics.command, 1.0 / 1.6), held={"V_ref": 1.2})
    return Circuit(elements, 4e-6, lambda d: {"S1": on(0.0, d)}, 0.3, law=law)


def seconds(watched: dict[str, dict[str, float]]) -> tuple[float, int, Engine]:
    engine = Engine(circuit(), watched=watched)
    edges = engine.schedule(0.3)
    mark = engine.mark(engine.start({}), 0, edges)
    mark.place[FOLLOW] = bool(watched)
    engine.follow(mark, edges, engine.courses(10))
    before, courses = engine.statistics.products, engine.courses(PERIODS)
    start = time.perf_counter()
    engine.follow(mark, edges, courses)
    return time.perf_counter() - start, engine.statistics.products - before, engine


def main() -> None:
    two = {"output": {"@out": 1.0}, "L": {"L.i": 1.0}}
    rounds = []
    for _ in range(ROUNDS):
        plain, count, engine = seconds({})
        followed, _, _ = seconds(two)
        z, fresh = engine.start(START), np.empty(engine.nz)
        bare(engine.tables.phi, z.copy(), fresh, 10)
        start = time.perf_counter()
        bare(engine.tables.phi, z, fresh, count)
        rounds.append((plain, followed, time.perf_counter() - start, count))
    plain, followed, alone = (statistics.median(r[k] for r in rounds) for k in range(3))
    ratio, ratio_followed = (statistics.median(r[k] / r[2] for r in rounds) for k in range(2))
    print(f"{PERIODS} periods: {plain:.2f} s, with the envelope of two signals {followed:.2f} s (goal 1 s)")
    print(
        f"{rounds[0][3]} products alone: {alone:.3f} s; ratio {ratio:.1f}, with the envelope {ratio_followed:.1f} (goal 4)"
    )


if __name__ == "__main__":
    main()
