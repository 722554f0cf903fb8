"""Component values solved from the simulation: they keep every limit, and no smaller ones would."""

import json
import math
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from unittest.mock import patch

from jump_lane.design.asked import unnamed
from jump_lane.design.derive import derive
from jump_lane.errors import ConvergenceError, InputError
from jump_lane.judge.limit import Limit, Mend
from jump_lane.report.size import _unkept, size_view
from jump_lane.sizing.case import Case, _shifted, between, corners, extremes
from jump_lane.sizing.readings import Reading, read
from jump_lane.sizing.rounds import Round, let_be
from jump_lane.sizing.solve import deciding, size
from jump_lane.spec import Spec, parse_spec
from jump_lane.study.check import check
from tests import wide
from tests.common import buck_tables, example_design, spec
from tests.test_faults import called


def bare(name: str, **changes) -> Spec:
    """Return an example's specification with nothing chosen."""
    found = unnamed(example_design(name).spec).model_copy(update={"chosen": {}})
    transformer = found.transformer.model_copy(update={"primary_turns": None})
    margin = found.margin.model_copy(update={"inductance": 0.0, "capacitance": 0.0})
    return found.model_copy(update={"transformer": transformer, "margin": margin, **changes})


CIRCLING = {
    "topology": "flyback",
    "input": {"voltage": {"min": 8.1, "max": 9.85}},
    "output": [{"voltage": 4.4, "current": {"min": 0.7, "max": 33}, "voltage_ripple": "0.1 %"}],
    "switching": {
        "frequency": "1.07 MHz",
        "current_ripple": "39 %",
        "mode": "discontinuous",
        "duty_limit": "42 %",
    },
    "transformer": {"clamp_voltage": 1.6},
    "parts": {"S1": {"resistance": "593 µΩ"}, "D1": {"resistance": "237 µΩ", "forward_voltage": "109 mV"}},
}


RISING = {
    "topology": "active-clamp-forward",
    "input": {"voltage": 10.86},
    "output": [
        {"voltage": 1.72, "current": {"min": 11.7, "max": 54}, "voltage_ripple": "0.25 %", "load": "power"}
    ],
    "switching": {
        "frequency": "638 kHz",
        "current_ripple": "37 %",
        "mode": "discontinuous",
        "duty_limit": "55 %",
    },
    "transformer": {"secondary": "current-doubler", "magnetising_ripple": "8 %"},
}


class LetBe(unittest.TestCase):
    """Rounds that did not settle: which of them has values to go on with."""

    def course(self, *rounds: tuple[float, float], least: bool = True) -> list[Round]:
        return [Round({"L": v}, {"L": a}, {"L"} if (a <= 1.0) == least else set()) for v, a in rounds]

    def test_one_that_hardly_moves(self) -> None:
        course = self.course((1.0, 1.0015), (1.1, 1.0011), (1.2, 1.0300))
        self.assertEqual(let_be(course), course[1])

    def test_just_beyond_a_jump_to_kept(self) -> None:
        course = self.course((1.0, 1.008), (1.006, 0.4), (1.2, 0.4))
        self.assertEqual(let_be(course), course[1])
        course = self.course((1.0, 0.992), (0.994, 2.5), (0.8, 2.5), least=False)
        self.assertEqual(let_be(course), course[1])

    def test_not_before_it_and_not_far_beyond(self) -> None:
        self.assertIsNone(let_be(self.course((1.0, 1.008), (1.02, 0.4))))
        self.assertIsNone(let_be(self.course((1.0, 0.992), (0.98, 2.5), least=False)))
        self.assertIsNone(let_be(self.course((1.0, 1.008), (1.006, 1.004))))


