"""The power balance on every topology, ratings, and the same part at other temperatures."""

import unittest
from unittest.mock import patch

from jump_lane.dissipation import budget as budgets
from jump_lane.dissipation.budget import budget
from jump_lane.dissipation.ledger import Loss
from jump_lane.errors import BalanceError, JumpLaneError
from jump_lane.operating.point import solve
from jump_lane.topologies import NAMES
from tests.common import buck_tables, design, example_design


class EveryTopology(unittest.TestCase):
    def test_powers_close(self) -> None:
        for name in NAMES:
            with self.subTest(name):
                found = budget(example_design(name).at())
                self.assertLess(found.residual, 1e-8)
                self.assertTrue(0.5 < found.efficiency < 1.0)
                conduction = sum(x.power for x in found.losses if x.simulated)
                self.assertAlmostEqual(conduction, found.p_in - found.p_out, delta=1e-6 * found.p_in)

    def test_every_component_is_found_once(self) -> None:
        from jump_lane.design.components import components

        for name in NAMES:
            with self.subTest(name):
                at = example_design(name).at()
                found = components(at, at.point(0, 0))
                names = [c.name for c in found]
                self.assertEqual(len(names), len(set(names)))
                roles = {c.role for c in found if c.role}
                wanted = {r.name for r in at.page.roles if r.kind not in ("coupling", "magnetising")}
                idle = {r for r in wanted if r not in roles}
                further = {f"{kind}{k}" for kind in ("D", "C_o") for k in range(2, at.page.outputs + 1)}
                self.assertTrue(idle <= further | {"S2", "D2", "D3", "D4"}, f"{idle} are nowhere")


IDLE: dict[str, object] = {
    "topology": "boost",
    "input": {"voltage": 37.4},
    "output": [{"voltage": 78.36, "voltage_ripple": "0.5 %", "current": {"min": 0, "max": 0.9}}],
    "switching": {"frequency": "200 kHz", "current_ripple": "26 %", "rectifier": "synchronous"},
    "chosen": {"L": "300 µH"},
}


class NoLoad(unittest.TestCase):
    """Nothing goes out, and what comes in is a millionth of what swings between the inductor and the output."""

    def lost(self, resistance: float) -> tuple[float, float]:
        """Return what is lost in the inductor, and what its rms current loses [W]."""
        idle = design(IDLE, parts={"L": {"resistance": resistance}})
        found = budget(idle, 0, 0)
        _, recording = solve(idle, 0, 0)
        return found.simulated, resistance * recording.measures("L.i").rms ** 2

    def test_little_is_lost_and_powers_close(self) -> None:
        for resistance in (4e-3, 1e-3, 4e-4, 4e-5):
            with self.subTest(resistance):
                found, expected = self.lost(resistance)
                self.assertAlmostEqual(found, expected, delta=1e-5 * expected)
                self.assertGreater(expected, 0.5 * resistance * 0.095**2)

    def test_nothing_is_lost(self) -> None:
        self.assertAlmostEqual(self.lost(0.0)[0], 0.0, delta=1e-9)

    def test_powers_that_do_not_close_are_refused(self) -> None:
        """A loss that the simulation does not know of stands in the budget as if it did."""
        loaded = design(IDLE, parts={"L": {"resistance": 4e-3}})
        lost = budget(loaded, 0, 1).simulated
        entries = budgets._entries
        more = Loss("L", "imagined", 0.1 * lost, simulated=True)
        with (
            patch.object(budgets, "_entries", lambda *a: [*entries(*a), more]),
            self.assertRaisesRegex(BalanceError, "the powers do not close"),
        ):
            budget(loaded, 0, 1)


class Ratings(unittest.TestCase):
    def broken(self, **parts: object) -> str:
        found = budget(design(buck_tables(), parts=parts).at())
        return "; ".join(found.broken)

    def test_each_rating_is_seen(self) -> None:
        for parts, words in (
            ({"S1": {"voltage": "20 V"}}, "S1: voltage of 24.00 V with a margin of 30 % needs 31.20 V"),
            ({"S1": {"current": "1 A"}}, "S1: current of"),
            ({"S1": {"peak_current": "2 A"}}, "S1: peak current of"),
            ({"D1": {"voltage": "25 V"}}, "D1: voltage of"),
            ({"L": {"saturation_current": "4.5 A"}}, "L: saturation current of"),
            ({"L": {"rms_current": "3 A"}}, "L: rms current of"),
            ({"L": {"max_flux_density": 0.2, "turns": 5, "core_area": "30 mm²"}}, "L: flux density of"),
            ({"C_o": {"voltage": "5 V"}}, "C_o: voltage of"),
            ({"C_i": {"rms_current": "0.1 A"}}, "C_i: ripple current of"),
        ):
            with self.subTest(parts):
                self.assertIn(words, self.broken(**parts))

    def test_temperature_with_its_reserve(self) -> None:
        part = {"resistance": "100 mΩ", "junction_ambient": "100 K/W", "max_temperature": "70 °C"}
        self.assertIn("S1: temperature of", self.broken(S1=part))

    def test_a_part_well_within_holds(self) -> None:
        self.assertEqual(self.broken(S1={"voltage": "60 V", "current": "20 A"}), "")


class Temperature(unittest.TestCase):
    def test_a_hotter_place_loses_more(self) -> None:
        parts = {"S1": "sample-fet-60v-12m", "D1": "sample-schottky-60v-10a", "L": "sample-choke-m-47u"}
        cold = budget(design(buck_tables(), parts=parts, thermal={"ambient": "0 °C"}).at())
        hot = budget(design(buck_tables(), parts=parts, thermal={"ambient": "70 °C"}).at())
        self.assertGreater(hot.temperatures["S1"], cold.temperatures["S1"] + 69.0)

        def lost(found: object, name: str) -> float:
            return sum(x.power for x in found.losses if x.component == name and x.simulated)  # type: ignore[attr-defined]

        self.assertGreater(lost(hot, "S1"), 1.3 * lost(cold, "S1"))
        self.assertLess(lost(hot, "D1"), lost(cold, "D1"))

    def test_the_start_does_not_matter(self) -> None:
        at = design(buck_tables(), parts={"S1": "sample-fet-60v-12m", "L": "sample-choke-m-47u"}).at()
        one, other = budget(at), budget(at, start={"S1": 120.0, "L": 90.0})
        self.assertAlmostEqual(one.temperatures["S1"], other.temperatures["S1"], delta=0.02)
        self.assertAlmostEqual(one.efficiency, other.efficiency, delta=1e-6)

    def test_a_driver_below_the_plateau_is_refused(self) -> None:
        at = design(buck_tables(), parts={"S1": "sample-fet-60v-12m"}, driver={"voltage": "4 V"}).at()
        with self.assertRaisesRegex(JumpLaneError, "does not exceed the gate plateau"):
            budget(at)
