"""Every secondary side behind every bridge and forward converter, by hand and against the simulation."""

import math
import tomllib
from typing import Any

from jump_lane.design.caveats import caveats
from jump_lane.design.components import components
from jump_lane.design.derive import Design, derive
from jump_lane.dissipation.budget import budget
from jump_lane.equations.sheet import REVERSED
from jump_lane.errors import InputError
from jump_lane.spec import parse_spec
from jump_lane.study.check import check_corner
from jump_lane.study.compare import of_topologies
from jump_lane.study.template import example
from jump_lane.topologies import page
from tests.common import PULSED, CommandCase
from tests.topologies.pagecase import PageCase

TAKING = [name for name in PULSED if page(name).secondaries]

TAKING_SPEC = parse_spec(tomllib.loads(example("forward")), "forward")

TO_48_V = {"n": 5, "L": "60 µH", "L_m": "12 mH", "C_o": "47 µF"}
TO_28_V = {"n": 2.5, "L": "60 µH", "C_o": "47 µF"}


class Wound(PageCase):
    """A converter at one operating point behind a secondary side."""

    def wound(
        self, topology: str, secondary: str | None, v_in: Any, v_o: float, i_o: Any, **more: Any
    ) -> Design:
        switching = {"frequency": 100e3, "current_ripple": "30 %", "mode": "either"}
        tables = {
            "topology": topology,
            "input": {"voltage": v_in},
            "output": [{"voltage": v_o, "current": i_o, "voltage_ripple": "1 %"}],
            "switching": switching | more.pop("switching", {}),
            "transformer": {"secondary": secondary, "magnetising_ripple": "2 %"}
            | more.pop("transformer", {}),
            **more,
        }
        if secondary is None:
            del tables["transformer"]["secondary"]
        return derive(parse_spec(tables, "test"))


class RectifiedReset(Wound):
    def test_two_pulses_in_continuous_conduction(self) -> None:
        """380 V, n = 5: V_s = 76 V, D = 48/152; ΔI = 28·D/(60e-6·1e5); the reset lasts V_s·D/V_o·(1 + L/L_s)."""
        for topology in ("two-switch-forward", "forward"):
            with self.subTest(topology):
                found = self.wound(topology, "centre-tap", 380, 48, 5, chosen=TO_48_V)
                d = 48 / 152
                reset = 76 * d / 48 * (1 + 60 / 480)
                self.assert_values(found, {"D": d, "dI_L": 28 * d / 6, "D_3": reset, "V_D2": 152.0})
                self.assert_values(found, {"D_F": 1 - d - reset, "dI_Lm": 76 * d / (480e-6 * 1e5) / 5})
                self.assert_proven(found, "continuous", 0.02)

    def test_the_core_carries_as_much_as_the_inductor(self) -> None:
        found = self.wound("two-switch-forward", "bridge", 380, 48, 5, chosen=TO_48_V)
        self.assertAlmostEqual(self.value(found, "I_Lmv"), self.value(found, "I_Lv") / 5, delta=1e-9)
        self.assert_values(found, {"W_Lm": 12e-3 * (self.value(found, "I_Lmpk")) ** 2 / 2})
        core = self.simulated(found).measures("L_m.i")
        self.assertGreater(core.minimum, 0.8)
        self.assert_proven(found, "continuous", 0.02)

    def test_a_bridge_halves_what_rectifiers_block(self) -> None:
        tapped = self.wound("forward", "centre-tap", 380, 48, 5, chosen=TO_48_V)
        bridge = self.wound("forward", "bridge", 380, 48, 5, chosen=TO_48_V)
        for symbol in ("V_D1", "V_D2"):
            with self.subTest(symbol):
                ratio = self.value(tapped, symbol) / self.value(bridge, symbol)
                self.assertAlmostEqual(ratio, 2.0, delta=1e-6)

    def test_idle_by_hand(self) -> None:
        """Both currents start from zero: I_o = D²·V_s/(2·f·V_o)·[(V_s − V_o)/L + V_s/L_s]."""
        found = self.wound("two-switch-forward", "centre-tap", 380, 48, 0.2, chosen=TO_48_V)
        slope = 28 / 60e-6 + 76 / 480e-6
        self.assert_values(found, {"D": math.sqrt(0.2 * 2e5 * 48 / (76 * slope))})
        self.assert_proven(found, "discontinuous", 0.02)

    def test_the_boundary_lies_where_both_conditions_meet(self) -> None:
        design = self.wound("two-switch-forward", "centre-tap", 380, 48, 5, chosen=TO_48_V)
        boundary = self.value(design, "I_B")
        above, below = (design.at(380.0, boundary * x) for x in (1.0001, 0.9999))
        for symbol in ("D", "I_Lpk", "D_3", "D_F", "I_D1", "I_D2rms"):
            with self.subTest(symbol):
                ratio = self.value(above, symbol) / self.value(below, symbol)
                self.assertAlmostEqual(ratio, 1.0, delta=2e-3)

    def test_a_reset_that_has_no_time_is_refused(self) -> None:
        with self.assertRaisesRegex(InputError, "core would not be reset.*magnetising_ripple"):
            self.wound("two-switch-forward", "centre-tap", 220, 48, 5, chosen={"n": 4.4, "L": "300 µH"})


