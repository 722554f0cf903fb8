"""The programs of specifications at random: some of each, and that what is wrong would be seen."""

import unittest
from dataclasses import replace
from typing import Any
from unittest.mock import patch

import jump_lane as jl
from jump_lane.design.derive import Design, derive
from jump_lane.operating.point import solve
from jump_lane.report.size import size_view
from jump_lane.sizing.case import corners
from jump_lane.sizing.readings import read
from jump_lane.sizing.solve import size
from jump_lane.spec import parse_spec
from tests import wide, wide_loops
from tests.common import buck_tables

SOUND = ("judged", "refused", "no result", "held", "told")


class Specifications(unittest.TestCase):
    def test_some_are_judged(self) -> None:
        words = []
        for seed in range(3001, 3007):
            word, why = wide.outcome(seed, sizes=seed % 4 == 0)
            self.assertIn(word, SOUND, f"{seed}: {why}")
            words.append(word)
        self.assertGreater(words.count("judged"), 3)

    def test_an_instant_that_rounding_hides(self) -> None:
        """Two body diodes share a current that is none: the guard of one stays a rounding away from its slack."""
        values = {"n": 2.783015, "L_m": 4.892377e-3, "L": 332.7258e-6, "C_o": 115.8493e-9, "C_i": 16.81354e-9}
        found = derive(parse_spec(wide.wide(6534), "x")).sized(values, (765.72863,), (2.366367,))
        self.assertAlmostEqual(solve(found)[0].control, 0.38575, delta=1e-4)

    def test_values_that_follow_each_other_settle(self) -> None:
        found = size(parse_spec(wide.wide(6406), "x"))
        self.assertEqual(found.unkept, [])

    def test_a_limit_that_jumps_does_not_hinder(self) -> None:
        """One per cent beyond where the mode is just kept, the current does not come near stopping any more."""
        found, start = size(parse_spec(wide.wide(6264), "x")), derive(parse_spec(wide.wide(6264), "x"))
        self.assertEqual([r.limit.symbol for r in found.unkept], ["dV_o"])
        kept, beyond = (self.mode(start, found.exact, share) for share in (1.0, 1.01))
        self.assertLess(kept, 1.001)
        self.assertLess(beyond, 0.5)
        self.assertGreater(self.mode(start, found.exact, 0.98), 1.001)
        told = size_view(replace(found, jumping=frozenset({"L"})), wide.check(start)).notes
        self.assertIn("L stands where mode jumps from broken to kept", "".join(told))

    def mode(self, design: Design, values: dict[str, float], share: float) -> float:
        shown = read(design, values | {"L": share * values["L"]}, corners(design))
        return max(r.ratio for r in shown if r.limit.symbol == "mode")

    def test_a_value_that_no_limit_is_measured_at_is_left_again(self) -> None:
        """With more of L the current rises up to the end of the period at one corner, and never stops."""
        self.assertEqual(wide.outcome(20684, sizes=True), ("judged", ""))

    def test_a_corner_without_numbers_is_seen(self) -> None:
        found = derive(parse_spec(wide.wide(3002), "x"))
        whole = wide.check(found)
        empty = replace(whole, corners=(replace(whole.corners[0], findings=(), failure=""),))
        with patch.object(wide, "check", lambda _: empty):
            self.assertEqual(len(wide.unjudged(found)), 1)

    def test_a_traceback_is_seen(self) -> None:
        def broken(_: Any) -> Any:
            raise ZeroDivisionError

        with patch.object(wide, "check", broken):
            self.assertEqual(wide.outcome(3002, sizes=False)[0], "BROKEN")


class Loops(unittest.TestCase):
    TABLES: tuple[dict[str, Any], ...] = (
        {"network": "type III", "crossover": "15 kHz", "phase_margin": "50°"},
        {"kind": "digital", "digital": {"gains": "integral"}, "crossover": "1 kHz", "phase_margin": "40°"},
    )

    def test_some_do_what_is_claimed_of_them(self) -> None:
        for control in self.TABLES:
            with self.subTest(control):
                word, why = wide_loops.outcome(buck_tables() | {"control": control})
                self.assertIn(word, SOUND, why)

    def test_a_loop_that_oscillates_is_found_out_by_its_step(self) -> None:
        """Multipliers of a calm loop, said of one whose integrator is a thousand times as fast."""
        calm = buck_tables() | {"control": self.TABLES[1]}
        found = jl.loop(calm)
        self.assertEqual(wide_loops.unlike(calm, found), "")
        wild = buck_tables() | {
            "control": {"kind": "digital", "digital": {"gains": "integral", "integral": 0.5}}
        }
        self.assertRegex(wide_loops.unlike(wild, found), r"largest multiplier 0\.9\d+, but .* V become .* V")

    def test_a_crossover_that_is_off_without_a_word_is_seen(self) -> None:
        found = jl.loop(buck_tables() | {"control": self.TABLES[0]})
        self.assertEqual(wide_loops.untold(found), "")
        design = found.found.design
        control = design.spec.control.model_copy(update={"crossover": 30e3})
        asked = replace(design, spec=design.spec.model_copy(update={"control": control}))
        other = replace(found, found=replace(found.found, design=asked))
        self.assertIn("crossover off by -50", wide_loops.untold(other))