class Values(unittest.TestCase):
    def test_every_limit_is_just_kept(self) -> None:
        for name in ("buck", "sepic", "flyback", "half-bridge"):
            asked = bare(name)
            with self.subTest(name):
                found = size(asked)
                self.assertEqual(found.unkept, [])
                for symbol, reading in found.deciding.items():
                    self.assertLessEqual(reading.ratio, 1.0006, symbol)
                    self.assertGreaterEqual(reading.ratio, 0.997, symbol)
                after = derive(asked.model_copy(update={"chosen": dict(found.values)}))
                self.assertEqual(check(after).exit_status, 0)

    def test_a_smaller_value_breaks_its_limit(self) -> None:
        asked = bare("buck")
        found = size(asked)
        start = derive(asked)
        for symbol, value in found.exact.items():
            with self.subTest(symbol):
                less = {**found.exact, symbol: 0.98 * value}
                case = found.deciding[symbol].case
                broken = {r.limit.symbol for r in read(start, less, [case]) if r.ratio > 1.003}
                self.assertIn(found.deciding[symbol].limit.symbol, broken)

    def test_start_does_not_matter(self) -> None:
        asked = bare("sepic")
        once = size(asked)
        asked = asked.model_copy(update={"margin": asked.margin.model_copy(update={"esr_share": 0.7})})
        again = size(asked)
        for symbol, value in once.exact.items():
            self.assertAlmostEqual(again.exact[symbol] / value, 1.0, delta=3e-3, msg=symbol)

    def test_what_has_not_settled_is_named(self) -> None:
        with (
            patch("jump_lane.sizing.solve.ROUNDS", 1),
            self.assertRaisesRegex(ConvergenceError, "values of L, C_o have"),
        ):
            size(bare("buck"))

    def test_an_output_off_by_its_tolerance(self) -> None:
        """Two percent above what is asked is 1.02 times as much, at 1.01 times the frequency."""
        found = example_design("buck")
        shifted = _shifted(found, found.spec, {"V_o": 0.02, "f_s": 0.01})
        self.assertAlmostEqual(
            (shifted.output[0].voltage or 0.0) / (found.spec.output[0].voltage or 1.0), 1.02
        )
        self.assertAlmostEqual(shifted.switching.frequency / found.spec.switching.frequency, 1.01)

    def test_margin_comes_on_top(self) -> None:
        asked = bare("buck")
        margin = asked.margin.model_copy(update={"inductance": 0.25, "capacitance": 0.5})
        found = size(asked.model_copy(update={"margin": margin}))
        self.assertAlmostEqual(found.values["L"] / found.exact["L"], 1.25, delta=1e-9)
        self.assertAlmostEqual(found.values["C_o"] / found.exact["C_o"], 1.5, delta=1e-9)

    def test_what_the_file_chooses_stays(self) -> None:
        found = size(bare("buck", chosen={"L": 5e-6}))
        self.assertNotIn("L", found.values)
        self.assertEqual([r.limit.symbol for r in found.unkept], ["dI_L"])

    def test_too_much_resistance_is_told(self) -> None:
        tables = buck_tables() | {"parts": {"C_o": {"resistance": "12 mΩ"}}, "chosen": {"L": "10 µH"}}
        self.assertEqual(size(spec(tables, switching__mode="either")).unkept[1:], [])
        tables["parts"] = {"C_o": {"resistance": "40 mΩ"}}
        with self.assertRaisesRegex(
            InputError, "C_o: its ESR of 40.00 mΩ alone makes 83.33 mV where 50.00 mV"
        ):
            size(spec(tables, switching__mode="either"))

    def test_whole_turns(self) -> None:
        asked = bare("flyback")
        asked = asked.model_copy(
            update={"transformer": asked.transformer.model_copy(update={"primary_turns": 20})}
        )
        ratio = 20.0 / size(asked).values["n"]
        self.assertAlmostEqual(ratio, round(ratio), delta=1e-9)

    def test_a_usual_duty_limit_is_none_where_turns_are_given(self) -> None:
        asked = bare("flyback")
        transformer = asked.transformer.model_copy(update={"turns_ratio": (4.0, 1.0)})
        switching = asked.switching.model_copy(update={"duty_limit": None})
        asked = asked.model_copy(update={"transformer": transformer, "switching": switching, "chosen": {}})
        self.assertEqual(size(asked).unkept, [])
        switching = switching.model_copy(update={"duty_limit": 0.3})
        found = size(asked.model_copy(update={"switching": switching}))
        self.assertEqual([r.limit.symbol for r in found.unkept], ["D"])

    def test_a_ripple_that_is_largest_between_the_corners(self) -> None:
        """A boost has its largest ripple at half of the output voltage."""
        changes = {"topology": "boost", "input__voltage": {"min": 12, "max": 44}, "switching__mode": "either"}
        changes["switching__current_ripple"] = "1 A"
        output = [buck_tables()["output"][0] | {"voltage": 48}]
        found = size(spec(buck_tables() | {"output": output}, **changes))
        self.assertAlmostEqual(found.deciding["L"].case.v_in, 24.0, delta=2.1)

    def test_tolerances_are_kept_at_their_ends(self) -> None:
        asked = bare("buck")
        found = size(asked, tolerances=True)
        start = derive(asked)
        worst = max(read(start, found.values, extremes(start)), key=lambda r: r.ratio)
        self.assertLessEqual(worst.ratio, 1.0006)
        t = asked.tolerance
        self.assertGreater(found.values["L"] / size(asked).values["L"], 1.0 / (1.0 - t.inductance))

    def test_modes(self) -> None:
        for mode, edge in (("continuous", 1.0), ("discontinuous", 1.0), ("boundary", 1.0)):
            with self.subTest(mode):
                asked = bare("buck")
                switching = asked.switching.model_copy(update={"mode": mode, "current_ripple": None})
                found = size(asked.model_copy(update={"switching": switching}))
                self.assertEqual(found.deciding["L"].limit.symbol, "mode")
                self.assertAlmostEqual(found.deciding["L"].ratio, edge, delta=2e-3)

    def test_turns_ratio_and_inductance_that_circle_each_other(self) -> None:
        """Discontinuous at full load: the duty ratio follows the inductance, and the boundary the turns ratio."""
        found = size(spec(CIRCLING))
        self.assertEqual({found.deciding[s].limit.symbol for s in ("n", "L_m")}, {"D", "mode"})
        for symbol in ("n", "L_m", "C_o"):
            self.assertAlmostEqual(found.deciding[symbol].ratio, 1.0, delta=2e-3, msg=symbol)
        self.assertEqual(found.unkept, [])

    def test_a_lower_turns_ratio_takes_the_other_values_with_it(self) -> None:
        """The series inductance of a bridge goes by n²: left as it was, lost duty grows faster than n falls."""
        found = size(parse_spec(wide.wide(5172), "x"))
        self.assertEqual(found.unkept, [])
        self.assertLess(found.values["n"], found.design.sheet["n"].worst)

    def test_a_mode_just_before_it_is_not_reached_at_all(self) -> None:
        """An inductor of a current doubler whose current rises towards the end of the period never idles: with less it does."""
        found = size(spec(RISING))
        self.assertEqual(found.unkept, [])
        self.assertAlmostEqual(found.deciding["L"].ratio, 1.0, delta=1e-3)
        fixed = spec(RISING, chosen={"L": 1.02 * found.exact["L"]})
        found = size(fixed)
        self.assertEqual([r.limit.symbol for r in found.unkept], ["mode"])
        self.assertTrue(math.isinf(found.unkept[0].ratio))
        shown = "\n".join(size_view(found, check(derive(fixed))).notes)
        self.assertIn(
            "conduction) is not reached at 10.86 V, 54.00 A: the file fixes L, with which the current", shown
        )
        free = _unkept(found.unkept[0], replace(found, values={"L": 1e-9}))
        self.assertIn("is not reached at 10.86 V, 54.00 A: no L keeps it, as the current", free)


