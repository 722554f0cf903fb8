"""Engine time side by side in one process: steady state against settling, stepping against bare products.

    python benchmarks/steady_state.py

needs the package with its test extra.  Times are medians; ratios are taken within one round.
"""

from __future__ import annotations

import statistics
import time
from pathlib import Path
from types import SimpleNamespace

import numpy as np

from jump_lane.circuit.circuit import Circuit
from jump_lane.circuit.file import load
from jump_lane.switching.clock import LEVELS
from jump_lane.switching.engine import Engine
from jump_lane.switching.propagators import compiled, propagate
from jump_lane.switching.steady import steady_state
from settling_baseline import Buck, ClampedFlyback, Resonant, settle

CASES = Path(__file__).parent.parent / "tests" / "reference"
ROUNDS = 5


def element(circuit: Circuit, name: str):
    return next(e for e in circuit.elements if e.name == name)


def switch_data(circuit: Circuit, switch: str, diode: str) -> dict[str, float]:
    s, d = element(circuit, switch), element(circuit, diode)
    return {"r_on": s.r_on, "v_f": d.v_f, "r_d": d.r_d}


def buck(circuit: Circuit) -> Buck:
    duty = circuit.pattern(0.0)["S1"][0][1].fraction
    values = {
        "v_in": element(circuit, "Vin").voltage,
        "l": element(circuit, "L1").inductance,
        "c": element(circuit, "C1").capacitance,
        "r": element(circuit, "Rload").resistance,
    }
    return Buck(
        SimpleNamespace(period=circuit.period, duty=duty, **values, **switch_data(circuit, "S1", "D1"))
    )


def flyback(circuit: Circuit) -> ClampedFlyback:
    turns = [w.turns for w in element(circuit, "T1").windings]
    values = {
        "v_in": element(circuit, "Vin").voltage,
        "duty": circuit.pattern(0.0)["S1"][0][1].fraction,
        "a": turns[1] / turns[0],
        "l_leak": element(circuit, "Llk").inductance,
        "r_leak": element(circuit, "RLlk").resistance,
        "l_m": element(circuit, "Lm").inductance,
        "c_c": element(circuit, "Ccl").capacitance,
        "r_c": element(circuit, "Rcl").resistance,
        "v_fc": element(circuit, "Dc").v_f,
        "r_dc": element(circuit, "Dc").r_d,
        "c": element(circuit, "C1").capacitance,
        "esr": element(circuit, "RC1").resistance,
        "r": element(circuit, "Rload").resistance,
    }
    return ClampedFlyback(
        SimpleNamespace(period=circuit.period, **values, **switch_data(circuit, "S1", "D1"))
    )


def resonant(circuit: Circuit) -> Resonant:
    turns = [w.turns for w in element(circuit, "T1").windings]
    values = {
        "v_in": element(circuit, "Vin").voltage,
        "dead": circuit.pattern(0.0)["S1"][0][0].fraction,
        "a": turns[1] / turns[0],
        "l_r": element(circuit, "Lr").inductance,
        "r_r": element(circuit, "RLr").resistance,
        "c_r": element(circuit, "Cr").capacitance,
        "l_m": element(circuit, "Lm").inductance,
        "v_fb": element(circuit, "DB1").v_f,
        "r_b": element(circuit, "DB1").r_d,
        "c": element(circuit, "C1").capacitance,
        "esr": element(circuit, "RC1").resistance,
        "r": element(circuit, "Rload").resistance,
    }
    return Resonant(SimpleNamespace(period=circuit.period, **values, **switch_data(circuit, "S1", "D1")))


@compiled
def bare(phi, chosen, z, periods):
    """The same number of matrix-vector products with nothing else."""
    fresh = np.empty(z.shape[0])
    for _ in range(periods):
        for k in range(chosen.shape[0]):
            propagate(phi, chosen[k, 0], chosen[k, 1], z, fresh)
            for i in range(z.shape[0]):
                z[i] = fresh[i]


def seconds(work, repeat: int = 1) -> float:
    start = time.perf_counter()
    for _ in range(repeat):
        work()
    return (time.perf_counter() - start) / repeat


def compare_steady_state(name: str, make, goal: float) -> None:
    circuit = load(CASES / f"{name}.toml").circuit
    baseline = make(circuit)
    found = steady_state(circuit)
    end, periods = settle(baseline)
    error = abs(found.states["C1"] - end[-1]) / abs(end[-1])
    rounds = [
        (seconds(lambda: settle(baseline)), seconds(lambda: steady_state(circuit), 20)) for _ in range(ROUNDS)
    ]
    ratio = statistics.median(a / b for a, b in rounds)
    slow, fast = (statistics.median(r[k] for r in rounds) for k in (0, 1))
    print(
        f"{name:12s} settling {slow:6.2f} s ({periods} periods)   here {1e3 * fast:6.2f} ms   "
        f"{ratio:6.0f} times faster (goal {goal:g})   outputs differ by {error:.0e}"
    )


def compare_stepping(name: str, periods: int = 3000) -> None:
    engine = Engine(load(CASES / f"{name}.toml").circuit)
    ends, combo = engine.settle(engine.start({}), 0, 0.0, 300)
    before = engine.statistics.products
    engine.settle(ends[-1], combo, 0.0, periods)
    products = round((engine.statistics.products - before) / periods)
    chosen = np.random.default_rng(0).integers(0, (engine.known, LEVELS), (products, 2))
    phi, z = engine.tables.phi, np.zeros(engine.nz)
    bare(phi, chosen, z, 1)
    rounds = [
        (
            seconds(lambda: engine.settle(ends[-1], combo, 0.0, periods)),
            seconds(lambda: bare(phi, chosen, z, periods)),
        )
        for _ in range(ROUNDS)
    ]
    ratio = statistics.median(a / b for a, b in rounds)
    stepping, products_only = (1e6 * statistics.median(r[k] for r in rounds) / periods for k in (0, 1))
    print(
        f"{name:18s} {products:4d} products a period: stepping {stepping:6.2f} µs, products alone "
        f"{products_only:6.2f} µs, ratio {ratio:.2f} (goal 3)"
    )


def main() -> None:
    print("periodic steady state from a parsed circuit, against LSODA with hand-written modes")
    compare_steady_state("buck_dcm", buck, 700)
    compare_steady_state("flyback_rcd", flyback, 1000)
    compare_steady_state("llc_below", resonant, 400)
    print("\nplain stepping, against a bare loop of the same matrix-vector products")
    for name in ("buck_ccm", "buck_dcm", "flyback_rcd", "full_bridge_hard", "llc_below"):
        compare_stepping(name)


if __name__ == "__main__":
    main()
