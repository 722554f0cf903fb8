"""The command on files in a temporary folder, the long chain of them as it is installed."""

import csv
import io
import json
import os
import re
import signal
import subprocess
import sys
import time
import tomllib
import unittest
from pathlib import Path

from tests.common import COMMAND, REFERENCE, CommandCase


class Help(CommandCase):
    def test_every_option_of_every_command_is_explained(self) -> None:
        listed = self.run_command("--help").stdout
        for name in re.findall(r"^  (\w+)  ", listed, re.MULTILINE):
            text = self.run_command(name, "--help").stdout
            for option in re.findall(r"^  (--[\w-]+.*)$", text, re.MULTILINE):
                self.assertRegex(option, r"  \S|TEXT$|\]$|>$|V$|A$|%$|Hz$|NAME$", (name, option))

    def test_version_and_module(self) -> None:
        self.assertRegex(self.run_command("--version").stdout, r"^jumplane \d+\.\d+\.\d+\n$")

    def test_light_commands_import_nothing_heavy(self) -> None:
        code = (
            "import sys; from jump_lane.cli.app import app\n"
            "try: app(sys.argv[1:])\n"
            "except SystemExit: pass\n"
            "print([m for m in ('numba', 'matplotlib', 'scipy', 'pandas') if m in sys.modules], file=sys.stderr)"
        )
        self.run_command("new", "buck", "a.toml")
        for arguments in (["--help"], ["derive", "a.toml"], ["topologies"]):
            done = subprocess.run(
                [sys.executable, "-c", code, *arguments],
                cwd=self.folder,
                capture_output=True,
                text=True,
                check=False,
            )
            self.assertEqual(done.stderr.strip().splitlines()[-1], "[]", arguments)


class Files(CommandCase):
    def test_a_new_file_runs_as_it_is(self) -> None:
        self.run_command("new", "buck", "a.toml")
        self.assertIn("#", (self.folder / "a.toml").read_text())
        self.run_command("check", "a.toml")

    def test_options_fill_the_file(self) -> None:
        done = self.run_command(
            "new", "buck", "a.toml", "--input", "9V..16V", "--output-voltage", "3.3 V",
            "--load", "0.5A..5A", "--frequency", "400k", "--voltage-ripple", "30mV",
        )  # fmt: skip
        tables = tomllib.loads((self.folder / "a.toml").read_text())
        self.assertIn("assumed: switching.current_ripple = 30 % (--current-ripple changes it)", done.stderr)
        self.assertIn("assumed: margin.voltage = 30 %", done.stderr)
        self.assertNotIn("frequency =", done.stderr)
        self.assertEqual(tables["input"]["voltage"], {"min": "9V", "max": "16V"})
        self.assertEqual(tables["output"][0]["voltage"], "3.3 V")
        self.assertNotIn("chosen", tables)
        self.run_command("derive", "a.toml")

    def test_a_load_is_a_current_a_power_or_a_resistance(self) -> None:
        for k, (text, key) in enumerate(
            (("6 Ω", "resistance"), ("5W..20W", "power"), ("2", "current"), ("1A..2A", "current"))
        ):
            done = self.run_command("new", "buck", f"{k}.toml", "--load", text, "--output-voltage", "12 V")
            output = tomllib.loads((self.folder / f"{k}.toml").read_text(encoding="utf-8"))["output"][0]
            self.assertEqual({"current", "power", "resistance"} & set(output), {key})
            self.assertNotIn("output.current", done.stderr)

    def test_a_bad_option_writes_nothing(self) -> None:
        done = self.run_command("new", "buck", "a.toml", "--output-voltage", "3 A", status=2)
        self.assertIn("--output-voltage: 3 A where a voltage was expected", done.stderr)
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_existing_files_are_not_overwritten_unasked(self) -> None:
        self.write("a.toml", "mine")
        done = self.run_command("new", "buck", "a.toml", status=2)
        self.assertIn("a.toml exists", done.stderr)
        self.assertEqual((self.folder / "a.toml").read_text(), "mine")
        self.run_command("new", "buck", "a.toml", "--overwrite")

    def test_a_wrong_file_is_one_message(self) -> None:
        self.run_command("new", "buck", "a.toml")
        text = (self.folder / "a.toml").read_text()
        for old, new, message in (
            ('"44 V"', '"44 A"', "b.toml: input.voltage.min: 44 A where a voltage was expected"),
            ("frequency ", "frequenzy ", "switching.frequenzy: unknown key; nearest valid name: frequency"),
            ('"buck"', '"bucks"', "nearest valid name: buck"),
            ("[switching]", "[switching", "not a TOML file"),
            (
                'L   = "33 µH"',
                'L2  = "33 µH"',
                "chosen.L2: not a component of the buck; nearest valid name: L",
            ),
        ):
            path = self.write("b.toml", text.replace(old, new))
            done = self.run_command("derive", path.name, status=2)
            self.assertIn(message, done.stderr)
            self.assertEqual(done.stdout, "")
        self.assertIn("No such file", self.run_command("derive", "none.toml", status=2).stderr)

    def test_errors_as_json(self) -> None:
        done = self.run_command("derive", "none.toml", "--json", status=2)
        self.assertEqual(json.loads(done.stdout)["code"], "input")


