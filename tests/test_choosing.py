"""Efficiency studies and the choice of parts, in the core."""

import unittest
from dataclasses import replace
from itertools import pairwise

from jump_lane.design.derive import derive
from jump_lane.errors import InputError
from jump_lane.spec import parse_spec
from jump_lane.study import efficiency as study
from jump_lane.study import pick
from jump_lane.study.pool import spread
from tests.common import buck_tables, design, spec

PARTS = {
    "S1": "sample-fet-60v-12m",
    "D1": "sample-schottky-60v-10a",
    "L": "sample-choke-m-47u",
    "C_o": "sample-electrolytic-25v-470u",
}


def points(work: study.Work) -> list[study.Measured]:
    return sorted(study.run(work, 1), key=lambda p: p.index)


class Efficiency(unittest.TestCase):
    def test_a_point_of_a_curve_is_the_budget_there(self) -> None:
        from jump_lane.dissipation.budget import budget

        found = design(buck_tables(), parts=PARTS)
        curve = [p for p in points(study.work(found, "load", 4)) if p.at[0] == 24.0]
        self.assertEqual([p.at[1] for p in curve], sorted(p.at[1] for p in curve))
        own = budget(found.at(24.0, 4.0))
        self.assertAlmostEqual(curve[-1].efficiency, own.efficiency, delta=1e-6)
        self.assertAlmostEqual(curve[-1].hottest, own.hottest, delta=0.1)

    def test_weighted(self) -> None:
        found = design(
            buck_tables(), parts=PARTS, efficiency={"weights": {"25 %": 1, "100 %": 3}, "least": "50 %"}
        )
        every = points(study.work(found, "load", 2))
        mission = [p for p in every if p.mission]
        self.assertEqual([(p.at[1], p.mission) for p in mission], [(1.0, 0.25), (4.0, 0.75)])
        expected = 0.25 * mission[0].efficiency + 0.75 * mission[1].efficiency
        self.assertAlmostEqual(study.weighted(every), expected)
        self.assertIsNone(study.weighted([replace(mission[0], failure="no")]))

    def test_a_map_covers_input_and_load(self) -> None:
        work = study.work(design(buck_tables(), parts=PARTS), "map", 3)
        self.assertEqual(work.count, 9)
        every = points(work)
        self.assertEqual({p.at[0] for p in every}, {20.0, 25.0, 30.0})
        self.assertFalse([p.failure for p in every if p.failure])

    def test_frequency_trades_ripple_against_switching_loss(self) -> None:
        work = study.work(design(buck_tables(), parts=PARTS), "frequency", 5)
        every = points(work)
        full = [p for p in every if p.at[0] == 4.0]
        self.assertTrue(any("is asked" in text for text in full[0].broken))
        self.assertGreater(full[-1].loss, full[2].loss)
        top = study.best(every)
        self.assertFalse(top.broken)
        self.assertEqual(top.efficiency, max(p.efficiency for p in full if not p.broken))

    def test_ambient_heats(self) -> None:
        full = [
            p
            for p in points(study.work(design(buck_tables(), parts=PARTS), "temperature", 3))
            if p.at[0] == 4.0
        ]
        self.assertEqual([p.at[1] for p in full], [-40.0, 22.5, 85.0])
        self.assertLess(full[0].hottest + 100.0, full[2].hottest)

    def test_runaway_is_a_point_without_result(self) -> None:
        part = {
            "resistance": "300 mΩ",
            "resistance_curve": "25 °C: 100 %; 125 °C: 180 %",
            "junction_ambient": "400 K/W",
        }
        every = points(study.work(design(buck_tables(), parts={"S1": part}), "load", 3))
        self.assertTrue(any("runaway" in p.failure or "would reach" in p.failure for p in every))
        self.assertTrue(any(not p.failure for p in every))

    def test_an_unknown_study_is_refused(self) -> None:
        with self.assertRaisesRegex(InputError, "--over: read 'loads'; nearest valid name: load"):
            study.work(design(buck_tables()), "loads", 3)


