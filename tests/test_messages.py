"""A wrong converter file gets one sentence that a person can act on, whichever key is wrong."""

import re
import unittest
from collections.abc import Iterator
from copy import deepcopy
from typing import Any

from jump_lane.design.derive import derive
from jump_lane.errors import InputError
from jump_lane.spec import parse_spec, schema
from jump_lane.study.template import fill
from jump_lane.topologies import page
from tests.common import buck_tables

UNITS = {
    "voltage": "12 A",
    "current": "3 V",
    "frequency": "4 s",
    "resistance": "5 V",
    "time": "6 Hz",
}
"""For each quantity a value in another unit."""

TABLES: dict[str, dict[str, Any]] = {
    "input.ac": {"min": "85 V", "max": "265 V", "frequency": "50 Hz"},
    "damping.D1": {"ring": "20 MHz", "added": "1 nF", "ring_added": "10 MHz"},
    "thermal.sink.rail": {"resistance": "3 K/W", "parts": ["S1"]},
}
"""What stands in tables that may be left out, such that they are valid."""


def put(tables: dict[str, Any], key: str, value: Any) -> dict[str, Any]:
    """The tables with one dotted key set; ``output`` means the first output."""
    out: Any = deepcopy(tables)
    *path, last = key.split(".")
    at = out
    for part in path:
        if part == "output":
            at = at["output"][0]
            continue
        if part == "event":
            at["event"] = [{"at": "1 ms"}]
            at = at["event"][0]
            continue
        if not isinstance(at.get(part), dict):
            at[part] = {}
        at = at[part]
    at[last] = value
    return out


def said(tables: dict[str, Any]) -> str:
    """The message that deriving a file ends with."""
    try:
        derive(parse_spec(tables, "rail.toml"))
    except InputError as error:
        return str(error)
    return ""


def tables_of(node: dict[str, Any], whole: dict[str, Any], path: str) -> Iterator[tuple[str, dict[str, Any]]]:
    """Every table of the schema with its dotted name and its keys."""
    for key, inner in node.get("properties", {}).items():
        for choice in (inner, *inner.get("anyOf", []), *inner.get("allOf", [])):
            reference = choice.get("$ref") or choice.get("items", {}).get("$ref", "")
            found = whole["$defs"].get(reference.rsplit("/", 1)[-1], {})
            if found.get("properties"):
                name = f"{path}{key}"
                yield name, found
                yield from tables_of(found, whole, f"{name}.")


class MistypedKeys(unittest.TestCase):
    def test_every_key_of_every_table_is_named_where_a_letter_is_missing(self) -> None:
        tried = 0
        for name, table in tables_of(schema(), schema(), ""):
            if name.split(".")[-1] in ("voltage", "current") and "min" in table["properties"]:
                continue  # a range has keys of three letters
            for key in (k for k in table["properties"] if len(k) > 4):
                wrong = key[:2] + key[3:]
                tables = put(buck_tables(), f"{name}.{wrong}", 1)
                if name in TABLES:
                    tables = put(buck_tables(), name, TABLES[name] | {wrong: 1})
                message = said(tables)
                tried += 1
                with self.subTest(table=name, key=key):
                    self.assertIn(wrong, message)
                    self.assertRegex(message, rf"(nearest valid name: |valid names: .*){key}")
        self.assertGreater(tried, 40)

    def test_tables_themselves(self) -> None:
        for name in (n for n in schema()["properties"] if len(n) > 5):
            wrong = name[:-2] + name[-1]
            message = said(put(buck_tables(), wrong, {}))
            with self.subTest(name):
                self.assertIn(f"{wrong}: unknown key; nearest valid name: {name}", message)

    def test_components_and_parts(self) -> None:
        for key, nearest in (
            ("chosen.LL", "L"),
            ("chosen.C_out", "C_o"),
            ("parts.S11.resistance", "S1"),
            ("parts.S1.resistence", "resistance"),
            ("parts.D1.forward_volt", "forward_voltage"),
        ):
            with self.subTest(key):
                self.assertRegex(said(put(buck_tables(), key, "1 m")), rf"nearest valid name: {nearest}$")

    def test_a_topology(self) -> None:
        self.assertIn("nearest valid name: boost", said(put(buck_tables(), "topology", "bost")))