class Chain(CommandCase):
    installed = True

    def setUp(self) -> None:
        super().setUp()
        self.run_command("new", "buck", "rail.toml")

    def test_derive_shows_reasons(self) -> None:
        text = self.run_command("derive", "rail.toml", "--formulas").stdout
        self.assertIn("D_c = V_off/(V_on + V_off)", text)
        self.assertRegex(text, r"K = 2·L·f_s/R_o\s+Erickson and Maksimović 2001")
        data = json.loads(self.run_command("derive", "rail.toml", "--json").stdout)
        values = {v["symbol"]: v for v in data["values"]}
        self.assertEqual(data["format"], "jumplane/derive/1")
        self.assertEqual((values["L"]["value"], values["L"]["origin"]), (33e-6, "chosen"))
        self.assertAlmostEqual(values["L"]["derived"], 30.83e-6, delta=0.02e-6)
        self.assertEqual(len(values["D"]["values"]), 3)

    def test_check_holds_or_tells_what_does_not(self) -> None:
        data = json.loads(self.run_command("check", "rail.toml", "--json").stdout)
        self.assertTrue(data["holds"])
        self.assertEqual(len(data["corners"]), 9)
        text = (self.folder / "rail.toml").read_text().replace('"33 µH"', '"15 µH"')
        self.write("small.toml", text)
        data = json.loads(self.run_command("check", "small.toml", "--json", status=1).stdout)
        advice = [f["advice"] for c in data["corners"] for f in c["findings"] if not f["holds"]]
        self.assertRegex(max(advice), r"over by .* %: raise L from 15.00 µH to at least 25\.\d+ µH")
        shown = self.run_command("check", "small.toml", "--all", status=1).stdout
        self.assertIn("raise L from 15.00 µH", shown)
        self.assertIn("I_Lrms", shown)

    def test_waves_draws_and_exports(self) -> None:
        done = self.run_command(
            "waves", "rail.toml", "--load", "0.2 A", "--figure", "w.png", "--csv", "w.csv", "--periods", "3"
        )
        self.assertIn("nothing: idle", done.stdout)
        png = (self.folder / "w.png").read_bytes()
        self.assertEqual(png[:8], b"\x89PNG\r\n\x1a\n")
        self.assertEqual((int.from_bytes(png[16:20], "big"), int.from_bytes(png[20:24], "big")), (1280, 800))
        rows = list(csv.reader(io.StringIO((self.folder / "w.csv").read_text())))
        self.assertEqual(rows[0][:3], ["time [s]", "S1.gate [1]", "L.i [A]"])
        self.assertAlmostEqual(float(rows[-1][0]), 3 / 220e3, delta=1e-9)


class Waves(CommandCase):
    def setUp(self) -> None:
        super().setUp()
        self.run_command("new", "buck", "rail.toml")

    def test_waves_of_chosen_signals_in_a_window(self) -> None:
        self.run_command(
            "waves", "rail.toml", "--signal", "D1.v", "--signal", "load.v~", "--from", "1us", "--to", "3 µs",
            "--figure", "w.svg", "--csv", "w.csv", "--control", "30 %",
        )  # fmt: skip
        self.assertIn("<svg", (self.folder / "w.svg").read_text()[:400])
        times = [float(r[0]) for r in list(csv.reader(io.StringIO((self.folder / "w.csv").read_text())))[1:]]
        self.assertGreaterEqual(min(times), 1e-6)
        self.assertLessEqual(max(times), 3e-6)

    def test_waves_refuses_what_is_not_there(self) -> None:
        done = self.run_command("waves", "rail.toml", "--signal", "L.j", status=2)
        self.assertIn("nearest valid name: L.", done.stderr)
        self.assertIn(
            "window", self.run_command("waves", "rail.toml", "--from", "3us", "--to", "1us", status=2).stderr
        )
        done = self.run_command("waves", "rail.toml", "--figure", "w.bmp", status=2)
        self.assertIn(".png or .svg", done.stderr)
        self.assertFalse((self.folder / "w.bmp").exists())
        self.assertIn("load: 3 V", self.run_command("waves", "rail.toml", "--load", "3 V", status=2).stderr)

    def test_schema_is_json(self) -> None:
        self.assertIn("switching", json.loads(self.run_command("schema").stdout)["properties"])
        self.assertIn("element", json.loads(self.run_command("schema", "--circuit").stdout)["properties"])

    def test_topologies(self) -> None:
        data = json.loads(self.run_command("topologies", "--json").stdout)
        self.assertIn("buck", [t["name"] for t in data["topologies"]])


