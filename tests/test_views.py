"""What studies say on screen and hand to a program, from records made up here: nothing is simulated."""

import csv
import io
import math
import tempfile
import tomllib
import unittest
from dataclasses import replace
from pathlib import Path

from jump_lane.errors import InputError
from jump_lane.report import export
from jump_lane.report.compare import compare_view
from jump_lane.report.cross import cross_view
from jump_lane.report.figures import save
from jump_lane.report.fit import fit_view
from jump_lane.report.measure import amplitude_text, measure_view, spectrum_view
from jump_lane.report.modes import modes_columns, modes_figure, modes_view
from jump_lane.report.sweep import heading, sweep_columns, sweep_figure, sweep_view
from jump_lane.report.table import View
from jump_lane.report.tolerance import tolerance_view
from jump_lane.study import cross, tolerance
from jump_lane.study import fit as fitting
from jump_lane.study.axes import Axis
from jump_lane.study.check import Check
from jump_lane.study.compare import Candidate
from jump_lane.study.modes import ModeMap
from jump_lane.study.sweep import Column, Row, Sweep
from jump_lane.study.template import example
from jump_lane.study.write import with_choices, with_parts
from jump_lane.switching.waveforms import Harmonic
from jump_lane.topologies.page import Ask
from tests.common import buck_tables, design, example_design

DESIGN = design(buck_tables())


def cells(view: View, table: int = 0) -> list[str]:
    return [cell for row in view.tables[table].rows for cell in row]


class Compared(unittest.TestCase):
    ABLE = Candidate("buck", "", (0.2, 0.4), ("continuous",), 5.0, 1e-3, 0.3, 1.2, parts=(2, 1, 2))
    BETTER = Candidate(
        "forward", "", (0.1, 0.3), ("continuous", "reversed"), 3.0, 2e-3, 0.4, 1.0, parts=(3, 2, 2)
    )
    UNABLE = Candidate("boost", "5 V cannot be reached from 24 V")

    def test_the_least_stress_comes_first_and_reasons_stand_apart(self) -> None:
        view = compare_view("Rail", [self.ABLE, self.UNABLE, self.BETTER])
        self.assertEqual([row[0] for row in view.tables[0].rows], ["forward", "buck"])
        self.assertEqual(view.tables[1].rows, (("boost", self.UNABLE.failure),))
        self.assertEqual([c["name"] for c in view.data["converters"]], ["forward", "buck", "boost"])
        self.assertIn("cont., rev.", cells(view))
        self.assertEqual(view.exit_status, 0)

    def test_none_able_is_status_1(self) -> None:
        self.assertEqual(compare_view("Rail", [self.UNABLE]).exit_status, 1)

    def test_an_unknown_stress_comes_last(self) -> None:
        unknown = Candidate("cuk", "", (0.1, 0.2), ("continuous",))
        view = compare_view("Rail", [unknown, self.ABLE])
        self.assertEqual([row[0] for row in view.tables[0].rows], ["buck", "cuk"])


class Crossed(unittest.TestCase):
    def setUp(self) -> None:
        self.work = cross.plan(example_design("multi-output-flyback"))
        count = len(self.work.design.spec.output)
        wanted = [abs(o.voltage or 0.0) for o in self.work.design.spec.output]
        self.rows = [
            Row(k, s, 0.4, "continuous", tuple(v * (1.0 + 0.01 * (k == 0)) for v in wanted))
            for k, s in enumerate(self.work.settings)
        ]
        self.count = count

    def test_every_setting_is_a_row(self) -> None:
        bands = cross.bands(self.work, self.rows)
        view = cross_view(self.work, self.rows, bands, True)
        self.assertEqual(len(view.tables[1].rows), len(self.work.settings))
        self.assertEqual(len(view.tables[1].columns), 1 + 2 * self.count)
        self.assertEqual(len(view.data["points"]), len(self.work.settings))
        self.assertEqual(view.exit_status, 0)

    def test_every_combination_of_loads_is_there_once(self) -> None:
        self.assertEqual(len(set(self.work.settings)), len(self.work.settings))
        for k in range(1, self.count + 1):
            with self.subTest(output=k):
                self.assertEqual(len({s[k] for s in self.work.settings}), 2)

    def test_bands_are_those_of_the_rows(self) -> None:
        bands = cross.bands(self.work, self.rows)
        for band in bands:
            with self.subTest(band.number):
                self.assertAlmostEqual(band.highest / band.wanted, 1.01)
                self.assertAlmostEqual(band.lowest / band.wanted, 1.0)

    def test_one_that_strays_is_status_1_and_no_result_3(self) -> None:
        far = cross.Band(2, 12.0, 11.0, 14.0, 0.1)
        near = cross.Band(2, 12.0, 11.0, 13.0, 0.1)
        self.assertFalse(far.holds)
        self.assertTrue(near.holds)
        view = cross_view(self.work, self.rows, [near, far], True)
        self.assertEqual(view.exit_status, 1)
        self.assertEqual(view.tables[0].marks, ("good", "bad"))
        failed = [*self.rows[:-1], Row(len(self.rows) - 1, self.work.settings[-1], failure="it ran away")]
        view = cross_view(self.work, failed, [near], False)
        self.assertEqual(view.exit_status, 3)
        self.assertTrue(any("it ran away" in note for note in view.notes))
        self.assertTrue(any("interrupted" in note for note in view.notes))


