"""Every command on converters controlled by frequency and by angles, without a special case."""

import csv
import json
import re
import unittest

import jump_lane as jl
from jump_lane.circuit.control import Control
from jump_lane.errors import InputError
from jump_lane.quantities import FREQUENCY, PHASE, exact, parse
from jump_lane.study import angles
from jump_lane.study.template import example
from tests.common import CommandCase

DOCK, WINCH = "half-bridge-llc", "dual-active-bridge"


class Commands(CommandCase):
    def setUp(self) -> None:
        super().setUp()
        self.write("dock.toml", example(DOCK))
        self.write("winch.toml", example(WINCH))

    def test_new_from_options_is_derived_and_checked(self) -> None:
        self.run_command(
            "new",
            DOCK,
            "new.toml",
            "--input",
            "330V..380V..410V",
            "--output-voltage",
            "24V",
            "--load",
            "4A..20A",
            "--frequency",
            "120k",
        )
        text = (self.folder / "new.toml").read_text()
        self.assertNotIn("Skerry", text)
        done = self.run_command("check", "new.toml", "--set", "switching.frequency_limits.max=400kHz")
        self.assertIn("MET", done.stdout)
        self.run_command(
            "new", WINCH, "both.toml", "--input", "350V..400V", "--output-voltage", "48V", "--load", "5A..40A"
        )
        self.assertIn("forward", self.run_command("check", "both.toml").stdout)

    def test_derive_shows_frequency_phase_and_modes(self) -> None:
        done = self.run_command("derive", "dock.toml")
        self.assertRegex(done.stdout, r"f_s, mode .*\n.*kHz  below")
        self.assertNotIn("boundary at", done.stdout)
        done = self.run_command("derive", "winch.toml")
        self.assertRegex(done.stdout, r"phi, mode")
        self.assertNotIn("rectifier", done.stdout.splitlines()[0])
        formulas = self.run_command("derive", "dock.toml", "--formulas", "f_pk").stdout
        self.assertIn("Gain of the LLC", formulas)

    def test_size_solves_the_capacitors_and_holds(self) -> None:
        for name in ("dock", "winch"):
            with self.subTest(name):
                done = self.run_command("size", f"{name}.toml", "--write")
                self.assertIn("all that is asked holds", " ".join(done.stdout.split()))
                self.assertRegex(done.stdout, r"C_o .*ΔV_o")
                self.run_command("check", f"{name}.toml")

    def test_fit_pick_and_losses(self) -> None:
        done = self.run_command("fit", "dock.toml", "--series", "E12")
        self.assertIn("all that is asked holds", " ".join(done.stdout.split()))
        self.assertNotIn("continuous", done.stdout)
        done = self.run_command("losses", "dock.toml")
        self.assertRegex(done.stdout, r"switching frequency +\d+\.\d+ kHz")
        done = self.run_command("losses", "winch.toml", "--load=-4A")
        self.assertRegex(done.stdout, r"output, simulated +-1\.520 kW")
        self.assertRegex(done.stdout, r"efficiency +9\d\.\d+ %")
        done = self.run_command("efficiency", "dock.toml")
        self.assertIn("45 of 45 points", done.stdout)
        picked = self.run_command("pick", "dock.toml", "--choose", "S1", status=0)
        self.assertIn("Best combinations", picked.stdout)

    def test_sweeps_by_control_component_and_angle(self) -> None:
        self.run_command(
            "sweep",
            "dock.toml",
            "--vary",
            "f_s=80kHz..200kHz/5",
            "--measure",
            "load.v:average",
            "--table",
            "gain.csv",
        )
        rows = list(csv.DictReader((self.folder / "gain.csv").read_text().splitlines()))
        volts = [float(next(v for k, v in row.items() if k.startswith("load.v"))) for row in rows]
        self.assertEqual(volts, sorted(volts, reverse=True))
        done = self.run_command(
            "sweep", "winch.toml", "--vary", "angles.modulation=single,least-rms", "--measure", "L.i:rms"
        )
        self.assertIn("2 of 2 points", done.stdout)
        done = self.run_command("sweep", "dock.toml", "--vary", "L_m=200uH..400uH/3", "--measure", "verdict")
        self.assertIn("3 of 3 points", done.stdout)
        self.assertIn(
            "goes from", self.run_command("sweep", "dock.toml", "--vary", "f_s=1MHz,2MHz", status=2).stderr
        )

    def test_modes_are_named_by_the_topology(self) -> None:
        done = self.run_command(
            "modes", "dock.toml", "--inputs", "3", "--loads", "3", "--figure", "modes.png", "--table", "m.csv"
        )
        self.assertIn("bd below/discontinuous", done.stdout)
        header = (self.folder / "m.csv").read_text().splitlines()[0]
        self.assertIn("f_s [Hz]", header)
        self.assertEqual((self.folder / "modes.png").read_bytes()[:4], b"\x89PNG")

    def test_compare_and_diff(self) -> None:
        done = self.run_command("compare", "dock.toml", "winch.toml")
        self.assertRegex(done.stdout, r"kHz … .*kHz")
        done = self.run_command(
            "diff", "dock.toml", "dock.toml", "--set", "tank.inductance_ratio=4", status=1
        )
        self.assertIn("tank.inductance_ratio", done.stdout)

    def test_json_has_its_form(self) -> None:
        for command in ("derive", "check", "size", "waves", "modes"):
            more = ("--inputs", "2", "--loads", "2") if command == "modes" else ()
            for name in ("dock", "winch"):
                with self.subTest(command=command, name=name):
                    data = json.loads(self.run_command(command, f"{name}.toml", *more, "--json").stdout)
                    self.assertTrue(data["format"].startswith("jumplane/"), data["format"])

    def test_wrong_inputs_are_one_message(self) -> None:
        for change, said in (
            ("tank.quality=-1", "expected more than 0"),
            ("tank.kapacitor=split", "nearest valid name"),
            ("switching.frequency_limits={min=200kHz,max=100kHz}", "min"),
            ("transformer.secondary=current-doubler", "centre-tap; bridge"),
        ):
            with self.subTest(change):
                done = self.run_command("check", "dock.toml", "--set", change, status=2)
                self.assertIn(said, done.stderr)
        done = self.run_command("check", "winch.toml", "--set", "angles.inner_1=200°", status=2)
        self.assertIn("angles.inner_1", done.stderr)
        done = self.run_command("check", "winch.toml", "--set", "angles.outer=1 kHz", status=2)
        self.assertRegex(done.stderr, "angles.outer.*a phase was expected")

    def test_uneven_and_split_tanks(self) -> None:
        done = self.run_command("check", "dock.toml", "--set", "tank.second_leakage=150nH")
        self.assertRegex(" ".join(done.stdout.split()), r"uneven halves: .* through D1 and .* through D2")
        done = self.run_command("check", "dock.toml", "--set", "tank.capacitor=split")
        self.assertRegex(done.stdout, r"C_r, C_r2")


