"""Broken files and calls through the program's own main; streams that cannot show or take what is written; files kept."""

import contextlib
import io
import json
import os
import random
import signal
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path
from unittest.mock import patch

from jump_lane.circuit.gates import Instant
from jump_lane.circuit.timing import edge, wrapped
from jump_lane.cli import app, streams
from jump_lane.errors import ConvergenceError, InputError
from jump_lane.files import edit, read_text, require_apart, whole_folder, write_whole
from jump_lane.harmless import harmless
from jump_lane.quantities.fields import Celsius, Count, Henries, Number, Ohms
from jump_lane.report.table import to_csv
from jump_lane.study.pool import spread
from jump_lane.study.template import example
from jump_lane.topologies import NAMES
from tests.common import COMMAND, REFERENCE, CommandCase
from tests.mutations import mutated
from tests.test_faults import called

BROKEN = 250


class Mutations(unittest.TestCase):
    def test_broken_files_end_with_a_status_and_no_traceback(self) -> None:
        circuits = sorted(REFERENCE.glob("*.toml"))
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "f.toml"
            for k in range(BROKEN):
                rng = random.Random(7_000 + k)
                if rng.random() < 0.3:
                    command, text = "circuit", rng.choice(circuits).read_text(encoding="utf-8")
                else:
                    command, text = rng.choice(["derive", "derive", "check"]), example(rng.choice(NAMES))
                file.write_text(mutated(text, rng), encoding="utf-8")
                with self.subTest(number=k, command=command):
                    status, _, err = called(command, str(file))
                    self.assertIn(status, (0, 1, 2, 3), err)
                    self.assertNotIn("Traceback", err)


class Endings(unittest.TestCase):
    def test_a_usage_error_is_told_in_json_too(self) -> None:
        status, out, err = called("check", "--json", "--nonsense")
        self.assertEqual((status, json.loads(out)["code"]), (2, "usage"))
        self.assertIn("--nonsense", err)
        self.assertEqual(called("nonsense")[0], 2)
        self.assertEqual(called("--help")[0], 0)

    def test_a_fault_of_ours_is_70_and_never_1(self) -> None:
        def broken(*_: object, **__: object) -> None:
            raise ZeroDivisionError("made up")

        whole = app.dispatch
        app.dispatch = broken  # type: ignore[assignment]
        try:
            status, out, err = called("check", "--json")
        finally:
            app.dispatch = whole
        self.assertEqual((status, json.loads(out)["code"]), (70, "fault"))
        self.assertIn("ZeroDivisionError: made up (test_misuse.py", err)

    def test_an_interruption_is_130_and_says_so(self) -> None:
        with patch("jump_lane.library.words.convert", side_effect=KeyboardInterrupt):
            status, out, err = called("convert", "24 AWG", "mm²")
        self.assertEqual((status, out, err), (130, "", "jumplane: interrupted\n"))


