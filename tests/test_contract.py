"""What every command promises alike: JSON that a program reads, statuses, whole files, messages of one line."""

import json
import re
import tomllib
from collections.abc import Iterator
from typing import Any

from jsonschema import Draft202012Validator

import jump_lane
from jump_lane.study.template import example
from tests.common import REFERENCE, CommandCase

FLYBACK = "aux.toml"
FORWARD = "logger.toml"
RAIL = "rail.toml"
CIRCUIT = "circuit.toml"

CALLS: dict[str, tuple[str, ...]] = {
    "topologies": (),
    "derive": (RAIL,),
    "check": (RAIL,),
    "waves": (RAIL, "--load", "1 A"),
    "measure": (RAIL, "--signal", "L.i"),
    "sweep": (RAIL, "--vary", "output.current=2 A,4 A", "--processes", "1"),
    "modes": (RAIL, "--inputs", "2", "--loads", "3", "--processes", "1"),
    "losses": (RAIL,),
    "efficiency": (RAIL, "--points", "3", "--processes", "1"),
    "fit": (RAIL,),
    "pick": (RAIL, "--choose", "S1", "--most", "20", "--processes", "1", "--top", "1"),
    "cross": (FLYBACK, "--processes", "1"),
    "compare": (RAIL, FORWARD),
    "damp": (FORWARD, "D2"),
    "circuit": (CIRCUIT,),
    "size": (RAIL,),
    "diff": (RAIL, RAIL),
    "explain": ("margin.voltage",),
}
"""Each command with arguments that end well."""

WRITES: dict[str, tuple[tuple[str, ...], str]] = {
    "new": (("buck", "kept.toml"), "kept.toml"),
    "waves figure": ((RAIL, "--figure", "kept.png"), "kept.png"),
    "waves csv": ((RAIL, "--csv", "kept.csv"), "kept.csv"),
    "measure figure": ((RAIL, "--harmonics", "9", "--figure", "kept.svg"), "kept.svg"),
    "sweep table": (
        (RAIL, "--vary", "output.current=2 A,4 A", "--processes", "1", "--table", "kept.csv"),
        "kept.csv",
    ),
    "modes table": (
        (RAIL, "--inputs", "1", "--loads", "2", "--processes", "1", "--table", "kept.csv"),
        "kept.csv",
    ),
    "losses figure": ((RAIL, "--figure", "kept.png"), "kept.png"),
    "efficiency table": (
        (RAIL, "--points", "2", "--processes", "1", "--table", "kept.csv"),
        "kept.csv",
    ),
}
"""Calls that write a file, and its name."""


def numbers(found: Any) -> Iterator[float]:
    if isinstance(found, dict):
        found = list(found.values())
    if isinstance(found, list):
        for one in found:
            yield from numbers(one)
    elif isinstance(found, float):
        yield found


def broken(found: dict[str, Any]) -> list[str]:
    """What a document has against the schema that is published for it."""
    published = jump_lane.schema(output=found["format"].split("/")[1])
    return [error.message for error in Draft202012Validator(published).iter_errors(found)]


