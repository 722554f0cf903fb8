"""Converters controlled by frequency: how the tank is found, which side of the peak is meant, what is said beyond it."""

import math
import random
import tomllib
import unittest
from dataclasses import replace
from typing import Any

from jump_lane.design.derive import Design, derive
from jump_lane.errors import InputError, UnreachableError
from jump_lane.operating.mode import simulated_mode
from jump_lane.operating.point import solve, solve_point
from jump_lane.report.check import check_view
from jump_lane.sizing.solve import size
from jump_lane.spec import parse_spec
from jump_lane.study.check import check
from jump_lane.study.template import example

RESONANT = (
    "half-bridge-llc",
    "full-bridge-llc",
    "half-bridge-series-resonant",
    "full-bridge-series-resonant",
)


def tables(name: str = "half-bridge-llc", **changes: Any) -> dict[str, Any]:
    found = tomllib.loads(example(name))
    for key, value in changes.items():
        *path, last = key.split("__")
        at: Any = found
        for part in path:
            at = at[0].setdefault(part, {}) if isinstance(at, list) else at.setdefault(part, {})
        (at[0] if isinstance(at, list) else at)[last] = value
    return found


def made(name: str = "half-bridge-llc", **changes: Any) -> Design:
    return derive(parse_spec(tables(name, **changes), "test"))


def ideal(m: float, q: float, **changes: Any) -> Design:
    """A lossless LLC, 390 V to 24 V with a stiff output, of a given inductance ratio and quality factor."""
    given = {
        "topology": "half-bridge-llc",
        "input": {"voltage": 390},
        "output": [{"voltage": 24, "current": {"min": 1, "max": 20}, "voltage_ripple": "0.1 %"}],
        "switching": {"frequency": "120 kHz", "frequency_limits": {"min": "20 kHz", "max": "1 MHz"}},
        "tank": {"inductance_ratio": m, "quality": q},
        **changes,
    }
    return derive(parse_spec(given, "test"))


class Sizing(unittest.TestCase):
    def test_the_worked_example(self) -> None:
        """330 V to 410 V, 24 V, 480 W, 120 kHz, m = 6: half the leg, gain 1 in the middle, peak with a tenth to spare."""
        found = derive(
            parse_spec(
                {
                    "topology": "half-bridge-llc",
                    "input": {"voltage": {"min": 330, "nominal": 390, "max": 410}},
                    "output": [{"voltage": 24, "current": {"min": 2, "max": 20}, "voltage_ripple": "1 %"}],
                    "switching": {"frequency": "120 kHz"},
                    "tank": {"inductance_ratio": 6},
                },
                "test",
            )
        ).sheet
        self.assertAlmostEqual(found["n"].worst, 8.125, places=9)
        self.assertAlmostEqual(found["Q"].worst, 0.788, delta=0.02)
        self.assertAlmostEqual(found["L_r"].worst / 65.7e-6, 1.0, delta=0.03)
        self.assertAlmostEqual(found["C_r"].worst / 26.8e-9, 1.0, delta=0.03)
        self.assertAlmostEqual(found["L_m"].worst / found["L_r"].worst, 6.0, places=9)
        self.assertAlmostEqual(found["M_pk"].worst / found["M_a"].worst, 1.0, places=6)

    def test_what_is_given_decides_what_follows(self) -> None:
        base = tables()
        del base["tank"]["inductance_ratio"]
        for change, symbol, value in (
            ({"tank": {"quality": 0.6}}, "Q", 0.6),
            ({"chosen": {"L_r": "50 µH"}}, "L_r", 50e-6),
            ({"chosen": {"L_m": "400 µH"}}, "L_m", 400e-6),
            ({}, "m_r", 6.0),
        ):
            with self.subTest(symbol=symbol):
                sheet = derive(parse_spec({**base, "tank": {}, **change}, "test")).sheet
                self.assertAlmostEqual(sheet[symbol].worst / value, 1.0, places=9)
                resonance = 2.0 * math.pi * math.sqrt(sheet["L_r"].worst * sheet["C_r"].worst)
                self.assertAlmostEqual(resonance * 110e3, 1.0, places=9)
                self.assertGreater(sheet["M_pk"].worst, 0.999 * sheet["M"].values.max())

    def test_the_peak_gain_is_that_of_the_exact_tank(self) -> None:
        """The fitted peak, against the largest gain among exact states of a lossless tank."""
        for m, q in ((3.5, 0.35), (5.0, 0.5), (8.0, 0.6)):
            with self.subTest(m=m, q=q):
                at = ideal(m, q).at(i_o=20.0)
                sheet = at.sheet
                best = 0.0
                for k in range(-12, 13):
                    control = sheet["f_pk"].worst * (1.0 + 0.01 * k)
                    _, seen = solve(at, control=control)
                    best = max(best, seen.measures("load.v").average / 24.0)
                # a resistive load takes more at a higher output, so that its quality factor stays
                self.assertAlmostEqual(best * sheet["M"].worst / sheet["M_pk"].worst, 1.0, delta=0.03)

    def test_at_resonance_the_currents_are_those_derived(self) -> None:
        at = ideal(6.0, 0.6).at(i_o=20.0)
        _, seen = solve(at, control=at.sheet["f_0"].worst)
        for symbol, signal, measure in (
            ("I_Lrrms", "L_r.i", "rms"),
            ("I_S1rms", "S1.i", "rms"),
            ("V_Crpk", "C_r.v", "maximum"),
            ("I_D1rms", "D1.i", "rms"),
            ("I_D1", "D1.i", "average"),
            ("I_Corms", "C_o.i", "rms"),
        ):
            with self.subTest(symbol):
                ratio = getattr(seen.measures(signal), measure) / at.sheet[symbol].worst
                self.assertAlmostEqual(ratio, 1.0, delta=0.005)

    def test_series_resonance_keeps_its_reserve_at_the_least_input(self) -> None:
        sheet = made("full-bridge-series-resonant").sheet
        self.assertAlmostEqual(sheet["M"].values.max(), 1.0 / 1.1, delta=0.02)
        self.assertAlmostEqual(sheet["Q"].worst, 2.0, delta=0.03)

    def test_a_split_capacitor_is_two_of_half_the_value(self) -> None:
        whole, split = made(), made(tank__capacitor="split")
        self.assertAlmostEqual(split.sheet["C_r"].worst / whole.sheet["C_r"].worst, 0.5, places=9)
        _, seen = solve(split.at())
        _, other = solve(whole.at())
        for name in ("C_r", "C_r2"):
            ratio = seen.measures(f"{name}.i").rms / other.measures("C_r.i").rms
            self.assertAlmostEqual(ratio, 0.5, delta=0.01)
        with self.assertRaisesRegex(InputError, "tank.capacitor: read split.*expected whole"):
            made("full-bridge-llc", tank__capacitor="split")


