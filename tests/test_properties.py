"""Properties that hold for whatever comes in."""

import math
import unittest

import numpy as np
from hypothesis import assume, example, given, settings
from hypothesis import strategies as st

from jump_lane.circuit.gates import Instant, complement, on, shifted
from jump_lane.equations.formula import Formula
from jump_lane.errors import InputError
from jump_lane.quantities import INDUCTANCE, VOLTAGE, brief, parse, show
from jump_lane.quantities.preferred import SERIES, closest, decade, next_higher, next_lower
from jump_lane.switching import moments, propagators
from jump_lane.switching.clock import PERIOD, schedule
from jump_lane.switching.record import record
from jump_lane.switching.regulation import Regulation
from jump_lane.switching.settling import settle
from jump_lane.switching.steady import steady_state
from jump_lane.switching.waveforms import harmonics, window
from tests.test_switching import buck, driven

positive = st.floats(min_value=1e-12, max_value=1e9)
fraction = st.floats(min_value=0.02, max_value=0.98)


class Quantities(unittest.TestCase):
    @given(positive)
    def test_short_and_long_form_read_the_same(self, value: float) -> None:
        self.assertAlmostEqual(
            parse(brief(value, "H"), INDUCTANCE) / parse(show(value, "H"), INDUCTANCE), 1.0, places=9
        )

    @given(st.text(max_size=12))
    def test_any_text_is_read_or_refused(self, text: str) -> None:
        try:
            self.assertTrue(math.isfinite(parse(text, VOLTAGE)))
        except InputError as error:
            self.assertTrue(str(error))

    @given(positive, st.sampled_from(["", " "]), st.sampled_from(["V", ""]))
    def test_spaces_do_not_matter(self, value: float, space: str, unit: str) -> None:
        self.assertEqual(parse(f"{value!r}{space}{unit}", VOLTAGE), value)


class PreferredValues(unittest.TestCase):
    @given(st.floats(min_value=1e-12, max_value=1e3), st.sampled_from(SERIES))
    def test_neighbours_enclose_the_value(self, value: float, series: str) -> None:
        low, high = next_lower(value, series), next_higher(value, series)
        self.assertLessEqual(low, value * (1 + 1e-9))
        self.assertGreaterEqual(high, value * (1 - 1e-9))
        self.assertIn(closest(value, series), (low, high))
        step = max(b / a for a, b in zip(decade(series), (*decade(series)[1:], 10.0), strict=True))
        self.assertLessEqual(high / low, step * (1 + 1e-9))


class Formulas(unittest.TestCase):
    leaves = st.sampled_from(["a", "b", "c", "2", "3.5"])
    trees = st.recursive(
        leaves,
        lambda inner: st.one_of(
            st.tuples(inner, st.sampled_from("+-*/"), inner).map(lambda t: f"({t[0]} {t[1]} {t[2]})"),
            inner.map(lambda t: f"(-{t})"),
            inner.map(lambda t: f"({t})**2"),
        ),
        max_leaves=8,
    )

    @given(trees)
    def test_what_is_printed_is_what_is_evaluated(self, text: str) -> None:
        values = {"a": 1.7, "b": 2.3, "c": 0.9}
        try:
            expected = Formula(text).evaluate(values)
        except ZeroDivisionError:
            assume(False)
        assume(math.isfinite(expected) and abs(expected) < 1e12)
        printed = Formula(text).write(str)
        back = printed.replace("·", "*").replace("−", "-").replace("²", "**2")
        self.assertAlmostEqual(
            Formula(back).evaluate(values) / expected if expected else 1.0, 1.0, places=6, msg=printed
        )


