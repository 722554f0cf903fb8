"""Temperatures and losses together: the closed form for linear resistance, runaway, shared heat sinks."""

import unittest

import numpy as np

from jump_lane.design.components import components
from jump_lane.dissipation.budget import budget, tempered
from jump_lane.dissipation.cooling import network
from jump_lane.dissipation.thermal import Network, solve
from jump_lane.errors import InputError, RunawayError
from tests.common import buck_tables, design


def linear(power: float, rise: float, ambient: float = 40.0):
    """P = P₀·(1 + α·(T − 25 °C)), for every component alike."""
    return lambda t: power * (1.0 + rise * (t - 25.0))


HEATED = {
    "S1": {
        "resistance": "40 mΩ",
        "resistance_curve": "25 °C: 100 %; 125 °C: 160 %",
        "junction_case": "1 K/W",
        "junction_ambient": "60 K/W",
    },
    "D1": {"forward_voltage": "0.5 V", "junction_case": "2 K/W"},
}


class ClosedForm(unittest.TestCase):
    def test_linear_resistance(self) -> None:
        for power, rise, resistance in ((2.0, 0.004, 20.0), (5.0, 0.0065, 30.0), (1.0, -0.002, 60.0)):
            found = solve(Network(("a",), np.array([[resistance]]), 40.0), linear(power, rise))[0]
            gain = rise * resistance * power
            expected = 40.0 + resistance * power * (1.0 + rise * 15.0) / (1.0 - gain)
            self.assertAlmostEqual(found / expected, 1.0, delta=1e-9)

    def test_runaway_limit(self) -> None:
        """It lies at α·R·P₀ = 1 exactly."""
        power, rise = 5.0, 0.005
        for excess in (1.0 - 1e-6, 1.0 + 1e-6):
            thermal = Network(("S1",), np.array([[excess / (power * rise)]]), 40.0)
            if excess > 1.0:
                with self.assertRaisesRegex(RunawayError, "losses of S1"):
                    solve(thermal, linear(power, rise))
            else:
                expected = excess / rise * (1.0 + rise * 15.0) / (1.0 - excess)
                found = solve(thermal, linear(power, rise))[0] - 40.0
                self.assertAlmostEqual(found / expected, 1.0, delta=1e-6)

    def test_close_below_the_limit_the_solution_is_still_that_of_the_closed_form(self) -> None:
        power, rise, gain = 2.0, 0.004, 0.9
        resistance = gain / (power * rise)
        found = solve(Network(("a",), np.array([[resistance]]), 25.0), linear(power, rise))[0]
        self.assertAlmostEqual(found / (25.0 + resistance * power / (1.0 - gain)), 1.0, delta=1e-6)

    def test_a_loss_that_bends_upwards_runs_away_on_the_way(self) -> None:
        thermal = Network(("S1",), np.array([[10.0]]), 25.0)
        with self.assertRaises(RunawayError):
            solve(thermal, lambda t: 2.0 * np.exp((t - 25.0) / 40.0))
        self.assertLess(solve(thermal, lambda t: 1.0 * np.exp((t - 25.0) / 40.0))[0], 65.0)

    def test_two_parts_on_one_sink(self) -> None:
        matrix = np.array([[3.0, 2.0], [2.0, 4.0]])
        found = solve(Network(("a", "b"), matrix, 30.0), lambda t: np.array([5.0, 7.0]) + 0.0 * t)
        np.testing.assert_allclose(found, [30 + 3 * 5 + 2 * 7, 30 + 2 * 5 + 4 * 7])

    def test_nothing_to_cool(self) -> None:
        self.assertEqual(len(solve(Network((), np.zeros((0, 0)), 25.0), lambda t: t)), 0)


class InADesign(unittest.TestCase):
    def test_sinks_are_shared(self) -> None:
        found = design(
            buck_tables(),
            parts=HEATED,
            thermal={"sink": {"main": {"resistance": 8, "interface": 0.5, "parts": ["S1", "D1"]}}},
        )
        thermal = network(found, components(found, found.point(0, 0)))
        self.assertEqual(thermal.names, ("S1", "D1"))
        np.testing.assert_allclose(thermal.resistance, [[9.5, 8.0], [8.0, 10.5]])

    def test_without_a_sink_the_part_cools_alone(self) -> None:
        found = design(buck_tables(), parts=HEATED)
        thermal = network(found, components(found, found.point(0, 0)))
        self.assertEqual(thermal.names, ("S1",))
        np.testing.assert_allclose(thermal.resistance, [[60.0]])

    def test_an_unknown_component_on_a_sink_is_refused(self) -> None:
        sink = {"main": {"resistance": 8, "parts": ["S3"]}}
        found = design(buck_tables(), thermal={"sink": sink})
        with self.assertRaisesRegex(InputError, "no component 'S3'; nearest valid name: S1"):
            network(found, components(found, found.point(0, 0)))

    def test_a_component_stands_on_one_sink(self) -> None:
        sinks = {n: {"resistance": 8, "parts": ["S1"]} for n in ("one", "two")}
        found = design(buck_tables(), thermal={"sink": sinks})
        with self.assertRaisesRegex(InputError, "S1 is on two already"):
            network(found, components(found, found.point(0, 0)))

    def test_the_coupled_solution_obeys_the_closed_form(self) -> None:
        """T = T_a + R·I²·R₀·(1 + α·(T − 25 °C)) with the simulated rms current; nothing else heats S1."""
        found = budget(design(buck_tables(), parts=HEATED).at())
        at = found.temperatures["S1"]
        lost = next(x.power for x in found.losses if x.component == "S1" and x.mechanism == "conduction")
        self.assertGreater(at, 33.0)
        self.assertAlmostEqual((at - 25.0) / (60.0 * lost), 1.0, delta=1e-3)

    def test_runaway_is_an_error(self) -> None:
        parts = {"S1": {**HEATED["S1"], "resistance": "300 mΩ", "junction_ambient": "400 K/W"}}
        with self.assertRaisesRegex(RunawayError, "thermal runaway"):
            budget(design(buck_tables(), parts=parts).at())


class Alike(unittest.TestCase):
    def test_the_hottest_of_parts_made_alike_stands_for_them(self) -> None:
        """Phases of one part: the resistance of all is that of the hottest, whichever it is."""
        part = {"resistance": "10 mΩ", "resistance_curve": "25 °C: 100 %; 125 °C: 150 %"}
        tables = buck_tables() | {"topology": "interleaved-buck", "parts": {"S1": part}}
        at = design(tables).at()
        every = list(components(at, at.point(0, 0)))
        for hot, cool in (("S1", "S2"), ("S2", "S1")):
            point = tempered(at, at.point(0, 0), every, {hot: 125.0, cool: 25.0})
            self.assertAlmostEqual(point["R_S1"], 15e-3, places=9)
