"""``import jump_lane as jl``: the small surface that programs and the command line use."""

import ast
import inspect
import json
import subprocess
import sys
import tempfile
import tomllib
import unittest
from dataclasses import FrozenInstanceError
from pathlib import Path

import numpy as np

import jump_lane as jl
from jump_lane.errors import InputError
from jump_lane.library.losing import losses_at_corners
from jump_lane.library.result import Result
from jump_lane.study.template import example
from tests.common import REFERENCE, buck_tables

RAIL = jl.load(buck_tables())
CLI = Path(jl.__file__).parent / "cli"
ALLOWED = ("cli", "library", "report", "errors", "files", "harmless", "validation", "__version__")
"""Rooms that a command may import from."""


class Surface(unittest.TestCase):
    def test_every_name_is_there_and_explained(self) -> None:
        self.assertEqual(sorted(jl.__all__), sorted(dir(jl)))
        for name in jl.__all__:
            found = getattr(jl, name)
            if name != "__version__":
                self.assertTrue(inspect.getdoc(found), name)
            if inspect.isfunction(found):
                signature = inspect.signature(found)
                self.assertNotIn(
                    inspect.Signature.empty, [p.annotation for p in signature.parameters.values()], name
                )
                self.assertNotEqual(signature.return_annotation, inspect.Signature.empty, name)
        with self.assertRaisesRegex(AttributeError, "no attribute 'lode'"):
            _ = jl.lode

    def test_what_a_converter_is_loaded_from_does_as_well(self) -> None:
        text = example("buck")
        tables = tomllib.loads(text)
        expected = jl.derive(jl.load(tables)).frame()
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder, "rail.toml")
            path.write_text(text, encoding="utf-8")
            for source in (jl.load(text), text, path, str(path), tables):
                self.assertTrue(jl.derive(source).frame().equals(expected))
        self.assertIn("no difference in: keys", str(jl.diff(text, tables)))
        for call in (jl.derive, jl.check, jl.size, jl.simulate, jl.losses, jl.sweep, jl.modes, jl.fit):
            with self.assertRaisesRegex(InputError, "read int; expected a converter"):
                call(3)
            with self.assertRaisesRegex(InputError, "No such file"):
                call("nowhere.toml")

    def test_what_is_not_known_of_the_losses_is_named_in_every_study(self) -> None:
        bare = {**tomllib.loads(example("flyback"))}
        expected = "S1: .*gate_charge.*T: .*ac_resistance"
        swept = jl.sweep(bare, ["output.current=1A,2A"], measure=["loss"])
        self.assertRegex(" ".join(swept.view().notes), expected)
        self.assertGreater(swept.frame()["figures not known"].min(), 10)
        self.assertIn("gate_charge", json.loads(swept.json())["gaps"]["S1"])
        corners = losses_at_corners(bare).view()
        self.assertRegex(" ".join(corners.notes), expected)
        self.assertEqual({row[-1] for row in corners.tables[0].rows}, {"none given"})
        rated = losses_at_corners(tomllib.loads(example("buck"))).view()
        self.assertEqual({row[-1] for row in rated.tables[0].rows}, {"17 hold"})
        self.assertEqual(rated.notes, ())
        silent = jl.sweep(bare, ["output.current=1A,2A"], measure=["dI_Lm"])
        self.assertNotIn("figures not known", silent.frame())
        self.assertNotRegex(" ".join(silent.view().notes), "not known")

    def test_nothing_heavy_is_imported_before_it_is_used(self) -> None:
        code = (
            "import sys, jump_lane as jl; jl.load, jl.derive, jl.check\n"
            "print([m for m in ('numba', 'scipy', 'matplotlib', 'pandas', 'rich.table') if m in sys.modules])"
        )
        done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
        self.assertEqual(done.stdout.strip(), "[]")

    def test_the_command_line_uses_nothing_else(self) -> None:
        for path in CLI.glob("*.py"):
            for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
                if isinstance(node, ast.ImportFrom) and (node.module or "").startswith("jump_lane"):
                    rooms = (
                        [node.module.split(".")[1]] if "." in node.module else [a.name for a in node.names]
                    )
                    for room in rooms:
                        self.assertIn(room, ALLOWED, f"{path.name}: {node.module}")


