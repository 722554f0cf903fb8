"""Cases that once came out wrong, or that mean harm: each with what is right."""

import contextlib
import io
import json
import tempfile
import tomllib
import unittest
from pathlib import Path

import numpy as np

from jump_lane.circuit.file import load
from jump_lane.cli.app import run
from jump_lane.design.derive import derive
from jump_lane.spec import load as load_spec
from jump_lane.study.check import check
from jump_lane.switching.balance import balance, jumps, require
from jump_lane.switching.record import Recording, record
from jump_lane.switching.steady import steady_state

FAULTS = Path(__file__).parent / "faults"


def recorded(name: str) -> Recording:
    return record(steady_state(load(FAULTS / "circuits" / f"{name}.toml").circuit))


def called(*arguments: str) -> tuple[int, str, str]:
    """Exit status, standard output and standard error of the program's own main."""
    out, err = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        status = run(list(arguments))
    return status, out.getvalue(), err.getvalue()


class Circuits(unittest.TestCase):
    def test_a_pulse_within_a_step_charges_the_output(self) -> None:
        self.assertAlmostEqual(recorded("missed_pulse").measures("Co.v").average, 1.191266, places=6)

    def test_a_ringing_that_reaches_the_clamp_by_a_third_of_a_percent_is_clamped(self) -> None:
        found = recorded("missed_clamp")
        self.assertGreater(found.fraction("D"), 0.0)
        self.assertLess(found.measures("D.v").maximum, 1e-3)

    def test_a_diode_that_the_ringing_drives_forward_conducts(self) -> None:
        found = recorded("missed_ringing_psfb_coss")
        require(found)
        self.assertGreater(found.measures("DB4.i").maximum, 1.0)

    def test_peaks(self) -> None:
        for name, signal, measure, expected in (
            ("missed_extreme", "Rz.v", "maximum", 2.7476),
            ("peak_understated_psfb_coss", "DB2.i", "maximum", 5.5504),
            ("peak_understated_flyback_snubber", "Rs.i", "minimum", -1.493),
        ):
            with self.subTest(name):
                found = getattr(recorded(name).measures(signal), measure)
                self.assertAlmostEqual(found / expected, 1.0, delta=3e-4)

    def test_a_diode_without_current_does_not_conduct(self) -> None:
        found = recorded("idle_diode_two_switch_forward")
        for name in ("D3", "D4"):
            self.assertAlmostEqual(found.fraction(name), 0.352, places=3)
        self.assertFalse(any({"D3", "D4"} & set(s.conducting) for s in found.stretches[-1:]))

    def test_stiff_circuits_close_their_balances(self) -> None:
        for name in (
            "balance_refused_half_bridge_snubber",
            "balance_refused_stiff_psfb",
            "slow_psfb_parasitics",
            "slow_dab_parasitics",
        ):
            with self.subTest(name):
                found = balance(recorded(name))
                self.assertLess(max(found.energy, found.charge, found.volt_seconds), 1e-8)

    def test_a_current_that_is_cut_off_is_no_result_but_can_be_seen(self) -> None:
        file = str(FAULTS / "circuits" / "current_cut_off_buck.toml")
        self.assertIn("L1 jumps", next(jumps(recorded("current_cut_off_buck"))))
        status, out, err = called("circuit", file, "--json")
        self.assertEqual((status, json.loads(out)["code"]), (3, "no-result"))
        self.assertIn("L1 jumps from", err)
        status, out, _ = called("circuit", file, "--json", "--force")
        data = json.loads(out)
        self.assertEqual((status, data["states_jump"]), (3, True))
        self.assertTrue(any("L1 jumps" in text for text in data["doubts"]))


