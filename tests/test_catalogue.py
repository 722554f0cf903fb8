"""Catalogues: curves, kinds, tables exported from elsewhere, and what a converter file makes of them."""

import tempfile
import unittest
from pathlib import Path

from jump_lane.catalogue.curve import read_curve
from jump_lane.catalogue.kinds import KINDS, Capacitor, Diode, Igbt, Mosfet, copper
from jump_lane.catalogue.load import load, sample_materials, samples, schema
from jump_lane.errors import InputError
from jump_lane.quantities import CAPACITANCE, RATIO, TEMPERATURE, VOLTAGE
from tests.common import buck_tables, design, spec


class Curves(unittest.TestCase):
    def test_straight_between_points_and_beyond(self) -> None:
        curve = read_curve("25 °C: 100 %; 125 °C: 160 %", TEMPERATURE, RATIO)
        self.assertAlmostEqual(curve.at(75.0), 1.3)
        self.assertAlmostEqual(curve.at(150.0), 1.6)
        self.assertAlmostEqual(curve.extended(150.0), 1.75)
        self.assertAlmostEqual(curve.extended(-75.0), 0.4)

    def test_moments_are_those_of_the_straight_pieces(self) -> None:
        curve = read_curve([["0 V", "2 nF"], ["10 V", "1 nF"]], VOLTAGE, CAPACITANCE)
        self.assertAlmostEqual(curve.moment(10.0) / 15e-9, 1.0, places=12)
        self.assertAlmostEqual(curve.moment(30.0) / 35e-9, 1.0, places=12)
        energy = (10.0**2 / 2.0 * 2.0 - 10.0**3 / 3.0 * 0.1) * 1e-9
        self.assertAlmostEqual(curve.moment(10.0, 1) / energy, 1.0, places=12)

    def test_what_is_wrong_is_said(self) -> None:
        for text, message in (
            ("25 °C 100 %", "was expected"),
            ("25 V: 1", "'V' is the unit of a voltage"),
            ("25 °C: 1; 25 °C: 2", "stands twice"),
            (" ; ", "no point"),
        ):
            with self.subTest(text), self.assertRaisesRegex(InputError, message):
                read_curve(text, TEMPERATURE, RATIO)


