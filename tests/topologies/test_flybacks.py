from jump_lane.design.derive import derive
from jump_lane.errors import InputError
from jump_lane.spec import parse_spec
from jump_lane.study.check import check
from jump_lane.study.cross import plan
from tests.topologies.pagecase import PageCase


class Flyback(PageCase):
    topology = "flyback"

    def test_continuous_by_hand(self) -> None:
        """50 V to 12 V at n = 4, 3 A: V_or = 48 V, D = 48/98, I_m = 3/(4·(1 − D)) = 1.47 A, the diode blocks 24.5 V."""
        found = self.design(50, 12, 3, chosen={"n": 4, "L_m": "300 µH", "C_o": "470 µF"})
        self.assert_values(
            found, {"D": 48 / 98, "I_Lm": 1.47, "dI_Lm": 50 * 48 / 98 / 30.0, "V_or": 48.0, "V_D1": 24.5}
        )
        self.assertAlmostEqual(self.value(found, "V_S1"), 98.0, delta=0.2)
        self.assert_proven(found, "continuous")

    def test_discontinuous_by_hand(self) -> None:
        """½·L_m·I_pk²·f = P: 40 µH, 100 kHz, 6 W gives I_pk = 1.7321 A and D = L_m·I_pk·f/V_in = 0.13856."""
        found = self.design(50, 12, 0.5, chosen={"n": 4, "L_m": "40 µH", "C_o": "470 µF"})
        self.assert_values(found, {"I_Lmpk": 1.732051, "D": 0.138564})
        self.assert_proven(found, "discontinuous")

    def test_turns_are_rounded_so_that_the_duty_ratio_stays_below_its_limit(self) -> None:
        free = self.design(50, 12, 3, duty_limit=0.45)
        self.assertAlmostEqual(self.value(free, "n"), 0.45 / 0.55 * 50 / 12, places=6)
        self.assertAlmostEqual(self.value(free, "D_i"), 0.45, places=6)
        tables = self.tables(duty_limit=0.45)
        tables["transformer"] = {"primary_turns": 25}
        whole = derive(parse_spec(tables, "test"))
        self.assertAlmostEqual(self.value(whole, "n"), 25 / 8)
        self.assertLess(self.value(whole, "D_i"), 0.45)

    def tables(self, **switching: object) -> dict:
        base = {"frequency": 100e3, "current_ripple": "40 %", "mode": "either"}
        return {
            "topology": self.topology,
            "input": {"voltage": 50},
            "output": [{"voltage": 12, "current": 3, "voltage_ripple": "1 %"}],
            "switching": base | switching,
        }

    def test_the_clamp_takes_what_leakage_holds(self) -> None:
        """P = ½·L_k·I_pk²·f·V_cl/(V_cl − V_or), and the simulated resistor takes it."""
        found = self.design(
            50, 12, 3, chosen={"n": 4, "L_m": "300 µH", "C_o": "470 µF"}, parts={"T": {"leakage": "4 µH"}}
        )
        v_cl, i_pk = self.value(found, "V_cl"), self.value(found, "I_y")
        power = 0.5 * 4e-6 * i_pk**2 * 100e3 * v_cl / (v_cl - 48.0)
        self.assertAlmostEqual(self.value(found, "P_cl") / power, 1.0, delta=1e-6)
        self.assertAlmostEqual(self.simulated(found).power("R_cl") / power, 1.0, delta=0.08)
        self.assert_proven(found, "continuous", 0.03)


class TwoSwitch(PageCase):
    topology = "two-switch-flyback"

    def test_no_switch_sees_more_than_the_input(self) -> None:
        chosen = {"n": 8, "L_m": "2 mH", "C_o": "470 µF"}
        found = self.design(380, 24, 4, chosen=chosen, parts={"T": {"leakage": "20 µH"}})
        recording = self.simulated(found)
        for name in ("S1", "S2"):
            self.assertAlmostEqual(recording.measures(f"{name}.v").maximum, 380.0, delta=0.4)
        self.assert_proven(found, "continuous", 0.03)

    def test_reflected_voltage_above_the_input_is_refused(self) -> None:
        with self.assertRaisesRegex(InputError, "the clamp diodes would conduct instead"):
            self.design(100, 24, 4, chosen={"n": 5})


class ActiveClamp(PageCase):
    topology = "active-clamp-flyback"

    def test_the_clamp_capacitor_carries_no_average(self) -> None:
        found = self.design(50, 12, 3, chosen={"n": 4, "L_m": "100 µH", "C_o": "470 µF"})
        recording = self.simulated(found)
        peak = recording.measures("C_cl.i").peak
        self.assertLess(abs(recording.measures("C_cl.i").average), 1e-6 * peak)
        self.assertLess(recording.measures("L_k.i").minimum, -0.8 * recording.measures("L_k.i").maximum)
        self.assert_proven(found, "continuous", 0.03)


class SeveralOutputs(PageCase):
    topology = "multi-output-flyback"

    def several(self) -> dict:
        return {
            "topology": self.topology,
            "input": {"voltage": {"min": 40, "max": 60}},
            "output": [
                {"voltage": 12, "current": {"min": 0.5, "max": 2}, "voltage_ripple": "1 %"},
                {
                    "voltage": 5,
                    "current": {"min": 0.2, "max": 2},
                    "voltage_ripple": "2 %",
                    "voltage_band": "12 %",
                },
            ],
            "switching": {"frequency": "100 kHz", "current_ripple": "60 %", "mode": "either"},
            "transformer": {"primary_turns": 30},
            "parts": {"T": {"leakage": "0.5 µH"}, "D1": {"resistance": 0.02}, "D2": {"resistance": 0.01}},
        }

    def test_outputs_follow_by_their_turns(self) -> None:
        found = derive(parse_spec(self.several(), "test"))
        n, n_2 = self.value(found, "n"), self.value(found, "n_2")
        self.assertAlmostEqual(30 / n, round(30 / n))
        self.assertAlmostEqual(30 / n_2, round(30 / n_2))
        self.assertAlmostEqual(self.value(found, "V_e2"), 12 * n / n_2)
        self.assertAlmostEqual(self.value(found, "I_or"), 0.5 / n + 2 * (12 * n / n_2 / 5) / n_2)
        self.assertEqual(check(found).exit_status, 0)

    def test_the_load_matrix_has_every_combination(self) -> None:
        work = plan(derive(parse_spec(self.several(), "test")))
        self.assertEqual(len(work.spots), 8)
        self.assertEqual(len(set(work.settings)), 8)

    def test_one_output_has_no_cross_regulation(self) -> None:
        with self.assertRaisesRegex(InputError, "two outputs or more"):
            plan(self.design(50, 12, 3))

    def test_others_take_one_output_only(self) -> None:
        tables = self.several() | {"topology": "flyback"}
        with self.assertRaisesRegex(InputError, "read 2 outputs, but the flyback has one"):
            derive(parse_spec(tables, "test"))