class Contract(CommandCase):
    def setUp(self) -> None:
        super().setUp()
        for topology, name in (("buck", RAIL), ("forward", FORWARD), ("multi-output-flyback", FLYBACK)):
            self.write(name, example(topology))
        text = (REFERENCE / "full_bridge_hard.toml").read_text(encoding="utf-8")
        self.write(CIRCUIT, text)

    def test_json_is_one_document_with_a_name_and_a_version(self) -> None:
        for command, arguments in CALLS.items():
            with self.subTest(command):
                done = self.run_command(command, *arguments, "--json")
                found = json.loads(done.stdout)
                self.assertRegex(found["format"], r"^jumplane/[a-z-]+/\d+$")
                self.assertNotIn("NaN", done.stdout)
                self.assertNotIn("Infinity", done.stdout)
                self.assertGreater(len(found), 1)
                self.assertEqual(broken(found), [])

    def test_the_same_call_gives_the_same_numbers(self) -> None:
        first, second = (json.loads(self.run_command("check", RAIL, "--json").stdout) for _ in range(2))
        self.assertEqual(list(numbers(first)), list(numbers(second)))
        self.assertTrue(list(numbers(first)))

    def test_a_file_that_is_not_there_is_one_line(self) -> None:
        for command in CALLS:
            if command in ("topologies", "explain"):
                continue
            arguments = [a.replace(CALLS[command][0], "nowhere.toml") for a in CALLS[command]]
            with self.subTest(command):
                done = self.run_command(command, *arguments, status=2)
                self.assertEqual(done.stdout, "")
                self.assertEqual(len(done.stderr.strip().splitlines()), 1, done.stderr)
                self.assertIn("nowhere.toml", done.stderr)

    def test_an_error_as_json_has_a_code(self) -> None:
        for command in ("derive", "circuit"):
            with self.subTest(command):
                done = self.run_command(command, "nowhere.toml", "--json", status=2)
                found = json.loads(done.stdout)
                self.assertEqual(found["format"], "jumplane/error/1")
                self.assertEqual(broken(found), [])
                self.assertIn("nowhere.toml", found["message"])

    def test_what_exists_is_kept(self) -> None:
        for label, (arguments, name) in WRITES.items():
            kept = self.write(name, "mine")
            with self.subTest(label):
                done = self.run_command(label.split()[0], *arguments, status=2)
                self.assertIn(name, done.stderr)
                self.assertEqual(kept.read_text(encoding="utf-8"), "mine")
            kept.unlink()

    def test_a_folder_that_is_not_there_is_named(self) -> None:
        done = self.run_command("waves", RAIL, "--figure", "no/where.png", status=2)
        self.assertIn("no/where.png: the folder no does not exist", done.stderr)
        self.assertFalse((self.folder / "no").exists())

    def test_a_key_that_is_not_known_names_the_nearest(self) -> None:
        text = (self.folder / RAIL).read_text(encoding="utf-8")
        wrong = self.write("wrong.toml", text.replace("frequency", "freqency"))
        for command in ("derive", "losses"):
            with self.subTest(command):
                done = self.run_command(command, wrong.name, status=2)
                self.assertIn("freqency", done.stderr)
                self.assertIn("frequency", done.stderr.replace("freqency", ""))

    def test_a_ripple_that_is_not_kept_is_status_1(self) -> None:
        text = (self.folder / RAIL).read_text(encoding="utf-8")
        self.assertEqual(tomllib.loads(text)["chosen"]["L"], "33 µH")
        small = self.write("small.toml", re.sub(r'^L +=.*"33 µH"', 'L = "2 µH"', text, flags=re.MULTILINE))
        done = self.run_command("check", small.name, "--json", status=1)
        found = json.loads(done.stdout)
        self.assertTrue(any("raise L" in json.dumps(one, ensure_ascii=False) for one in found.values()))

    def test_outputs_of_options_follow_their_schemas_too(self) -> None:
        for call in (
            ("check", RAIL, FLYBACK),
            ("losses", RAIL, "--all-corners"),
            ("measure", RAIL, "--harmonics", "3"),
            ("derive", RAIL, "--set", "L=/2"),
        ):
            with self.subTest(call):
                self.assertEqual(broken(json.loads(self.run_command(*call, "--json").stdout)), [])

    def test_tolerances_follow_their_schema(self) -> None:
        done = self.run_command(
            "check", RAIL, "--tolerance", "--draws", "2", "--processes", "1", "--json", status=1
        )
        self.assertEqual(broken(json.loads(done.stdout)), [])

    def test_notes_go_to_standard_error(self) -> None:
        done = self.run_command("sweep", *CALLS["sweep"], "--json", "--table", "t.csv")
        json.loads(done.stdout)
        self.assertIn("wrote t.csv", done.stderr)