class ActiveClamp(Wound):
    def test_both_intervals_feed_the_output(self) -> None:
        """48 V, n = 3: D = 12/(2·16); the clamp holds V_in·D/(1 − D), and the core I_o/n."""
        chosen = {"n": 3, "L": "10 µH", "L_m": "500 µH", "C_o": "100 µF"}
        for secondary in ("centre-tap", "bridge"):
            with self.subTest(secondary):
                found = self.wound("active-clamp-forward", secondary, 48, 12, 6, chosen=chosen)
                self.assert_values(found, {"D": 0.375, "V_cl": 48 * 0.375 / 0.625, "I_M0": 2.0})
                self.assert_values(found, {"dI_L": 4 * 0.375 / (10e-6 * 1e5)})
                self.assert_proven(found, "continuous", 0.02)

    def test_beyond_one_half_the_inductor_rises_in_the_off_time(self) -> None:
        chosen = {"n": 3, "L": "10 µH", "L_m": "500 µH", "C_o": "100 µF"}
        switching = {"rectifier": "synchronous", "duty_limit": 0.6}
        found = self.wound(
            "active-clamp-forward", "centre-tap", 32, 12, 6, chosen=chosen, switching=switching
        )
        self.assert_values(found, {"D": 0.5625})
        self.assertLess(self.value(found, "dI_1"), 0.0)
        self.assert_proven(found, "continuous", 0.02)
        light = found.at(32.0, 0.1)
        self.assertEqual(light.mode(0, 0), REVERSED)
        self.assertEqual(self.mode(light), REVERSED)

    def test_discontinuous_conduction_is_left_to_the_simulation_and_told(self) -> None:
        found = self.wound("active-clamp-forward", "bridge", 48, 12, 6, switching={"mode": "discontinuous"})
        self.assertTrue(any("derived for continuous conduction" in text for text in caveats(found)))
        self.assertEqual(self.mode(found.at(48.0, 0.5)), "discontinuous")


class Doubled(Wound):
    def test_the_excess_of_the_core_flows_back(self) -> None:
        """380 V, n = 3: D = 48·3/380; D_e from the slopes of L2 and L_s on either side."""
        chosen = {"n": 3, "L": "150 µH", "L_m": "9 mH", "C_o": "47 µF"}
        found = self.wound("two-switch-forward", "current-doubler", 380, 48, 5, chosen=chosen)
        v_s, d = 380 / 3, 48 * 3 / 380
        excess = d * (v_s / 1e-3 + 48 / 150e-6) / ((v_s - 48) / 150e-6 + v_s / 1e-3)
        self.assert_values(found, {"D": d, "D_e": excess, "I_1": 2.5, "I_2": 2.5, "V_S1": 380.0})
        self.assert_values(found, {"dI_L": 48 * (1 - d) / (150e-6 * 1e5), "V_D2": v_s})
        self.assert_proven(found, "continuous", 0.02)

    def test_resistances_divide_the_load(self) -> None:
        """R_L·(I_1 − I_2) = −R_s·(D·I_1 − (1 − D)·I_2)."""
        parts = {"T": {"secondary_resistance": "40 mΩ"}, "L": {"resistance": "40 mΩ"}}
        found = self.wound("active-clamp-forward", "current-doubler", 48, 5, 10, parts=parts)
        one, two, d = (self.value(found, symbol) for symbol in ("I_1", "I_2", "D_c"))
        self.assertAlmostEqual((one - two) / -(d * one - (1 - d) * two), 1.0, delta=1e-9)
        self.assertGreater(abs(one - two), 0.5)
        self.assert_proven(found, "continuous", 0.03)

    def test_with_an_active_clamp_the_core_follows_the_second_inductor(self) -> None:
        found = self.wound(
            "active-clamp-forward", "current-doubler", 48, 5, 10, transformer={"primary_turns": 8}
        )
        n = self.value(found, "n")
        rises = 5 * self.value(found, "D") / (self.value(found, "L") * 1e5)
        self.assert_values(found, {"I_M0": 5.0 / n, "D": 5 * n / 48, "dI_L2": rises})
        self.assert_proven(found, "continuous", 0.02)


