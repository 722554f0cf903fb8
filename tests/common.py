"""What several tests share."""

from __future__ import annotations

import contextlib
import io
import subprocess
import sys
import tempfile
import tomllib
import unittest
from copy import deepcopy
from pathlib import Path
from typing import Any

from jump_lane.design.derive import Design, derive
from jump_lane.spec import Spec, parse_spec
from jump_lane.study.template import example
from jump_lane.topologies import NAMES, page

REFERENCE = Path(__file__).parent / "reference"
PULSED = tuple(name for name in NAMES if page(name).naming is None)
"""Topologies whose duty ratio or phase sets the current of inductors; the others are controlled by frequency and angles."""

COMMAND = Path(sys.executable).parent / "jumplane"


def buck_tables() -> dict[str, Any]:
    """A plain converter: 24 V to 5 V, ideal parts."""
    return {
        "title": "Test rail",
        "topology": "buck",
        "input": {"voltage": {"min": 20, "nominal": 24, "max": 30}},
        "output": [{"voltage": 5, "current": {"min": 0.5, "max": 4}, "voltage_ripple": "1 %"}],
        "switching": {"frequency": "200 kHz", "current_ripple": "30 %"},
    }


def spec(tables: dict[str, Any], **changes: Any) -> Spec:
    """A spec from tables, with dotted keys changed (``switching__mode="either"``)."""
    tables = deepcopy(tables)
    for key, value in changes.items():
        *path, last = key.split("__")
        at: Any = tables
        for part in path:
            at = at.setdefault(part, {}) if isinstance(at, dict) else at[0][part]
        (at[0] if isinstance(at, list) else at)[last] = value
    return parse_spec(tables, "test")


def design(tables: dict[str, Any], **changes: Any) -> Design:
    return derive(spec(tables, **changes))


def example_design(topology: str) -> Design:
    return derive(parse_spec(tomllib.loads(example(topology)), topology))


class CommandCase(unittest.TestCase):
    """Runs the command in a temporary folder: within this process, or as it is installed."""

    installed = False

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def run_command(self, *arguments: str, status: int = 0) -> subprocess.CompletedProcess[str]:
        done = self._spawned(arguments) if self.installed else self._called(arguments)
        self.assertNotIn("Traceback", done.stderr)
        self.assertEqual(done.returncode, status, done.stdout[-2000:] + done.stderr[-2000:])
        return done

    def _spawned(self, arguments: tuple[str, ...]) -> subprocess.CompletedProcess[str]:
        return subprocess.run(
            [str(COMMAND), *arguments],
            cwd=self.folder,
            capture_output=True,
            text=True,
            timeout=300,
            check=False,
        )

    def _called(self, arguments: tuple[str, ...]) -> subprocess.CompletedProcess[str]:
        """Call the command's own entry, as the installed one does, without starting a process."""
        from jump_lane.cli.app import run

        out, err = io.StringIO(), io.StringIO()
        with contextlib.chdir(self.folder), contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            status = run(list(arguments))
        return subprocess.CompletedProcess(arguments, status, out.getvalue(), err.getvalue())

    def write(self, name: str, text: str) -> Path:
        path = self.folder / name
        path.write_text(text, encoding="utf-8")
        return path
