"""Two bridges and an inductance: closed forms against integration and simulation, both ways, every modulation."""

import random
import tomllib
import unittest
from dataclasses import replace
from typing import Any

import numpy as np

from jump_lane.circuit.circuit import Circuit
from jump_lane.design.derive import Design, derive
from jump_lane.dissipation.budget import budget
from jump_lane.equations.bridges import (
    bridges_at,
    bridges_both,
    bridges_charge,
    bridges_drawn,
    bridges_first,
    bridges_peak,
    bridges_phase,
    bridges_power,
    bridges_rms,
    least_rms_phi,
    least_rms_t1,
    least_rms_t2,
)
from jump_lane.equations.soft_bridges import soft_t1, soft_t2
from jump_lane.errors import InputError
from jump_lane.operating.point import solve
from jump_lane.spec import parse_spec
from jump_lane.study.check import check
from jump_lane.study.template import example
from jump_lane.switching.record import Recording, record
from jump_lane.switching.steady import steady_state


def bridge(modulation: str = "single", load: float = 1.0, **angles: Any) -> Design:
    """A normalised bridge of ideal parts: 1 V, 1 W, 1 Hz, voltages as their ratio."""
    ratio = angles.pop("ratio", 1.0)
    given = {
        "topology": "dual-active-bridge",
        "input": {"voltage": 1},
        "output": [
            {
                "voltage": ratio,
                "current": {"min": min(load, 0.0) or load, "max": max(load, 0.1)},
                "voltage_ripple": "0.01 %",
                "load": "current",
            }
        ],
        "switching": {"frequency": 1},
        "angles": {"modulation": modulation, "largest": 0.14, **angles},
        "chosen": {"n": 1, "L": 0.1, "L_m": 10, "C_o": 1e4},
    }
    return derive(parse_spec(given, "test")).at(i_o=load)


def stiff(at: Design) -> Recording:
    """The period of a bridge whose output is held by a source, at the angles derived."""
    point = replace(at.point(0, 0), kinds=("stiff",))
    elements = tuple(e for e in at.page.circuit(point) if e.name != "C_o")
    gates = at.page.angled.gates({s: point[s] for s in ("phi", "t1", "t2")}, point)
    start = {"L": point["I_0"], "L_m": point["I_m0"]}
    return record(steady_state(Circuit(elements, 1.0, lambda _: gates), None, start))


