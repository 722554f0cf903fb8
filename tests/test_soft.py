"""Soft switching as a limit: what it asks of a series inductance, and whether switches do turn on without voltage."""

import re
import tomllib
import unittest
from copy import deepcopy
from typing import Any

from jump_lane.design.derive import Design, derive
from jump_lane.judge.asked import refused
from jump_lane.judge.limit import Scene
from jump_lane.judge.soft import LEFT, Swing, soft_limits
from jump_lane.operating.point import solve
from jump_lane.sizing.solve import size
from jump_lane.spec import parse_spec
from jump_lane.study.check import check
from jump_lane.study.template import example

DOCK = tomllib.loads(example("phase-shifted-full-bridge"))


def dock(**tables: dict[str, Any]) -> Design:
    found = deepcopy(DOCK)
    for name, keys in tables.items():
        found[name] = {**found.get(name, {}), **keys}
    return derive(parse_spec(found, "dock"))


def scene(design: Design, v_in: float = 400.0, i_o: float = 15.0) -> Scene:
    state, recording = solve(design.at(v_in, i_o))
    return Scene(recording, state.control)


def turned_on_at(seen: Scene, name: str) -> float:
    """Voltage of a switch just before its gate goes on [V]."""
    recording = seen.recording
    gate, voltage = recording.index(f"{name}.gate"), recording.index(f"{name}.v")
    return max(abs(float(e.before[voltage])) for e in recording.edges if e.before[gate] < 0.5 < e.after[gate])


class Judged(unittest.TestCase):
    def test_the_verdict_is_what_the_switches_see(self) -> None:
        for factor in (1.4, 1.0, 0.8, 0.7, 0.6, 0.4, 0.25):
            design = dock(chosen={"L_r": 13.06e-6 * factor})
            seen = scene(design)
            (limit,) = soft_limits(design, 0)
            soft = all(turned_on_at(seen, f"S{k}") <= LEFT * 400.0 for k in (1, 2, 3, 4))
            with self.subTest(factor):
                self.assertEqual(limit.measure(seen) <= 1.0, soft)

    def test_the_inductance_advised_is_just_enough(self) -> None:
        found = check(dock(chosen={"L_r": "7 µH"}))
        finding = next(f for f, _, _ in found.worst() if f.symbol == "r_z")
        self.assertFalse(finding.holds)
        advised = float(re.findall(r"at least ([\d.]+) µH", finding.advice)[0]) * 1e-6
        for factor, soft in ((1.03, True), (0.85, False)):
            seen = scene(dock(chosen={"L_r": advised * factor}))
            self.assertEqual(turned_on_at(seen, "S1") <= LEFT * 400.0, soft, factor)

    def test_a_dead_time_too_short_for_any_inductance_is_said(self) -> None:
        found = check(dock(switching={"dead_time": "15 ns"}))
        finding = next(f for f, _, _ in found.worst() if f.symbol == "r_z")
        self.assertIn(
            "no L_r is large enough at this load: raise switching.dead_time, or soft_load", finding.advice
        )

    def test_lighter_loads_than_asked_are_not_judged(self) -> None:
        design = dock(transformer={"soft_load": "80 %"})
        self.assertEqual([len(list(soft_limits(design, j))) for j in range(2)], [0, 1])

    def test_what_has_no_output_capacitance_is_named_as_not_judged(self) -> None:
        tables = deepcopy(DOCK)
        del tables["parts"]["S1"]["output_capacitance"]
        reasons = list(refused(derive(parse_spec(tables, "dock"))))
        self.assertTrue(any(r.startswith("transformer.soft_load: no inductance") for r in reasons), reasons)
        self.assertEqual(list(refused(dock())), [])

    def test_an_energy_balance_by_hand(self) -> None:
        """10 µH at 2 A and 200 pF to 100 V: the crest is 447 V, it arrives after 10.1 ns and is held for 199 ns."""
        swing = Swing(150e-9, 100.0, 0.0, 0.0, 2.0, (4.0 - 0.2) ** 0.5, 140e-9, 0.5)
        self.assertAlmostEqual(swing.charged(10e-6), 200e-12, delta=1e-15)
        self.assertAlmostEqual(swing.strain(10e-6, 200e-12), 150.0 / (10.08 + 194.9), delta=1e-3)
        least = swing.factor(10e-6, 1.0)
        self.assertAlmostEqual(swing.strain(least * 10e-6, 200e-12), 1.0, places=6)
        self.assertEqual(
            Swing(1e-9, 100.0, 90.0, 90.0, 2.0, 1.99, 0.0, 1.99).factor(10e-6, 1.0), float("inf")
        )


class Sized(unittest.TestCase):
    def test_the_solved_inductance_just_switches_softly(self) -> None:
        found = size(dock(margin={"inductance": 0}).spec)
        self.assertEqual(found.deciding["L_r"].limit.symbol, "r_z")
        self.assertEqual(list(found.unkept), [])
        for factor, soft in ((1.02, True), (0.8, False)):
            chosen = {s: v * (factor if s == "L_r" else 1.0) for s, v in found.values.items()}
            seen = scene(dock(chosen=chosen))
            self.assertEqual(turned_on_at(seen, "S1") <= LEFT * 400.0, soft, factor)


class Magnetising(unittest.TestCase):
    def test_the_ripple_asked_is_judged_where_the_core_stores_nothing(self) -> None:
        for name in ("forward", "full-bridge", "push-pull"):
            tables = tomllib.loads(example(name))
            self.assertIn("magnetising_ripple", tables["transformer"])
            small = derive(parse_spec(tables, name)).components()["L_m"] / 1.5
            tables.setdefault("chosen", {})["L_m"] = small
            finding = next(
                f for f, _, _ in check(derive(parse_spec(tables, name))).worst() if f.symbol == "dI_Lm"
            )
            with self.subTest(name):
                self.assertFalse(finding.holds)
                self.assertIn("raise L_m", finding.advice)


class Peaks(unittest.TestCase):
    def test_the_discharge_at_turn_on_is_no_stress_of_the_circuit(self) -> None:
        """A hard turn-on shorts charged capacitances for an instant; what a switch has to carry is the primary current."""
        for inductance in ("13 µH", "4 µH"):
            found = check(dock(chosen={"L_r": inductance}))
            primary = max(s.peak for s in found.stresses if s.component == "T: L_r")
            for name in ("S1", "S2", "S3", "S4"):
                stress = next(s for s in found.stresses if s.component == name)
                with self.subTest(inductance=inductance, name=name):
                    self.assertLess(stress.peak, 1.1 * primary)
                    self.assertGreater(stress.peak, 0.95 * primary)