class WrongValues(unittest.TestCase):
    def refused(self, key: str, value: Any, message: str) -> None:
        with self.subTest(key=key, value=value):
            self.assertRegex(said(put(buck_tables(), key, value)), message)

    def test_another_unit_is_named_with_what_was_expected(self) -> None:
        for key, quantity in (
            ("input.voltage.min", "voltage"),
            ("input.voltage.max", "voltage"),
            ("output.voltage", "voltage"),
            ("output.current.max", "current"),
            ("switching.frequency", "frequency"),
            ("switching.dead_time", "time"),
            ("output.voltage_ripple", "voltage"),
            ("switching.current_ripple", "current"),
        ):
            wrong = UNITS[quantity]
            self.refused(key, wrong, rf"{re.escape(key.split('.')[-1])}.*{wrong} where an? {quantity}")

    def test_what_is_no_number(self) -> None:
        for key in ("switching.frequency", "output.voltage", "input.voltage.min"):
            for text in ("fast", "", "1,5 k", "12 V 3", "nan", "inf"):
                self.refused(key, text, key.split(".")[-1])

    def test_what_cannot_be_negative(self) -> None:
        for key in ("switching.frequency", "output.current.max", "switching.dead_time", "margin.inductance"):
            self.refused(key, -1, key.split(".")[-1])

    def test_choices_list_what_is_possible(self) -> None:
        for key, wrong, nearest in (
            ("switching.mode", "contiuous", "continuous"),
            ("switching.rectifier", "synchronos", "synchronous"),
            ("output.load", "curent", "current"),
            ("transformer.secondary", "center-tap", "centre-tap"),
        ):
            self.refused(key, wrong, rf"read '{wrong}', expected .*nearest valid name: {nearest}")

    def test_order(self) -> None:
        self.refused("input.voltage.min", 99, r"min \(99\) is above max \(30\)")
        self.refused("output.current.min", 9, r"min \(9\) is above max \(4\)")
        damping = {"ring": "10 MHz", "added": "1 nF", "ring_added": "20 MHz"}
        self.refused("damping.D1", damping, "ring_added: must be below ring")

    def test_a_chosen_value_is_a_positive_quantity_of_its_kind(self) -> None:
        self.refused("chosen.L", "10 µF", "chosen.L: 10 µF where an inductance was expected")
        self.refused("chosen.L", "0 H", "chosen.L: 0 H where a positive value was expected")
        self.refused("chosen.C_o", "-4.7 µF", "chosen.C_o")

    def test_inverting_outputs_have_their_sign(self) -> None:
        tables = put(buck_tables(), "topology", "buck-boost")
        self.assertRegex(said(tables), "but the output of the buck-boost is negative")
        self.refused(
            "output.voltage", -5, "read -5.000 V, but the output of the buck is positive; expected 5.000 V"
        )
        with self.assertRaisesRegex(InputError, "read 9.000 V, .* is negative; expected -9.000 V"):
            fill("cuk", {"output.voltage": "9 V"})

    def test_what_cannot_be_reached_says_what_can(self) -> None:
        self.refused("output.voltage", 48, re.escape(page("buck").conversion))
        tables = put(buck_tables(), "topology", "boost")
        self.assertRegex(said(tables), re.escape(page("boost").conversion))

    def test_another_shape_than_a_key_has(self) -> None:
        for key, wrong, words in (
            ("title", 3, "title: read 3, expected a text"),
            ("input", 3, "input: read 3, expected a table"),
            ("switching", "fast", "switching: read 'fast', expected a table"),
            ("damping", [1], "damping: read [1], expected a table"),
            ("output", 3, "output: read 3, expected a list"),
            ("switching.phases", 2.5, "switching.phases: read 2.5, expected a whole number"),
            ("input.filter.attenuation", "x", "input.filter.attenuation: read 'x', expected a number"),
            ("event.load", "x", "event.1.load: 'x' is not a current"),
            ("chosen.L", [1], "chosen.L: [1] where a number was expected"),
            ("chosen.L", True, "chosen.L: true where a number was expected"),
            ("parts.S1", 3, "parts.S1: read 3; neither the name of a part nor a table of its data"),
            ("parts.S1.resistance", [1, 2], "parts.S1.resistance: [1, 2] where a number was expected"),
            ("parts.S1.resistance", True, "parts.S1.resistance: true where a number was expected"),
            ("parts.L.core_pieces", [[0.0, "x"]], "parts.L.core_pieces: [[0.0, 'x']] where a number"),
        ):
            with self.subTest(key=key, wrong=wrong):
                message = said(put(buck_tables(), key, wrong))
                self.assertTrue(message.startswith(f"rail.toml: {words}"), message)
                self.assertNotIn("\n", message)

    def test_a_message_has_one_line_and_names_the_file_for_what_stands_in_it(self) -> None:
        for key, value in (("switching.frequncy", 1), ("switching.mode", "x"), ("input.voltage.min", "3 A")):
            message = said(put(buck_tables(), key, value))
            with self.subTest(key):
                self.assertEqual(len(message.splitlines()), 1)
                self.assertTrue(message.startswith("rail.toml: "), message)


class SeveralMistakes(unittest.TestCase):
    def test_all_are_told_at_once(self) -> None:
        tables = put(buck_tables(), "switching.mode", "sometimes")
        tables = put(tables, "input.voltage.min", "1 A")
        tables = put(tables, "output.colour", "blue")
        lines = said(tables).splitlines()
        self.assertEqual(len(lines), 3)
        for key in ("switching.mode", "input.voltage.min", "colour"):
            with self.subTest(key):
                self.assertEqual(sum(key in line for line in lines), 1)
