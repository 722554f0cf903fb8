import json
import unittest

from jump_lane.dissipation.damping import derive_damping
from jump_lane.errors import InputError
from jump_lane.study.damping import compare_damping
from tests.common import CommandCase, buck_tables, design, example_design

RING = {"ring": "24 MHz", "added": "470 pF", "ring_added": "15 MHz"}


class Damping(unittest.TestCase):
    def test_parasitics_by_hand(self) -> None:
        """C_p = 470/((24/15)² − 1) = 301.28 pF, L_p = 1/((2π·24e6)²·C_p) = 145.96 nH."""
        found = derive_damping(design(buck_tables(), damping={"D1": RING}).at(), "D1")
        self.assertAlmostEqual(found["C_p"] * 1e12, 301.28, delta=0.01)
        self.assertAlmostEqual(found["L_p"] * 1e9, 145.96, delta=0.01)
        self.assertAlmostEqual(found["R_d"], found["Z_p"])

    def test_series_damping_of_a_rectifier(self) -> None:
        found = compare_damping(design(buck_tables(), damping={"D1": RING}).at(), "D1")
        assert found.free is not None
        self.assertAlmostEqual(found.peak(found.free) / found.damped["V_u"], 1.0, delta=0.06)
        self.assertLess(found.peak(found.quiet), 1.6 * found.damped["V_X"])
        self.assertAlmostEqual(found.quiet.power("R_d") / found.damped["P_d"], 1.0, delta=0.15)

    def test_clamp_of_a_switch(self) -> None:
        tables = buck_tables() | {"damping": {"S1": RING | {"clamp": "45 V"}}}
        found = compare_damping(design(tables).at(), "S1")
        assert found.free is not None
        self.assertGreater(found.peak(found.free), 60.0)
        self.assertAlmostEqual(found.peak(found.quiet) / 45.0, 1.0, delta=0.06)
        self.assertAlmostEqual(found.quiet.power("R_d") / found.damped["P_d"], 1.0, delta=0.15)

    def test_any_device_of_an_isolated_topology(self) -> None:
        found = compare_damping(example_design("forward").at(), "D2")
        assert found.free is not None
        self.assertLess(found.peak(found.quiet), 0.8 * found.peak(found.free))

    def test_messages(self) -> None:
        for message, device, data in (
            ("no such switch or rectifier; nearest valid name: D1", "D9", {"D9": RING}),
            ("more than .* V was expected", "S1", {"S1": RING | {"clamp": "5 V"}}),
            ("damping.S1: missing", "S1", {"D1": RING}),
        ):
            with self.subTest(message), self.assertRaisesRegex(InputError, message):
                derive_damping(design(buck_tables(), damping=data).at(), device)
        with self.assertRaisesRegex(InputError, "must be below ring"):
            design(buck_tables(), damping={"D1": RING | {"ring_added": "30 MHz"}})


class Commands(CommandCase):
    def test_damp_cross_compare(self) -> None:
        self.run_command("new", "forward", "f.toml")
        out = json.loads(self.run_command("damp", "f.toml", "D2", "--figure", "d.png", "--json").stdout)
        self.assertLess(out["peak_with"], out["peak_without"])
        self.assertTrue((self.folder / "d.png").read_bytes().startswith(b"\x89PNG"))
        self.assertIn("damping.S1: missing", self.run_command("damp", "f.toml", "S1", status=2).stderr)
        self.run_command("new", "multi-output-flyback", "m.toml")
        out = json.loads(self.run_command("cross", "m.toml", "--json").stdout)
        self.assertEqual(len(out["points"]), 16)
        self.assertTrue(all(o["holds"] for o in out["outputs"]))
        text = (
            (self.folder / "m.toml")
            .read_text(encoding="utf-8")
            .replace('voltage_band = "10 %"', 'voltage_band = "1 %"')
        )
        self.write("m.toml", text)
        self.assertIn("strays too far", self.run_command("cross", "m.toml", status=1).stdout)

    def test_compare(self) -> None:
        self.run_command("new", "flyback", "f.toml")
        out = json.loads(self.run_command("compare", "f.toml", "--every", "--json").stdout)
        found = {c["name"]: c for c in out["converters"]}
        self.assertIn("cannot be reached", found["boost"]["failure"])
        self.assertEqual(found["flyback"]["failure"], "")
        self.assertEqual(found["flyback"]["parts"], [2, 1, 2])
        self.assertEqual(found["two-switch-forward"]["parts"][0], 6)
        self.run_command("new", "buck", "b.toml")
        self.assertIn("b.toml", self.run_command("compare", "f.toml", "b.toml").stdout)
        self.assertIn("one file", self.run_command("compare", "f.toml", status=2).stderr)
        bad = self.run_command("compare", "f.toml", "--topology", "flybak", status=2).stderr
        self.assertIn("nearest valid name: flyback", bad)
