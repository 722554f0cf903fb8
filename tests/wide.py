"""Specifications at random over all that a converter may be: 1 V to 1 kV, 0.1 W to 50 kW, 20 kHz to 2 MHz.

``python -m tests.wide 0 100`` derives and checks those of seeds 0 to 99, ``4`` behind it sizes every fourth one too, and says
what came of each.  An example is scaled, so that its lossy parts stay in proportion, and made another specification then.
"""

from __future__ import annotations

import math
import random
import sys
import time
import tomllib
import traceback
from collections import Counter
from collections.abc import Callable
from typing import Any

from jump_lane.design.derive import Design, derive
from jump_lane.errors import InputError, NoResultError
from jump_lane.quantities import CURRENT, VOLTAGE, parse
from jump_lane.sizing.solve import size
from jump_lane.spec import parse_spec
from jump_lane.study.check import check
from jump_lane.study.scale import Factors, scaled
from jump_lane.study.template import example
from jump_lane.topologies import NAMES, page

APART = (
    "title",
    "chosen",
    "wound",
    "control",
    "controller",
    "driver",
    "efficiency",
    "event",
    "thermal",
    "damping",
)
"""Tables of an example that are not of its power stage."""

LEAST, MOST = 0.99, 1.001
"""What a sized value makes of its limit."""

NARROW = {"buck": 0.9, "interleaved-buck": 0.9, "tapped-buck": 0.35}
"""Topologies that only step down: the largest output over the least input."""

WIDE = {"boost": 1.08, "interleaved-boost": 1.08, "quadratic-boost": 1.3}
"""Those that only step up: the least output over the largest input."""


Ends = tuple[tuple[float, float], tuple[float, float], tuple[float, float]]

ANYWHERE: Ends = (0.4, 2.9), (-1.0, 4.7), (4.3, 6.3)
"""Decades of the largest voltage, of the power, of the frequency."""


def wide(seed: int, ends: Ends = ANYWHERE) -> dict[str, Any]:
    """Return the tables of a specification."""
    rng = random.Random(seed)
    name = rng.choice(NAMES)
    tables = _scaled(tomllib.loads(example(name)), rng, ends)
    for change in (_input, _switching, _output, _secondary, _parts):
        change(tables, rng)
    return tables


def _scaled(tables: dict[str, Any], rng: random.Random, ends: Ends) -> dict[str, Any]:
    """Return an example at another voltage, power and frequency, without its component values."""
    found = derive(parse_spec(tables, "example"))
    power = found.sheet["P_o"].worst
    voltage, watts, rate = (10.0 ** rng.uniform(*decades) for decades in ends)
    most = max(found.inputs[0], *(abs(output.voltage or 0.0) for output in found.spec.output))
    factors = Factors(voltage / most, watts / abs(power), rate / found.spec.switching.frequency)
    out = scaled(tables, found, factors)
    return {key: value for key, value in out.items() if key not in APART}


def _input(tables: dict[str, Any], rng: random.Random) -> None:
    ends = tables["input"]["voltage"]
    low = parse(ends["min"], VOLTAGE) * rng.uniform(0.85, 1.0)
    given = low if rng.random() < 0.2 else {"min": low, "max": low * rng.uniform(1.05, 1.8)}
    if "tank" not in tables or rng.random() < 0.3:
        tables["input"]["voltage"] = given


def _output(tables: dict[str, Any], rng: random.Random) -> None:
    """Make the outputs others; one that a topology does not reach is brought to where it does."""
    name, ends = tables["topology"], tables["input"]["voltage"]
    low, high = (ends, ends) if isinstance(ends, float) else (_volts(ends["min"]), _volts(ends["max"]))
    for output in tables["output"]:
        voltage = _volts(output["voltage"]) * rng.uniform(0.7, 1.4)
        voltage = min(voltage, NARROW.get(name, math.inf) * low)
        output["voltage"] = max(voltage, WIDE.get(name, -math.inf) * high)
        full = parse(output["current"]["max"], CURRENT)
        idles = rng.random() < 0.1 and tables["switching"].get("rectifier") == "synchronous"
        least = 0.0 if idles else full * 10.0 ** rng.uniform(-2.0, -0.1)
        if "-" not in str(output["current"]["min"]):
            output["current"] = {"min": least, "max": full}
        output["load"] = rng.choice(("resistance", "resistance", "current", "power"))
        output["voltage_ripple"] = f"{10.0 ** rng.uniform(-1.0, 0.3)} %"


