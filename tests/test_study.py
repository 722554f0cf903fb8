import tomllib
import unittest

import numpy as np

from jump_lane.design.derive import derive
from jump_lane.errors import InputError
from jump_lane.spec import parse_spec
from jump_lane.study import modes, tolerance
from jump_lane.study.axes import Axis, read_axis
from jump_lane.study.sweep import Sweep, columns, run
from jump_lane.study.template import example, fill
from tests.common import buck_tables, design, example_design


class Sweeps(unittest.TestCase):
    def setUp(self) -> None:
        self.tables = tomllib.loads(example("sepic"))
        self.design = derive(parse_spec(self.tables, "sepic"))

    def rows(
        self, *axes: str, measures: tuple[str, ...] = (), processes: int = 1, control: float | None = None
    ):
        read = tuple(read_axis(a, self.design) for a in axes)
        wanted = columns(self.design, list(measures))
        work = Sweep(self.design, read, wanted, control, self.tables)
        return sorted(run(work, processes), key=lambda r: r.index)

    def test_axes(self) -> None:
        self.assertEqual(read_axis("input.voltage=9V..18V/4", self.design).values, (9.0, 12.0, 15.0, 18.0))
        self.assertEqual(read_axis("output.current=0.1,500mA", self.design).values, (0.1, 0.5))
        logarithmic = read_axis("chosen.C_s=1u..100u/3log", self.design).values
        np.testing.assert_allclose(logarithmic, (1e-6, 1e-5, 1e-4))
        for bad in (
            "input.voltage=9A..18V/4",
            "input.voltage=9V..18V",
            "input.voltage=",
            "input.voltage=0..1/3log",
        ):
            with self.assertRaisesRegex(InputError, "expected KEY=FROM"):
                read_axis(bad, self.design)
        with self.assertRaisesRegex(InputError, "nearest valid name: input.voltage"):
            read_axis("input.volts=1,2", self.design)

    def test_components_stay_while_a_key_varies(self) -> None:
        rows = self.rows("switching.frequency=125k,250k", measures=("dI_L1",))
        self.assertAlmostEqual(rows[0].measures[0] / rows[1].measures[0], 2.0, delta=0.01)

    def test_a_chosen_value_varies(self) -> None:
        base = self.design.components()["L1"]
        rows = self.rows(f"chosen.L1={base},{2 * base}", measures=("dI_L1", "L1.i:rms"))
        self.assertAlmostEqual(rows[0].measures[0] / rows[1].measures[0], 2.0, delta=0.01)

    def test_two_axes_and_two_processes_give_the_same(self) -> None:
        axes = ("output.current=50mA..1A/6log", "input.voltage=9V,18V")
        one, two = self.rows(*axes), self.rows(*axes, processes=2)
        self.assertEqual([r.axes for r in one], [r.axes for r in two])
        np.testing.assert_allclose([r.measures for r in one], [r.measures for r in two], rtol=1e-9)
        self.assertEqual({r.mode for r in one}, {"continuous", "discontinuous"})

    def test_open_loop(self) -> None:
        rows = self.rows("input.voltage=10V,20V", measures=("V_o",), control=0.5)
        self.assertAlmostEqual(rows[1].measures[0] - rows[0].measures[0], 10.0, delta=0.5)

    def test_a_point_without_a_solution_is_a_row_with_its_reason(self) -> None:
        rows = self.rows("output.current=0,0.5", measures=("dV_o",))
        self.assertIn("no load", rows[0].failure)
        self.assertEqual((rows[1].failure, len(rows[1].measures)), ("", 1))
        rows = self.rows("parts.L1.resistance=0,10", measures=("dV_o",))
        self.assertIn("cannot be reached from", rows[1].failure)

    def test_unknown_measure(self) -> None:
        with self.assertRaisesRegex(InputError, "nearest valid name: dV_o"):
            columns(self.design, ["dVo"])


class ModeMaps(unittest.TestCase):
    def test_the_boundary_separates_the_simulated_points(self) -> None:
        work = modes.work(example_design("buck"), 3, 8)
        found = modes.assemble(work, list(run(work)))
        edge = dict(found.boundary)
        self.assertEqual(len(edge), 3)
        for row in found.rows:
            v, i = row.axes
            self.assertEqual(row.mode, "continuous" if i > edge[v] else "discontinuous")

    def test_the_boundary_is_where_half_the_ripple_is_the_load(self) -> None:
        found = design(buck_tables(), switching__mode="either")
        for v, i in modes.boundary(found, (20.0, 30.0), 0.1, 4.0):
            at = found.at(v, i)
            self.assertAlmostEqual(at.sheet["dI_L"].worst / 2.0 / i, 1.0, delta=1e-3)


class Tolerances(unittest.TestCase):
    def study(self, ripple: str, draws: int = 12):
        found = design(
            buck_tables(), switching__mode="either", switching__current_ripple=ripple, chosen={"L": "20 µH"}
        )
        work = tolerance.study(found, draws, 5)
        return work, list(tolerance.run(work, 2))

    def test_extremes_are_worse_than_draws_and_worse_than_nominal(self) -> None:
        work, rows = self.study("40 %")
        worst, failed = tolerance.judge(work, rows)
        self.assertEqual(failed, [])
        self.assertEqual(work.extremes, 16)
        ripple = worst[0]
        self.assertAlmostEqual(ripple.value / ripple.nominal, 1.0 / 0.8 / 0.9, delta=0.02)
        self.assertEqual((ripple.variant["L"], ripple.variant["f_s"]), (-0.2, -0.1))
        drawn = max(r.measures[0] for r in rows if work.samples[r.index].variant > work.extremes)
        self.assertLess(drawn, ripple.value)

    def test_yield(self) -> None:
        generous, _ = tolerance.judge(*self.study("80 %"))
        self.assertEqual((generous[0].holds, generous[0].kept), (True, 1.0))
        tight, _ = tolerance.judge(*self.study("26.5 %", 40))
        self.assertFalse(tight[0].holds)
        self.assertGreater(tight[0].kept, 0.05)
        self.assertLess(tight[0].kept, 0.95)

    def test_draws_repeat_with_their_seed(self) -> None:
        found = design(buck_tables())
        first, second = (tolerance.study(found, 3, 7).variants for _ in range(2))
        self.assertEqual(first, second)
        self.assertNotEqual(first, tolerance.study(found, 3, 8).variants)


class Templates(unittest.TestCase):
    def test_bounds_that_are_not_given_are_left_out(self) -> None:
        text = fill("buck", {"input.voltage": {"min": "9 V", "max": "16 V"}, "output.voltage": "5 V"})
        tables = tomllib.loads(text)
        self.assertEqual(tables["input"]["voltage"], {"min": "9 V", "max": "16 V"})
        self.assertIn("# peak to peak", text)


class Plans(unittest.TestCase):
    def test_count(self) -> None:
        found = design(buck_tables())
        axes = (Axis("input.voltage", (20.0, 30.0), "V"), Axis("output.current", (1.0, 2.0, 3.0), "A"))
        self.assertEqual(Sweep(found, axes, ()).count, 6)