class Results(unittest.TestCase):
    def looked_at(self, result: Result, name: str) -> None:
        self.assertTrue(str(result).strip())
        self.assertIn("<table>", result._repr_html_())
        self.assertEqual(json.loads(result.json())["format"], f"jumplane/{name}/1")
        frame = result.frame()
        self.assertGreater(len(frame), 0)
        self.assertEqual(list(frame.columns), list(result.columns()))
        with self.assertRaises(FrozenInstanceError):
            result.anything = 1  # type: ignore[attr-defined]

    def test_designs(self) -> None:
        derived = jl.derive(RAIL)
        self.looked_at(derived, "derive")
        self.assertEqual(derived.formula("L")[0], "(1 + m_L)·max(L_crit, L_rip)")
        self.assertEqual(derived.components["L"], derived.values["L"])
        checked = jl.check(RAIL)
        self.looked_at(checked, "check")
        self.assertTrue(checked.holds)
        sized = jl.size(RAIL)
        self.looked_at(sized, "size")
        self.assertEqual(set(sized.values), {"L", "C_o", "C_i"})
        self.looked_at(jl.fit(RAIL), "fit")
        self.looked_at(jl.compare([RAIL], ["buck", "sepic"]), "compare")
        self.looked_at(jl.tolerance(RAIL, draws=1), "tolerance")
        self.looked_at(jl.diff(RAIL, RAIL.set({"L": "*2"})), "diff")

    def test_a_point(self) -> None:
        point = jl.simulate(RAIL, input_voltage="24 V", load=2.0)
        self.looked_at(point, "waves")
        waves = point.waveforms(["L.i", "load.v"])
        self.assertEqual({k: v.shape for k, v in waves.items()}, dict.fromkeys(waves, waves["time"].shape))
        step = np.diff(waves["time"])
        mean = float(np.sum(step * (waves["L.i"][1:] + waves["L.i"][:-1]) / 2.0)) / point.period
        self.assertAlmostEqual(mean, 2.0, places=6)
        self.assertAlmostEqual(point.measures("L.i").average, 2.0, places=6)
        self.assertAlmostEqual(point.between("load.v", "0 s", "5 us").average, 5.0, delta=0.05)
        self.assertAlmostEqual(point.spectrum("L.i", 5)[1].frequency, 200e3, places=3)
        self.assertEqual(point.figure().get_size_inches().tolist(), [12.8, 8.0])
        self.looked_at(jl.measure(point, ["L.i"]), "measure")
        self.looked_at(jl.spectrum(point, ["L.i"], 5), "spectrum")
        open_loop = jl.simulate(RAIL, control=0.3)
        self.assertEqual(open_loop.control, 0.3)
        with self.assertRaisesRegex(jl.InputError, "nearest valid name: L"):
            point.waveforms(["Lx.i"])

    def test_studies(self) -> None:
        swept = jl.sweep(RAIL, ["L=20uH,40uH"], measure=["dI_L"])
        self.looked_at(swept, "sweep")
        ripple = swept.frame()["dI_L [A]"]
        self.assertAlmostEqual(ripple[0] / ripple[1], 2.0, delta=5e-3)
        self.looked_at(
            jl.sweep(RAIL, points={"L": ["20uH", "30uH"], "output.current": ["1 A", "2 A"]}), "sweep"
        )
        self.looked_at(jl.modes(RAIL, inputs=2, loads=3), "modes")
        self.looked_at(jl.efficiency(RAIL, points=2), "efficiency")
        self.looked_at(jl.losses(RAIL), "losses")
        self.assertIsNotNone(swept.figure())

    def test_circuits_and_words(self) -> None:
        run = jl.run_circuit(REFERENCE / "buck_dcm.toml")
        self.looked_at(run, "circuit")
        self.looked_at(run.simulation, "waves")
        self.looked_at(jl.list_topologies(), "topologies")
        self.assertIn("expected", str(jl.explain("switching.mode")))
        self.assertEqual(jl.schema(output="check")["$id"], "urn:jump-lane:output-check:1")

    def test_progress_is_told(self) -> None:
        seen: list[tuple[int, int]] = []
        jl.sweep(RAIL, ["output.current=1 A,2 A,3 A"], watch=lambda done, count: seen.append((done, count)))
        self.assertEqual(seen, [(1, 3), (2, 3), (3, 3)])


class Converters(unittest.TestCase):
    def test_files_tables_and_settings(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "rail.toml"
            path.write_text(
                jl.new("buck", {"output.voltage": "5 V", "input.voltage": "9 V..18 V"}), encoding="utf-8"
            )
            rail = jl.load(path, set={"output.voltage_ripple": "10 mV"})
            self.assertEqual(rail.spec.voltage.max, 18.0)
            self.assertEqual(rail.changes[0].text(), "output.voltage_ripple: 60.00 mV → 10.00 mV")
            self.assertEqual(rail.before.spec.output[0].voltage_ripple.value, 0.06)
            with self.assertRaisesRegex(jl.InputError, "No such file"):
                jl.load(Path(folder) / "none.toml")
        self.assertIn("Skerry", jl.new("buck"))
        with self.assertRaisesRegex(jl.InputError, "nearest valid name: output.voltage"):
            jl.new("buck", {"output.volt": "5 V"})

    def test_an_error_says_what_is_wrong(self) -> None:
        with self.assertRaisesRegex(jl.InputError, "nearest valid name: L"):
            jl.load(buck_tables(), set={"chosen.LL": "3 uH"})
        with self.assertRaises(jl.NoResultError):
            jl.simulate(
                jl.load(
                    buck_tables()
                    | {"switching": {"frequency": "200 kHz", "current_ripple": "30 %", "mode": "either"}}
                ),
                load=0.0,
            )

    def test_an_example_is_as_its_file(self) -> None:
        self.assertTrue(example("buck") in jl.new("buck"))
