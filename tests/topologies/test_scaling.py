"""Laws of similarity that every derivation has to obey, whatever its topology.

A converter whose currents are all k times as large at the same voltages has 1/k of every resistance and inductance and
k times every capacitance.  One whose voltages are all k times as large at the same currents has k times every resistance
and inductance.  One that runs k times as fast has 1/k of every inductance, capacitance and time.  What is a ratio stays
as it is.  A formula with a forgotten factor, or a constant with a hidden unit, breaks one of the three.
"""

import tomllib
import unittest
from collections.abc import Iterator
from copy import deepcopy
from typing import Any

import numpy as np

from jump_lane.design.derive import Design, derive
from jump_lane.errors import InputError
from jump_lane.quantities import parse
from jump_lane.spec import parse_spec
from jump_lane.study.template import example
from jump_lane.topologies import NAMES, page

FACTOR = 1.7

POWERS = {
    "current": {"A": 1, "F": 1, "C": 1, "Ω": -1, "H": -1, "S": 1, "W": 1, "J": 1, "A/s": 1},
    "voltage": {"V": 1, "F": -1, "Ω": 1, "H": 1, "S": -1, "W": 1, "J": 1, "V*s": 1},
    "speed": {"s": -1, "Hz": 1, "F": -1, "H": -1, "C": -1, "J": -1, "V*s": -1, "A/s": 1},
}
"""How quantities of each unit follow when currents, voltages or the frequency are scaled."""

KEYS = {
    "resistance": "Ω",
    "primary_resistance": "Ω",
    "secondary_resistance": "Ω",
    "forward_voltage": "V",
    "body_voltage": "V",
    "on_voltage": "V",
    "body_resistance": "Ω",
    "leakage": "H",
    "output_capacitance": "F",
}
"""Units of what parts are described by."""


def plain(name: str, secondary: str | None) -> dict[str, Any]:
    """A topology's example as numbers, without what does not scale with it."""
    tables = tomllib.loads(example(name))
    for table in ("damping", "thermal", "driver", "controller", "efficiency", "chosen", "margin"):
        tables.pop(table, None)
    tables["input"] = {"voltage": {k: number(v) for k, v in voltages(tables).items()}}
    for output in tables["output"]:
        output["voltage_ripple"] = "1 %"
        for key in ("voltage", "current", "leds"):
            output.update(numbers(key, output.pop(key)) if key in output else {})
    tables["switching"]["frequency"] = number(tables["switching"]["frequency"])
    if "frequency_limits" in tables["switching"]:
        limits = tables["switching"]["frequency_limits"]
        tables["switching"]["frequency_limits"] = {k: number(v) for k, v in limits.items()}
    tables["switching"].pop("dead_time", None)
    tables["switching"]["current_ripple"] = "30 %"
    tables["switching"]["rectifier"] = "diode"
    for role in page(name).roles if page(name).bodies else ():
        if role.kind == "switch":
            tables.setdefault("parts", {}).setdefault(role.name, {})["body_voltage"] = 0.9
    parts = tables.get("parts", {}).items()
    tables["parts"] = {
        n: {k: number(v) for k, v in data.items() if k in KEYS} for n, data in parts if isinstance(data, dict)
    }
    if secondary:
        tables["transformer"] |= {"secondary": secondary, "magnetising_ripple": "1 %"}
        tables["switching"] |= {"duty_limit": 0.38}
    return tables


def voltages(tables: dict[str, Any]) -> dict[str, Any]:
    given = tables["input"].get("voltage", {"min": 300, "max": 370})
    return given if isinstance(given, dict) else {"min": given, "max": given}


def number(text: Any) -> float:
    """What is written, in SI units, whichever unit it has."""
    if not isinstance(text, str):
        return float(text)
    from jump_lane.quantities import DIMENSIONS

    for dimension in DIMENSIONS:
        try:
            return parse(text, dimension)
        except InputError:
            continue
    raise AssertionError(text)


def numbers(key: str, value: Any) -> dict[str, Any]:
    if key == "leds":
        return {"voltage": 36.0}
    return {key: {k: number(v) for k, v in value.items()} if isinstance(value, dict) else number(value)}


def scaled(tables: dict[str, Any], law: str, factor: float) -> dict[str, Any]:
    """The same converter with currents, voltages or its frequency scaled."""
    out, powers = deepcopy(tables), POWERS[law]

    def times(value: Any, unit: str) -> Any:
        if isinstance(value, dict):
            return {k: times(v, unit) for k, v in value.items()}
        return value * factor ** powers.get(unit, 0)

    out["input"]["voltage"] = times(out["input"]["voltage"], "V")
    for output in out["output"]:
        output["voltage"] = times(output["voltage"], "V")
        output["current"] = times(output["current"], "A")
    for key in {"frequency", "frequency_limits"} & set(out["switching"]):
        out["switching"][key] = times(out["switching"][key], "Hz")
    for data in out.get("parts", {}).values():
        data.update({k: times(v, KEYS[k]) for k, v in data.items() if k in KEYS})
    return out


def cases() -> Iterator[tuple[str, str | None]]:
    for name in NAMES:
        for secondary in page(name).secondaries or (None,):
            yield name, secondary


class Similarity(unittest.TestCase):
    def assert_follows(self, law: str) -> None:
        for name, secondary in cases():
            tables = plain(name, secondary)
            with self.subTest(topology=name, secondary=secondary):
                before = self.derived(tables)
                after = self.derived(scaled(tables, law, FACTOR))
                for value in before.sheet:
                    expected = value.values * FACTOR ** POWERS[law].get(value.unit, 0)
                    found = after.sheet[value.symbol].values
                    known = np.isfinite(expected)
                    self.assertTrue((known == np.isfinite(found)).all(), value.symbol)
                    size = np.max(np.abs(expected), where=known, initial=1e-12)
                    apart = np.where(known, found, 0.0) - np.where(known, expected, 0.0)
                    off = np.abs(apart).max()
                    self.assertLess(off / size, 1e-6, value.symbol)

    def derived(self, tables: dict[str, Any]) -> Design:
        if tables.get("transformer", {}).get("secondary") in ("half-wave", "current-doubler"):
            for output in tables["output"]:
                output["current"] = {"min": 0.8 * output["current"]["max"], "max": output["current"]["max"]}
        return derive(parse_spec(tables, "test"))

    def test_currents(self) -> None:
        self.assert_follows("current")

    def test_voltages(self) -> None:
        self.assert_follows("voltage")

    def test_frequency(self) -> None:
        self.assert_follows("speed")

    def test_modes_are_the_same(self) -> None:
        """Which conduction mode a corner has depends on ratios alone."""
        for name, secondary in cases():
            tables = plain(name, secondary)
            before = self.derived(tables)
            with self.subTest(topology=name, secondary=secondary):
                for law in POWERS:
                    after = self.derived(scaled(tables, law, FACTOR))
                    self.assertTrue((before.sheet.modes == after.sheet.modes).all())