class HalfWave(Wound):
    def test_half_bridge(self) -> None:
        """V_p = 200 V, n = 2.5 to 28 V: D = 0.35, the core carries −I_o/(2·n), each rectifier half of the load."""
        found = self.wound("half-bridge", "half-wave", 400, 28, 8, chosen=TO_28_V | {"C_d": "200 µF"})
        self.assert_values(found, {"D": 0.35, "I_M0": -1.6, "I_D1": 4.0, "V_D1": 80.0, "V_D2": 80.0}, 0.01)
        self.assert_proven(found, "continuous", 0.02)
        core = self.simulated(found).measures("L_m.i")
        self.assertAlmostEqual(core.average, -1.6, delta=0.02)

    def test_a_core_is_biased_where_nothing_blocks_either(self) -> None:
        """Equal resistances share: −I_o/(2·n) in push-pull and full bridge."""
        for topology, v_in in (("push-pull", 200), ("full-bridge", 200)):
            with self.subTest(topology):
                found = self.wound(topology, "half-wave", v_in, 28, 8, chosen=TO_28_V)
                self.assert_values(found, {"D": 0.35, "I_M0": -1.6})
                self.assert_proven(found, "continuous", 0.02)

    def test_phase_shifted_the_first_rectifier_carries_half_of_the_period(self) -> None:
        found = self.wound("phase-shifted-full-bridge", "half-wave", 200, 28, 8, chosen=TO_28_V)
        self.assertAlmostEqual(self.value(found, "I_D1") / 8, 0.5, delta=0.05)
        self.assert_values(found, {"I_M0": -self.value(found, "I_D1") / 2.5})
        self.assert_proven(found, "continuous", 0.04)

    def test_phase_shifted_half_of_the_current_is_left_for_soft_switching(self) -> None:
        """The primary carries I_o/(2·n) both ways as the lagging leg switches, so the load for it is twice as large."""
        parts = {"S1": {"resistance": 0.1, "output_capacitance": "400 pF"}}
        switching = {"rectifier": "synchronous", "dead_time": "260 ns", "current_ripple": "20 %"}
        asked = {"switching": switching, "parts": parts, "transformer": {"soft_load": 0.5}}
        chosen = {"n": 3, "L": "60 µH", "L_r": "32 µH"}
        name = "phase-shifted-full-bridge"
        load = {"min": 8, "max": 30}
        half, both = (
            self.wound(name, k, 400, 54, load, chosen=chosen, **asked) for k in ("half-wave", "centre-tap")
        )
        need = 2 * 3 * 400 * math.sqrt(2 * 400e-12 / 32e-6)
        self.assert_values(half, {"I_oz": need + self.value(half, "dI_L") / 2})
        self.assert_values(both, {"I_oz": need / 2 + self.value(both, "dI_L") / 2})
        soft, hard = (self.simulated(half.at(400.0, x)).measures("S1.i").peak for x in (15.0, 8.0))
        self.assertLess(soft, 10.0)
        self.assertGreater(hard, 100.0)

    def test_an_inductor_that_takes_less_than_the_core_gives_is_refused(self) -> None:
        with self.assertRaisesRegex(InputError, "more than the inductor takes"):
            self.wound("full-bridge", "half-wave", 200, 28, {"min": 0.5, "max": 8}, chosen=TO_28_V)

    def test_the_inductance_derived_leaves_it_enough(self) -> None:
        found = self.wound("full-bridge", "half-wave", {"min": 180, "max": 220}, 28, {"min": 2, "max": 8})
        for i in range(2):
            self.assertEqual(check_corner(found, i, 0).failure, "")
            self.assertEqual(check_corner(found, i, 0).mode_simulated, "continuous")


class CurrentFed(Wound):
    def test_a_centre_tap_blocks_twice_the_output_with_half_of_the_drops(self) -> None:
        parts = {"D1": {"forward_voltage": 1.0}}
        bridge, tapped = (
            self.wound("current-fed-full-bridge", kind, 48, 384, 0.5, parts=parts, chosen={"n": 0.25})
            for kind in ("bridge", "centre-tap")
        )
        self.assert_values(bridge, {"V_or": 0.25 * 386})
        self.assert_values(tapped, {"V_or": 0.25 * 385})
        ripple = self.value(tapped, "dV_o")
        self.assert_values(tapped, {"V_D1": 768 + ripple + 1.0})
        half = self.value(bridge, "I_Nsrms") / math.sqrt(2)
        self.assert_values(tapped, {"I_Nsrms": half, "I_Ns": 0.25}, 0.01)
        for found in (bridge, tapped):
            self.assert_proven(found, "continuous", 0.02)