class Streams(CommandCase):
    def test_a_full_and_a_closed_output(self) -> None:
        self.write("a.toml", example("buck"))
        for redirect, status in (("> /dev/full", 2), (">&-", 0), ("| true", 0)):
            with self.subTest(redirect):
                done = subprocess.run(
                    f"'{COMMAND}' derive a.toml {redirect}",
                    shell=True, cwd=self.folder, capture_output=True, text=True, timeout=60, check=False,
                )  # fmt: skip
                self.assertNotIn("Traceback", done.stderr)
                self.assertEqual(done.returncode, status, done.stderr)

    def test_an_output_in_ascii(self) -> None:
        self.write("a.toml", example("buck"))
        done = subprocess.run(
            [str(COMMAND), "derive", "a.toml"],
            cwd=self.folder, capture_output=True, timeout=60, check=True, env={**os.environ, "PYTHONIOENCODING": "ascii"},
        )  # fmt: skip
        text = done.stdout.decode("ascii")
        self.assertIn("33.00 uH", text)
        self.assertNotIn("?", text)

    def test_a_place_where_nothing_can_be_written(self) -> None:
        """Compiled code is kept nowhere then, and all works the same."""
        code = (
            "import numba.core.caching as c\n"
            "def none(*a, **k): raise RuntimeError('no locator')\n"
            "for n in ('CacheImpl', '_CacheImpl'):\n"
            "    if hasattr(c, n): getattr(c, n).__init__ = none\n"
            "from jump_lane.switching import propagators, compiled\n"
            "assert not propagators.CACHED and not compiled.is_compiled()\n"
        )
        done = subprocess.run(
            [sys.executable, "-c", code], capture_output=True, text=True, timeout=120, check=False
        )
        self.assertEqual(done.returncode, 0, done.stderr)

    def test_no_colour_where_none_is_wanted(self) -> None:
        class Terminal(io.StringIO):
            def isatty(self) -> bool:
                return True

        for name, value, wanted in (
            ("NO_COLOR", "1", False),
            ("TERM", "dumb", False),
            ("TERM", "xterm", True),
        ):
            before = dict(os.environ)
            os.environ.pop("NO_COLOR", None)
            os.environ[name] = value
            try:
                self.assertEqual(streams.coloured(Terminal()), wanted)
            finally:
                os.environ.clear()
                os.environ.update(before)


class Texts(unittest.TestCase):
    def test_control_characters_are_spelled_out(self) -> None:
        self.assertEqual(harmless("a\x1b[2Jb\u202ec\nd"), "a\\x1b[2Jb\\x202ec\nd")

    def test_cells_that_a_spreadsheet_would_run(self) -> None:
        text = to_csv(("=a", "b"), [("-1.5", "@x"), (2.0, "+1e-3")])
        self.assertEqual(text, "'=a,b\n-1.5,'@x\n2.0,+1e-3\n")


class Numbers(unittest.TestCase):
    def test_ranges(self) -> None:
        from pydantic import TypeAdapter, ValidationError

        for kind, good, bad in (
            (Ohms, ("0", "5 mΩ", 3), ("-1 mΩ", "1e30 Ω", "nan", True)),
            (Celsius, ("-273.15 °C", "25"), ("-274 °C",)),
            (Henries, ("1 nH",), ("-1 µH", "1e-40")),
            (Count, (1, 12), (0, True, 10**9)),
            (Number, (-3.5,), (float("inf"), float("nan"), False)),
        ):
            adapter = TypeAdapter(kind)
            for value in good:
                adapter.validate_python(value)
            for value in bad:
                with (
                    self.subTest(kind=str(kind)[:40], value=value),
                    self.assertRaises((ValidationError, ValueError)),
                ):
                    adapter.validate_python(value)


class GateFormulas(unittest.TestCase):
    def test_values_and_slopes(self) -> None:
        for text, value, slope in (
            ("D", 0.4, 1.0), ("1 - D", 0.6, -1.0), ("-D + 1", 0.6, -1.0), ("0.5*(D + 0.2)/2", 0.15, 0.25),
            ("D**2", 0.16, 0.8), ("0.2/D", 0.5, -1.25), ("D*D - D", -0.24, -0.2), ("+0.25", 0.25, 0.0),
        ):  # fmt: skip
            found = edge(text, "g")({"D": Instant(0.4, 1.0)})
            self.assertAlmostEqual(found.fraction, value, msg=text)
            self.assertAlmostEqual(found.slope, slope, msg=text)

    def test_what_is_no_such_formula(self) -> None:
        for text in (
            "9**9**9*D",
            "D**0.5",
            "x",
            "sin(D)",
            "D if D else 1",
            "True",
            "1j",
            "[D]",
            "D" + "+D" * 200,
            "(" * 90,
        ):
            with self.subTest(text[:20]), self.assertRaises(InputError):
                edge(text, "g")

    def test_no_value(self) -> None:
        for text in ("1/(D - 0.4)", "1/D/D/0.0001"):
            with self.assertRaises(ConvergenceError):
                edge(text, "g")({"D": Instant(0.4, 1.0)})

    def test_an_interval_wraps_around(self) -> None:
        start, end = wrapped(Instant(0.8), Instant(0.3, 1.0), "g")
        self.assertEqual((start.fraction, end.fraction, end.slope), (0.8, 1.3, 1.0))
        with self.assertRaises(ConvergenceError):
            wrapped(Instant(0.0), Instant(-0.5), "g")