class Picking(unittest.TestCase):
    def plan(self, choose: tuple[str, ...] = ("S1",), by: str = "loss", most: int = 12, **parts) -> pick.Work:
        tables = buck_tables()
        return pick.plan(spec(tables, parts=PARTS | parts), choose, pick.goals(by), most)

    def test_counts_and_reasons_add_up(self) -> None:
        work = self.plan()
        one = work.candidates[0]
        self.assertEqual(one.tried, len(one.parts) + sum(one.fallen.values()))
        self.assertIn("voltage rating too low", one.fallen)
        self.assertEqual(len(work.combinations), 12)
        self.assertEqual(work.valid, len(one.parts))

    def test_no_part_is_kept_below_its_ratings(self) -> None:
        work = self.plan(("S1", "D1", "L"), most=10)
        sheet = work.design.sheet
        needed = 1.3 * float(sheet["V_S1"].values.max())
        self.assertTrue(all(p.voltage >= needed for p in work.candidates[0].parts))
        peak = float(sheet["I_Lpk"].values.max())
        self.assertTrue(all(p.saturation_current >= peak for p in work.candidates[2].parts))
        coils = work.candidates[2]
        self.assertTrue(all(coils.count(p) * p.value >= sheet["L"].required for p in coils.parts))
        self.assertTrue(any(coils.count(p) > 1 for p in coils.parts))

    def test_pieces_are_counted_in_value_cost_and_file(self) -> None:
        work = self.plan(("L",), most=400)
        coils = work.candidates[0]
        several = next(c for c in work.combinations if c.counts[0] > 1)
        part = several.parts[0]
        need = work.design.sheet["L"].required
        self.assertLess((several.counts[0] - 1) * part.value, need)
        self.assertAlmostEqual(several.cost, several.counts[0] * part.cost)
        self.assertEqual(coils.count(part), several.counts[0])
        named = pick._with(work.spec, pick._named(work, several)).parts["L"]
        self.assertEqual(named, {"part": part.name, "count": several.counts[0]})

    def test_components_that_get_the_same_part(self) -> None:
        tables = buck_tables()
        tables["topology"], tables["output"][0]["voltage"] = "four-switch", 24
        work = pick.plan(spec(tables), ("S1", "S2"), pick.goals("loss"), 30, (("S1", "S2"),))
        self.assertEqual({len({p.name for p in c.parts}) for c in work.combinations}, {1})
        self.assertGreater(len(work.combinations), 3)
        with self.assertRaisesRegex(InputError, "--same S1,L: L is not chosen"):
            pick.plan(spec(tables), ("S1", "S2"), pick.goals("loss"), 30, (("S1", "L"),))

    def test_the_ranking_is_that_of_the_full_budget(self) -> None:
        """One simulation for each combination ranks them like the coupled solution."""
        from jump_lane.dissipation.budget import budget

        work = self.plan()
        order = pick.ranked(work, list(pick.run(work, 1)))
        losses = []
        for combination in order:
            at = design(buck_tables(), parts=PARTS | {"S1": combination.parts[0].name}).at()
            full = budget(at)
            losses.append(full.p_in + full.added - full.p_out)
            self.assertAlmostEqual(combination.loss / losses[-1], 1.0, delta=2e-3)
        self.assertTrue(all(b > a * 0.998 for a, b in pairwise(losses)))

    def test_sizes_follow_the_parts(self) -> None:
        """The resonant inductance of a phase-shifted bridge follows from the capacitance of its switches."""
        from jump_lane.design.derive import derive
        from jump_lane.dissipation.budget import budget
        from tests.common import example_design

        plain = example_design("phase-shifted-full-bridge").spec
        sink = {"resistance": "0.25 K/W", "interface": "0.2 K/W", "parts": ["S1", "D1"]}
        thermal = plain.thermal.model_validate({"ambient": "40 °C", "sink": {"plate": sink}})
        given = plain.model_copy(update={"thermal": thermal}).with_figures(
            {"D1": {"part": "sample-fet-250v-14m"}}
        )
        work = pick.plan(given, ("S1",), {"loss": 1.0}, 2)
        for combination in pick.ranked(work, list(pick.run(work, 1))):
            name = {"S1": {"part": combination.parts[0].name}}
            freed = given.model_copy(update={"parts": {k: v for k, v in given.parts.items() if k != "S1"}})
            full = budget(derive(freed.with_figures(name)).at())
            self.assertAlmostEqual(combination.loss / (full.p_in + full.added - full.p_out), 1.0, delta=5e-3)

    def test_best_is_proven_at_all_corners(self) -> None:
        work = self.plan()
        proven = pick.prove(work, pick.ranked(work, list(pick.run(work, 1))), 2)
        self.assertEqual(len([p for p in proven if not p.broken]), 2)
        self.assertEqual(len(proven[0].budgets), 6)

    def test_what_fails_when_proven_is_said_and_passed_over(self) -> None:
        tables = buck_tables() | {"thermal": {"ambient": "128 °C"}}
        work = pick.plan(spec(tables, parts={**PARTS}), ("S1",), {"loss": 1.0}, 3)
        proven = pick.prove(work, pick.ranked(work, list(pick.run(work, 1))), 1)
        self.assertTrue(all("temperature" in p.broken[0] for p in proven))

    def test_where_nothing_holds_an_end_is_made(self) -> None:
        """What is too hot already where it is ranked comes last, and not everything is simulated at all corners."""
        tables = buck_tables() | {"thermal": {"ambient": "128 °C"}}
        work = pick.plan(spec(tables, parts={**PARTS}), ("S1",), {"loss": 1.0}, 12)
        done = list(pick.run(work, 1))
        hot = [replace(c, hottest=200.0 if c.parts[0] is done[0].parts[0] else 60.0, gaps=()) for c in done]
        self.assertIs(pick.ranked(work, hot)[-1].parts[0], done[0].parts[0])
        unknown = [replace(c, gaps=("a figure",) if c.hottest < 100.0 else ()) for c in hot]
        self.assertEqual(pick.ranked(work, unknown)[0].gaps, ())  # hot, but known: ignorance is no merit
        self.assertGreater(len(done), pick.TRIES)
        self.assertEqual(len(pick.prove(work, pick.ranked(work, done), 1)), pick.TRIES)

    def test_the_promising_are_simulated_first(self) -> None:
        """The best of the first eighth is about as good as the best of all; chosen at random it would not be."""
        whole = self.plan(most=500)
        every = [c.loss for c in pick.ranked(whole, list(pick.run(whole, 1)))]
        first = self.plan(most=len(every) // 8)
        best = pick.ranked(first, list(pick.run(first, 1)))[0].loss
        self.assertLess(best, 1.02 * every[0])
        self.assertGreater(every[len(every) // 2], 1.05 * every[0])

    def test_a_gate_that_the_driver_cannot_open_falls_out(self) -> None:
        tables = buck_tables() | {"driver": {"voltage": "4.3 V"}}
        one = pick.plan(spec(tables, parts=PARTS), ("S1",), {"loss": 1.0}, 2).candidates[0]
        self.assertGreater(one.fallen["gate plateau beyond the driver"], 0)
        self.assertTrue(all(p.plateau_voltage < 4.3 for p in one.parts if p.kind in ("mosfet", "gan")))

    def test_cost_needs_a_figure(self) -> None:
        cheap = self.plan(by="cost", most=500)
        order = pick.ranked(cheap, [replace(c, loss=1.0, hottest=50.0) for c in cheap.combinations])
        costs = [c.cost for c in order]
        self.assertEqual(costs, sorted(costs))

    def test_goals(self) -> None:
        self.assertEqual(pick.goals("loss=1, cost=0.5"), {"loss": 1.0, "cost": 0.5})
        self.assertEqual(pick.goals("height", ("height",)), {"height": 1.0})
        for text, message in (
            ("losses", "nearest valid name: loss"),
            ("loss=x", "'x' is not a number"),
            ("loss=-1", "at least 0"),
            ("loss=0,cost=0", "every weight is 0"),
        ):
            with self.subTest(text), self.assertRaisesRegex(InputError, message):
                pick.goals(text)

    def test_nothing_that_fits_is_an_error_with_counts(self) -> None:
        tables = buck_tables()
        tables["output"][0]["current"] = {"min": 900, "max": 1000}
        with self.assertRaisesRegex(InputError, r"no part for S1: of \d+, \d+ "):
            pick.plan(spec(tables), ("S1",), {"loss": 1.0}, 10)
        with self.assertRaisesRegex(InputError, "--choose S2: nearest valid name: S1"):
            self.plan(("S2",))

    def test_what_the_file_names_is_left_alone(self) -> None:
        work = pick.plan(spec(buck_tables(), parts={"S1": PARTS["S1"]}), (), {"loss": 1.0}, 5)
        self.assertEqual([c.role.name for c in work.candidates], ["D1", "L"])
        with self.assertRaisesRegex(InputError, "names a part for every component"):
            pick.plan(spec(buck_tables(), parts=PARTS), (), {"loss": 1.0}, 5)


class Pool(unittest.TestCase):
    def test_every_item_once_in_one_process_or_two(self) -> None:
        for processes in (1, 2):
            found = sorted(spread(range(23), _squares, processes, 4))
            self.assertEqual(found, [k * k for k in range(23)])


def _squares(numbers: range) -> list[int]:
    return [k * k for k in numbers]


class SweepingAFigure(unittest.TestCase):
    def test_a_figure_of_a_named_part_can_be_varied(self) -> None:
        from jump_lane.study.axes import read_axis
        from jump_lane.study.sweep import Sweep, columns, run

        tables = buck_tables() | {"parts": {"S1": "sample-fet-60v-12m"}}
        found = derive(parse_spec(tables, "test"))
        axis = read_axis("parts.S1.resistance=1m,100m", found)
        rows = list(run(Sweep(found, (axis,), columns(found, ["V_o"]), None, tables)))
        self.assertLess(rows[0].control, rows[1].control)
