"""Gain over frequency, maps over angles, scaling, settings of a point: through the library and the command."""

import csv
import json
import random
import re
import tomllib
import unittest
from pathlib import Path

import jump_lane as jl
from jump_lane.design.derive import derive
from jump_lane.operating.point import solve
from jump_lane.spec import parse_spec
from jump_lane.study.scale import Bases, Factors
from jump_lane.study.template import example
from tests.common import CommandCase


def rows_of(path: Path) -> list[dict[str, str]]:
    return list(csv.DictReader(path.read_text(encoding="utf-8").splitlines()))


class Gains(CommandCase):
    def test_the_map_has_the_corners_the_peaks_and_what_remains(self) -> None:
        self.write("dock.toml", example("half-bridge-llc"))
        done = self.run_command(
            "gain",
            "dock.toml",
            "--frequencies",
            "12",
            "--loads",
            "3",
            "--figure",
            "g.png",
            "--table",
            "g.csv",
        )
        self.assertIn("Corners with the output held", done.stdout)
        for said in ("overload", "output shorted", "frequency to start from"):
            self.assertIn(said, done.stdout)
        self.assertEqual((self.folder / "g.png").read_bytes()[:4], b"\x89PNG")
        rows = rows_of(self.folder / "g.csv")
        self.assertEqual(len(rows), 36)
        data = json.loads(
            self.run_command("gain", "dock.toml", "--frequencies", "12", "--loads", "3", "--json").stdout
        )
        at_resonance = min(data["places"], key=lambda p: abs(p["frequency"] / data["resonance"] - 1.0))
        self.assertAlmostEqual(at_resonance["gain"], 1.0, delta=0.08)
        leading = [p for p in data["places"] if p["reserve"] < 0.0]
        self.assertTrue(leading)
        for corner in data["corners"]:
            self.assertAlmostEqual(corner["frequency"] / corner["derived"], 1.0, delta=0.08)

    def test_the_exact_gain_agrees_with_the_held_corner(self) -> None:
        """What a state at the frequency of a corner gives is what was held there."""
        found = jl.load(example("half-bridge-llc"))
        corner = next(
            c for c in jl.gain(found, frequencies=2, loads=1).corners if c.v_in == 380.0 and c.i_o == 12.0
        )
        held = jl.simulate(found, control=f"{corner.frequency!r} Hz").measures("load.v").average
        self.assertAlmostEqual(held / 54.0, 1.0, delta=1e-6)

    def test_a_converter_without_a_tank_is_refused(self) -> None:
        self.write("rail.toml", example("buck"))
        done = self.run_command("gain", "rail.toml", status=2)
        self.assertIn("the buck has no tank", done.stderr)
        done = self.run_command("angles", "rail.toml", status=2)
        self.assertIn("no two bridges", done.stderr)

    def test_a_corner_that_cannot_be_held_is_told(self) -> None:
        text = example("half-bridge-llc").replace('max = "240 kHz"', 'max = "115 kHz"')
        self.write("low.toml", text)
        done = self.run_command("gain", "low.toml", "--frequencies", "3", "--loads", "1", status=1)
        self.assertIn("bursts", " ".join(done.stdout.split()))

    def test_bursts_hand_over_what_the_highest_frequency_does(self) -> None:
        """The current that is told keeps the output at that very frequency if it is the load."""
        lines = ["switching.frequency_limits.max=125k", "output.current=10mA..12A"]
        self.write("dock.toml", example("half-bridge-llc"))
        sets = [part for line in lines for part in ("--set", line)]
        done = self.run_command("check", "dock.toml", *sets, status=3)
        told = " ".join(done.stdout.split())
        found = re.search(r"in bursts, on for ([\d.]+) % of the time with ([\d.]+) A while it is", told)
        assert found is not None, told
        share, current = float(found[1]) / 100.0, float(found[2])
        self.assertAlmostEqual(share * current, 0.01, delta=1e-4)
        tables = tomllib.loads(example("half-bridge-llc"))
        tables["output"][0]["current"] = {"min": current, "max": 12}
        state, _ = solve(derive(parse_spec(tables, "test")), 2, 0)
        self.assertAlmostEqual(state.control / 125e3, 1.0, delta=2e-3)


class Angles(CommandCase):
    def test_the_map_and_its_points(self) -> None:
        self.write("winch.toml", example("dual-active-bridge"))
        done = self.run_command(
            "angles", "winch.toml", "--points", "7", "--figure", "a.png", "--table", "a.csv"
        )
        self.assertIn("full load", done.stdout)
        self.assertEqual((self.folder / "a.png").read_bytes()[:4], b"\x89PNG")
        rows = rows_of(self.folder / "a.csv")
        self.assertEqual(len(rows), 49)
        data = json.loads(
            self.run_command("angles", "winch.toml", "--points", "5", "--up", "t2", "--json").stdout
        )
        self.assertEqual(data["up"], "t2")
        by = {tuple(s["at"]): s for s in data["spots"]}
        self.assertGreater(by[(0.125, 0.0)]["power"], 0.0)
        self.assertLess(by[(-0.125, 0.0)]["power"], 0.0)
        for point in data["points"]:
            self.assertLessEqual(point["rms"][1], point["rms"][0] * 1.02)
        self.assertIn("reversed", [p["name"] for p in data["points"]])

    def test_what_is_no_angle_is_refused(self) -> None:
        self.write("winch.toml", example("dual-active-bridge"))
        self.assertIn(
            "nearest valid name", self.run_command("angles", "winch.toml", "--up", "t3", status=2).stderr
        )
        self.assertIn(
            "expected another", self.run_command("angles", "winch.toml", "--up", "phi", status=2).stderr
        )