class Swept(unittest.TestCase):
    WORK = Sweep(
        DESIGN,
        (Axis("input.voltage", (20.0, 30.0), "V"), Axis("output.current", (1.0, 2.0), "A")),
        (Column("dI_L", "L.i", "peak_to_peak", "A"),),
    )
    ROWS = (
        Row(0, (20.0, 1.0), 0.25, "continuous", (0.5,)),
        Row(1, (20.0, 2.0), 0.25, "continuous", (0.5,)),
        Row(2, (30.0, 1.0), 0.17, "discontinuous", (0.7,)),
        Row(3, (30.0, 2.0), failure="no steady state"),
    )

    def test_rows_with_and_without_a_result(self) -> None:
        view = sweep_view(self.WORK, list(self.ROWS), True, every=True)
        self.assertEqual(view.tables[0].columns[:3], ("input.voltage>", "output.current>", "D>"))
        self.assertEqual(view.tables[0].marks, ("", "", "", "bad"))
        self.assertEqual(view.tables[0].rows[3][-1], "no steady state")
        self.assertIn("no result: no steady state", view.notes)
        self.assertIn("4 of 4 points, 1 without a result", view.notes)
        self.assertIsNone(view.data["rows"][3]["values"])
        self.assertEqual(view.data["rows"][2]["mode"], "discontinuous")

    def test_two_axes_are_a_map_of_the_first_measure(self) -> None:
        table = sweep_view(self.WORK, list(self.ROWS), True).tables[0]
        self.assertEqual(table.columns, ("", "1.000 A>", "2.000 A>"))
        self.assertEqual(table.rows[0], ("20.00 V", "500.0 mA", "500.0 mA"))
        self.assertEqual(table.rows[1], ("30.00 V", "700.0 mA", "–"))

    def test_many_rows_are_thinned_on_screen_only(self) -> None:
        axis = Axis("input.voltage", tuple(20.0 + 0.1 * k for k in range(50)), "V")
        work = replace(self.WORK, axes=(axis,))
        rows = [Row(k, (v,), 0.2, "continuous", (0.5,)) for k, v in enumerate(axis.values)]
        self.assertEqual(len(sweep_view(work, rows, True).tables[0].rows), 20)
        self.assertEqual(len(sweep_view(work, rows, True, every=True).tables[0].rows), 50)
        self.assertEqual(len(sweep_columns(work, rows)["mode"]), 50)

    def test_what_was_finished_is_kept_and_said(self) -> None:
        view = sweep_view(self.WORK, list(self.ROWS[:2]), False)
        self.assertIn("2 of 4 points, 0 without a result", view.notes)
        self.assertFalse(view.data["complete"])
        self.assertTrue(any("interrupted" in note for note in view.notes))

    def test_columns_for_export_have_units_and_gaps(self) -> None:
        found = sweep_columns(self.WORK, list(self.ROWS))
        self.assertEqual(list(found)[:2], ["input.voltage [V]", "output.current [A]"])
        self.assertEqual(found["dI_L [A]"][:3], [0.5, 0.5, 0.7])
        self.assertTrue(math.isnan(found["dI_L [A]"][3]))
        self.assertEqual(found["reason"], ["", "", "", "no steady state"])
        self.assertEqual(heading("D", ""), "D [1]")

    def test_a_curve_for_each_value_of_the_second_axis(self) -> None:
        drawn = save(sweep_figure(self.WORK, list(self.ROWS)), "svg").decode("utf-8")
        for label in ("output.current 1.000 A", "output.current 2.000 A", "input.voltage"):
            with self.subTest(label):
                self.assertIn(label, drawn)


