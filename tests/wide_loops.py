"""Loops for specifications at random: designed, and what is claimed of them compared with what a small step of the load shows.

``python -m tests.wide_loops 0 100`` designs those of seeds 0 to 99 and says what came of each.
"""

from __future__ import annotations

import math
import random
import sys
from typing import Any

import numpy as np

import jump_lane as jl
from jump_lane.quantities import FREQUENCY, parse
from tests.wide import Ends, attempted, told, wide

ENDS: Ends = (0.7, 2.6), (0.3, 3.3), (4.5, 5.7)
"""5 V to 400 V, 2 W to 2 kW, 30 kHz to 500 kHz."""

TOPOLOGIES = (
    "buck",
    "boost",
    "buck-boost",
    "flyback",
    "forward",
    "sepic",
    "full-bridge",
    "two-switch-flyback",
)

STEP, BEFORE, LONGEST = 0.03, 20, 3000
"""Part of the full load that is taken off, periods before that, and the longest run [periods]."""

DECAYED, BACK, SURE = 0.3, 0.02, 0.02
"""What may be left of a deviation that dies out, and of its average; how far a multiplier has to be from the circle for a run to
tell."""


def specified(seed: int) -> dict[str, Any]:
    """Return the tables of a converter with a loop."""
    rng = random.Random(seed)
    tables = next(t for k in range(1000) if (t := wide(1000 * seed + k, ENDS))["topology"] in TOPOLOGIES)
    tables["switching"] |= {"mode": "either", "rectifier": rng.choice(("diode", "synchronous"))}
    for output in tables["output"]:
        full = output["current"]["max"]
        output |= {"current": {"min": 0.2 * full, "max": full}, "load": rng.choice(("resistance", "current"))}
    rate = parse(tables["switching"]["frequency"], FREQUENCY)
    tables["control"] = _control(rng, rate, tables)
    return tables


def _control(rng: random.Random, rate: float, tables: dict[str, Any]) -> dict[str, Any]:
    """Return a loop of any kind, as fast as it may be or with a crossover that may be too high."""
    table: dict[str, Any] = {
        "phase_margin": f"{rng.uniform(35, 65):.0f}°",
        "gain_margin": rng.choice((6.0, 8.0)),
    }
    if rng.random() < 0.7:
        table["crossover"] = f"{rate / 10.0 ** rng.uniform(0.9, 2.3)} Hz"
    kind = rng.choice(("voltage", "voltage", "peak-current", "average-current", "digital"))
    full = tables["output"][0]["current"]["max"]
    sense = f"{0.2 / full} Ω"
    if kind == "voltage":
        table["network"] = rng.choice(("integral", "type II", "type III", "type III"))
        if rng.random() < 0.3:
            table["amplifier"] = {"gain": 80, "bandwidth": "5 MHz"}
    elif kind == "digital":
        table["digital"] = {
            "gains": rng.choice(("integral", "proportional-integral")),
            "delay": rng.choice((0, 1)),
        }
    elif kind == "peak-current":
        table["peak"] = {"sense": sense}
    else:
        table |= {"network": "type II", "average": {"sense": sense}}
    return table if kind == "voltage" else table | {"kind": kind}


def outcome(tables: dict[str, Any]) -> tuple[str, str]:
    """Return what came of a loop: in a word, and why."""

    def work() -> tuple[str, str]:
        found = jl.loop(tables)
        wrong = untold(found) or unlike(tables, found)
        if wrong:
            return "WRONG", wrong
        return ("held" if found.view().data["holds"] else "told", found.found.hinder)

    return attempted(work)


def untold(found: Any) -> str:
    """Return what is not met at nominal input and full load though nothing is said to stand against it."""
    asked, data = found.found.design.spec.control, found.view().data
    broken = [v["what"] for v in data["verdicts"] if not v["holds"] and not v["advice"]]
    if broken:
        return f"{broken[0]}: not met, and nothing is said that mends it"
    nominal = _nominal(found)
    if any(v["what"].startswith("crossover") and not v["holds"] for v in data["verdicts"]):
        return ""
    if found.found.hinder or asked.crossover is None or nominal["crossover"] is None:
        return ""
    off = nominal["crossover"] / asked.crossover - 1.0
    return "" if abs(off) < 0.05 else f"crossover off by {100 * off:.3g} %, and nothing is said against it"


def _nominal(found: Any) -> dict[str, Any]:
    design = found.found.design.at()
    at = design.inputs[0], design.loads[0]
    corners: list[dict[str, Any]] = found.view().data["corners"]
    return min(corners, key=lambda c: abs(c["V_in"] - at[0]) / at[0] + abs(c["I_o"] - at[1]) / at[1])


def unlike(tables: dict[str, Any], found: Any) -> str:
    """Return how a small step of the load differs from what the multipliers say of deviations."""
    nominal = _nominal(found)
    if nominal["reason"] is not None:
        return ""
    largest = max(abs(complex(*m)) for m in nominal["multipliers"])
    if abs(largest - 1.0) < SURE:
        return ""
    periods = (
        LONGEST
        if largest > 1.0
        else min(LONGEST, BEFORE + 200 + math.ceil(math.log(1e-3) / math.log(largest)))
    )
    full, period = nominal["I_o"], 1.0 / nominal["frequency"]
    step = {"at": f"{BEFORE * period} s", "load": f"{full * (1.0 - STEP)} A"}
    run = jl.transient(
        tables | {"event": [step]}, end=periods * period, input_voltage=nominal["V_in"], load=full
    ).journey
    mean = run.passage.strip.mean[:, 0]
    begun = int(len(mean) * BEFORE / periods) + 1
    tenth = max(len(mean) // 10, 3)
    early, late = np.ptp(mean[begun : begun + 3 * tenth]), np.ptp(mean[-tenth:])
    back = abs(mean[-1] / mean[begun - 1] - 1.0) < BACK
    dies = back and late <= DECAYED * early + 1e-7 * abs(mean[-1])
    if dies == (largest < 1.0):
        return ""
    return f"largest multiplier {largest:.4f}, but {early:.3g} V become {late:.3g} V in {periods} periods"


def named(seed: int) -> str:
    """Return topology and kind of loop of a seed."""
    tables = specified(seed)
    return f"{tables['topology']} {tables['control'].get('kind', tables['control'].get('network'))}"


def main(first: int, last: int) -> None:
    """Say what came of the specifications of some seeds."""
    told(first, last, lambda seed: outcome(specified(seed)), named)


if __name__ == "__main__":
    main(*map(int, sys.argv[1:]))
