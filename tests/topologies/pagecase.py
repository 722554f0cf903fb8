"""What the tests of single topologies share: a spec in a few words, derived and simulated values at a corner."""

from __future__ import annotations

import unittest
from typing import Any

from jump_lane.design.derive import Design, derive
from jump_lane.operating.mode import simulated_mode
from jump_lane.operating.point import solve
from jump_lane.spec import parse_spec
from jump_lane.study.check import check_corner
from jump_lane.switching.record import Recording


class PageCase(unittest.TestCase):
    """A page at one operating point, ideal parts unless said otherwise."""

    topology = ""

    def design(
        self,
        v_in: float,
        v_o: float,
        i_o: float,
        chosen: dict[str, Any] | None = None,
        parts: dict[str, Any] | None = None,
        **switching: Any,
    ) -> Design:
        base = {"frequency": 100e3, "current_ripple": "40 %", "mode": "either"}
        tables = {
            "topology": self.topology,
            "input": {"voltage": v_in},
            "output": [{"voltage": v_o, "current": i_o, "voltage_ripple": "1 %"}],
            "switching": base | switching,
            "chosen": chosen or {},
            "parts": parts or {},
        }
        return derive(parse_spec(tables, "test"))

    def value(self, design: Design, symbol: str) -> float:
        return design.sheet[symbol].corner(0, 0)

    def assert_values(self, design: Design, expected: dict[str, float], within: float = 1e-3) -> None:
        """Compare derived values with numbers worked out by hand."""
        for symbol, number in expected.items():
            found = self.value(design, symbol)
            self.assertAlmostEqual(
                found / number, 1.0, delta=within, msg=f"{symbol}: {found} instead of {number}"
            )

    def simulated(self, design: Design) -> Recording:
        return solve(design)[1]

    def assert_proven(self, design: Design, mode: str, within: float = 0.0) -> None:
        """Simulate and compare every line with what shows it, within its stated accuracy or a larger one."""
        corner = check_corner(design, 0, 0)
        self.assertEqual(corner.failure, "")
        self.assertEqual((corner.mode_derived, corner.mode_simulated), (mode, mode))
        for finding in corner.findings:
            self.assertLess(abs(finding.deviation), max(within, finding.tolerance), finding)

    def mode(self, design: Design) -> str:
        return simulated_mode(design.page, design.point(0, 0), self.simulated(design))