class Parts(unittest.TestCase):
    def test_cases(self) -> None:
        found = example_design("multi-output-flyback")
        self.assertEqual(len(corners(found)), 4 * found.shape[0] * found.shape[1])
        self.assertEqual(len({c.v_in for c in between(found)}), 9)
        self.assertEqual(len(extremes(example_design("buck"))), 2**4 * 9)

    def test_the_largest_lower_bound_decides(self) -> None:
        def reading(factor: float, least: bool = True) -> Reading:
            mend = Mend(("L",), lambda scene, allowed: factor, least)
            limit = Limit("x", "", "A", lambda scene: 1.0, 1.0, 1.0, "", lambda _: "", mend=mend)
            return Reading(limit, Case(1.0, 1.0), 1.0, factor)

        found = deciding([reading(0.9), reading(1.2), reading(0.5, least=False)], "L")
        self.assertEqual(found.factor if found else None, 1.2)
        sides = [reading(f, least).kept for least in (True, False) for f in (0.9, 1.0, 1.1)]
        self.assertEqual(sides, [True, True, False, False, True, True])
        found = deciding([reading(0.9, least=False), reading(0.7, least=False)], "L")
        self.assertEqual(found.factor if found else None, 0.7)
        self.assertIsNone(deciding([reading(1.0)], "C_o"))

    def test_what_does_not_settle_is_an_error(self) -> None:
        from jump_lane.sizing import solve

        asked = bare("flyback")
        rounds, solve.ROUNDS = solve.ROUNDS, 1
        try:
            with self.assertRaisesRegex(ConvergenceError, "have not settled in 1 rounds"):
                size(asked)
        finally:
            solve.ROUNDS = rounds

    def test_a_case_without_a_result_says_what_led_there(self) -> None:
        from jump_lane.sizing import solve

        first, rounds = solve.read, 0

        def lost(*given):
            nonlocal rounds
            rounds += 1
            if rounds > 2:
                raise ConvergenceError("no state")
            return first(*given)

        tables = buck_tables() | {"margin": {"inductance": 0, "capacitance": 0}}
        with (
            patch.object(solve, "read", lost),
            self.assertRaisesRegex(
                ConvergenceError, "no state; met where more C_o is asked for: ripple of output 1"
            ),
        ):
            size(spec(tables, input__voltage_ripple="3 %"))


