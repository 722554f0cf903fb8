"""Published schemas and readers agree: what one takes or refuses, the other takes or refuses; patterns and defaults hold."""

import re
import tomllib
import unittest
from copy import deepcopy
from typing import Any

from jsonschema import Draft202012Validator

from jump_lane.circuit.file import parse_circuit
from jump_lane.design.derive import derive
from jump_lane.errors import InputError
from jump_lane.quantities import DIMENSIONS, parse, pattern
from jump_lane.report.models import OUTPUTS
from jump_lane.report.schemas import of_file, of_output
from jump_lane.spec import parse_spec
from jump_lane.spec.keys import keys
from jump_lane.study.template import example
from jump_lane.topologies import NAMES
from tests.common import REFERENCE, buck_tables

MISSING = object()

NEEDING = ("adjust.", "input.filter.", "output.filter.", "bank.", "protection.fuse_currents")
"""Tables in which a key alone does not stand, and a list."""

BROKEN: tuple[tuple[str, Any], ...] = (
    ("topology", "bukc"),
    ("topology", 3),
    ("topology", MISSING),
    ("input", MISSING),
    ("input.voltage", "12 A"),
    ("input.voltage", "twelve"),
    ("input.voltage", True),
    ("input.voltage", {"min": "12 V"}),
    ("input.voltage", {"min": "12 V", "max": "24 V", "usual": "18 V"}),
    ("input.voltage.min", "12 W"),
    ("input.voltages", "12 V"),
    ("input.voltage_ripple", "3 A"),
    ("input.voltage_ripple", -0.1),
    ("input.ac", {"min": "85 V", "max": "265 V"}),
    ("output", MISSING),
    ("output", []),
    ("output.0.voltage", "5 Ohm"),
    ("output.0.voltage_ripple", MISSING),
    ("output.0.voltage_ripple", "20 mA"),
    ("output.0.current", "3 V"),
    ("output.0.current", ["1 A", "2 A"]),
    ("output.0.current", {"min": 1, "max": "x"}),
    ("output.0.load", "inductance"),
    ("output.0.volt", 5),
    ("output.0.voltage_band", "5 V"),
    ("output.0.power", "5 A"),
    ("output.0.resistance", "5 H"),
    ("output.0.leds", {"threshold": "3 V"}),
    ("switching", MISSING),
    ("switching.frequency", MISSING),
    ("switching.frequency", "200 kV"),
    ("switching.frequency", -3.0),
    ("switching.freqency", "200 kHz"),
    ("switching.mode", "continous"),
    ("switching.rectifier", "mosfet"),
    ("switching.current_ripple", "30 V"),
    ("switching.dead_time", "10 nF"),
    ("switching.dead_time", -1e-9),
    ("switching.phases", 99),
    ("switching.phases", "two"),
    ("switching.duty_limit", 1.5),
    ("switching.coupling_ripple", "5 V"),
    ("transformer.turns_ratio", "10 to 3"),
    ("transformer.secondary", "centre tap"),
    ("transformer.primary_turns", 0),
    ("margin.inductance", "20 µH"),
    ("margin.inductance", -0.2),
    ("margin.esr_share", 1.2),
    ("margin.voltages", 0.3),
    ("tolerance.frequency", 2.0),
    ("damping.S1", {"ring": "20 MHz"}),
    ("chosen.Lx", "10 µH"),
    ("parts.Q1", "sample-fet-60v-12m"),
    ("parts.S1", 3),
    ("driver.voltage", "10 A"),
    ("thermal.ambient", "300 K"),
    ("thermal.sink.a", {"resistance": "3 K/W"}),
    ("efficiency.least", 3.0),
    ("catalogue.files", "parts.csv"),
    ("loop", {"crossover": "3 kHz"}),
)


def with_key(path: str, value: Any) -> dict[str, Any]:
    tables = deepcopy(buck_tables())
    at: Any = tables
    *outer, last = path.split(".")
    for part in outer:
        at = at[int(part)] if part.isdecimal() else at.setdefault(part, {})
    if value is MISSING:
        del at[last]
    else:
        at[last] = value
    return tables


