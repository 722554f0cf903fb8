import unittest

from jump_lane.design.caveats import caveats
from jump_lane.equations.sheet import BOUNDARY
from jump_lane.errors import InputError, NoResultError
from jump_lane.operating.point import solve
from jump_lane.study.check import check
from tests.common import buck_tables, design

LOSSY = {
    "S1": {"resistance": "20 mΩ", "body_voltage": "0.8 V"},
    "D1": {"resistance": "15 mΩ", "forward_voltage": "0.5 V", "body_voltage": "0.8 V"},
    "L": {"resistance": "25 mΩ"},
    "C_o": {"resistance": "8 mΩ"},
}


class Verdicts(unittest.TestCase):
    def broken(self, **changes: object) -> dict[str, str]:
        result = check(design(buck_tables(), **changes))
        self.assertEqual(result.exit_status, 1)
        advice: dict[str, str] = {}
        for finding in (f for c in result.corners for f in c.findings if not f.holds):
            advice[finding.symbol] = max(finding.advice, advice.get(finding.symbol, ""), key=self.needed)
        for corner in (c for c in result.corners if not c.mode_holds):
            advice["mode"] = corner.mode_advice
        return advice

    @staticmethod
    def needed(advice: str) -> float:
        return float(advice.rsplit("at least ", 1)[1].split()[0]) if "at least" in advice else 0.0

    def test_all_that_is_asked_holds(self) -> None:
        for changes in ({}, {"parts": LOSSY}, {"parts": LOSSY, "switching__rectifier": "synchronous"}):
            with self.subTest(changes=changes):
                result = check(design(buck_tables(), **changes))
                self.assertEqual(result.exit_status, 0)
                self.assertEqual(len(result.corners), 6)
                for corner in result.corners:
                    for finding in corner.findings:
                        self.assertTrue(finding.agrees, finding)

    def test_too_small_a_choke_names_itself(self) -> None:
        advice = self.broken(chosen={"L": "6 µH"})
        self.assertRegex(advice["dI_L"], r"over by .* %: raise L from 6.000 µH to at least \d")
        self.assertRegex(advice["mode"], "raise L from 6.000 µH to at least")

    def test_the_advice_mends_the_fault(self) -> None:
        advice = self.broken(chosen={"C_o": "2 µF"})["dV_o"]
        value = self.needed(advice) * 1.001
        mended = check(design(buck_tables(), chosen={"C_o": f"{value} µF"}))
        self.assertEqual(mended.exit_status, 0)
        advice = self.broken(chosen={"L": "6 µH"})["mode"]
        mended = check(
            design(
                buck_tables(),
                chosen={"L": f"{1.02 * self.needed(advice)} µH"},
                switching__current_ripple="3 A",
            )
        )
        self.assertTrue(all(c.mode_holds for c in mended.corners))

    def test_a_capacitor_cannot_mend_its_own_resistance(self) -> None:
        parts = {"C_o": {"resistance": "100 mΩ"}}
        advice = self.broken(chosen={"C_o": "1 mF"}, parts=parts)
        self.assertIn("no C_o mends that: lower its resistance", advice["dV_o"])

    def test_discontinuous_wanted_but_not_had(self) -> None:
        advice = self.broken(switching__mode="discontinuous", chosen={"L": "40 µH"})
        self.assertRegex(advice["mode"], r"lower L from 40.00 µH to at most \d")

    def test_boundary(self) -> None:
        found = design(buck_tables(), switching__mode="boundary", input__voltage=24, output__current=2)
        self.assertEqual(found.mode(0, 0), BOUNDARY)
        self.assertEqual(check(found).corners[0].mode_simulated, BOUNDARY)

    def test_dead_time_with_forward_and_reversed_current(self) -> None:
        changes = {
            "switching__rectifier": "synchronous",
            "switching__dead_time": "60 ns",
            "output__current": {"min": 0.1, "max": 4},
            "parts": LOSSY,
        }
        found = design(buck_tables(), **changes)
        self.assertTrue(any("less there than derived" in text for text in caveats(found)))
        corners = check(found).corners
        self.assertEqual({c.mode_simulated for c in corners}, {"continuous", "reversed"})
        for corner in corners:
            duty = next(f for f in corner.findings if f.symbol == "D")
            before = 60e-9 * 200e3 if corner.mode_simulated == "reversed" else 0.0
            self.assertAlmostEqual(duty.simulated, duty.derived - before, delta=1e-3, msg=str(corner.index))