class Sides(unittest.TestCase):
    def test_every_corner_lies_where_the_tank_current_lags(self) -> None:
        for name in RESONANT:
            found = check(made(name))
            with self.subTest(name):
                self.assertEqual(found.exit_status, 0)
                for corner in found.corners:
                    self.assertNotIn("capacitive", corner.mode_simulated)
                    self.assertEqual(corner.mode_derived, corner.mode_simulated.partition("/")[0])

    def test_the_state_below_the_peak_is_never_taken(self) -> None:
        """Started from anywhere, the frequency found is the one above the peak."""
        found = made().at()
        held, _ = solve(found)
        for start in (25e3, 40e3, 62e3, 230e3):
            point = found.point(0, 0)
            point = replace(point, values={**point.values, "f_s": start, "f_min": 20e3})
            state, _ = solve_point(found.page, point)
            self.assertAlmostEqual(state.control / held.control, 1.0, places=7)

    def test_beyond_its_reach_the_reason_is_told(self) -> None:
        for changes, said in (
            (
                {"switching__frequency_limits": {"min": "60 kHz", "max": "112 kHz"}},
                "still .* highest frequency allowed.*bursts",
            ),
            (
                {"switching__frequency_limits": {"min": "100 kHz", "max": "240 kHz"}},
                "lowest frequency allowed.*lower switching",
            ),
        ):
            failures = [c.failure for c in check(made(**changes)).corners if c.failure]
            self.assertTrue(failures)
            self.assertRegex(failures[0], said)
        heavy = made().grid((300.0,), (24.0,))
        with self.assertRaisesRegex(UnreachableError, "gain peaks|tank current leads"):
            solve(heavy)
        with self.assertRaisesRegex(InputError, "gain needed.*at most .* is possible.*tank.inductance_ratio"):
            made(chosen={"L_r": "300 µH", "C_r": "7 nF", "L_m": "1.5 mH"})

    def test_the_output_may_be_set_over_a_range(self) -> None:
        """The tank has the gain that the highest output needs, and every setting is a corner, for size as well."""
        wide = {"min": 46, "max": 58}
        given = tables(
            output__voltage_range=wide, switching__frequency_limits={"min": "60 kHz", "max": "300 kHz"}
        )
        found = derive(parse_spec(given, "test"))
        usual = made()
        self.assertAlmostEqual(found.sheet["M_a"].worst / usual.sheet["M_a"].worst, 58.0 / 54.0, places=6)
        self.assertLess(found.sheet["L_r"].worst, usual.sheet["L_r"].worst)
        checked = check(found)
        self.assertEqual(checked.exit_status, 0)
        self.assertEqual(len(checked.corners), 18)
        self.assertEqual({c.v_o for c in checked.corners}, {None, 46.0, 58.0})
        held = {round(f.simulated, 6) for c in checked.corners for f in c.findings if f.symbol == "V_o"}
        self.assertEqual(held, {46.0, 54.0, 58.0})
        sized = size(parse_spec(given, "test"))
        self.assertEqual(dict(sized.deciding["C_o"].case.off), {"V_o": 58.0 / 54.0 - 1.0})
        with self.assertRaisesRegex(InputError, "output.voltage_range: expected.*around its voltage"):
            made(output__voltage_range={"min": 10, "max": 20})

    def test_a_leading_state_is_named(self) -> None:
        at = made().at()
        _, seen = solve(at, control=62e3)
        self.assertEqual(simulated_mode(at.page, at.point(0, 0), seen), "capacitive below/discontinuous")

    def test_too_little_current_turns_on_hard_and_is_told(self) -> None:
        kept = {"L_r": "65 µH", "C_r": "32 nF", "L_m": "327 µH"}
        found = check(
            made(chosen=kept, parts={"S1": {"resistance": "0.1 Ω", "output_capacitance": "900 pF"}})
        )
        broken = {f.symbol: f.advice for c in found.corners for f in c.findings if not f.holds}
        self.assertIn("v_z", broken)
        self.assertIn("a smaller L_m", broken["v_z"])
        self.assertEqual(found.exit_status, 1)

    def test_uneven_halves_share_unevenly(self) -> None:
        """Leakage in one half of the secondary delays its rectifier, and the other one carries more."""
        even = solve(made().at())[1]
        odd = solve(made(tank__second_leakage="150 nH", tank__second_resistance="5 mΩ").at())[1]
        spread = [abs(s.measures("D1.i").average - s.measures("D2.i").average) for s in (even, odd)]
        self.assertLess(spread[0], 1e-6)
        self.assertGreater(spread[1], 0.1)
        said = [check_view(check(made(**more))).notes for more in ({}, {"tank__second_leakage": "150 nH"})]
        self.assertFalse(any(note.startswith("uneven halves") for note in said[0]))
        self.assertTrue(any(note.startswith("uneven halves") for note in said[1]))

    def test_what_an_inductor_would_be_asked_is_refused_by_name(self) -> None:
        found = check(made(switching__current_ripple="30 %", switching__mode="continuous"))
        self.assertTrue(any(t.startswith("switching.current_ripple: not judged") for t in found.refused))
        self.assertTrue(any(t.startswith("switching.mode: not judged") for t in found.refused))


