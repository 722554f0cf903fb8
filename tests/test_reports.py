import struct
import tomllib
import unittest
import xml.etree.ElementTree as ElementTree
import zlib

from jump_lane.errors import InputError
from jump_lane.operating.point import solve
from jump_lane.quantities import show
from jump_lane.report.check import check_view
from jump_lane.report.curves import Curve, curves_figure
from jump_lane.report.derivation import derivation_view
from jump_lane.report.figures import Panel, save, spectrum_figure, waves_figure
from jump_lane.report.topologies import topologies_view
from jump_lane.report.waves import interval_rows, sample_columns, waves_view
from jump_lane.study.check import check
from jump_lane.study.template import example, fill
from jump_lane.switching.record import record
from jump_lane.switching.steady import steady_state
from jump_lane.switching.waveforms import Harmonic
from jump_lane.topologies import NAMES, pages
from tests.common import buck_tables, design, example_design
from tests.test_switching import buck, driven


def colours(png: bytes) -> set[bytes]:
    """Return the distinct pixels of a PNG with 8-bit RGBA samples (filters undone only where there is none)."""
    at, data = 8, b""
    width = struct.unpack(">I", png[16:20])[0]
    while at < len(png):
        length, kind = struct.unpack(">I4s", png[at : at + 8])
        if kind == b"IDAT":
            data += png[at + 8 : at + 8 + length]
        at += 12 + length
    raw = zlib.decompress(data)
    stride = 4 * width + 1
    return {raw[k : k + 4] for start in range(0, len(raw), stride) for k in range(start + 1, start + 400, 4)}


class Figures(unittest.TestCase):
    def setUp(self) -> None:
        self.recording = record(steady_state(driven(buck(r=0.05), 0.4)))
        self.names = ("S1.gate", "L.i", "load.v")
        self.found = {n: self.recording.measures(n) for n in self.names}
        self.panels = (
            Panel("gate", ("S1.gate",)), Panel("current", ("L.i",)), Panel("ripple", ("load.v~",)),
            Panel("level", ("load.v=",)),
        )  # fmt: skip

    def draw(self, kind: str) -> bytes:
        return save(
            waves_figure("title", self.panels, self.recording.waveforms(self.names), self.found), kind
        )

    def test_a_png_of_the_promised_size_with_something_on_it(self) -> None:
        png = self.draw("png")
        self.assertEqual(struct.unpack(">II", png[16:24]), (1280, 800))
        self.assertGreater(len(colours(png)), 20)

    def test_an_svg_names_signals_axis_and_measures(self) -> None:
        svg = self.draw("svg").decode()
        ElementTree.fromstring(svg)
        for text in ("title", "L.i", "load.v~", "peak", "time", "40.00"):
            self.assertIn(text, svg)

    def test_curves_with_gaps_and_many_of_them(self) -> None:
        many = [Curve(f"c{k}", [1e-3, 2e-3, 5e-3], [1.0, float("nan"), 2.0 + k], "V") for k in range(9)]
        drawn = curves_figure(
            "t", {"a [V]": many, "b": [Curve("", [1e-3], [0.3], "", "o")]}, ("x", "A"), True
        )
        svg = save(drawn, "svg")
        self.assertIn(b"x [mA]", svg)

    def test_spectra(self) -> None:
        lines = [Harmonic(n, n * 1e5, 1.0 / (n + 1), 0.0) for n in range(12)]
        for decibel, label in ((True, b"dB"), (False, b"frequency")):
            self.assertIn(label, save(spectrum_figure("t", {"L.i": lines}, decibel), "svg"))