class Studies(CommandCase):
    def setUp(self) -> None:
        super().setUp()
        self.run_command("new", "sepic", "s.toml")

    def test_sweep_to_every_format(self) -> None:
        done = self.run_command(
            "sweep", "s.toml", "--vary", "input.voltage=9V..18V/3", "--vary", "output.current=0,0.5A",
            "--measure", "dV_o", "--table", "t.csv", "--table", "t.parquet", "--figure", "t.png", "--processes", "1",
        )  # fmt: skip
        self.assertIn("no result: no load", done.stdout)
        rows = list(csv.reader(io.StringIO((self.folder / "t.csv").read_text())))
        self.assertEqual(
            rows[0], ["input.voltage [V]", "output.current [A]", "D [1]", "mode", "dV_o [V]", "reason"]
        )
        self.assertEqual(len(rows), 7)
        import pyarrow.parquet

        self.assertEqual(pyarrow.parquet.read_table(self.folder / "t.parquet").num_rows, 6)
        self.assertGreater((self.folder / "t.png").stat().st_size, 5000)

    def test_sweep_refuses_before_it_works(self) -> None:
        done = self.run_command("sweep", "s.toml", "--vary", "input.voltge=1,2", status=2)
        self.assertIn("nearest valid name: input.voltage", done.stderr)
        done = self.run_command(
            "sweep", "s.toml", "--vary", "input.voltage=9,12", "--table", "t.xls", status=2
        )
        self.assertIn(".csv or .parquet", done.stderr)

    def interrupted(self, *arguments: str, after: float) -> str:
        """Interrupt a command after so many seconds; return what it printed, or what it said instead."""
        with subprocess.Popen(
            [str(COMMAND), *arguments],
            cwd=self.folder,
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
            text=True,
        ) as running:
            time.sleep(after)
            running.send_signal(signal.SIGINT)
            out, errors = running.communicate(timeout=60)
        self.assertEqual(running.returncode, 130, errors)
        self.assertNotIn("Traceback", errors)
        return out or errors

    def test_an_interrupted_sweep_keeps_what_is_done(self) -> None:
        arguments = [
            "sweep",
            "s.toml",
            "--vary",
            "output.current=0.1..1/3000",
            "--table",
            "t.csv",
            "--overwrite",
        ]
        rows: list[str] = []
        for patience in (2.5, 4.0, 8.0, 25.0):
            if len(rows) > 20:
                break
            out = self.interrupted(*arguments, after=patience)
            table = self.folder / "t.csv"
            if not table.exists():  # it was interrupted before it had begun
                self.assertIn("jumplane: interrupted", out)
                continue
            self.assertIn("interrupted: what was finished is kept", out)
            rows = table.read_text().splitlines()
        self.assertGreater(len(rows), 20)
        self.assertLess(len(rows), 3000)

    def test_modes(self) -> None:
        done = self.run_command(
            "modes", "s.toml", "--inputs", "2", "--loads", "4", "--figure", "m.svg", "--json"
        )
        data = json.loads(done.stdout)
        self.assertEqual((len(data["boundary"]), len(data["points"])), (2, 8))
        self.assertIn("<svg", (self.folder / "m.svg").read_text()[:400])

    def test_measure_with_cursors_and_as_a_spectrum(self) -> None:
        done = self.run_command(
            "measure", "s.toml", "--signal", "L1.i", "--from", "0.5us", "--to", "1us", "--json"
        )
        data = json.loads(done.stdout)
        self.assertAlmostEqual(data["dt"], 5e-7)
        self.assertGreater(data["signals"]["L1.i"]["slope"], 0.0)
        done = self.run_command("measure", "s.toml", "--harmonics", "5", "--decibel", "--figure", "s.png")
        self.assertIn("dBµA", done.stdout)
        self.assertIn(
            "from < to",
            self.run_command("measure", "s.toml", "--from", "2us", "--to", "1us", status=2).stderr,
        )

    def test_fit_writes_a_choice_that_holds(self) -> None:
        before = (self.folder / "s.toml").read_text()
        self.run_command("fit", "s.toml", "--series", "E6")
        self.assertEqual((self.folder / "s.toml").read_text(), before)
        self.run_command("fit", "s.toml", "--series", "E6", "--write")
        once = (self.folder / "s.toml").read_text()
        self.assertIn(
            "already has this choice", self.run_command("fit", "s.toml", "--series", "E6", "--write").stderr
        )
        self.assertEqual((self.folder / "s.toml").read_text(), once)
        self.run_command("check", "s.toml")
        self.assertIn(
            "nearest valid name: E6", self.run_command("fit", "s.toml", "--series", "E7", status=2).stderr
        )

    def test_tolerance(self) -> None:
        done = self.run_command("check", "s.toml", "--tolerance", "--draws", "3", "--json", status=1)
        data = json.loads(done.stdout)
        self.assertEqual([w["symbol"] for w in data["limits"]], ["dI_L1", "dI_L2", "dV_o"])
        self.assertEqual(data["draws"], 3)