def _volts(text: Any) -> float:
    return text if isinstance(text, float) else parse(text, VOLTAGE)


def _switching(tables: dict[str, Any], rng: random.Random) -> None:
    table = tables["switching"]
    if "current_ripple" in table:
        table["current_ripple"] = f"{rng.uniform(10, 90)} %"
        table["mode"] = rng.choice(("continuous", "either", "either", "boundary", "discontinuous"))
    if "rectifier" in table and table.get("mode") != "discontinuous":
        table["rectifier"] = rng.choice(("diode", "synchronous"))
    if "phases" in table:
        table["phases"] = rng.randint(2, 6)


def _secondary(tables: dict[str, Any], rng: random.Random) -> None:
    found = page(tables["topology"])
    if found.secondaries:
        tables["transformer"]["secondary"] = rng.choice(found.secondaries)
    if "transformer" in tables and rng.random() < 0.5:
        tables["transformer"].pop("primary_turns", None)


def _parts(tables: dict[str, Any], rng: random.Random) -> None:
    """Leave parts ideal, or some of their figures."""
    share = rng.choice((0.0, 0.3, 1.0))
    for part in tables["parts"].values():
        for key in [k for k in part if rng.random() < share]:
            del part[key]
    tables["parts"] = {name: part for name, part in tables["parts"].items() if part}


def attempted(work: Callable[[], tuple[str, str]]) -> tuple[str, str]:
    """Return what came of some work, in a word and why: also where it is refused, has no result, or ends in a traceback."""
    try:
        return work()
    except InputError as error:
        return "refused", str(error)
    except NoResultError as error:
        return "no result", str(error)
    except Exception:
        return "BROKEN", traceback.format_exc()


def told(
    first: int,
    last: int,
    work: Callable[[int], tuple[str, str]],
    names: Callable[[int], str],
    quiet: str = "",
) -> None:
    """Say what came of some seeds, one by one and counted; of those with the word ``quiet`` only what took long."""
    counts: Counter[str] = Counter()
    for seed in range(first, last):
        start = time.process_time()
        word, why = work(seed)
        taken = time.process_time() - start
        counts[word] += 1
        if word != quiet or taken > 5.0:
            print(f"{seed} {names(seed)} {taken:.1f} s {word}: {why[-400:]}", flush=True)
    print(dict(counts))


def outcome(seed: int, sizes: bool) -> tuple[str, str]:
    """Return what came of a specification: in a word, and why."""

    def work() -> tuple[str, str]:
        found = derive(parse_spec(wide(seed), f"seed {seed}"))
        wrong = unjudged(found)
        wrong += unsized(found) if sizes else []
        return ("WRONG", "; ".join(wrong)) if wrong else ("judged", "")

    return attempted(work)


def unjudged(found: Design) -> list[str]:
    """Return the corners of a design that are neither judged nor refused with a reason."""
    out = []
    for corner in check(found).corners:
        values = [f.simulated for f in corner.findings]
        if not corner.failure and not (values and all(map(math.isfinite, values))):
            out.append(f"corner {corner.index}: {values}")
    return out


def unsized(found: Design) -> list[str]:
    """Return the limits that sized values break, or keep with room; whole turns may leave some."""
    sizing, turns = size(found.spec), found.spec.transformer.primary_turns
    return [
        f"{symbol}: {reading.ratio:.4f} of {reading.limit.symbol}"
        for symbol, reading in sizing.deciding.items()
        if reading not in sizing.unkept
        and not (turns and symbol == "n")
        and not LEAST <= reading.ratio <= MOST
    ]


def main(first: int, last: int, every: int = 0) -> None:
    """Say what came of the specifications of some seeds; every so many is sized too."""
    told(
        first,
        last,
        lambda seed: outcome(seed, bool(every) and seed % every == 0),
        lambda seed: wide(seed)["topology"],
        quiet="judged",
    )


if __name__ == "__main__":
    main(*map(int, sys.argv[1:]))