class Converter(unittest.TestCase):
    schema = of_file("converter")

    def errors(self, tables: dict[str, Any]) -> list[str]:
        return [e.message for e in Draft202012Validator(self.schema).iter_errors(tables)]

    def test_the_schema_is_one_and_says_what_it_is(self) -> None:
        Draft202012Validator.check_schema(self.schema)
        self.assertEqual(self.schema["$id"], "urn:jump-lane:converter:1")
        self.assertEqual(self.schema["properties"]["topology"]["enum"], list(NAMES))
        self.assertNotIn("null", str(self.schema))

    def test_every_shipped_example_is_valid(self) -> None:
        for name in NAMES:
            self.assertEqual(self.errors(tomllib.loads(example(name))), [], name)

    def test_what_is_broken_is_refused_by_both(self) -> None:
        self.assertGreaterEqual(len(BROKEN), 50)
        self.assertEqual(self.errors(buck_tables()), [])
        for path, value in BROKEN:
            tables = with_key(path, value)
            with self.subTest(path=path, value=value):
                self.assertTrue(self.errors(tables))
                with self.assertRaises(InputError):
                    derive(parse_spec(tables, "test"))

    def test_one_value_stands_for_a_range(self) -> None:
        for path, value in (("input.voltage", "24 V"), ("output.0.current", 3), ("output.0.current", "2A")):
            tables = with_key(path, value)
            self.assertEqual(self.errors(tables), [])
            parse_spec(tables, "test")

    def test_every_default_is_what_its_key_takes(self) -> None:
        for path, key in keys().items():
            default = key.default
            if (
                default is None
                or "DEVICE" in path
                or "NAME" in path
                or path.startswith(("input.ac", "event.", "control.peak", "control.average", *NEEDING))
            ):
                continue
            if key.expected == "a number":
                default = float(default)
            elif key.expected == "true or false":
                default = default == "true"
            tables = with_key(
                path.replace("output.", "output.0."),
                int(default) if key.expected == "a whole number" else default,
            )
            if path.startswith("control.digital"):
                tables["control"]["kind"] = "digital"
            elif path == "control.adaptive":
                tables["control"]["kind"] = "constant-on-time"
            with self.subTest(path):
                self.assertEqual(self.errors(tables), [])
                parse_spec(tables, "test")


class Patterns(unittest.TestCase):
    def test_a_pattern_takes_what_is_read_and_nothing_else(self) -> None:
        texts = ["22u", "22 µH", "4.7 kohm", "30 %", "-5 V", "1e3", "3 mm²", "12 V", "5 m", "40 °C", "1.2 K/W", ".5 A",
                 "5,3 V", "V", "3 volts", "10 nHz", "7 kg", "", "1_000", "2 x", "0x10", "3 A A", "1e V", "85 °F",
                 "24 AWG", "AWG 4/0", "3 AWG mm", "5 mil", "2 kcmil", "1 circular mil", "4 kG", "3 in", "7 dBµV", "8 dBm", "1 eV"]  # fmt: skip
        for dimension in DIMENSIONS:
            for text in texts:
                try:
                    parse(text, dimension)
                    taken = True
                except InputError:
                    taken = False
                with self.subTest(dimension=dimension.name, text=text):
                    self.assertEqual(bool(re.search(pattern(dimension), text)), taken)


class Others(unittest.TestCase):
    def test_circuit_files_of_the_references_are_valid(self) -> None:
        validator = Draft202012Validator(of_file("circuit"))
        count = 0
        for path in REFERENCE.glob("*.toml"):
            tables = tomllib.loads(path.read_text(encoding="utf-8"))
            parse_circuit(tables, path.name)
            self.assertEqual([e.message for e in validator.iter_errors(tables)], [], path.name)
            count += 1
        self.assertGreater(count, 10)

    def test_a_catalogue_is_valid_as_the_reader_has_it(self) -> None:
        validator = Draft202012Validator(of_file("catalogue"))
        part = {"kind": "inductor", "part": "own-1", "value": "33 µH", "resistance": "9 mΩ", "at_hand": 4}
        self.assertEqual([e.message for e in validator.iter_errors({"part": [part]})], [])
        self.assertTrue(list(validator.iter_errors({"part": [part | {"value": "33 µF"}]})))

    def test_every_output_has_a_schema(self) -> None:
        for name in OUTPUTS:
            found = of_output(name)
            Draft202012Validator.check_schema(found)
            self.assertEqual(found["$id"], f"urn:jump-lane:output-{name}:1")
        with self.assertRaisesRegex(InputError, "nearest valid name: check"):
            of_output("chek")