class Circuits(CommandCase):
    def test_steady_state_of_a_circuit_file(self) -> None:
        path = str(REFERENCE / "flyback_rcd.toml")
        data = json.loads(self.run_command("circuit", path, "--json").stdout)
        self.assertAlmostEqual(data["conduction"]["S1"]["blocking"], 341.41511547, places=5)
        self.assertLess(data["balance"]["energy"], 1e-7)
        self.run_command("circuit", path, "--table", "t.csv", "--element", "T1")
        table = (self.folder / "t.csv").read_text(encoding="utf-8")
        self.assertEqual(
            [row[0] for row in csv.reader(io.StringIO(table))][1:], ["T1.p.v", "T1.p.i", "T1.s.v", "T1.s.i"]
        )
        sampled = self.run_command("waves", path, "--signal", "T1.p.i", "--from", "1us", "--to", "3us").stdout
        self.assertIn("T1.p.i", sampled)
        self.assertIn("nearest", self.run_command("circuit", path, "--element", "S9", status=2).stderr)

    def test_settling(self) -> None:
        done = self.run_command(
            "circuit", str(REFERENCE / "buck_dcm.toml"), "--settle", "3", "--element", "C1"
        )
        self.assertIn("period 3 from all-zero states", done.stdout)
        self.assertIn("still move", done.stdout)

    def test_no_result_has_its_own_status(self) -> None:
        text = """
frequency = 1e5
[element]
A = { kind = "voltage-source", nodes = ["a", "gnd"], voltage = 1 }
B = { kind = "voltage-source", nodes = ["a", "gnd"], voltage = 2 }
"""
        done = self.run_command("circuit", str(self.write("c.toml", text)), status=3)
        self.assertIn("contradict", done.stderr)


class Demo(CommandCase):
    def test_the_whole_chain(self) -> None:
        done = self.run_command("demo", "out")
        self.assertTrue(
            done.stdout.rstrip().endswith(str(Path(os.path.realpath(self.folder)) / "out")), done.stdout
        )
        names = {p.name for p in (self.folder / "out").iterdir()}
        self.assertEqual(
            names,
            {
                "instrument-rail.toml",
                "derivation.txt",
                "verdicts.txt",
                "waveforms.png",
                "waveforms.csv",
                "losses.txt",
                "losses.png",
                "loop.txt",
                "loop.png",
                "steps.png",
                "mast-lights.toml",
                "mast-lights.png",
                "choke-designs.png",
                "choke.png",
                "choke-sheet.txt",
                "shore-dock-link.toml",
                "dock-gain.png",
                "winch-bus-link.toml",
                "winch-angles.png",
                "shore-dock-supply.toml",
                "supply.txt",
                "supply-filter.png",
            },
        )
        self.assertIn("all that is asked holds", (self.folder / "out" / "verdicts.txt").read_text())
        self.assertIn("out/instrument-rail.toml", (self.folder / "out" / "loop.txt").read_text())
        self.assertIn("exists", self.run_command("demo", "out", status=2).stderr)


if __name__ == "__main__":
    unittest.main()