class Scaling(CommandCase):
    def test_bases_and_factors(self) -> None:
        factors = Factors(2.0, 3.0, 5.0)
        for unit, expected in (
            ("A", 1.5),
            ("Ω", 4.0 / 3.0),
            ("H", 4.0 / 15.0),
            ("F", 3.0 / 20.0),
            ("s", 0.2),
            ("", 1.0),
        ):
            self.assertAlmostEqual(factors.of(unit), expected)
        bases = Bases.of(jl.load(example("dual-active-bridge")).design)
        self.assertAlmostEqual(bases.unit("Ω"), 51.2**2 / 1520.0)

    def test_a_normalised_bridge_scaled_to_ten_random_ones(self) -> None:
        normal = tomllib.loads(example("dual-active-bridge"))
        for table in ("parts", "chosen"):
            normal.pop(table, None)
        normal["switching"].pop("dead_time")
        normal["angles"] = {"modulation": "triple", "inner_1": "20°", "inner_2": "12°", "largest": "40°"}
        text = jl.scale(jl.load(normal), voltage=1, power=1, frequency=1).text
        rng = random.Random(4)
        for _ in range(10):
            v, p, f = 10.0 ** rng.uniform(1, 3), 10.0 ** rng.uniform(2, 5), 10.0 ** rng.uniform(4, 6)
            found = jl.scale(jl.load(text), voltage=v, power=p, frequency=f)
            self.assertLess(max(m.apart for m in found.proof), 1e-9)
            self.assertGreater(len(found.proof), 15)
            self.assertAlmostEqual(found.scaled.design.at().inputs[0] / v, 1.0, places=12)

    def test_any_converter_scales(self) -> None:
        for name in ("buck", "half-bridge-llc", "flyback"):
            with self.subTest(name):
                found = jl.scale(jl.load(example(name)), voltage=12, power=3, frequency=1e6)
                self.assertLess(max(m.apart for m in found.proof), 1e-6)

    def test_the_command_writes_the_file_and_shows_three_tables(self) -> None:
        self.write("winch.toml", example("dual-active-bridge"))
        done = self.run_command(
            "scale", "winch.toml", "normal.toml", "--voltage", "1", "--power", "1", "--frequency", "1"
        )
        for title in ("Base quantities", "Scaling factors", "Parts"):
            self.assertIn(title, done.stdout)
        normal = tomllib.loads((self.folder / "normal.toml").read_text())
        self.assertEqual(normal["input"]["voltage"]["nominal"], "1 V")
        self.assertEqual(normal["angles"]["largest"], "36°")
        self.run_command("check", "normal.toml")
        self.run_command("scale", "winch.toml", "normal.toml", "--voltage", "1", status=2)
        self.assertIn(
            "more than 0", self.run_command("scale", "winch.toml", "--voltage", "0", status=2).stderr
        )


class Settings(CommandCase):
    def test_instants_in_seconds_in_three_forms(self) -> None:
        self.write("dock.toml", example("half-bridge-llc"))
        for kind in ("json", "toml", "csv"):
            self.run_command("waves", "dock.toml", "--settings", f"point.{kind}")
        data = json.loads((self.folder / "point.json").read_text())
        again = tomllib.loads((self.folder / "point.toml").read_text())
        self.assertEqual(data["gates"], again["gates"])
        (on, off), period = data["gates"]["S1"][0], data["period"]
        self.assertAlmostEqual(on, 260e-9, delta=1e-14)
        self.assertAlmostEqual(off, period / 2.0, delta=1e-14)
        self.assertAlmostEqual(data["control"]["value"] * period, 1.0, places=9)
        self.assertAlmostEqual(data["components"]["L_r"]["value"] / 65.4e-6, 1.0, delta=0.1)
        names = {row["name"] for row in rows_of(self.folder / "point.csv")}
        self.assertIn("gates.S2.1.2", names)
        self.write("winch.toml", example("dual-active-bridge"))
        self.run_command("waves", "winch.toml", "--settings", "angles.json")
        angles = json.loads((self.folder / "angles.json").read_text())["angles"]
        self.assertAlmostEqual(angles["phi"]["degrees"], 360.0 * angles["phi"]["part"])
        self.assertAlmostEqual(angles["phi"]["seconds"], 1e-5 * angles["phi"]["part"])

    def test_refusals(self) -> None:
        self.write("dock.toml", example("half-bridge-llc"))
        self.assertIn(".json", self.run_command("waves", "dock.toml", "--settings", "p.xml", status=2).stderr)
        self.assertIn(
            "two signals", self.run_command("waves", "dock.toml", "--plane", "C_r.v", status=2).stderr
        )
        self.run_command("waves", "dock.toml", "--plane", "C_r.v,L_r.i", "--figure", "plane.png")
        self.assertEqual((self.folder / "plane.png").read_bytes()[:4], b"\x89PNG")

    def test_the_control_is_typed_in_its_unit(self) -> None:
        self.write("dock.toml", example("half-bridge-llc"))
        self.run_command("measure", "dock.toml", "--control", "f_s=100kHz", "--signal", "load.v")
        self.assertIn(
            "goes from", self.run_command("waves", "dock.toml", "--control", "f_s=1MHz", status=2).stderr
        )
        self.write("winch.toml", example("dual-active-bridge"))
        done = self.run_command("waves", "winch.toml", "--control", "phi=20°")
        self.assertIn("phi = 0.05556 (20.00°", done.stdout)
        rows = self.run_command(
            "sweep", "winch.toml", "--vary", "phi=0.02..0.08/3", "--measure", "load.i:average"
        ).stdout
        self.assertIn("3 of 3 points", rows)


if __name__ == "__main__":
    unittest.main()
