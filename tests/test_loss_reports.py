"""What the loss commands show: alike parts together, sums that agree, gaps once, figures of every study."""

import unittest
from dataclasses import replace
from functools import cache

from jump_lane.design.derive import Design
from jump_lane.dissipation.budget import Budget, budget
from jump_lane.report.efficiency import efficiency_columns, efficiency_figure, efficiency_view
from jump_lane.report.figures import save
from jump_lane.report.losses import NEGLIGIBLE, assumed, grouped, losses_columns, losses_figure, losses_view
from jump_lane.report.pick import pick_view
from jump_lane.study import efficiency, pick
from tests.common import buck_tables, design, example_design, spec

PARTS = {
    "S1": "sample-fet-60v-12m",
    "D1": "sample-schottky-60v-10a",
    "L": "sample-choke-m-47u",
    "C_o": "sample-electrolytic-25v-470u",
    "C_i": {"part": "sample-ceramic-50v-10u", "count": 4},
}


@cache
def rail() -> tuple[Design, Budget]:
    at = design(buck_tables(), parts=PARTS).at()
    return at, budget(at)


@cache
def phases() -> tuple[Design, Budget]:
    at = example_design("interleaved-buck").at()
    return at, budget(at)


def watts(text: str) -> float:
    number, _, unit = text.partition(" ")
    return float(number) * {"W": 1.0, "mW": 1e-3, "µW": 1e-6, "nW": 1e-9}[unit]


class Losses(unittest.TestCase):
    def test_rows_and_columns_add_up(self) -> None:
        at, found = rail()
        table = losses_view(at, found).tables[0]
        head, *_ = table.columns
        self.assertEqual(head, "mechanism")
        *rows, whole = table.rows
        parts = len(table.columns) - 4
        hidden = NEGLIGIBLE * found.p_out
        rounding = 1e-3
        for row in rows:
            cells = [watts(c) for c in row[1 : 1 + parts] if c]
            self.assertAlmostEqual(sum(cells) / watts(row[1 + parts]), 1.0, delta=rounding)
        for k in range(1, 1 + parts):
            column, total = sum(watts(r[k]) for r in rows if r[k]), watts(whole[k])
            mechanisms = len({(loss.mechanism, loss.simulated) for loss in found.losses})
            self.assertAlmostEqual(column, total, delta=rounding * total + (mechanisms - len(rows)) * hidden)

    def test_parts_made_alike_stand_together(self) -> None:
        at, found = phases()
        groups = grouped(found)
        self.assertEqual(groups["S1"], ["S1", "S2", "S3"])
        self.assertEqual(groups["L"], ["L1", "L2", "L3"])
        view = losses_view(at, found)
        self.assertTrue(any("S1 (3 alike)" in c for c in view.tables[0].columns))
        gaps = [row[:2] for row in view.tables[-1].rows]
        self.assertEqual(len(gaps), len(set(gaps)))
        self.assertIn("S1", {component for component, _ in gaps})
        self.assertFalse({component for component, _ in gaps} & {"S2", "S3", "L1"})

    def test_no_gap_no_table_of_gaps(self) -> None:
        at, found = rail()
        self.assertEqual([t.title for t in losses_view(at, found).tables][1:], ["Parts", "Balance"])

    def test_a_broken_rating_marks_its_row(self) -> None:
        at, found = rail()
        weak = replace(found, ratings=(replace(found.ratings[0], limit=1.0), *found.ratings[1:]))
        view = losses_view(at, weak)
        self.assertEqual(view.exit_status, 1)
        self.assertEqual(view.tables[1].marks[0], "bad")
        self.assertIn(f"not kept: {weak.broken[0]}", view.notes)

    def test_what_is_assumed(self) -> None:
        self.assertEqual(len(assumed(spec(buck_tables()))), 4)
        given = {"voltage": 9, "on_resistance": 2, "off_resistance": 1}
        self.assertEqual(assumed(spec(buck_tables(), driver=given, thermal={"ambient": "50 °C"})), [])

    def test_columns_hold_every_loss(self) -> None:
        _, found = rail()
        columns = losses_columns(found)
        self.assertAlmostEqual(sum(columns["power [W]"]), found.simulated + found.added)
        self.assertEqual({len(c) for c in columns.values()}, {len(found.losses)})

    def test_figures_of_both_kinds(self) -> None:
        for at, found in (rail(), phases()):
            self.assertTrue(save(losses_figure(at, found), "png").startswith(b"\x89PNG"))
            text = save(losses_figure(at, found), "svg").decode("utf-8")
            self.assertIn("<svg", text)


