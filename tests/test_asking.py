"""A specification as engineers write it: loads in any unit, turns, ripple only where it is needed, controls by name."""

import unittest

from jump_lane.design.derive import derive
from jump_lane.errors import ConvergenceError, InputError
from jump_lane.operating.point import solve
from jump_lane.spec import parse_spec
from jump_lane.study.axes import read_axis
from jump_lane.study.check import check
from jump_lane.study.sweep import Sweep, columns, run
from jump_lane.topologies import NAMES, page
from tests.common import buck_tables, design, example_design
from tests.test_faults import called


def flyback_tables(**transformer):
    return {
        "topology": "flyback",
        "input": {"voltage": {"min": 36, "max": 60}},
        "output": [{"voltage": 12, "current": {"min": 0.2, "max": 1}, "voltage_ripple": "1 %"}],
        "switching": {"frequency": "100 kHz"},
        "transformer": transformer,
    }


class Loads(unittest.TestCase):
    def output(self, **keys):
        return buck_tables() | {"output": [{"voltage": 5, "voltage_ripple": "1 %", **keys}]}

    def test_power_and_resistance_are_currents_at_the_output_voltage(self) -> None:
        for keys, wanted in (
            ({"power": {"min": "5 W", "nominal": "10 W", "max": "20 W"}}, (1.0, 2.0, 4.0)),
            ({"power": "20 W"}, (4.0, None, 4.0)),
            ({"resistance": {"min": "1.25 Ω", "nominal": "2 Ω", "max": "5 Ω"}}, (1.0, 2.5, 4.0)),
        ):
            current = parse_spec(self.output(**keys), "test").output[0].current
            self.assertEqual((current.min, current.nominal, current.max), wanted)

    def test_two_ways_at_once_and_none_are_refused(self) -> None:
        with self.assertRaisesRegex(InputError, "read current and power; expected one of"):
            parse_spec(self.output(current=1, power="5 W"), "test")
        with self.assertRaisesRegex(
            InputError, "read none of them; expected one of current, power and resistance"
        ):
            parse_spec(self.output(), "test")
        with self.assertRaisesRegex(InputError, "resistance.min"):
            parse_spec(self.output(resistance={"min": 0, "max": 3}), "test")

    def test_a_string_of_leds_excludes_a_voltage(self) -> None:
        leds = {"threshold": "2.8 V", "resistance": "0.4 Ω", "count": 1}
        for keys in ({"voltage": 5}, {"power": "3 W", "voltage": None}, {"load": "current", "voltage": None}):
            said = next(k for k, v in keys.items() if v is not None)
            tables = self.output(current=0.5, leds=leds, **{k: v for k, v in keys.items() if k != "voltage"})
            tables["output"][0] = {k: v for k, v in (tables["output"][0] | keys).items() if v is not None}
            with self.assertRaisesRegex(InputError, f"leds and {said} exclude each other"):
                parse_spec(tables, "test")

    def test_no_load_is_refused_behind_a_diode_and_held_by_a_switch(self) -> None:
        tables = self.output(current={"min": 0, "max": 4})
        with self.assertRaisesRegex(InputError, "expected a smallest load above 0 A, or switching.rectifier"):
            design(tables, switching__mode="either")
        self.assertEqual(check(design(tables, switching__rectifier="synchronous")).exit_status, 0)
        del tables["switching"]["current_ripple"]
        with self.assertRaisesRegex(InputError, "switching.current_ripple: expected, as the load goes down"):
            design(tables, switching__rectifier="synchronous")