class Command(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "rail.toml"
        self.path.write_text(
            'topology = "buck"\n\n[input]\nvoltage = "24 V"   # bus\n\n[[output]]\nvoltage = "5 V"\n'
            'power = { min = "5 W", max = "50 W" }\nvoltage_ripple = "1 %"\n\n[switching]\nfrequency = "200 kHz"\n',
            encoding="utf-8",
        )

    def test_values_are_shown_and_written(self) -> None:
        status, out, _ = called("size", str(self.path), "--json")
        found = json.loads(out)
        self.assertEqual((status, found["holds"]), (0, True))
        values = {v["symbol"]: v for v in found["values"]}
        self.assertEqual(set(values), {"L", "C_o", "C_i"})
        self.assertEqual(values["L"]["decided_by"]["key"], "switching.mode")
        before = self.path.read_text(encoding="utf-8")
        status, _, err = called("size", str(self.path), "--write")
        after = self.path.read_text(encoding="utf-8")
        self.assertTrue(status == 0 and after.startswith(before), err)
        self.assertIn("[chosen]", after)
        status, out, _ = called("size", str(self.path))
        self.assertIn("--anew looks for them all the same", out)
        status, out, _ = called("size", str(self.path), "--anew", "--json")
        again = {v["symbol"]: v["value"] for v in json.loads(out)["values"]}
        self.assertAlmostEqual(again["L"] / values["L"]["value"], 1.0, delta=1e-3)

    def test_a_file_without_a_converter_is_refused(self) -> None:
        self.path.write_text(self.path.read_text().replace('"24 V"', '"4 V"'), encoding="utf-8")
        status, out, err = called("size", str(self.path))
        self.assertEqual((status, out), (2, ""))
        self.assertIn("cannot be reached", err)