class Views(unittest.TestCase):
    def test_topologies(self) -> None:
        view = topologies_view(pages())
        self.assertEqual([row[0] for row in view.tables[0].rows], list(NAMES))

    def test_derivation_tells_where_values_come_from(self) -> None:
        found = design(buck_tables(), chosen={"L": "47 µH"}, parts={"S1": {"resistance": "20 mΩ"}})
        view = derivation_view(found, "a.toml")
        self.assertEqual([t.columns[0] for t in view.tables], ["Components", "Stress", "D, ΔI_L, conduction"])
        values = {v["symbol"]: v for v in view.data["values"]}
        origins = {s: values[s]["origin"] for s in ("V_in", "R_S1", "R_L", "L", "C_o", "D")}
        self.assertEqual(
            origins,
            {
                "V_in": "file",
                "R_S1": "file",
                "R_L": "default",
                "L": "chosen",
                "C_o": "derived",
                "D": "derived",
            },
        )
        self.assertEqual(values["dI_L"]["worst_at"], {"V_in": 30.0, "I_o": 0.5})
        assumed = next(n for n in view.notes if n.startswith("Assumed"))
        self.assertIn("margin.esr_share = 0", assumed)
        self.assertIn("margin.inductance = 20 %", assumed)
        self.assertNotIn("phases", assumed)

    def test_every_formula_of_every_example_is_printed(self) -> None:
        for name in NAMES:
            found = example_design(name)
            table = derivation_view(found, name, formulas=()).tables[-1]
            derived = [v for v in found.sheet if v.line is not None]
            self.assertEqual(len(table.rows), len(derived))
            for formula, source in table.rows:
                self.assertEqual(formula.count("\n"), 2)
                self.assertTrue(source)

    def test_check_marks_what_is_broken(self) -> None:
        view = check_view(check(design(buck_tables(), chosen={"C_o": "1 µF"})))
        self.assertEqual(view.exit_status, 1)
        self.assertIn("NOT MET at 6 of 6 corners: ΔV_o over by", view.heading)
        rows = {
            row[0]: (row, mark) for row, mark in zip(view.tables[0].rows, view.tables[0].marks, strict=True)
        }
        self.assertEqual((rows["ΔV_o"][1], rows["ΔI_L"][1]), ("bad", "good"))
        self.assertRegex(rows["ΔV_o"][0][-1], r"raise C_o from 1.000 µF to at least .* µF, or f_s to .* kHz")
        self.assertIn("ΔV_o +", view.tables[1].rows[0][1])
        whole = check_view(check(design(buck_tables())), every=True)
        self.assertEqual(len(whole.tables), 3 + 6)
        self.assertIn("MET: all that is asked holds", whole.heading)

    def test_what_was_set_is_shown_beside_what_was_before(self) -> None:
        before, after = check(design(buck_tables())), check(design(buck_tables(), chosen={"C_o": "100 µF"}))
        table = check_view(after, before=before).tables[0]
        row = dict(zip(table.columns, next(r for r in table.rows if r[0] == "ΔV_o"), strict=True))
        found = {f.symbol: f.simulated for f, _, _ in before.worst()}
        self.assertEqual(row["before>"], show(found["dV_o"], "V"))
        self.assertNotEqual(row["before>"], row["worst>"])

    def test_one_quantity_is_explained(self) -> None:
        found = check(design(buck_tables()))
        reasons, corners = check_view(found, explain=("ΔI_L",)).tables
        self.assertEqual([row[0] for row in reasons.rows][:2], ["ΔI_L", "V_on"])
        self.assertIn("given: switching.frequency", [row[-1] for row in reasons.rows])
        self.assertEqual(len(corners.rows), 6)
        with self.assertRaisesRegex(InputError, "nearest valid name: dI_L"):
            check_view(found, explain=("dIL",))

    def test_the_frequency_named_as_remedy_keeps_the_limit(self) -> None:
        found = check(design(buck_tables(), chosen={"L": "10 µH"}, switching__mode="either"))
        frequency = found.frequencies["dI_L"]
        mended = check(
            design(
                buck_tables(), chosen={"L": "10 µH"}, switching__mode="either", switching__frequency=frequency
            )
        )
        finding = next(f for f, _, _ in mended.worst() if f.symbol == "dI_L")
        self.assertAlmostEqual(finding.simulated / finding.asked, 1.0, delta=5e-3)

    def test_a_corner_without_result_says_why(self) -> None:
        tried = design(buck_tables(), switching__mode="either").grid((24.0,), (0.0, 2.0))
        view = check_view(check(tried))
        self.assertEqual(view.exit_status, 3)
        self.assertIn("no result at 1: no load", view.heading)
        self.assertEqual(view.tables[1].rows[0][1], "no result")
        self.assertIsNone(view.data["corners"][1]["failure"])

    def test_intervals_read_on_off_and_idle(self) -> None:
        found = design(buck_tables(), switching__mode="discontinuous").at(24.0, 1.0)
        _, recording = solve(found)
        rows = interval_rows(recording, found.inductors)
        self.assertEqual([r["conducting"] for r in rows], [["S1"], ["D1"], []])
        self.assertAlmostEqual(sum(r["part"] for r in rows), 1.0)
        self.assertAlmostEqual(rows[0]["inductors"]["L"]["voltage"], 19.0, delta=0.1)
        self.assertAlmostEqual(rows[1]["inductors"]["L"]["voltage"], -5.0, delta=0.1)
        self.assertAlmostEqual(rows[2]["inductors"]["L"]["voltage"], 0.0, places=6)
        view = waves_view("t", recording, {"L.i": recording.measures("L.i")}, found.inductors)
        self.assertEqual(view.tables[1].rows[2][4], "nothing: idle")

    def test_instants_are_no_intervals(self) -> None:
        """A leg that swings: its body diode and its channel change over at one instant, after another device."""
        found = example_design("phase-shifted-full-bridge").at()
        _, recording = solve(found)
        rows = interval_rows(recording, found.inductors)
        self.assertLess(len(rows), len(recording.stretches))
        self.assertTrue(all(r["part"] > 1e-4 for r in rows))
        self.assertAlmostEqual(sum(r["part"] for r in rows), 1.0, delta=1e-8)

    def test_samples_have_units(self) -> None:
        recording = record(steady_state(driven(buck(), 0.4)))
        found = sample_columns(recording.waveforms(("L.i", "@sw", "S1.gate"), 10))
        self.assertEqual(list(found), ["time [s]", "L.i [A]", "@sw [V]", "S1.gate [1]"])


class Examples(unittest.TestCase):
    def test_every_example_is_commented_and_set_on_the_buoy(self) -> None:
        for name in NAMES:
            text = example(name)
            self.assertIn("Skerry", text)
            self.assertGreaterEqual(text.count("#"), 6, name)
            self.assertEqual(tomllib.loads(text)["topology"], name)

    def test_every_example_takes_options(self) -> None:
        for name in NAMES:
            tables = tomllib.loads(fill(name, {"switching.frequency": "123 kHz", "title": "T"}))
            self.assertEqual((tables["switching"]["frequency"], tables["title"]), ("123 kHz", "T"))
            self.assertNotIn("parts", tables)

    def test_a_filled_file_tells_no_story_and_names_its_schema(self) -> None:
        text = fill("buck", {"output.voltage": "5 V"})
        self.assertTrue(text.startswith("#:schema converter.schema.json\ntopology"))
        self.assertNotIn("Skerry", text)
        self.assertNotIn("title", tomllib.loads(text))
