"""The commands losses, efficiency and pick on files, as a user runs them."""

import csv
import io
import json
import tomllib

from tests.common import CommandCase

RAIL = """
title = "Hydrophone supply"
topology = "buck"
input = { voltage = { min = "20 V", nominal = "24 V", max = "30 V" } }
switching = { frequency = "200 kHz", current_ripple = "40 %", mode = "either" }
driver = { voltage = "10 V" }   # of the gates

[[output]]
voltage = "5 V"
current = { min = "0.5 A", max = "4 A" }
voltage_ripple = "2 %"

[chosen]
L = "60 µH"    # from the lab

[parts]
S1 = "sample-fet-60v-12m"
D1 = "sample-schottky-60v-10a"
C_o = "sample-electrolytic-25v-470u"
C_i = { part = "sample-ceramic-50v-10u", count = 4 }
"""
CHOKE = RAIL + 'L = "sample-choke-m-47u"\n'


class Losses(CommandCase):
    def test_tables_json_csv_and_figure(self) -> None:
        self.write("a.toml", CHOKE)
        done = self.run_command("losses", "a.toml", "--table", "a.csv", "--figure", "a.png")
        for words in ("turn-on overlap", "sample-fet-60v-12m", "left unexplained", "efficiency", "°C"):
            self.assertIn(words, done.stdout)
        self.assertTrue((self.folder / "a.png").read_bytes().startswith(b"\x89PNG"))
        data = json.loads(self.run_command("losses", "a.toml", "--load", "2 A", "--json").stdout)
        self.assertLess(data["residual"], 1e-6)
        total = sum(x["power"] for x in data["losses"])
        self.assertAlmostEqual(total, data["simulated"] + data["added"], places=9)
        self.assertAlmostEqual(
            data["efficiency"], data["output_power"] / (data["input_power"] + data["added"]), places=9
        )
        rows = list(csv.DictReader(io.StringIO((self.folder / "a.csv").read_text())))
        self.assertIn("gate drive", {r["mechanism"] for r in rows})

    def test_a_broken_rating_is_exit_status_1(self) -> None:
        self.write("a.toml", CHOKE.replace("sample-fet-60v-12m", "sample-fet-30v-5m"))
        done = self.run_command("losses", "a.toml", status=1)
        self.assertIn("S1: voltage of 24.36 V with a margin of 30 % needs 31.67 V", done.stdout)
        self.assertIn("broken", done.stdout)
        for command, words in (("derive", "not kept: S1: voltage of"), ("check", "voltage of S1 over by")):
            self.assertIn(words, self.run_command(command, "a.toml", status=1).stdout, command)

    def test_runaway_is_exit_status_3(self) -> None:
        part = (
            '{ resistance = "0.4 Ω", resistance_curve = "25 °C: 100 %; 125 °C: 200 %", '
            'junction_ambient = "400 K/W" }'
        )
        self.write("a.toml", CHOKE.replace('"sample-fet-60v-12m"', part))
        done = self.run_command("losses", "a.toml", "--json", status=3)
        self.assertEqual(json.loads(done.stdout)["code"], "thermal-runaway")

    def test_missing_figures_are_listed(self) -> None:
        self.write("a.toml", RAIL)
        done = self.run_command("losses", "a.toml")
        self.assertIn("Not known", done.stdout)
        self.assertIn("Assumed: through 5.000 Ω, discharged through 3.000 Ω, ambient", done.stdout)
        self.assertRegex(done.stdout, r"L +core_k.* core losses are left out")

    def test_a_catalogue_of_ones_own(self) -> None:
        self.write("a.toml", CHOKE.replace("sample-fet-60v-12m", "own-1"))
        self.write("own.csv", "part,kind,resistance,voltage,current\nown-1,mosfet,9 mΩ,60 V,20 A\n")
        self.assertIn("no part 'own-1'", self.run_command("losses", "a.toml", status=2).stderr)
        done = self.run_command("losses", "a.toml", "--catalogue", "own.csv")
        self.assertIn("own-1", done.stdout)
        self.write(
            "b.toml", CHOKE.replace("sample-fet-60v-12m", "own-1") + '[catalogue]\nfiles = ["own.csv"]\n'
        )
        self.run_command("losses", "b.toml")
        self.assertIn(
            "No such file", self.run_command("losses", "a.toml", "--catalogue", "x.csv", status=2).stderr
        )

    def test_a_catalogue_is_found_from_wherever_the_command_runs(self) -> None:
        (self.folder / "rail").mkdir()
        self.write("rail/own.csv", "part,kind,resistance,voltage,current\nown-1,mosfet,9 mΩ,60 V,20 A\n")
        text = CHOKE.replace("sample-fet-60v-12m", "own-1") + '[catalogue]\nfiles = ["own.csv"]\n'
        self.write("rail/a.toml", text)
        self.run_command("derive", "rail/a.toml")
        self.run_command("sweep", "rail/a.toml", "--vary", "switching.frequency=150k,250k")

    def test_nothing_is_written_where_a_file_exists(self) -> None:
        self.write("a.toml", CHOKE)
        self.write("a.png", "kept")
        self.run_command("losses", "a.toml", "--figure", "a.png", status=2)
        self.assertEqual((self.folder / "a.png").read_text(), "kept")