class Files(CommandCase):
    def test_mode_link_and_line_ends_are_kept(self) -> None:
        path = self.folder / "a.txt"
        path.write_bytes(b"\xef\xbb\xbfone\r\ntwo\r\n")
        path.chmod(0o640)
        link = self.folder / "l.txt"
        link.symlink_to(path)
        self.assertTrue(edit(link, lambda text: text + "three\n"))
        self.assertEqual(path.read_bytes(), b"\xef\xbb\xbfone\r\ntwo\r\nthree\r\n")
        self.assertEqual(path.stat().st_mode & 0o777, 0o640)
        self.assertTrue(link.is_symlink())
        self.assertFalse(edit(link, lambda text: text))

    def test_inputs_are_not_overwritten_and_outputs_apart(self) -> None:
        a, b = self.write("a.toml", ""), self.folder / "b.png"
        require_apart((a,), (b, None))
        for outputs in ((a,), (b, self.folder / "." / "b.png")):
            with self.assertRaises(InputError):
                require_apart((a,), outputs)
        self.write("c.toml", example("buck"))
        done = self.run_command("waves", "c.toml", "--csv", "c.toml", "--overwrite", status=2)
        self.assertIn("is read by this command", done.stderr)

    def test_a_folder_appears_whole_or_not_at_all(self) -> None:
        folder = self.folder / "out"
        with self.assertRaises(ValueError), whole_folder(folder, ("x",)) as made:
            write_whole(made / "x", "1")
            raise ValueError
        self.assertEqual(list(self.folder.iterdir()), [])
        for text in ("1", "2"):
            with whole_folder(folder, ("x",)) as made:
                write_whole(made / "x", text)
            self.assertEqual((folder / "x").read_text(), text)

    def test_what_is_no_file_to_read(self) -> None:
        os.mkfifo(self.folder / "pipe")
        (self.folder / "big").write_bytes(b" " * 9_000_000)
        for name in ("pipe", "big", ".", "none", "a\0b"):
            with self.subTest(name), self.assertRaises(InputError):
                read_text(self.folder / name)

    def test_tables_nested_too_deep(self) -> None:
        self.write("deep.toml", "a = " + "[" * 3000 + "]" * 3000)
        self.assertNotIn("Traceback", self.run_command("derive", "deep.toml", status=2).stderr)


def waiting(numbers):
    for number in numbers:
        time.sleep(0.05 if number < 3 else 60.0)
        yield number


class Workers(unittest.TestCase):
    def test_an_abandoned_pool_ends_at_once(self) -> None:
        started = time.monotonic()
        results = spread(range(6), waiting, 2, 1)
        with contextlib.closing(results):
            next(results)
        self.assertLess(time.monotonic() - started, 20.0)

    def test_workers_end_with_their_parent(self) -> None:
        code = (
            "import sys\nfrom tests.test_misuse import waiting\nfrom jump_lane.study.pool import spread\n"
            "for n in spread(range(6), waiting, 2, 1):\n    print(n, flush=True)\n"
        )
        with subprocess.Popen(
            [sys.executable, "-c", code], stdout=subprocess.PIPE, text=True, start_new_session=True
        ) as parent:
            assert parent.stdout is not None
            parent.stdout.readline()
            group = os.getpgid(parent.pid)
            os.kill(parent.pid, signal.SIGKILL)
            parent.wait()
            for _ in range(100):
                try:
                    os.killpg(group, 0)
                except ProcessLookupError:
                    return
                time.sleep(0.1)
            self.fail("workers outlive their parent")