class Files(unittest.TestCase):
    def checked(self, name: str):
        return check(derive(load_spec(FAULTS / "files" / f"{name}.toml")))

    def sheet(self, name: str):
        return derive(load_spec(FAULTS / "files" / f"{name}.toml")).sheet

    def test_the_zero_of_continuous_conduction_has_no_value_without_it(self) -> None:
        self.assertTrue(np.isnan(self.sheet("clean_boost_dcm_rhp_zero")["f_z"].worst))

    def test_ideal_parts_bring_no_warning(self) -> None:
        status, _, err = called("check", str(FAULTS / "files" / "clean_boost_ideal_runtimewarning.toml"))
        self.assertEqual((status, err), (0, ""))

    def test_what_is_right_holds_and_agrees(self) -> None:
        for name in (
            "clean_buck_sync_no_load",
            "clean_interleaved_cpl_traceback",
            "clean_buckboost_reversed_ripple_esr",
            "clean_flyback_offline_negative_Dk2",
            "clean_flyback_sync_dead_time_clamp",
            "clean_flyback_sync_no_load_refused",
        ):
            with self.subTest(name):
                found = self.checked(name)
                self.assertEqual(found.exit_status, 0)
                for corner in found.corners:
                    for finding in corner.findings:
                        self.assertLess(abs(finding.deviation), 0.2, (corner.index, finding))

    def test_reversed_conduction_swings_the_esr_from_peak_to_valley(self) -> None:
        design = derive(load_spec(FAULTS / "files" / "clean_buckboost_reversed_ripple_esr.toml"))
        i, j = np.argwhere(design.sheet.modes == "reversed")[0]
        at = design.sheet.at(int(i), int(j))
        self.assertAlmostEqual(at["dV_oESR"], at["R_Co"] * (at["I_Lpk"] - at["I_Lv"]))

    def test_the_fall_of_a_clamped_current_takes_some_time(self) -> None:
        self.assertGreater(self.sheet("clean_flyback_offline_negative_Dk2")["D_k"].values.min(), 0.0)

    def test_a_lower_turns_ratio_makes_room_for_lost_duty(self) -> None:
        sheet = self.sheet("clean_psfb_refused_duty_loss")
        self.assertLess(sheet["k_n"].worst, 1.0)
        self.assertLess(sheet["D"].worst, sheet["D_lim"].worst)

    def test_one_core_breaks_ripples_and_is_told(self) -> None:
        found = self.checked("clean_cuk_coupled_ripple")
        broken = {f.symbol for c in found.corners for f in c.findings if not f.holds}
        self.assertEqual((found.exit_status, broken), (1, {"dV_i", "dV_o"}))

    def test_ratings_hold_for_what_the_circuit_does(self) -> None:
        found = self.checked("clean_quadratic_boost_boundary_rating")
        stress = next(s for s in found.stresses if s.component == "D2")
        simulated = max(f.simulated for c in found.corners for f in c.findings if f.symbol == "V_D2")
        self.assertGreaterEqual(stress.blocked, simulated)

    def test_a_mode_that_synchronous_rectifiers_cannot_have_is_refused(self) -> None:
        status, _, err = called("derive", str(FAULTS / "files" / "clean_sync_discontinuous_accepted.toml"))
        self.assertEqual(status, 2)
        self.assertIn("synchronous rectifiers let the current reverse", err)

    def test_every_output_is_judged_at_all_combinations_of_loads(self) -> None:
        tables = tomllib.loads(
            (FAULTS / "files" / "clean_multi_output_ripple_and_band_not_judged.toml").read_text()
        )
        tables["output"][1]["voltage_band"] = "0.1 %"
        tables["chosen"] = {"C_o2": "1 µF"}
        from jump_lane.spec import parse_spec

        found = check(derive(parse_spec(tables, "test")))
        broken = {f.symbol for c in found.corners for f in c.findings if not f.holds}
        self.assertLessEqual({"V_o2", "dV_o2"}, broken)
        self.assertEqual(found.exit_status, 1)
        self.assertEqual({c.others for c in found.corners}, {(0.1,), (0.5,)})


class Hostile(unittest.TestCase):
    def test_wrong_files_end_with_one_message(self) -> None:
        for name, command, said in (
            ("negative_resistance", "derive", "-1 Ω where a resistance of at least 0 Ω"),
            ("below_zero", "derive", "thermal.ambient: -300 °C"),
            ("weights_twice", "efficiency", "the same load"),
            ("weights_inf", "efficiency", "weights"),
            ("minus_d", "circuit", "element.S1.gate"),
            ("bomb", "circuit", "element.S1.gate"),
            ("nul", "derive", "null byte"),
        ):
            with self.subTest(name):
                status, out, err = called(command, str(FAULTS / "hostile" / f"{name}.toml"))
                self.assertEqual((status, out), (2, ""), err)
                self.assertIn(said, err)
                self.assertNotIn("Traceback", err)

    def test_a_foreign_file_is_not_quoted(self) -> None:
        status, _, err = called(
            "fit",
            str(FAULTS / "hostile" / "escape.toml"),
            "--catalogue",
            str(FAULTS / "hostile" / "leak.toml"),
        )
        self.assertEqual(status, 2)
        self.assertNotIn("root:", err)

    def test_names_and_titles_steer_nothing(self) -> None:
        for name in ("escape", "control"):
            status, out, err = called("check", str(FAULTS / "hostile" / f"{name}.toml"))
            self.assertEqual(status, 0, err)
            self.assertFalse([c for c in out + err if ord(c) < 32 and c != "\n"])

    def test_cells_are_inert(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            table = Path(folder) / "t.csv"
            status, _, _ = called("circuit", str(FAULTS / "hostile" / "inject.toml"), "--table", str(table))
            self.assertEqual(status, 0)
            out = table.read_text(encoding="utf-8")
        self.assertNotIn("\x1b", out)
        for line in out.splitlines()[1:]:
            self.assertNotIn(line.lstrip('"')[0], "=+@-")

    def test_mathematics_in_a_title_is_text(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            figure = Path(folder) / "w.svg"
            file = FAULTS / "hostile" / "mathtext.toml"
            status, _, err = called("waves", str(file), "--figure", str(figure))
            self.assertEqual(status, 0, err)
            self.assertGreater(figure.stat().st_size, 1000)


if __name__ == "__main__":
    unittest.main()
