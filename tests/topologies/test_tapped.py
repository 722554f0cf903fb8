"""The buck with a tapped inductor."""

import unittest

from jump_lane.errors import InputError
from jump_lane.judge.limit import Limit
from jump_lane.sizing.solve import size
from jump_lane.study.check import check
from tests.common import design, example_design, spec
from tests.topologies.pagecase import PageCase


def tables(**output):
    return {
        "topology": "tapped-buck",
        "input": {"voltage": {"min": 40, "max": 60}},
        "output": [{"voltage": 5, "current": {"min": 0.1, "max": 4}, "voltage_ripple": "1 %", **output}],
        "switching": {
            "frequency": "200 kHz",
            "current_ripple": "40 %",
            "mode": "either",
            "duty_limit": "35 %",
        },
    }


class Tapped(PageCase):
    def test_volt_seconds_by_hand(self) -> None:
        found = design(tables()).at(40.0, 4.0)
        n = found.sheet["n"].worst
        self.assertAlmostEqual(n, 0.35 / 0.65 * 35 / 5, delta=0.03)
        duty = found.sheet["D"].worst
        self.assertAlmostEqual(5.0 / 40.0, duty / (duty + n * (1.0 - duty)), delta=1e-9)
        swing = (n - 1) * found.sheet["dV_o"].worst / 2
        self.assertAlmostEqual(found.sheet["V_S1"].worst, 40 + (n - 1) * 5 + swing, delta=1e-6)
        self.assertAlmostEqual(found.sheet["V_D1"].worst, 5 + 35 / n + swing / n, delta=1e-6)

    def test_every_mode_agrees(self) -> None:
        modes = set()
        for rectifier in ("diode", "synchronous"):
            result = check(design(tables(), switching__rectifier=rectifier))
            self.assertEqual(result.exit_status, 0)
            for corner in result.corners:
                self.assertEqual(corner.mode_derived, corner.mode_simulated)
                modes.add(corner.mode_simulated)
                for finding in corner.findings:
                    self.assertTrue(finding.agrees, (corner.index, finding))
        self.assertEqual(modes, {"continuous", "discontinuous", "reversed"})

    def test_a_tap_beyond_the_winding_is_refused(self) -> None:
        with self.assertRaisesRegex(InputError, "take a plain buck"):
            design(tables(voltage=30))

    def test_it_is_sized_like_any_other(self) -> None:
        found = size(spec(tables()))
        kept: list[Limit] = [r.limit for r in found.deciding.values()]
        self.assertEqual({limit.symbol for limit in kept}, {"dI_L", "dV_o", "dV_i", "D"})
        self.assertAlmostEqual(found.deciding["n"].limit.highest, 0.35, delta=1e-12)

    def test_leakage_without_a_clamp_gets_an_allowance(self) -> None:
        found = design(tables() | {"parts": {"T": {"leakage": "0.2 µH"}}})
        stress = next(s for s in check(found).stresses if s.component == "S1")
        self.assertAlmostEqual(
            stress.voltage_needed(found.spec.margin) / stress.blocked, 1.2 * 1.3, delta=1e-9
        )

    def test_the_example_has_a_tap(self) -> None:
        self.assertGreater(example_design("tapped-buck").sheet["n"].worst, 3.0)


if __name__ == "__main__":
    unittest.main()
