"""Groups of equations that several pages share, on their own."""

import unittest
from dataclasses import replace

import numpy as np

from jump_lane.circuit.elements import IdealTransformer, Inductor, Resistor
from jump_lane.design.caveats import caveats
from jump_lane.equations.formula import Formula
from jump_lane.errors import InputError
from jump_lane.report.derivation import derivation_view
from jump_lane.topologies import NAMES, page
from jump_lane.topologies.blocks import transformers
from jump_lane.topologies.blocks.shape import Shape, triangle
from jump_lane.topologies.variant import Variant, every_variant, variant_of
from tests.common import buck_tables, design, example_design


class Transformers(unittest.TestCase):
    def point(self, **parts: object):
        tables = buck_tables() | {"topology": "flyback", "parts": {"T": parts}}
        return design(tables).point(0, 0)

    def test_what_is_not_there_takes_no_element(self) -> None:
        found = transformers.two_windings(self.point(), ("in", "d"), ("gnd", "s"))
        self.assertEqual([type(e) for e in found], [IdealTransformer, Inductor])

    def test_leakage_and_resistances_are_in_series(self) -> None:
        parts = {"leakage": "1u", "primary_resistance": 0.1, "secondary_resistance": 0.2}
        found = {e.name: e for e in transformers.two_windings(self.point(**parts), ("in", "d"), ("gnd", "s"))}
        leak, resistance = found["L_k"], found["R_s"]
        assert isinstance(leak, Inductor) and isinstance(resistance, Resistor)
        self.assertEqual((leak.a, leak.b, leak.resistance), ("in", "T.p", 0.1))
        self.assertEqual(resistance.resistance, 0.2)

    def test_the_first_node_of_every_winding_is_the_dotted_end(self) -> None:
        """While S1 conducts, the primary of a forward converter and its secondary are positive from the dot."""
        for name in ("forward", "two-switch-forward", "active-clamp-forward"):
            elements = example_design(name).circuit(0, 0).elements
            core = next(e for e in elements if isinstance(e, IdealTransformer))
            self.assertEqual([w.name for w in core.windings[:2]], ["Np", "Ns1"], name)


class Shapes(unittest.TestCase):
    """Against sums over many samples: from a to b, up from zero, constant, down to zero, and nothing in the rest."""

    VALUES = {"a": -1.0, "b": 2.5, "c": 0.7, "d": 0.2, "k": 3.0, "f_s": 1e5, "C": 2e-6, "R": 0.05}  # noqa: RUF012
    SHAPE = Shape((("0.3", "a", "b"), ("d", "0", "a + b"), ("0.1", "c", "c"), ("0.25", "c", "0")), "k")

    def samples(self) -> np.ndarray:
        steps = (np.arange(20000) + 0.5) / 20000
        ends = ((0.3, -1.0, 2.5), (0.2, 0.0, 1.5), (0.1, 0.7, 0.7), (0.25, 0.7, 0.0), (0.15, 0.0, 0.0))
        at, begin = np.zeros_like(steps), 0.0
        for part, first, last in ends:
            inside = (steps >= begin) & (steps < begin + part)
            at[inside] = first + (last - first) * (steps[inside] - begin) / part
            begin += part
        return 3.0 * at

    def value(self, text: str) -> float:
        return float(Formula(text).evaluate(self.VALUES))

    def test_average_rms_and_peak(self) -> None:
        current = self.samples()
        self.assertAlmostEqual(self.value(self.SHAPE.average), current.mean(), places=4)
        self.assertAlmostEqual(self.value(self.SHAPE.rms) ** 2, np.mean(current**2), places=3)
        self.assertAlmostEqual(self.value(self.SHAPE.peak), 7.5)

    def test_ripple_charge_and_alternating_part(self) -> None:
        current = self.samples()
        self.assertAlmostEqual(self.value(self.SHAPE.peak_to_peak), 10.5)
        self.assertAlmostEqual(self.value(self.SHAPE.alternating), current.std(), places=3)
        charge = np.cumsum(current - current.mean()) / 20000 / 1e5
        self.assertAlmostEqual(self.value(self.SHAPE.charge()) / np.ptp(charge), 1.0, places=3)
        across = charge / 2e-6 + 0.05 * (current - current.mean())
        self.assertAlmostEqual(self.value(self.SHAPE.ripple("C", "R")) / np.ptp(across), 1.0, places=3)

    def test_a_part_of_it_and_one_behind_the_other(self) -> None:
        first, last = self.SHAPE.during("0.3"), self.SHAPE.during("d", "0.1", "0.25")
        self.assertAlmostEqual(self.value((first + last).rms), self.value(self.SHAPE.rms))
        self.assertAlmostEqual(self.value(first.scaled("2").average), 2.0 * 3.0 * 0.3 * 0.75)

    def test_a_triangle_keeps_what_is_largest(self) -> None:
        found = triangle("I_v", "I_pk", "D", "D_2", idle=True)
        self.assertEqual((found.peak, found.during("D_2").peak), ("I_pk", "I_pk"))
        self.assertEqual(found.average.count("I_v"), 3)

    def test_phases_add_up(self) -> None:
        """Two triangles of equal slopes, half a period apart, leave nothing."""
        values = {"D": 0.5, "D_2": 0.5, "I_v": 1.0, "I_pk": 2.0}
        two = replace(triangle("I_v", "I_pk", "D", "D_2"), count="2")
        self.assertAlmostEqual(float(Formula(two.peak_to_peak).evaluate(values)), 0.0)