class Kinds(unittest.TestCase):
    def test_figures_follow_temperature(self) -> None:
        fet = Mosfet(part="a", resistance="10 mΩ", resistance_curve="25 °C: 100 %; 125 °C: 160 %")
        self.assertAlmostEqual(fet.resistance_at(75.0) or 0.0, 0.013)
        diode = Diode(part="b", forward_voltage="0.5 V", forward_curve="25 °C: 100 %; 125 °C: 80 %")
        self.assertAlmostEqual(diode.forward_at(125.0) or 0.0, 0.4)
        bipolar = Igbt(part="c", on_voltage="0.9 V", resistance="20 mΩ")
        self.assertEqual((bipolar.on_voltage_at(100.0), bipolar.resistance_at(100.0)), (0.9, 0.02))
        unknown = Diode(part="d", forward_curve="25 °C: 100 %; 125 °C: 80 %")
        self.assertIsNone(unknown.forward_at(100.0))
        self.assertIsNone(unknown.resistance_at(100.0))
        self.assertAlmostEqual(copper(125.0) / copper(25.0), 1.38545, places=4)

    def test_effective_capacitance_stores_the_energy_of_the_curve(self) -> None:
        flat = Mosfet(part="a", output_capacitance_curve="0 V: 200 pF; 100 V: 200 pF")
        self.assertAlmostEqual(flat.effective_capacitance / 200e-12, 1.0)
        falling = Mosfet(part="b", output_capacitance_curve="0 V: 300 pF; 100 V: 0 F")
        self.assertAlmostEqual(falling.effective_capacitance / 100e-12, 1.0)
        self.assertIsNone(Mosfet(part="c").effective_capacitance)

    def test_series_resistance_over_frequency_and_temperature(self) -> None:
        one = Capacitor(
            part="d",
            value="10 µF",
            resistance_frequency="10 kHz: 20 mΩ; 110 kHz: 10 mΩ",
            resistance_curve="-20 °C: 300 %; 25 °C: 100 %",
        )
        self.assertAlmostEqual(one.resistance_of(60e3, 25.0), 0.015)
        self.assertAlmostEqual(one.resistance_of(1e6, -20.0), 0.03)

    def test_samples_are_many_distinct_and_made_up(self) -> None:
        found = samples()
        self.assertGreater(len(found), 200)
        self.assertEqual(len({p.name for p in found}), len(found))
        self.assertTrue(all(p.name.startswith("sample-") for p in found))
        wound = {"core", "core-material", "bobbin", "wire"}
        self.assertEqual({p.kind for p in found}, set(KINDS) - wound)
        self.assertEqual({p.kind for p in sample_materials().values()}, wound)

    def test_samples_are_plausible(self) -> None:
        """A die of less resistance has more capacitance and costs more; a junction of higher voltage keeps its charge."""
        found = samples()
        for family in {p.name.rsplit("-", 1)[0] for p in found if isinstance(p, Mosfet)}:
            dies = [p for p in found if isinstance(p, Mosfet) and p.name.rsplit("-", 1)[0] == family]
            dies.sort(key=lambda p: p.resistance or 0.0)
            costs = [p.cost or 0.0 for p in dies]
            self.assertEqual(costs, sorted(costs, reverse=True), family)
            for die in dies:
                product = (die.resistance or 0.0) * (die.effective_capacitance or 0.0)
                self.assertTrue(2e-12 < product < 12e-12, f"{die.name}: {product}")
        for diode in (p for p in found if p.name.startswith("sample-schottky")):
            assert isinstance(diode, Diode) and diode.capacitive_charge and diode.current
            self.assertTrue(0.4e-9 < diode.capacitive_charge / diode.current < 2e-9, diode.name)

    def test_another_separator_is_named_as_the_likely_cause(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            for mark, words in ((";", "a semicolon"), ("\t", "a tabulator")):
                path = Path(folder) / f"own{ord(mark)}.csv"
                path.write_text(mark.join(("part", "kind", "value")) + "\n", encoding="utf-8")
                with self.assertRaisesRegex(InputError, f"separated by {words}"):
                    load(path)

    def test_schema_has_every_kind_and_figure(self) -> None:
        items = schema()["properties"]["part"]["items"]["anyOf"]
        self.assertEqual(len(items), len(KINDS))
        self.assertIn("resistance_curve", items[0]["properties"])
        self.assertTrue(all("kind" in one["required"] for one in items))


class Files(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def write(self, name: str, text: str) -> Path:
        path = self.folder / name
        path.write_text(text, encoding="utf-8")
        return path

    def test_a_table_exported_from_elsewhere_is_read_by_its_headings(self) -> None:
        self.write(
            "export.csv", "Order code;R on max;Shelf;V max\nsample-x;8,5;B12;80 V\nsample-y;14;B13;100 V\n"
        )
        path = self.write(
            "own-parts.toml",
            '[[table]]\nfile = "export.csv"\nkind = "mosfet"\nseparator = ";"\ndecimal = ","\n'
            '[table.columns]\npart = "Order code"\nvoltage = "V max"\n'
            'resistance = { column = "R on max", unit = "mΩ" }\n',
        )
        found = load(path)
        self.assertEqual([p.name for p in found], ["sample-x", "sample-y"])
        self.assertAlmostEqual(found[0].resistance, 0.0085)
        self.assertEqual(found[1].voltage, 100.0)

    def test_complaints_name_file_entry_and_key(self) -> None:
        for name, text, message in (
            ("a.toml", '[[part]]\npart = "x"\nkind = "mosfett"\n', "part 1: kind: read 'mosfett'; .*mosfet"),
            ("b.toml", '[[part]]\npart = "x"\nkind = "diode"\nvolt = "3 V"\n', r"\(x\): volt: unknown key"),
            ("c.toml", '[[part]]\nkind = "diode"\n', "part: missing"),
            ("d.csv", "part,kind\nx,diode\nx,diode\n", "'x' is there more than once"),
            (
                "e.toml",
                '[[table]]\nfile = "none.csv"\nkind = "diode"\ncolumns = {}\n',
                "none.csv: No such file",
            ),
            ("f.txt", "", "ends in .csv or .toml"),
            (
                "g.toml",
                '[[part]]\npart = "x"\nkind = "diode"\nforward_voltage = "3 A"\n',
                "forward_voltage: 3 A where a voltage",
            ),
        ):
            with self.subTest(name), self.assertRaisesRegex(InputError, message):
                load(self.write(name, text))

    def test_a_missing_column_is_named_with_the_nearest(self) -> None:
        self.write("export.csv", "name,R on\nx,3\n")
        path = self.write(
            "s.toml",
            '[[table]]\nfile = "export.csv"\nkind = "mosfet"\ncolumns = { part = "name", resistance = "Ron" }\n',
        )
        with self.assertRaisesRegex(InputError, "no column 'Ron' for resistance; nearest valid name: R on"):
            load(path)


class InTheConverterFile(unittest.TestCase):
    def test_a_named_part_brings_value_and_figures(self) -> None:
        found = design(
            buck_tables(),
            parts={
                "S1": "sample-fet-60v-7m",
                "D1": {"part": "sample-schottky-60v-10a", "resistance": "20 mΩ"},
                "L": "sample-choke-m-47u",
                "C_o": {"part": "sample-ceramic-10v-47u", "count": 3},
            },
        )
        self.assertAlmostEqual(found.sheet["R_S1"].worst, 0.007)
        self.assertEqual(found.sheet["R_S1"].origin, "sample-fet-60v-7m")
        self.assertAlmostEqual(found.sheet["V_FD1"].worst, 0.36)
        self.assertAlmostEqual(found.sheet["R_D1"].worst, 0.02)
        self.assertAlmostEqual(found.sheet["L"].worst, 47e-6)
        self.assertAlmostEqual(found.sheet["C_o"].worst, 3 * 47e-6 * 0.62)

    def test_a_chosen_value_goes_before_that_of_the_part(self) -> None:
        found = design(buck_tables(), parts={"L": "sample-choke-m-47u"}, chosen={"L": "40 µH"})
        self.assertAlmostEqual(found.sheet["L"].worst, 40e-6)

    def test_figures_are_taken_at_the_assumed_temperature(self) -> None:
        found = design(buck_tables(), parts={"S1": "sample-fet-100v-9m"}, thermal={"junction": "125 °C"})
        self.assertAlmostEqual(found.sheet["R_S1"].worst, 0.009 * 1.68)

    def test_what_cannot_stand_there_is_refused(self) -> None:
        for parts, message in (
            ({"S1": "sample-fet-100v-8m"}, "no part 'sample-fet-100v-8m'; nearest valid name"),
            ({"S1": "sample-choke-m-47u"}, "is an inductor, which cannot be a switch"),
            ({"D1": "sample-fet-100v-9m"}, "asks for a diode"),
            ({"L": {"part": "sample-choke-m-47u", "count": 0}}, "count: read 0"),
            (
                {"L": {"part": "sample-choke-m-47u", "turn": 3}},
                "turn: unknown key; nearest valid name: turns",
            ),
        ):
            with self.subTest(parts), self.assertRaisesRegex(InputError, message):
                design(buck_tables(), parts=parts)

    def test_weights_are_checked(self) -> None:
        for weights, message in (({"50 %": -1}, "at least 0"), ({"x": 1}, "ratio"), ({"50 %": 0}, "above 0")):
            with self.subTest(weights), self.assertRaisesRegex(InputError, message):
                spec(buck_tables(), efficiency={"weights": weights})