class Efficiency(CommandCase):
    def test_every_study(self) -> None:
        self.write("a.toml", CHOKE + '[efficiency]\nweights = { "50 %" = 0.5, "100 %" = 0.5 }\n')
        for over, words in (
            ("load", "weighted efficiency"),
            ("map", "20.00 V"),
            ("frequency", "best frequency for these parts"),
            ("temperature", "-40.0 °C"),
        ):
            with self.subTest(over):
                done = self.run_command(
                    "efficiency", "a.toml", "--over", over, "--points", "3", "--figure", f"{over}.png"
                )
                self.assertIn(words, done.stdout)
                self.assertGreater((self.folder / f"{over}.png").stat().st_size, 10_000)

    def test_too_low_a_weighted_efficiency_is_exit_status_1(self) -> None:
        self.write("a.toml", CHOKE + '[efficiency]\nweights = { "100 %" = 1 }\nleast = "99.9 %"\n')
        done = self.run_command("efficiency", "a.toml", "--points", "2", "--json", status=1)
        self.assertLess(json.loads(done.stdout)["weighted"], 0.999)

    def test_one_process_or_two_make_no_difference(self) -> None:
        self.write("a.toml", CHOKE)
        one, two = (
            json.loads(
                self.run_command("efficiency", "a.toml", "--points", "3", "--processes", n, "--json").stdout
            )
            for n in ("1", "2")
        )
        self.assertEqual(one, two)

    def test_points_without_result_are_exit_status_3(self) -> None:
        part = '{ resistance = "0.4 Ω", junction_ambient = "900 K/W" }'
        self.write("a.toml", CHOKE.replace('"sample-fet-60v-12m"', part))
        done = self.run_command("efficiency", "a.toml", "--points", "3", status=3)
        self.assertIn("would reach", done.stdout)


class Pick(CommandCase):
    def test_the_best_part_is_written_and_the_file_still_holds(self) -> None:
        path = self.write("a.toml", RAIL)
        done = self.run_command(
            "pick", "a.toml", "--choose", "L", "--choose", "S1", "--most", "9", "--top", "2", "--write"
        )
        self.assertIn("why the others fell out", done.stdout)
        text = path.read_text()
        tables = tomllib.loads(text)
        self.assertNotIn("L", tables["chosen"])
        self.assertTrue(tables["parts"]["L"].startswith("sample-choke-"))
        self.assertIn("# of the gates", text)
        self.run_command("check", "a.toml")
        self.run_command("losses", "a.toml")

    def test_json_and_ranking_by_a_weight(self) -> None:
        self.write("a.toml", RAIL)
        done = self.run_command(
            "pick", "a.toml", "--by", "loss=1,cost=2", "--most", "20", "--top", "3", "--json"
        )
        data = json.loads(done.stdout)
        scores = [b["score"] for b in data["best"]]
        self.assertEqual(scores, sorted(scores))
        best = data["best"][0]
        self.assertAlmostEqual(best["score"], best["loss"] + 2.0 * best["cost"])
        self.assertEqual(list(data["components"]), ["L"])

    def test_only_ones_own_catalogue_is_tried(self) -> None:
        self.write("a.toml", RAIL)
        heading = "part,kind,value,resistance,saturation_current,rms_current,thermal_resistance\n"
        self.write(
            "own.csv",
            heading + "own-1,inductor,33 µH,20 mΩ,9 A,6 A,20 K/W\nown-2,inductor,1 µH,1 mΩ,9 A,6 A,20 K/W\n",
        )
        done = self.run_command("pick", "a.toml", "--catalogue", "own.csv", "--choose", "L")
        self.assertIn("own-1", done.stdout)
        self.assertIn("1 value too small", done.stdout)

    def test_wrong_calls(self) -> None:
        self.write("a.toml", RAIL)
        for arguments, words in (
            (("--by", "price"), "--by price"),
            (("--choose", "L2"), "--choose L2: nearest valid name: L"),
            (("--choose", "T"), "valid names"),
        ):
            self.assertIn(words, self.run_command("pick", "a.toml", *arguments, status=2).stderr)


class Fit(CommandCase):
    def test_parts_of_a_catalogue_are_fitted_and_written(self) -> None:
        path = self.write("a.toml", CHOKE.replace('[chosen]\nL = "60 µH"    # from the lab\n', ""))
        heading = "part,kind,value,resistance,saturation_current,voltage\n"
        self.write(
            "own.csv", heading + "own-1,inductor,33 µH,20 mΩ,9 A,\nown-2,capacitor,100 µF,5 mΩ,,50 V\n"
        )
        done = self.run_command("fit", "a.toml", "--catalogue", "own.csv", "--write")
        self.assertIn("own-1", done.stdout)
        tables = tomllib.loads(path.read_text())
        self.assertEqual(tables["parts"]["L"], "own-1")
        self.assertNotIn("L", tables.get("chosen", {}))
        self.assertEqual(tables["catalogue"]["files"], ["own.csv"])
        self.assertEqual(tables["parts"]["S1"], "sample-fet-60v-12m")
        self.run_command("check", "a.toml")


class Schema(CommandCase):
    def test_that_of_a_catalogue(self) -> None:
        found = json.loads(self.run_command("schema", "--catalogue").stdout)
        self.assertIn("table", found["properties"])