class Variants(unittest.TestCase):
    def test_no_symbol_is_derived_twice(self) -> None:
        """A second line of the same name would leave behind what was derived from the first one."""
        for name in NAMES:
            found = page(name)
            for variant in every_variant(found.secondaries, found.outputs, found.modulations):
                lines = found.lines_of(variant)
                symbols = [one.symbol for line in lines for one in (line, *line.through)]
                with self.subTest(topology=name, variant=variant):
                    self.assertEqual([s for s in set(symbols) if symbols.count(s) > 1], [])

    def test_symbols_are_not_told_apart_by_case_alone(self) -> None:
        for name in NAMES:
            symbols = {line.symbol for line in page(name).lines}
            with self.subTest(name):
                self.assertEqual(len({s.lower() for s in symbols}), len(symbols))

    def test_no_given_symbol_is_derived(self) -> None:
        for name in NAMES:
            found = example_design(name)
            given = {v.symbol for v in found.sheet if v.line is None}
            with self.subTest(name):
                self.assertEqual(given & {line.symbol for line in found.page.lines}, set())

    def test_what_a_file_says_settles_the_variant(self) -> None:
        tables = buck_tables() | {"topology": "flyback", "parts": {"T": {"leakage": "1 µH"}}}
        for changes, expected in (
            ({}, ("continuous", False, False)),
            ({"switching__rectifier": "synchronous"}, ("either", True, False)),
            (
                {"switching__rectifier": "synchronous", "switching__dead_time": "50 ns"},
                ("either", True, True),
            ),
            ({"switching__mode": "boundary"}, ("boundary", False, False)),
        ):
            found = design(tables, **changes)
            variant = variant_of(found.spec, found.sheet, found.page.bodies)
            with self.subTest(changes):
                self.assertEqual((variant.target, variant.synchronous, variant.dead), expected)
                self.assertTrue(variant.leaking)
                self.assertIn("C_cl", found.components())

    def test_a_body_diode_blocks_for_others_only_where_it_conducts(self) -> None:
        self.assertEqual(Variant().drop("D1", "I"), "V_FD1 + R_D1*I")
        self.assertEqual(Variant(synchronous=True, dead=True).drop("D1", "I"), "V_BD1")
        self.assertEqual((Variant().body("S2"), Variant(dead=True).body("S2")), ("0", "V_BS2"))


class Isolated(unittest.TestCase):
    def test_every_isolated_page_says_how_it_is_wound(self) -> None:
        for name in (n for n in NAMES if page(n).isolated):
            notes = derivation_view(example_design(name), name).notes
            with self.subTest(name):
                self.assertTrue(any(note.startswith("N_p : N_s = ") for note in notes), notes)

    def test_what_is_left_out_is_said_only_where_it_matters(self) -> None:
        tables = buck_tables() | {"topology": "isolated-sepic"}
        self.assertEqual(tuple(caveats(design(tables))), ())
        found = design(tables, parts__T={"leakage": "1u"})
        self.assertIn("left to the simulation", next(caveats(found)))

    def test_dead_time_matters_only_to_switches(self) -> None:
        found = design(buck_tables(), switching__dead_time="80 ns")
        self.assertEqual(found.sheet["t_d"].worst, 0.0)
        found = design(buck_tables(), switching__dead_time="80 ns", switching__rectifier="synchronous")
        self.assertEqual(found.sheet["t_d"].worst, 80e-9)

    def test_an_absolute_ripple_needs_no_reference(self) -> None:
        found = design(buck_tables() | {"topology": "flyback"}, switching__current_ripple="0.8 A")
        self.assertEqual(found.sheet["dI_ask"].worst, 0.8)

    def test_duty_ratios_out_of_range_are_said_so(self) -> None:
        with self.assertRaisesRegex(
            InputError, "boost: 5.000 V cannot be reached from 20.00 V: this topology reaches"
        ):
            design(buck_tables() | {"topology": "boost"})