class Ripple(unittest.TestCase):
    def test_without_one_the_boundary_sizes(self) -> None:
        tables = buck_tables()
        del tables["switching"]["current_ripple"]
        found = design(tables, margin={"inductance": 0})
        sheet = found.sheet
        self.assertAlmostEqual(sheet["L"].worst / sheet["L_crit"].values.max(), 1.0, delta=1e-9)
        self.assertAlmostEqual(sheet["L"].worst, 5 * (1 - 5 / 30) / (2 * 0.5 * 200e3), delta=1e-9)
        self.assertEqual([a.symbol for a in found.asks if a.symbol.startswith("dI")], [])
        with self.assertRaisesRegex(
            InputError, "expected, as mode = 'either' leaves the inductance to the ripple"
        ):
            design(tables, switching__mode="either")

    def test_the_charge_gets_the_whole_ripple_unless_a_resistance_is_given(self) -> None:
        plain, shared = design(buck_tables()).sheet, design(buck_tables(), margin={"esr_share": 0.5}).sheet
        self.assertAlmostEqual(shared["C_o"].worst / plain["C_o"].worst, 2.0, delta=1e-9)
        given = design(buck_tables() | {"parts": {"C_o": {"resistance": "10 mΩ"}}}).sheet
        left = 1.0 - 10e-3 * given["dI_L"].values.max() / 0.05
        self.assertAlmostEqual(given["C_o"].worst / plain["C_o"].worst, 1.0 / left, delta=0.15 / left)


class Turns(unittest.TestCase):
    def test_a_given_ratio_is_taken(self) -> None:
        for text, ratio in (("2 : 1", 2.0), ("24:16", 1.5), (0.8, 0.8)):
            self.assertEqual(
                derive(parse_spec(flyback_tables(turns_ratio=text), "t")).sheet["n"].worst, ratio
            )

    def test_several_secondaries(self) -> None:
        tables = flyback_tables(turns_ratio="30 : 10 : 4") | {"topology": "multi-output-flyback"}
        tables["output"] = [*tables["output"], {"voltage": 5, "current": 1, "voltage_ripple": "2 %"}]
        sheet = derive(parse_spec(tables, "t")).sheet
        self.assertEqual((sheet["n"].worst, sheet["n_2"].worst), (3.0, 7.5))

    def test_what_cannot_be_meant_is_refused(self) -> None:
        for changes, said in (
            ({"turns_ratio": "2 : 1 : 1"}, "read 3 numbers of turns; expected one for the primary"),
            ({"turns_ratio": "2 to 1"}, "where turns of primary and secondaries were expected"),
            ({"turns_ratio": "0 : 1"}, "where turns of primary and secondaries were expected"),
            ({"turns_ratio": "2 : 1", "primary_turns": 20}, "primary_turns exclude each other"),
        ):
            with self.assertRaisesRegex(InputError, said):
                derive(parse_spec(flyback_tables(**changes), "t"))
        with self.assertRaisesRegex(InputError, "the buck has no transformer"):
            design(buck_tables() | {"transformer": {"turns_ratio": "2 : 1"}})


class Outputs(unittest.TestCase):
    def tables(self, kind: str):
        found = flyback_tables() | {"topology": "multi-output-flyback"}
        found["output"] = [
            *found["output"],
            {"voltage": 6, "current": 1, "voltage_ripple": "2 %", "load": kind, "voltage_band": "20 %"},
        ]
        found["switching"] |= {"current_ripple": "60 %", "mode": "either"}
        return found

    def test_every_load_takes_what_its_kind_says(self) -> None:
        for kind, power in (("resistance", 2.0), ("current", 1.0), ("power", 0.0)):
            found = derive(parse_spec(self.tables(kind), "t")).at()
            _, recording = solve(found)
            v, taken = recording.measures("load2.v").average, -recording.power("source")
            lost = sum(p for b, p in recording.powers.items() if not b.startswith(("load", "source")))
            wanted = 6.0 * (v / 6.0) ** power + 12.0
            self.assertAlmostEqual(taken - lost, wanted, delta=2e-3 * wanted)
            sheet = found.sheet
            self.assertAlmostEqual(
                sheet["I_u2"].worst, (sheet["V_e2"].worst / 6.0) ** (power - 1.0), delta=1e-9
            )
            self.assertAlmostEqual(sheet["P_o"].worst, 18.0, delta=1e-9)

    def test_eight_outputs_are_all_judged(self) -> None:
        tables = self.tables("current")
        for k in range(6):
            tables["output"].append({"voltage": 5 + 3 * k, "current": 0.2, "voltage_ripple": "3 %"})
        found = check(derive(parse_spec(tables, "t")))
        symbols = {f.symbol for c in found.corners for f in c.findings if f.asked is not None}
        self.assertLess({f"dV_o{k}" for k in range(2, 9)} | {f"V_o{k}" for k in range(2, 9)}, symbols)

    def test_a_string_of_leds_is_held_or_refused(self) -> None:
        tables = self.tables("current")
        tables["output"][1] = {
            "leds": {"threshold": 2, "resistance": 1, "count": 2}, "current": 1, "voltage_ripple": "2 %",
        }  # fmt: skip
        with self.assertRaisesRegex(InputError, "expected the string as the first output"):
            derive(parse_spec(tables, "t"))