class Efficiency(unittest.TestCase):
    def view(self, over: str, points: int = 3) -> tuple[efficiency.Work, list[efficiency.Measured]]:
        work = efficiency.work(rail()[0], over, points)
        return work, sorted(efficiency.run(work, 1), key=lambda p: p.index)

    def test_a_point_without_result_is_marked_and_ends_with_status_3(self) -> None:
        work, points = self.view("load")
        points[0] = replace(points[0], failure="thermal runaway: it says why", efficiency=float("nan"))
        view = efficiency_view(work, points, True)
        self.assertEqual(view.exit_status, 3)
        self.assertIn("–", view.tables[0].rows[0])
        self.assertEqual(view.tables[0].marks[0], "bad")
        self.assertIn("no result: thermal runaway: it says why", view.notes)

    def test_an_interrupted_study_says_so(self) -> None:
        work, points = self.view("load")
        notes = efficiency_view(work, points[:2], False).notes
        self.assertIn("interrupted: what was finished is kept", notes)
        self.assertTrue(notes[0].startswith(f"2 of {work.count} points"))

    def test_a_wide_map_is_thinned_on_screen_but_not_for_export(self) -> None:
        at = design(buck_tables(), parts=PARTS)
        work = efficiency.work(at, "map", 9)
        points = [
            efficiency.Measured(
                s.index, s.at, efficiency=0.9 + 0.001 * s.index % 0.05, loss=1.0, hottest=50.0
            )
            for row in work.rows
            for s in row
        ]
        view = efficiency_view(work, points, True)
        self.assertEqual(len(view.tables[0].columns), 6 + 4)
        self.assertEqual(len(efficiency_columns(work, points)["efficiency [1]"]), 81)
        self.assertTrue(save(efficiency_figure(work, points), "png").startswith(b"\x89PNG"))

    def test_curves_of_every_study_are_drawn(self) -> None:
        for over in ("load", "frequency", "temperature"):
            with self.subTest(over):
                work, points = self.view(over)
                self.assertIn("<svg", save(efficiency_figure(work, points), "svg").decode("utf-8"))


class Pick(unittest.TestCase):
    def test_a_choice_that_fails_everywhere_says_so(self) -> None:
        free = {k: v for k, v in PARTS.items() if k != "S1"}
        work = pick.plan(spec(buck_tables(), parts=free), ("S1",), {"loss": 1.0}, 4)
        done = [replace(c, failure="no steady state") for c in work.combinations]
        view = pick_view(work, done, [], True)
        self.assertEqual(view.exit_status, 1)
        self.assertTrue(any("best combinations keeps everything" in note for note in view.notes))
        self.assertIn("without a result, such as: no steady state", view.notes)

    def test_the_first_that_holds_decides_the_status(self) -> None:
        free = {k: v for k, v in PARTS.items() if k != "S1"}
        work = pick.plan(spec(buck_tables(), parts=free), ("S1",), {"loss": 1.0}, 2)
        done = [replace(c, loss=1.0 + c.index, hottest=60.0) for c in work.combinations]
        proven = [pick.Proven(done[0], broken=("S1: too hot", "S1: and more")), pick.Proven(done[1])]
        view = pick_view(work, done, proven, True)
        self.assertEqual(view.exit_status, 0)
        self.assertEqual(view.tables[1].marks, ("bad", ""))
        self.assertIn("S1: too hot (and 1 more)", view.tables[1].rows[0])
        self.assertEqual(view.data["best"][0]["efficiency"], 20.0 / 21.0)