class ClosedForms(unittest.TestCase):
    def test_against_sums_over_many_instants(self) -> None:
        rng = random.Random(3)
        x = (np.arange(40000) + 0.5) / 40000
        for _ in range(20):
            m, phi = rng.uniform(0.4, 2.0), rng.uniform(-0.4, 0.4)
            t1, t2 = rng.uniform(0.0, 0.45), rng.uniform(0.0, 0.45)
            i = bridges_at(m, phi, t1, t2, x)
            wave = [np.where((x - a) % 1.0 < 0.5, 0.5, -0.5) for a in (0.0, -t1, phi, phi - t2)]
            first, second = wave[0] + wave[1], wave[2] + wave[3]
            self.assertAlmostEqual(np.mean(i * first), bridges_power(m, phi, t1, t2), delta=2e-4)
            self.assertAlmostEqual(np.sqrt(np.mean(i**2)), bridges_rms(m, phi, t1, t2), delta=2e-5)
            self.assertAlmostEqual(np.abs(i).max(), bridges_peak(m, phi, t1, t2), delta=1e-4)
            for port, side in ((1.0, first), (2.0, second)):
                drawn = i * side
                self.assertAlmostEqual(
                    np.sqrt(np.mean(drawn**2)), bridges_drawn(m, phi, t1, t2, port), delta=1e-4
                )
                moved = np.maximum(drawn - drawn.mean(), 0.0).mean() / 2.0
                self.assertAlmostEqual(moved, bridges_charge(m, phi, t1, t2, port), delta=1e-4)

    def test_single_phase_shift_is_the_textbook(self) -> None:
        for phi in (-0.2, 0.05, 0.25):
            self.assertAlmostEqual(
                float(bridges_power(0.8, phi, 0.0, 0.0)), 0.8 * phi * (1.0 - 2.0 * abs(phi)), places=15
            )

    def test_phases_and_inner_angles_pass_the_power_on(self) -> None:
        rng = random.Random(5)
        for _ in range(40):
            m, t1, t2 = rng.uniform(0.5, 1.8), rng.uniform(0.0, 0.3), rng.uniform(0.0, 0.3)
            most = float(bridges_power(m, 0.25 - (t1 - t2) / 2.0, t1, t2))
            p = rng.uniform(-0.95, 0.95) * most
            phi = bridges_phase(p, m, t1, t2)
            self.assertAlmostEqual(float(bridges_power(m, phi, t1, t2)), p, places=12)
            delta = rng.uniform(0.05, 0.24)
            wanted = 0.7 * float(bridges_power(m, delta + t2 / 2.0, 0.0, t2))
            inner = bridges_first(wanted, m, delta, t2)
            if np.isfinite(inner):
                self.assertAlmostEqual(
                    float(bridges_power(m, delta - (inner - t2) / 2.0, inner, t2)), wanted, places=12
                )
            both = bridges_both(0.5 * float(bridges_power(m, delta, 0.0, 0.0)), m, delta)
            self.assertAlmostEqual(
                float(bridges_power(m, delta, both, both) / bridges_power(m, delta, 0.0, 0.0)), 0.5, places=10
            )
        self.assertTrue(np.isnan(bridges_phase(1.0, 0.8, 0.0, 0.0)))

    def test_least_rms_is_that_of_a_search_and_never_worse_than_single_phase_shift(self) -> None:
        grid = np.linspace(0.0, 0.5, 361)  # half a degree
        one, two = np.meshgrid(grid, grid, indexing="ij")
        rng = random.Random(8)
        for _ in range(12):
            m = rng.uniform(0.45, 2.1)
            p = rng.uniform(-0.98, 0.98) * m / 8.0
            angles = [f(p, m) for f in (least_rms_phi, least_rms_t1, least_rms_t2)]
            self.assertAlmostEqual(float(bridges_power(m, *angles)), p, places=12)
            found = float(bridges_rms(m, *angles))
            searched = np.nanmin(bridges_rms(m, bridges_phase(p, m, one, two), one, two))
            single = float(bridges_rms(m, bridges_phase(p, m, 0.0, 0.0), 0.0, 0.0))
            self.assertLess(found, searched * (1.0 + 1e-9))
            self.assertLess(searched, found * 1.001)
            self.assertLess(found, single * (1.0 + 1e-12))


