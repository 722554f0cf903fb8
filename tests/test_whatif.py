"""What if: keys and components set without editing the file; differences; many files; keys explained."""

import json
import re
import tomllib
import xml.etree.ElementTree as ElementTree

from jump_lane.errors import InputError
from jump_lane.library.converter import load
from jump_lane.spec.keys import keys
from jump_lane.study.template import example
from jump_lane.study.whatif import changed
from tests.common import CommandCase, buck_tables


class Settings(CommandCase):
    def set(self, *settings: str, ideal: bool = False):
        found = changed(tomllib.loads(example("buck")), settings, ideal, "rail.toml")
        return found.free, found.changes

    def test_absolute_relative_and_short(self) -> None:
        for setting, key, expected in (
            ("L=/10", ("chosen", "L"), "3.3 µH"),
            ("C_o=*2", ("chosen", "C_o"), "94 µF"),
            ("L=22u", ("chosen", "L"), "22u"),
            ("frequency=+10%", ("switching", "frequency"), "242 kHz"),
            ("mode=continuous", ("switching", "mode"), "continuous"),
            ("S1=sample-fet-100v-9m", ("parts", "S1"), "sample-fet-100v-9m"),
            (
                "parts.S1.resistance=*2",
                ("parts", "S1"),
                {"part": "sample-fet-80v-24m", "resistance": "48 mΩ"},
            ),
            ("input.voltage_ripple=-10%", ("input", "voltage_ripple"), "360 mV"),
            ("input.voltage=9V..36V", ("input", "voltage"), {"min": "9V", "max": "36V"}),
            (
                "input.voltage.min=40V",
                ("input", "voltage"),
                {"min": "40V", "nominal": "51.2 V", "max": "58.4 V"},
            ),
            ("margin.voltage=0", ("margin", "voltage"), "0"),
        ):
            with self.subTest(setting):
                tables, changes = self.set(setting)
                self.assertEqual(tables[key[0]][key[1]], expected)
                self.assertEqual(len(changes), 1)

    def test_outputs_are_numbered_and_loads_exclude_each_other(self) -> None:
        tables, _ = self.set("output.power=20W")
        self.assertNotIn("current", tables["output"][0])
        several = tomllib.loads(example("multi-output-flyback"))
        found = changed(several, ["output.2.voltage=6V", "output.voltage=11V"], False, "aux.toml").free
        self.assertEqual([o["voltage"] for o in found["output"]], ["11V", "6V", "24 V"])
        with self.assertRaisesRegex(InputError, "expected 1 to 3"):
            changed(several, ["output.4.voltage=6V"], False, "aux.toml")

    def test_a_figure_of_a_part_leaves_its_others(self) -> None:
        tables = tomllib.loads(example("buck"))
        tables["parts"]["S1"] = {"part": "sample-fet-80v-24m", "current": "12 A", "voltage": "60 V"}
        found = changed(tables, ["parts.S1.resistance=*2"], False, "rail.toml").free["parts"]["S1"]
        self.assertEqual(
            {k: found.get(k) for k in ("current", "voltage")}, {"current": "12 A", "voltage": "60 V"}
        )
        self.assertEqual(found["resistance"], "48 mΩ")

    def test_settings_follow_each_other_and_are_told(self) -> None:
        _, changes = self.set("L=47uH", "L=/2")
        self.assertEqual(
            [c.text() for c in changes], ["chosen.L: 33.00 µH → 47.00 µH", "chosen.L: 47.00 µH → 23.50 µH"]
        )

    def test_a_component_set_leaves_the_others_as_they_are(self) -> None:
        """A tenth of the inductance makes the ripple ten times as large: the capacitor does not grow with it unasked."""
        asked = tomllib.loads(example("buck"))
        del asked["chosen"], asked["parts"]
        before = load(asked).design.components()
        for settings in (["L=/10", "C_o=/2"], ["C_o=/2", "L=/10"]):
            found = load(asked, set=settings)
            after = found.design.components()
            self.assertAlmostEqual(after["L"] / before["L"], 0.1)
            self.assertAlmostEqual(after["C_o"] / before["C_o"], 0.5)
            self.assertAlmostEqual(after["C_i"] / before["C_i"], 1.0)
            self.assertEqual(set(found.asked.chosen), {"L", "C_o"})
            self.assertEqual(found.changes[-1].text(), "C_i stays as it is")
        late = load(asked, set=["output.current=3A"])
        self.assertNotEqual(late.design.components()["C_i"], before["C_i"])

    def test_a_table_of_a_list_is_set_by_its_number(self) -> None:
        asked = tomllib.loads(example("buck"))
        asked["event"] = [{"at": "1 ms", "load": "1 A"}, {"at": "2 ms", "load": "2 A"}]
        found = load(asked, set=["event.load=3 A", "event.2.at=4 ms"])
        self.assertEqual(
            found.tables["event"], [{"at": "1 ms", "load": "3 A"}, {"at": "4 ms", "load": "2 A"}]
        )
        with self.assertRaisesRegex(InputError, "event.3.at: there are 2 of them; expected 1 to 2"):
            load(asked, set=["event.3.at=4 ms"])
        del asked["event"]
        once = load(asked, set=["event.at=1 ms", "event.load=3 A"])
        self.assertEqual(once.tables["event"], [{"at": "1 ms", "load": "3 A"}])
        with self.assertRaisesRegex(InputError, "event.1.at: missing"):
            load(asked, set=["event.load=3 A"])

    def test_naming_a_part_takes_away_the_value_chosen_against_it(self) -> None:
        tables, _ = self.set("L=sample-choke-l-22u")
        self.assertNotIn("L", tables["chosen"])

    def test_what_cannot_be_set_is_said(self) -> None:
        for setting, words in (
            ("L", "expected KEY=VALUE"),
            ("L=", "expected KEY=VALUE"),
            ("freqency=3", "nearest valid name"),
            ("voltage=3", "stands in several tables; expected one of input.voltage"),
            ("chosen.M=3", "no such component of the buck"),
            ("L=*0", "a factor above 0"),
            ("mode=*2", "cannot be scaled"),
            ("output.leds.count=*2", "nothing holds there yet"),
        ):
            with self.subTest(setting), self.assertRaisesRegex(InputError, re.escape(words)):
                self.set(setting)

    def test_a_value_that_cannot_be_is_said_to_be_set(self) -> None:
        with self.assertRaises(InputError) as caught:
            _ = load(tomllib.loads(example("buck")), set=["L=-3"]).design
        self.assertEqual(
            str(caught.exception), "tables --set L=-3: chosen.L: -3 where a positive value was expected"
        )
        with self.assertRaisesRegex(InputError, "^tables: chosen.L: -3"):
            _ = load({**tomllib.loads(example("buck")), "chosen": {"L": -3}}).design

    def test_ideal_is_without_margins_and_parts(self) -> None:
        rail = load(tomllib.loads(example("buck")), ideal=True, set={"mode": "either"})
        sheet = rail.design.sheet
        self.assertEqual({sheet[s].worst for s in ("m_L", "m_V", "R_S1", "V_FD1", "R_L")}, {0.0})
        self.assertAlmostEqual(sheet["D"].corner(0, 1), 12.5 / 44.0)

    def test_a_command_tells_before_and_after(self) -> None:
        self.write("rail.toml", example("buck"))
        done = self.run_command("check", "rail.toml", "--set", "C_o=/10", status=1)
        self.assertIn("Set: chosen.C_o: 47.00 µF → 4.700 µF", done.stdout)
        self.assertRegex(done.stdout, r"Asked +limit +before +worst")
        found = json.loads(self.run_command("derive", "rail.toml", "--set", "L=/2", "--json").stdout)
        self.assertEqual(found["set"], [{"key": "chosen.L", "before": "33.00 µH", "after": "16.50 µH"}])
        self.assertEqual(tomllib.loads((self.folder / "rail.toml").read_text())["chosen"]["L"], "33 µH")

    def test_every_command_with_a_file_takes_settings(self) -> None:
        for command in ("derive", "check", "size", "fit", "pick", "waves", "measure", "sweep", "modes", "cross",
                        "losses", "efficiency", "compare", "diff", "damp", "circuit"):  # fmt: skip
            with self.subTest(command):
                self.assertIn("--set", self.run_command(command, "--help").stdout)