class Gates(unittest.TestCase):
    @given(fraction, st.floats(min_value=0.0, max_value=0.3), st.floats(min_value=0.0, max_value=1.0))
    def test_a_switch_and_its_complement_never_overlap(self, duty: float, dead: float, delay: float) -> None:
        first = shifted(on(0.0, duty), delay)
        edges = schedule({"A": first, "B": complement(first, dead)}, ("A", "B"))
        self.assertFalse(np.any(edges.masks == 3))
        lengths = np.diff(edges.ticks) / PERIOD
        self.assertAlmostEqual(float(lengths[edges.masks == 1].sum()), duty, places=9)
        self.assertAlmostEqual(
            float(lengths[edges.masks == 2].sum()), max(1.0 - duty - 2 * dead, 0.0), places=9
        )

    @given(fraction, st.floats(min_value=-2.0, max_value=2.0))
    def test_edges_are_in_order_whatever_the_shift(self, duty: float, delay: float) -> None:
        edges = schedule({"A": shifted(on(0.0, Instant(duty, 1.0)), delay)}, ("A",))
        self.assertTrue(np.all(np.diff(edges.ticks) >= 0))
        self.assertEqual((edges.ticks[0], edges.ticks[-1]), (0, PERIOD))


class Waveforms(unittest.TestCase):
    samples = st.lists(st.floats(min_value=-100, max_value=100), min_size=3, max_size=30)

    @given(samples, st.floats(min_value=0.1, max_value=10))
    def test_measures_scale_with_the_signal(self, values: list[float], factor: float) -> None:
        time, data = np.linspace(0.0, 1.0, len(values)), np.array(values)
        one, two = window((time, data)), window((time, factor * data))
        for name in ("average", "rms", "peak_to_peak", "slope", "integral"):
            self.assertAlmostEqual(getattr(two, name), factor * getattr(one, name), delta=1e-6)
        self.assertLessEqual(abs(one.average), one.rms + 1e-9)

    @given(samples, st.floats(min_value=-50, max_value=50))
    def test_an_offset_moves_the_mean_only(self, values: list[float], offset: float) -> None:
        time, data = np.linspace(0.0, 1.0, len(values)), np.array(values)
        one, two = harmonics((time, data), 1.0, 4), harmonics((time, data + offset), 1.0, 4)
        self.assertAlmostEqual(two[0].amplitude - one[0].amplitude, offset, places=6)
        for a, b in zip(one[1:], two[1:], strict=True):
            self.assertAlmostEqual(a.amplitude, b.amplitude, places=6)


class Simulator(unittest.TestCase):
    @settings(max_examples=40, deadline=None)
    @given(fraction, st.floats(min_value=0.5, max_value=500.0), st.floats(min_value=2e-6, max_value=2e-4))
    def test_the_steady_state_repeats_itself(self, duty: float, load: float, inductance: float) -> None:
        circuit = driven(buck(r=0.03, load=load, inductance=inductance), duty)
        state = steady_state(circuit)
        network = state.engine.network
        start = dict(zip(network.states, network.to_si @ state.start[: state.engine.n], strict=True))
        _, moved = settle(circuit, 1, start)
        self.assertLess(moved, 1e-8)

    @settings(max_examples=30, deadline=None)
    @example(target=16.0, load=211.0)  # where Newton's method alone ran into the end of the range
    @given(target=st.floats(min_value=1.0, max_value=18.5), load=st.floats(min_value=1.0, max_value=800.0))
    def test_whatever_can_be_held_is_held(self, target: float, load: float) -> None:
        circuit = driven(buck(r=0.02, load=load, inductance=15e-6), 0.5)
        found = record(steady_state(circuit, Regulation("load", target))).measures("load.v")
        self.assertAlmostEqual(found.average / target, 1.0, places=7)

    @settings(max_examples=30, deadline=None)
    @given(st.integers(min_value=0, max_value=10_000))
    def test_moments_are_additive(self, seed: int) -> None:
        rng = np.random.default_rng(seed)
        rate = np.vstack([rng.normal(size=(2, 3)) * 1e5, np.zeros((1, 3))])
        z = np.append(rng.normal(size=2), 1.0)
        whole, first, second = (np.empty((3, 3)) for _ in range(3))
        d, work = np.empty((3, 3)), np.empty((3, 3))
        propagators.increment(rate, 4e-6, d, work)
        moments.moments(rate, z, 1e-5, whole)
        moments.moments(rate, z, 4e-6, first)
        moments.moments(rate, z + d @ z, 6e-6, second)
        np.testing.assert_allclose(whole, first + second, rtol=1e-10, atol=1e-18)