class Mapped(unittest.TestCase):
    MAP = ModeMap(
        DESIGN,
        (20.0, 30.0),
        (0.5, 4.0),
        ((20.0, 0.8), (30.0, 0.9)),
        (
            Row(0, (20.0, 0.5), 0.2, "discontinuous"),
            Row(1, (20.0, 4.0), 0.25, "continuous"),
            Row(2, (30.0, 0.5), failure="no"),
        ),
        ((20.0, 0.8), (30.0, 0.9)),
        ((20.0, ((0.5, 0.2), (4.0, 0.25))),),
    )

    def test_letters_for_modes_and_blanks_for_what_is_missing(self) -> None:
        view = modes_view(self.MAP, False)
        self.assertEqual([row[2:] for row in view.tables[0].rows], [("d", "C"), ("–", "")])
        self.assertEqual(view.tables[0].rows[0][1], "800.0 mA")
        self.assertTrue(any("interrupted" in note for note in view.notes))
        self.assertEqual(view.data["points"][2]["reason"], "no")

    def test_the_boundary_stands_beside_every_point(self) -> None:
        found = modes_columns(self.MAP)
        self.assertEqual(found["boundary load [A]"], [0.8, 0.8, 0.9])
        self.assertEqual(found["mode"], ["discontinuous", "continuous", ""])

    def test_the_figure_names_boundary_and_modes(self) -> None:
        drawn = save(modes_figure(self.MAP), "svg").decode("utf-8")
        for label in ("boundary, derived", "continuous, simulated", "20.00 V in, derived"):
            with self.subTest(label):
                self.assertIn(label, drawn)


class Tolerated(unittest.TestCase):
    ASK = Ask("dI_L", "dI_ask", "L")

    def view(self, value: float, failed: int = 0, complete: bool = True) -> View:
        work = tolerance.study(DESIGN, 4, 1)
        worst = tolerance.Worst(self.ASK, "A", 1.0, value, 1.2, {"L": -0.2}, (0, 0), 0.75)
        rows = [Row(k, (20.0, 1.0), failure="no balance") for k in range(failed)]
        return tolerance_view(work, [worst], rows, complete)

    def test_what_holds_and_what_does_not(self) -> None:
        good, bad = self.view(1.1), self.view(1.5)
        self.assertEqual((good.exit_status, bad.exit_status), (0, 1))
        self.assertIn("holds", cells(good))
        self.assertIn("over by 25 %", cells(bad))
        self.assertIn("L -20 %", cells(bad))
        self.assertEqual(bad.data["limits"][0]["yield"], 0.75)

    def test_points_without_result_are_status_3(self) -> None:
        view = self.view(1.1, failed=2, complete=False)
        self.assertEqual(view.exit_status, 3)
        self.assertTrue(any("no result at 2 points, such as: no balance" in note for note in view.notes))

    def test_every_variant_meets_every_corner(self) -> None:
        work = tolerance.study(DESIGN, 4, 1)
        corners = DESIGN.shape[0] * DESIGN.shape[1]
        self.assertEqual(len(work.samples), len(work.variants) * corners)
        self.assertEqual(len(work.variants), 1 + work.extremes + 4)
        self.assertEqual(work.variants[0], {})