class Differences(CommandCase):
    def test_keys_values_and_verdicts(self) -> None:
        self.write("old.toml", example("buck"))
        self.write(
            "new.toml",
            example("buck")
            .replace('L   = "33 µH"', 'L   = "20 µH"')
            .replace('title    = "Ins', 'title    = "New ins'),
        )
        done = self.run_command("diff", "old.toml", "new.toml", "--json", status=1)
        found = json.loads(done.stdout)
        self.assertEqual([d["what"] for d in found["keys"]], ["title", "chosen.L"])
        self.assertEqual([(d["what"], d["after"]) for d in found["components"]], [("L", "20.00 µH")])
        self.assertIn("dI_L", [d["what"] for d in found["values"]])
        self.assertEqual([d["what"] for d in found["verdicts"]], ["ΔI_L"])
        same = self.run_command("diff", "old.toml", "old.toml").stdout
        self.assertIn("no difference in: keys", same)


class Many(CommandCase):
    def setUp(self) -> None:
        super().setUp()
        self.write("good.toml", example("buck"))
        self.write("small.toml", example("buck").replace('L   = "33 µH"', 'L   = "2 µH"'))
        self.write("wrong.toml", example("buck").replace("frequency ", "freqency "))

    def test_a_line_each_and_the_worst_status(self) -> None:
        done = self.run_command("check", "good.toml", "small.toml", status=1)
        self.assertRegex(done.stdout, r"good.toml +MET: all that is asked holds")
        self.assertRegex(done.stdout, r"small.toml +NOT MET at \d of 9 corners: ΔI_L over by")
        done = self.run_command("check", "small.toml", "wrong.toml", "good.toml", status=2)
        self.assertIn("nearest valid name: frequency", " ".join(done.stdout.split()))

    def test_quiet_says_only_what_is_not_met(self) -> None:
        self.assertEqual(self.run_command("check", "good.toml", "--quiet").stdout.strip(), "")
        done = self.run_command("check", "good.toml", "small.toml", "--quiet", status=1)
        self.assertNotIn("good.toml", done.stdout)

    def test_json_lists_every_file(self) -> None:
        found = json.loads(self.run_command("check", "good.toml", "wrong.toml", "--json", status=2).stdout)
        self.assertEqual(
            [(f["file"], f["exit_status"]) for f in found["files"]], [("good.toml", 0), ("wrong.toml", 2)]
        )
        self.assertTrue(found["files"][0]["check"]["holds"])

    def test_junit_has_a_case_for_everything_asked(self) -> None:
        self.run_command("check", "good.toml", "small.toml", "wrong.toml", "--junit", "v.xml", status=2)
        suites = ElementTree.parse(self.folder / "v.xml").getroot().findall("testsuite")
        self.assertEqual(
            [(s.get("name"), s.get("errors")) for s in suites],
            [("good.toml", "0"), ("small.toml", "0"), ("wrong.toml", "1")],
        )
        self.assertGreater(int(suites[0].get("tests", "0")), 10)
        failed = [c.get("name") for c in suites[1].iter("testcase") if c.find("failure") is not None]
        self.assertTrue(any(name.startswith("ΔI_L") for name in failed), failed)
        self.run_command("check", "good.toml", "--junit", "v.xml", status=2)

    def test_standard_input(self) -> None:
        import io
        import sys
        from unittest.mock import patch

        with patch.object(sys, "stdin", io.StringIO(example("buck"))):
            self.assertIn("MET", self.run_command("check", "-").stdout)


