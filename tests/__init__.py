"""Tests; random examples may take their time on whatever machine they run.

Found all together, the modules that mostly wait for the installed command run in a process beside the others; what both would
compile is compiled before.
"""

import atexit
import subprocess
import sys
import unittest
from collections.abc import Iterator
from pathlib import Path

from hypothesis import HealthCheck, settings

settings.register_profile("any machine", deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("any machine")

BESIDE = (
    "tests.test_around",
    "tests.test_cli",
    "tests.test_closed_loop",
    "tests.test_contract",
    "tests.test_damping",
    "tests.test_every_command",
    "tests.test_line_input",
    "tests.test_loops",
    "tests.test_loss_commands",
    "tests.test_messages",
    "tests.test_polarity",
    "tests.test_put_back",
    "tests.test_random",
    "tests.test_winding",
)
"""Modules that run in a process of their own."""


class Beside(unittest.TestCase):
    """What the process beside this one says of its modules."""

    process: subprocess.Popen[str]

    @classmethod
    def start(cls, root: Path) -> None:
        warned = [f"-W{option}" for option in sys.warnoptions]
        command = [sys.executable, *warned, "-m", "unittest", *BESIDE]
        cls.process = subprocess.Popen(
            command, cwd=root, text=True, stdout=subprocess.PIPE, stderr=subprocess.STDOUT
        )
        atexit.register(cls.process.kill)

    def test_modules_beside_these(self) -> None:
        said, _ = self.process.communicate()
        print(f"\nbeside: {' '.join(said.split()[-5:])}", file=sys.stderr)
        self.assertEqual(self.process.returncode, 0, said)


def cases(suite: unittest.TestSuite) -> Iterator[unittest.TestCase]:
    for test in suite:
        if isinstance(test, unittest.TestSuite):
            yield from cases(test)
        else:
            yield test


def load_tests(loader: unittest.TestLoader, _: unittest.TestSuite, pattern: str | None) -> unittest.TestSuite:
    """Return all tests but those that run beside, and last of all one that waits for these; or the ones picked."""
    from jump_lane.library.compiling import ready

    folder = Path(__file__).parent
    found = loader.discover(str(folder), pattern or "test*.py", str(folder.parent))
    if loader.testNamePatterns:
        return found
    ready()
    here = [test for test in cases(found) if type(test).__module__ not in BESIDE]
    Beside.start(folder.parent)
    return unittest.TestSuite([*here, Beside("test_modules_beside_these")])
