"""What the documentation says is run: commands of the README, scripts, pages that are written from the program."""

import contextlib
import io
import re
import runpy
import tempfile
import unittest
from importlib import resources
from pathlib import Path

from jump_lane.cli.app import run
from jump_lane.report.keys import documentation
from jump_lane.report.nomenclature import nomenclature
from tests.common import REFERENCE

ROOT = Path(__file__).parents[1]
PARTS = """\
[chosen]
L = "8.2 µH"
[parts]
S1 = "sample-fet-60v-12m"
"""
STATUS_1 = ("--set L=/10", "--tolerance --draws", "jumplane diff", "jumplane pick", "jumplane cross")
"""What may end with 1, as it shows something that is not met or differs."""


def commands(text: str) -> list[str]:
    """The command lines of a document, those continued in the next line joined."""
    blocks = "\n".join(
        line[4:] for line in text.replace("\\\n        ", " ").splitlines() if line.startswith("    ")
    )
    return [
        c.strip() for line in blocks.splitlines() if line.startswith("jumplane ") for c in line.split("&&")
    ]


def own_list() -> str:
    """A list of some of the shipped parts: chokes, ceramic capacitors, switches."""
    shipped = (
        resources.files("jump_lane").joinpath("examples", "sample-catalogue.csv").read_text(encoding="utf-8")
    )
    heading, *rows = shipped.splitlines()
    wanted = ("sample-fet-40v", "sample-fet-60v", "sample-choke-m", "sample-choke-l", "sample-ceramic")
    return "\n".join([heading, *(row for row in rows if row.startswith(wanted))])


class Readme(unittest.TestCase):
    def test_every_command_runs_in_order(self) -> None:
        with tempfile.TemporaryDirectory() as folder, contextlib.chdir(folder):
            Path("my-parts.csv").write_text(own_list(), encoding="utf-8")
            own = (REFERENCE / "flyback_rcd.toml").read_text(encoding="utf-8")
            Path("my-forward.toml").write_text(own, encoding="utf-8")
            found = commands((ROOT / "README.md").read_text(encoding="utf-8"))
            self.assertGreater(len(found), 30)
            for command in found:
                with self.subTest(command):
                    self.assertIn(
                        self.called(command), (0, 1) if any(s in command for s in STATUS_1) else (0,)
                    )

    def called(self, command: str) -> int:
        out, err = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            status = run(command.split()[1:])
        if status > 1:
            self.fail(f"{command}: {status}: {err.getvalue()}")
        if "new buck rail.toml" in command:  # the walk goes on with parts and values of its own
            path = Path("rail.toml")
            path.write_text(path.read_text(encoding="utf-8") + PARTS, encoding="utf-8")
        return status

    def test_every_picture_is_there(self) -> None:
        text = (ROOT / "README.md").read_text(encoding="utf-8")
        for name in re.findall(r"\((docs/[\w./-]+)\)", text):
            self.assertTrue((ROOT / name).exists(), name)
        shown = {Path(name).name for name in re.findall(r"docs/screenshots/[\w.-]+", text)}
        kept = {path.name for path in (ROOT / "docs" / "screenshots").iterdir()}
        self.assertEqual(shown, kept)
        self.assertLess(len(kept), 20)


class Scripts(unittest.TestCase):
    def run_script(self, name: str) -> str:
        out = io.StringIO()
        with (
            tempfile.TemporaryDirectory() as folder,
            contextlib.chdir(folder),
            contextlib.redirect_stdout(out),
        ):
            runpy.run_path(str(ROOT / "docs" / "scripts" / f"{name}.py"))
            self.assertTrue(list(Path(folder).glob("*.png")))
        return out.getvalue()

    def test_a_design(self) -> None:
        self.assertIn("holds: True", self.run_script("design"))

    def test_a_sweep(self) -> None:
        text = self.run_script("sweep")
        smallest = float(re.findall(r"full load: (\S+)", text)[0])
        self.assertTrue(15e-6 < smallest < 33e-6, smallest)
        self.assertIn("NOT MET", text)

    def test_a_circuit(self) -> None:
        self.assertRegex(self.run_script("circuit"), r"held with D = 0\.3857")


class Pages(unittest.TestCase):
    def test_pages_are_as_the_program_writes_them(self) -> None:
        for name, text in (("converter-file.md", documentation()), ("nomenclature.md", nomenclature())):
            self.assertEqual((ROOT / "docs" / name).read_text(encoding="utf-8"), text, name)