class Random(unittest.TestCase):
    def test_sound_specifications_end_with_a_result_or_what_would_mend_it(self) -> None:
        rng = random.Random(11)
        for k in range(24):
            name = RESONANT[k % 4]
            given = self.tables(name, rng)
            with self.subTest(k=k, name=name, given=given):
                found = check(derive(parse_spec(given, "test")))
                for corner in found.corners:
                    self.assertNotIn("capacitive", corner.mode_simulated)
                    if corner.failure:
                        self.assertRegex(corner.failure, "raise|lower|smaller|fewer")

    def tables(self, name: str, rng: random.Random) -> dict[str, Any]:
        middle, power = 10.0 ** rng.uniform(1.3, 2.8), 10.0 ** rng.uniform(1.3, 3.5)
        volts = 10.0 ** rng.uniform(0.7, 2.6)
        series = "series" in name
        return {
            "topology": name,
            "input": {
                "voltage": {
                    "min": middle * rng.uniform(0.8, 0.97),
                    "nominal": middle,
                    "max": middle * rng.uniform(1.03, 1.2),
                }
            },
            "output": [
                {
                    "voltage": volts,
                    "current": {
                        "min": power / volts * rng.uniform(0.4 if series else 0.1, 0.8),
                        "max": power / volts,
                    },
                    "voltage_ripple": "1 %",
                }
            ],
            "switching": {
                "frequency": 10.0 ** rng.uniform(4.5, 5.9),
                "rectifier": rng.choice(["diode", "synchronous"]),
            },
            "transformer": {"secondary": rng.choice(["centre-tap", "bridge"])},
            "tank": {"quality": rng.uniform(1.5, 4.0)}
            if series
            else {"inductance_ratio": rng.uniform(3.0, 9.0)},
        }


if __name__ == "__main__":
    unittest.main()