class Controls(unittest.TestCase):
    def test_every_page_says_its_control(self) -> None:
        for name in NAMES:
            control = page(name).control
            self.assertTrue(control.words and control.lowest < control.highest, name)
            self.assertEqual(control.read(f"{control.symbol} = {control.highest}", "x"), control.highest)
            with self.assertRaisesRegex(InputError, "goes from"):
                control.read(str(1.01 * control.highest), "x")

    def test_a_control_is_swept_like_a_key(self) -> None:
        found = design(buck_tables(), switching__mode="either")
        axis = read_axis("D=0.2,0.6", found)
        work = Sweep(found, (axis,), columns(found, ["load.v:average"]))
        rows = sorted(run(work), key=lambda r: r.index)
        self.assertEqual([r.control for r in rows], [0.2, 0.6])
        for row in rows:
            self.assertAlmostEqual(row.measures[0], 24.0 * row.control, delta=1e-3)
        with self.assertRaisesRegex(InputError, "the duty ratio D goes from 0 to 1"):
            read_axis("D=0.5,1.5", found)

    def test_nothing_in_gives_nothing_out(self) -> None:
        found = example_design("buck").grid((0.0,), (1.0,))
        state, recording = solve(found, control=0.4)
        self.assertEqual((state.control, recording.measures("load.v").peak), (0.4, 0.0))
        with self.assertRaisesRegex(
            ConvergenceError,
            "cannot be held at 12.50 V: 0 V was reached; less resistance or another topology",
        ):
            solve(found)

    def test_an_output_beyond_the_peak_is_said_in_volts(self) -> None:
        """Quadratic boost with resistances that keep it below what the formula of its peak lets through."""
        tables = {
            "topology": "quadratic-boost",
            "input": {"voltage": 198.0},
            "output": [{"voltage": 1200.0, "current": 8.8e-5, "voltage_ripple": "2 %"}],
            "switching": {"frequency": "100 kHz", "current_ripple": "20 %", "mode": "either"},
            "parts": {
                "S1": {"resistance": "69 kΩ"},
                "L1": {"resistance": "50 kΩ"},
                "D2": {"resistance": "60 kΩ"},
            },
        }
        with self.assertRaises((ConvergenceError, InputError)) as caught:
            solve(derive(parse_spec(tables, "t")).at())
        self.assertRegex(
            str(caught.exception),
            r"1\.200 kV cannot be (held|reached).*(at most about .* V, near D|does not exceed)",
        )

    def test_the_command_takes_it_by_name(self) -> None:
        import jump_lane

        path = str(next(p for p in jump_lane.__path__)) + "/examples/buck.toml"
        status, out, _ = called("waves", path, "--control", "D=30 %", "--json")
        self.assertEqual(status, 0)
        self.assertIn("D = 0.3000", out)
        status, _, err = called("waves", path, "--control", "f=30 %")
        self.assertEqual(status, 2)
        self.assertIn("the control is D, the duty ratio (0 to 1", err)


if __name__ == "__main__":
    unittest.main()