class Fitted(unittest.TestCase):
    def view(self, broken: tuple[str, ...] = ()) -> View:
        one = fitting.Candidate("E12 47.00 µH", 47e-6, 1, None, broken, (("saturation", 0.3),))
        two = fitting.Candidate("E12 56.00 µH", 56e-6, 1, 0.02, (), ())
        choice = fitting.Choice("L", "H", 45e-6, True, (one, two))
        return fit_view(fitting.Fit(DESIGN, DESIGN, (choice,)), Check(DESIGN, ()))

    def test_candidates_in_their_order(self) -> None:
        view = self.view()
        self.assertEqual([row[:2] for row in view.tables[0].rows], [("L", "≥ 45.00 µH"), ("", "")])
        self.assertIn("saturation 30 %", cells(view))
        self.assertIn("all that is asked holds", view.notes[0])
        self.assertTrue(view.data["holds"])

    def test_a_rating_that_is_not_kept_is_said(self) -> None:
        view = self.view(("saturates at 3 A",))
        self.assertEqual(view.exit_status, 1)
        self.assertEqual(view.tables[0].marks[0], "bad")
        self.assertIn("not kept: L: saturates at 3 A", view.notes)

    def test_nothing_changes_where_nothing_is_replaced(self) -> None:
        changes = {row[-1] for row in self.view().tables[1].rows}
        self.assertLessEqual(changes, {"+0.0 %", ""})

    def test_written_choices_stand_under_their_table(self) -> None:
        chosen = fitting.Choice(
            "L", "H", 45e-6, True, (fitting.Candidate("E12 47.00 µH", 47e-6, 1, None, (), ()),)
        )
        text = with_choices(example("buck"), fitting.Fit(DESIGN, DESIGN, (chosen,)))
        self.assertEqual(tomllib.loads(text)["chosen"]["L"], "47 µH")
        self.assertIn("# Instrument rail of the Skerry buoy", text)

    def test_written_parts_replace_what_was_there(self) -> None:
        text = with_parts(
            example("buck"), {"S1": ("sample-fet-100v-9m", 1), "C_o": ("sample-ceramic-25v-22u", 3)}
        )
        found = tomllib.loads(text)["parts"]
        self.assertEqual(found["S1"], "sample-fet-100v-9m")
        self.assertEqual(found["C_o"], {"part": "sample-ceramic-25v-22u", "count": 3})
        self.assertNotIn("C_o", tomllib.loads(text)["chosen"])
        self.assertEqual(found["D1"], tomllib.loads(example("buck"))["parts"]["D1"])


class Measured(unittest.TestCase):
    def test_decibels_are_above_one_microunit(self) -> None:
        """1 mA is 60 dB above 1 µA (IEC 60027-3)."""
        one = Harmonic(1, 1e5, 1e-3, 30.0)
        self.assertEqual(amplitude_text(one, "A", True), "60.0 dBµA")
        self.assertEqual(amplitude_text(one, "A", False), "1.000 mA")

    def test_a_spectrum_is_a_table_for_each_signal(self) -> None:
        spectra = {"L.i": [Harmonic(1, 2e5, 0.5, 10.0), Harmonic(2, 4e5, 0.1, -20.0)], "load.v": []}
        view = spectrum_view("Rail", spectra, False)
        self.assertEqual(len(view.tables), 2)
        self.assertEqual(view.tables[0].rows[0], ("1", "200.0 kHz", "500.0 mA", "10.00°"))
        self.assertEqual(view.data["spectra"]["L.i"][1]["order"], 2)

    def test_cursors_on_a_simulated_ramp(self) -> None:
        """24 V to 5 V: while S1 conducts, L sees 19 V; the slope between two cursors is 19 V/L."""
        from jump_lane.operating.point import solve

        at = DESIGN.at(24.0, 4.0)
        recording = solve(at)[1]
        view = measure_view("Rail", recording, ["L.i", "S1.gate"], (1e-7, 5e-7))
        slope = 19.0 / at.components()["L"]
        self.assertAlmostEqual(view.data["signals"]["L.i"]["slope"] / slope, 1.0, delta=2e-3)
        self.assertAlmostEqual(view.data["dt"], 4e-7)
        self.assertIn("Δt = 400.0 ns, 1/Δt = 2.500 MHz", view.notes[0])


class Exported(unittest.TestCase):
    COLUMNS = {"V_in [V]": [1.0, float("nan")], "mode": ["continuous", ""]}  # noqa: RUF012

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_csv_leaves_gaps_empty(self) -> None:
        path = self.folder / "a.csv"
        export.write(path, self.COLUMNS, False)
        rows = list(csv.reader(io.StringIO(path.read_text(encoding="utf-8"))))
        self.assertEqual(rows, [["V_in [V]", "mode"], ["1", "continuous"], ["", ""]])

    def test_parquet_reads_back(self) -> None:
        import pyarrow.parquet

        path = self.folder / "a.parquet"
        export.write(path, self.COLUMNS, False)
        found = pyarrow.parquet.read_table(path).to_pydict()
        self.assertEqual(found["mode"], ["continuous", ""])
        self.assertEqual(found["V_in [V]"][0], 1.0)

    def test_other_endings_are_refused(self) -> None:
        for call in (lambda p: export.write(p, self.COLUMNS, False), export.require_kind):
            with self.assertRaisesRegex(InputError, r"ends in \.csv or \.parquet"):
                call(self.folder / "a.xlsx")
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_an_existing_file_is_kept(self) -> None:
        path = self.folder / "a.csv"
        path.write_text("mine", encoding="utf-8")
        with self.assertRaises(InputError):
            export.write(path, self.COLUMNS, False)
        self.assertEqual(path.read_text(encoding="utf-8"), "mine")