class Controls(unittest.TestCase):
    def test_ranges_follow_the_design(self) -> None:
        control = Control("f_s", "switching frequency", 0.0, 1e9, FREQUENCY, "f_min", "f_max")
        found = control.at({"f_min": 1e5, "f_max": 3e5})
        self.assertEqual((found.lowest, found.highest, found.start), (1e5, 3e5, 3e5))
        self.assertEqual(found.read("f_s = 150 kHz", "--control"), 1.5e5)
        for text, said in (
            ("50 kHz", "goes from"),
            ("D=0.3", "the control is f_s"),
            ("f_s=3 V", "frequency"),
        ):
            with self.assertRaisesRegex(InputError, said):
                found.read(text, "--control")

    def test_a_phase_is_shown_in_three_ways(self) -> None:
        control = Control("phi", "phase", -0.5, 0.5, PHASE)
        self.assertEqual(control.shown(0.125, 8e-6), "0.1250 (45.00°, 1.000 µs)")
        self.assertEqual(control.read("phi=-18°", "--control"), -0.05)

    def test_phases_are_read_as_parts_angles_and_percentages(self) -> None:
        for text, value in (("36°", 0.1), ("0.1", 0.1), ("10 %", 0.1), ("-90 deg", -0.25), (0.2, 0.2)):
            self.assertAlmostEqual(parse(text, PHASE), value)
        with self.assertRaisesRegex(InputError, "a phase was expected"):
            parse("3 us", PHASE)

    def test_all_digits_are_written_where_they_are_wanted(self) -> None:
        value = 1.0 / 3.0
        self.assertLess(
            abs(parse(exact(value, "V", 16).split(" ")[0], PHASE) / 333.3333333333333 - 1.0), 1e-15
        )
        self.assertEqual(exact(value, "V"), "333.333333333 mV")


class Turning(unittest.TestCase):
    def test_the_charge_tells_which_switches_are_soft(self) -> None:
        """At full load all eight swing over by their current; at light load those of the lower voltage swing back."""
        full = angles.turns(jl.load(example(WINCH)).design)
        self.assertEqual({t.switch for t in full}, {f"S{k}" for k in range(1, 9)})
        self.assertTrue(all(t.soft and t.had > t.needed for t in full))
        found = {t.switch: t for t in angles.turns(jl.load(example(WINCH)).design.at(51.2, 1.5))}
        hard = [n for n, t in sorted(found.items()) if not t.soft]
        self.assertEqual(hard, ["S1", "S2", "S3", "S4"])
        self.assertTrue(all(t.left > 20.0 for n, t in found.items() if n in hard))

    def test_instants_are_those_of_the_gates(self) -> None:
        turns = {t.switch: t for t in angles.turns(jl.load(example(WINCH)).design)}
        self.assertAlmostEqual(turns["S1"].time, 180e-9, delta=1e-12)
        self.assertAlmostEqual(turns["S2"].time - turns["S1"].time, 5e-6, delta=1e-12)
        phase = (turns["S5"].time - turns["S1"].time) / 1e-5
        self.assertTrue(re.match(r"0\.08", f"{phase:.4f}"), phase)


if __name__ == "__main__":
    unittest.main()