class Choice(Wound):
    def test_what_is_usual_is_taken_where_nothing_is_said(self) -> None:
        for name in TAKING:
            with self.subTest(name):
                tables = tomllib.loads(example(name))
                del tables["transformer"]["secondary"]
                found = derive(parse_spec(tables, name))
                self.assertEqual(found.spec.transformer.secondary, page(name).secondaries[0])
                self.assertEqual(found.point(0, 0).secondary, page(name).secondaries[0])

    def test_the_duty_ratio_leaves_a_rectified_reset_its_time(self) -> None:
        """Where the file says nothing, input ranges of 2 : 1 can be had with every secondary side."""
        for name in ("forward", "two-switch-forward"):
            for kind in page(name).secondaries:
                tables = {
                    "topology": name,
                    "input": {"voltage": {"min": "36 V", "max": "75 V"}},
                    "output": [{"voltage": 12, "current": {"min": 1, "max": 10}, "voltage_ripple": "1 %"}],
                    "switching": {"frequency": "150 kHz", "current_ripple": "30 %"},
                    "transformer": {"secondary": kind},
                }
                found = derive(parse_spec(tables, "test"))
                with self.subTest(topology=name, secondary=kind):
                    self.assertLess(found.sheet["D_r"].worst, found.sheet["D_off"].worst)
                    self.assertEqual(check_corner(found, 0, 1).failure, "")

    def test_what_a_circuit_cannot_take_is_refused(self) -> None:
        with self.assertRaisesRegex(InputError, "secondary: read half-wave.*bridge; centre-tap"):
            self.wound("current-fed-full-bridge", "half-wave", 48, 384, 0.5)
        with self.assertRaisesRegex(InputError, "secondary: read bridge.*leaves no choice"):
            self.wound("flyback", "bridge", 48, 12, 1)

    def test_a_comparison_leaves_out_what_a_circuit_cannot_take(self) -> None:
        spec = self.wound("full-bridge", "current-doubler", 400, 48, 5).spec
        found = {c.name: c for c in of_topologies(spec, ["flyback", "forward", "full-bridge"])}
        self.assertEqual([c.failure for c in found.values()], [""] * 3)
        self.assertGreater(found["forward"].parts[1], 2)

    def test_devices_made_alike(self) -> None:
        owners = page("forward").owners
        expected = {
            "S1": "S1",
            "D1": "D1",
            "D3": "D1",
            "D2": "D2",
            "D4": "D2",
            "L1": "L",
            "L2": "L",
            "D_r": None,
        }
        self.assertEqual({name: owners.get(name) for name in expected}, expected)
        self.assertEqual(page("full-bridge").owners["D4"], "D1")
        with self.assertRaises(KeyError):
            design = derive(TAKING_SPEC)
            design.point(0, 0).switch("S9", "a", "b")


class Lost(Wound):
    def test_every_device_is_known_and_powers_close(self) -> None:
        """Behind every secondary side each switch, rectifier and inductor has its role, and nothing is unexplained."""
        for name, kind in ((n, k) for n in TAKING for k in page(n).secondaries):
            tables = tomllib.loads(example(name))
            tables["transformer"] |= {"secondary": kind, "magnetising_ripple": "2 %"}
            tables["output"][0]["current"]["min"] = tables["output"][0]["current"]["max"]
            tables["switching"] |= {"mode": "continuous", "duty_limit": 0.38}
            for table in ("chosen", "damping"):
                tables.pop(table, None)
            design = derive(parse_spec(tables, name)).at()
            found = budget(design)
            with self.subTest(topology=name, secondary=kind):
                self.assertLess(found.residual, 1e-8)
                roles = {c.name: c.role for c in components(design, design.point(0, 0))}
                names = [n for n in roles if n[0] in "SDL" and "_" not in n]
                self.assertEqual([n for n in names if not roles[n]], [])
                self.assertEqual(len([n for n in names if n[0] == "L"]), 2 if "doubler" in kind else 1)


class Commands(CommandCase):
    def test_a_file_for_a_secondary_side(self) -> None:
        self.run_command(
            "new",
            "two-switch-forward",
            "feed.toml",
            "--secondary",
            "bridge",
            "--load",
            "2A..5A",
        )
        text = (self.folder / "feed.toml").read_text(encoding="utf-8")
        self.assertIn('secondary = "bridge"', text)
        shown = self.run_command("derive", "feed.toml", "--formulas").stdout
        self.assertIn("A reset that is rectified", shown)
        wrong = self.run_command("new", "forward", "no.toml", "--secondary", "tapped", status=2)
        self.assertIn("centre-tap", wrong.stderr)
        wrong = self.run_command("new", "flyback", "no.toml", "--secondary", "bridge", status=2)
        self.assertIn("leaves no choice", wrong.stderr)
        self.assertFalse((self.folder / "no.toml").exists())

    def test_the_list_says_what_each_can_take(self) -> None:
        shown = self.run_command("topologies").stdout
        self.assertIn("half-wave,", shown)
        listed = self.run_command("topologies", "--json").stdout
        self.assertIn('"secondaries": [', listed)