class Simulated(unittest.TestCase):
    def test_ideal_parts_are_the_piecewise_linear_solution(self) -> None:
        """Power, rms, peak and switching currents of every modulation, both ways, to 1e-9."""
        for modulation, angles in (
            ("single", {}),
            ("extended", {"inner_1": "25°"}),
            ("dual", {"inner_1": "18°"}),
            ("triple", {"inner_1": "31°", "inner_2": "12°"}),
            ("least-rms", {}),
        ):
            for load, ratio in ((0.6, 1.0), (-0.6, 0.8), (0.25, 1.3)):
                with self.subTest(modulation=modulation, load=load, ratio=ratio):
                    at = bridge(modulation, load, ratio=ratio, **angles)
                    sheet, seen = at.sheet, stiff(at)
                    current = seen.measures("L.i")
                    self.assertAlmostEqual(seen.power("load") / sheet["P_o"].worst, 1.0, delta=1e-9)
                    self.assertAlmostEqual(current.rms / sheet["I_Lrms"].worst, 1.0, delta=1e-9)
                    self.assertAlmostEqual(current.peak / sheet["I_Lpk"].worst, 1.0, delta=1e-9)
                    for symbol, x, sign in (
                        ("I_zS1", 0.0, -1.0),
                        ("I_zS3", 0.5 - sheet["t1"].worst, 1.0),
                        ("I_zS5", sheet["phi"].worst, 1.0),
                        ("I_zS7", sheet["phi"].worst + 0.5 - sheet["t2"].worst, -1.0),
                    ):
                        found = sign * seen.value_at("L.i", x % 1.0)
                        found += sheet["I_m"].worst if symbol in ("I_zS5", "I_zS7") else 0.0
                        self.assertAlmostEqual(found, sheet[symbol].worst, delta=1e-9 * current.peak)

    def test_soft_angles_are_the_best_of_all_on_a_grid(self) -> None:
        """No angles half a degree apart swing more legs over, or as many with a current 0.1 % smaller."""
        side = np.arange(0.0, 0.49, 1.0 / 720.0)
        grid = [a.ravel() for a in np.meshgrid(side, side)]
        for case in (
            (0.02, 1.16, 0.01, 0.027, 0.005, 0.005),
            (-0.05, 0.8, 0.01, 0.02, 0.0, 0.01),
            (0.004, 0.9, 0.01, 0.01, 0.02, 0.005),
        ):
            with self.subTest(case):
                angles = [np.array([float(of(*case))]) for of in (soft_t1, soft_t2)]
                mine, every = self.looked_at(case, *angles), self.looked_at(case, *grid)
                hard = float(every[0].min())
                self.assertLessEqual(float(mine[0][0]), hard)
                self.assertLess(float(mine[1][0]), 1.001 * float(every[1][every[0] == hard].min()))

    def looked_at(
        self, case: tuple[float, ...], t1: np.ndarray, t2: np.ndarray
    ) -> tuple[np.ndarray, np.ndarray]:
        """How many legs lack current as they change or at the end of the dead time, and the rms current."""
        p, m, first, second, aid, dead = case
        ratio, phi = np.full_like(t1, m), bridges_phase(np.full_like(t1, p), np.full_like(t1, m), t1, t2)
        helped, hard = aid * (1.0 - 2.0 * t2), np.zeros_like(t1)
        for at, sign, more, needed in (
            (0.0 * t1, -1.0, 0.0, first),
            (0.5 - t1, 1.0, 0.0, first),
            (phi, 1.0, helped, second),
            (phi + 0.5 - t2, -1.0, helped, second),
        ):
            now = sign * bridges_at(ratio, phi, t1, t2, at) + more
            later = sign * bridges_at(ratio, phi, t1, t2, at + dead) + more
            hard += (now < needed - 1e-9) | (later < 0.6 * needed - 1e-9)
        return np.where(np.isfinite(phi), hard, np.inf), bridges_rms(ratio, phi, t1, t2)

    def test_soft_switching_may_be_preferred(self) -> None:
        tables = tomllib.loads(example("dual-active-bridge"))
        tables["switching"]["dead_time"] = "60 ns"
        soft = {}
        for modulation in ("single", "soft"):
            tables["angles"]["modulation"] = modulation
            found = check(derive(parse_spec(tables, "test")))
            self.assertEqual(found.exit_status, 0)
            soft[modulation] = [int(c.mode_simulated.split("/")[1].split()[0]) for c in found.corners]
        self.assertTrue(all(a <= b for a, b in zip(soft["single"], soft["soft"], strict=True)), soft)
        self.assertGreater(sum(soft["soft"]), sum(soft["single"]))

    def test_power_flows_both_ways_and_is_held(self) -> None:
        found = check(derive(parse_spec(tomllib.loads(example("dual-active-bridge")), "test")))
        self.assertEqual(found.exit_status, 0)
        modes = {c.i_o > 0.0: c.mode_simulated.partition("/")[0] for c in found.corners}
        self.assertEqual(modes, {True: "forward", False: "reverse"})
        self.assertTrue(any(c.mode_simulated.endswith("/8 soft") for c in found.corners))
        self.assertTrue(any(c.mode_simulated.endswith("/4 soft") for c in found.corners))

    def test_what_flows_back_is_taken_from_the_output(self) -> None:
        found = derive(parse_spec(tomllib.loads(example("dual-active-bridge")), "test"))
        back = budget(found.at(51.2, -4.0))
        self.assertLess(back.p_in, 0.0)
        self.assertGreater(back.loss, 0.0)
        self.assertAlmostEqual(back.efficiency, back.p_in / back.p_out, places=12)
        self.assertTrue(0.95 < back.efficiency < 1.0, back.efficiency)

    def test_an_inner_angle_may_hold_the_output(self) -> None:
        for modulation in ("extended", "dual", "triple"):
            with self.subTest(modulation):
                at = bridge(modulation, 0.5, regulated_by="inner", outer="40°", inner_2="10°")
                self.assertEqual(at.page.control.symbol, "t1")
                state, seen = solve(at)
                self.assertAlmostEqual(seen.measures("load.v").average, 1.0, places=8)
                self.assertAlmostEqual(state.control, at.sheet["t1"].worst, delta=1e-4)
        with self.assertRaisesRegex(InputError, "angles.regulated_by: read inner; expected angles.outer"):
            bridge("extended", 0.5, regulated_by="inner")

    def test_what_is_beyond_a_quarter_period_is_refused(self) -> None:
        with self.assertRaisesRegex(InputError, "2.000 W cannot be passed on at 1.000 V.*a smaller L"):
            bridge(load=2.0)

    def test_power_back_is_refused_where_none_flows(self) -> None:
        tables = tomllib.loads(example("half-bridge-llc"))
        tables["output"][0]["current"] = {"min": -1, "max": 10}
        with self.assertRaisesRegex(InputError, "no power flows back through the half-bridge-llc"):
            derive(parse_spec(tables, "test"))

    def test_random_bridges_are_held(self) -> None:
        rng = random.Random(2)
        for k in range(16):
            first, second, power = (
                10.0 ** rng.uniform(1.2, 2.9),
                10.0 ** rng.uniform(1.2, 2.9),
                10.0 ** rng.uniform(1.5, 4.0),
            )
            full = power / second
            given = {
                "topology": "dual-active-bridge",
                "input": {"voltage": {"min": first * 0.9, "nominal": first, "max": first * 1.1}},
                "output": [
                    {
                        "voltage": second,
                        "current": {"min": full * rng.choice([-1.0, -0.5, 0.1]), "max": full},
                        "voltage_ripple": "1 %",
                        "load": rng.choice(["current", "resistance"]),
                    }
                ],
                "switching": {"frequency": 10.0 ** rng.uniform(4.3, 5.6)},
                "angles": {
                    "modulation": rng.choice(["single", "least-rms", "triple"]),
                    "inner_1": "12°",
                    "inner_2": "5°",
                },
                "parts": {
                    "S1": {"resistance": 0.004 * first**2 / power},
                    "S5": {"resistance": 0.004 * second**2 / power},
                    "L": {"resistance": 0.002 * first**2 / power},
                },
            }
            with self.subTest(k=k, given=given):
                self.assertEqual(check(derive(parse_spec(given, "test"))).exit_status, 0)

    def test_small_capacitances_beside_large_resistances(self) -> None:
        """A body diode at rest between conducting and blocking leaves it as soon as its current turns."""
        given = {
            "topology": "dual-active-bridge",
            "input": {
                "voltage": {
                    "min": 20.13572044361397,
                    "nominal": 24.651589591053096,
                    "max": 26.327407472687373,
                }
            },
            "output": [
                {
                    "voltage": 577.4732287758193,
                    "current": {"min": -0.10205229673544625, "max": 0.2041045934708925},
                    "voltage_ripple": "1.0302044633075347 %",
                    "load": "current",
                }
            ],
            "switching": {"frequency": 274985.57967424893, "dead_time": 6.832202855848857e-08},
            "angles": {
                "modulation": "triple",
                "largest": 0.14558218146696936,
                "inner_1": 0.0491387387868769,
                "inner_2": 0.015516540887630501,
            },
            "transformer": {"magnetising_ripple": "15 %"},
            "parts": {
                "S1": {"resistance": 0.02062363503806946, "output_capacitance": 8.130086725781124e-10},
                "S5": {"resistance": 11.317202008159079, "output_capacitance": 1.7637133110149542e-12},
                "L": {"resistance": 0.01031181751903473},
            },
        }
        self.assertEqual(
            [c.failure for c in check(derive(parse_spec(given, "test"))).corners if c.failure], []
        )


if __name__ == "__main__":
    unittest.main()