class OperatingPoint(unittest.TestCase):
    def test_a_point_keeps_the_components_of_the_whole_range(self) -> None:
        whole = design(buck_tables())
        point = whole.at(25.0, 1.0)
        self.assertEqual(point.components(), whole.components())
        self.assertEqual(point.shape, (1, 1))

    def test_fixed_duty_ratio_runs_open_loop(self) -> None:
        _, recording = solve(design(buck_tables()).at(24.0, 4.0), control=0.5)
        self.assertAlmostEqual(recording.measures("load.v").average, 12.0, places=6)


class Held(unittest.TestCase):
    def test_the_output_voltage_is_asked_and_met(self) -> None:
        for corner in check(design(buck_tables())).corners:
            output = next(f for f in corner.findings if f.symbol == "V_o")
            self.assertEqual((output.asked, output.target, output.holds), (5.0, True, True))

    def test_one_output_only(self) -> None:
        tables = buck_tables()
        tables["output"] *= 2
        with self.assertRaisesRegex(InputError, "read 2 outputs, but the buck has one"):
            design(tables)


class Loads(unittest.TestCase):
    def output(self, **load: object) -> list[dict]:
        base = {"voltage": 36, "current": {"min": 0.3, "max": 1.0}, "voltage_ripple": "1 %"}
        return [{k: v for k, v in (base | load).items() if v is not None}]

    def check(self, **load: object):
        changes = {
            "topology": "boost",
            "input__voltage": {"min": 20, "max": 28},
            "output": self.output(**load),
        }
        return check(design(buck_tables(), **changes))

    def test_every_kind_of_load(self) -> None:
        leds = {"threshold": "2.7 V", "resistance": "1.1 Ω", "count": 12}
        for load in (
            {"load": "current"},
            {"load": "power"},
            {"load": "resistance"},
            {"voltage": None, "leds": leds},
        ):
            with self.subTest(load=load):
                result = self.check(**load)
                self.assertEqual(result.exit_status, 0, [c.failure for c in result.corners])
                for corner in result.corners:
                    for finding in corner.findings:
                        self.assertTrue(finding.agrees, finding)

    def test_leds_bring_their_own_voltage(self) -> None:
        leds = {"threshold": "3 V", "resistance": "1 Ω", "count": 10}
        result = self.check(voltage=None, leds=leds)
        volts = {round(f.simulated, 2) for c in result.corners for f in c.findings if f.symbol == "V_o"}
        self.assertEqual(volts, {33.0, 40.0})

    def test_no_load_is_said_not_calculated(self) -> None:
        changes = {
            "topology": "boost",
            "output": self.output(current={"min": 0, "max": 1}),
            "switching__mode": "either",
        }
        with self.assertRaisesRegex(InputError, "no load at least.*expected a smallest load above 0 A"):
            design(buck_tables(), **changes)
        changes["output"] = self.output(current={"min": 0.1, "max": 1})
        result = check(design(buck_tables(), **changes).at(24.0, 0.0))
        self.assertEqual((result.exit_status, result.corners[0].failure[:7]), (3, "no load"))

    def test_an_open_loop_boost_without_load_runs_away(self) -> None:
        changes = {
            "topology": "boost",
            "output": self.output(current={"min": 0.1, "max": 1}),
            "switching__mode": "either",
        }
        with self.assertRaises(NoResultError):
            solve(design(buck_tables(), **changes).at(24.0, 0.0), control=0.3)

    def test_a_boost_near_its_peak_says_why_it_cannot(self) -> None:
        parts = {"L": {"resistance": "1.5 Ω"}}
        with self.assertRaisesRegex(InputError, "the conversion ratio does not exceed 2.449"):
            design(buck_tables(), topology="boost", output=self.output(voltage=72, current=2.0), parts=parts)