class Explained(CommandCase):
    def test_every_key_is_explained(self) -> None:
        for path, key in keys().items():
            if "DEVICE" not in path and "NAME" not in path:
                text = self.run_command("explain", path).stdout
                self.assertIn(path, text)
            self.assertTrue(key.meaning, path)

    def test_names_numbers_and_figures_of_parts(self) -> None:
        for given, words in (
            ("output.2.voltage", "Average output voltage"),
            ("damping.S1.ring", "rings"),
            ("parts.S1.resistance", "mosfet"),
            ("parts.C_o.count", "parallel"),
            ("margin", "margin.spike"),
        ):
            self.assertIn(words, self.run_command("explain", given).stdout)
        for wrong, words in (
            ("mdoe", "switching.mode"),
            ("output.volt", "output.voltage"),
            ("parts.S1.resistence", "resistance"),
        ):
            self.assertIn(words, self.run_command("explain", wrong, status=2).stderr)


class OneScreen(CommandCase):
    def test_every_example_is_derived_on_one_screen(self) -> None:
        from jump_lane.topologies import NAMES

        for name in NAMES:
            self.write("a.toml", example(name))
            lines = self.run_command("derive", "a.toml").stdout.rstrip().splitlines()
            with self.subTest(name):
                self.assertLessEqual(len(lines), 50)
                self.assertLessEqual(max(map(len, lines)), 120)

    def test_more_on_request(self) -> None:
        self.write("a.toml", example("buck"))
        every = self.run_command("derive", "a.toml", "--all").stdout
        for title in (
            "Asked and given",
            "Towards the components",
            "Operation",
            "Currents, voltages and ratings",
        ):
            self.assertIn(title, every)
        one = self.run_command("derive", "a.toml", "C_i", "--formulas").stdout
        self.assertIn("C_i = ", one)
        self.assertNotIn("I_S1rms = ", one)
        self.assertLessEqual(max(map(len, one.splitlines())), 120)
        self.assertIn(
            "nearest valid name: C_o",
            self.run_command("derive", "a.toml", "C_oo", "--formulas", status=2).stderr,
        )
        self.assertIn(
            "switching.frequency gives 220.0 kHz",
            self.run_command("derive", "a.toml", "f_s", "--formulas", status=2).stderr,
        )

    def test_what_sets_each_component(self) -> None:
        self.write("a.toml", example("buck"))
        text = self.run_command("derive", "a.toml").stdout
        for words in (
            "ΔI_L ≤ 1.8 A at 58.4 V, 6 A; +20 %",
            "ΔV_o ≤ 60 mV at 58.4 V, 6 A; +20 %",
            "ΔV_i ≤ 400 mV at 44 V, 6 A; +20 %",
        ):
            self.assertIn(words, text)
        tables = buck_tables()
        del tables["switching"]["current_ripple"]
        from jump_lane.judge.derived import sized_by

        design = load(tables).design
        self.assertEqual(sized_by(design, design.sheet["L"]), "continuous conduction from 500 mA on; +20 %")
