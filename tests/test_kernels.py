"""The compiled inner loop against general linear algebra, and against itself when it is interpreted."""

import os
import shutil
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from typing import NamedTuple

import numpy as np
from numba.core.errors import TypingError
from numpy.typing import NDArray

from jump_lane.switching import moments, nodal, propagators, series
from jump_lane.switching.apart import Apart, laid
from jump_lane.switching.clock import PERIOD
from jump_lane.switching.propagators import light
from jump_lane.switching.tables import RESOLVED


def stable(rng: np.random.Generator, n: int, spread: float) -> np.ndarray:
    """A matrix with decaying and ringing modes whose rates lie over so many decades."""
    rates = -(10.0 ** rng.uniform(-spread / 2, spread / 2, n))
    turn = rng.normal(size=(n, n))
    swing = rng.normal(size=(n, n))
    return turn @ np.diag(rates) @ np.linalg.inv(turn) + 0.1 * (swing - swing.T)


class Propagators(unittest.TestCase):
    def setUp(self) -> None:
        self.rng = np.random.default_rng(5)

    def test_one_step_twice_is_a_double_step(self) -> None:
        for n in (1, 3, 7):
            rate = stable(self.rng, n, 3.0)
            phi = np.empty((12, n, n))
            propagators.ladder(rate, 1e-3, phi)
            for level in range(11):
                with self.subTest(n=n, level=level):
                    np.testing.assert_allclose(
                        phi[level] @ phi[level], phi[level + 1], atol=1e-12, rtol=1e-10
                    )

    def test_the_ladder_is_that_of_the_eigenvalues(self) -> None:
        for n in (2, 4, 6):
            rate = stable(self.rng, n, 2.0)
            values, vectors = np.linalg.eig(rate)
            phi = np.empty((10, n, n))
            propagators.ladder(rate, 1e-2, phi)
            for level in range(10):
                step = 1e-2 * 2.0**level
                expected = (vectors @ np.diag(np.exp(values * step)) @ np.linalg.inv(vectors)).real
                with self.subTest(n=n, level=level):
                    np.testing.assert_allclose(phi[level].T, expected, atol=1e-11)

    def test_a_stiff_system_keeps_its_slow_part(self) -> None:
        """Rates of 1 and 1e12 in one matrix: the slow mode is exact after steps that kill the fast one."""
        turn = np.array([[1.0, 0.3], [0.2, 1.0]])
        rate = turn @ np.diag([-1.0, -1e12]) @ np.linalg.inv(turn)
        phi = np.empty((30, 2, 2))
        propagators.ladder(rate, 1e-9, phi)
        slow = np.linalg.inv(turn)[0]
        for level in range(30):
            decay = np.exp(-1e-9 * 2.0**level)
            with self.subTest(level):
                np.testing.assert_allclose(slow @ phi[level].T, decay * slow, rtol=3e-4)

    def test_an_increment_of_nothing_is_nothing(self) -> None:
        d, work = np.ones((3, 3)), np.empty((3, 3))
        propagators.increment(np.zeros((3, 3)), 1e-3, d, work)
        np.testing.assert_array_equal(d, np.zeros((3, 3)))

    def test_moments_against_quadrature(self) -> None:
        for n in (1, 2, 5):
            rate, z = stable(self.rng, n, 2.0), self.rng.normal(size=n)
            out = np.empty((n, n))
            moments.moments(rate, z, 0.7, out)
            values, vectors = np.linalg.eig(rate)
            part = np.linalg.inv(vectors) @ z
            nodes, weights = np.polynomial.legendre.leggauss(60)
            times = 0.35 * (nodes + 1.0)
            states = (vectors @ (np.exp(np.outer(values, times)) * part[:, None])).real
            expected = (states * weights * 0.35) @ states.T
            with self.subTest(n):
                np.testing.assert_allclose(out, expected, rtol=1e-8, atol=1e-10)
                np.testing.assert_allclose(out, out.T, atol=1e-14)

    def test_moments_of_a_stiff_system_keep_the_digits_of_its_slow_part(self) -> None:
        """A slow state beside one that is 1e11 times faster: its integral is good to rounding."""
        rate, z = np.array([[-1.0, 0.0], [0.0, -1e11]]), np.array([1.0, 1.0])
        out = np.empty((2, 2))
        moments.moments(rate, z, 1e-4, out)
        self.assertAlmostEqual(out[0, 0] / (-np.expm1(-2e-4) / 2.0), 1.0, delta=1e-13)
        self.assertAlmostEqual(out[1, 1] * 2e11, 1.0, delta=1e-12)

    def test_a_short_stretch_is_its_series(self) -> None:
        """As long a stretch as is resolved, at any instant in it, against eigenvalues; and where a row of it vanishes."""
        for n in (1, 4, 9):
            rate, z = stable(self.rng, n, 2.0), self.rng.normal(size=n)
            h = RESOLVED / np.linalg.norm(rate)
            terms = np.empty((series.ROOM, max(n, series.ROOM)))
            last = series.expand(rate.T[None].copy(), 0, z, h, 1.0, terms)
            values, vectors = np.linalg.eig(rate)
            part = np.linalg.inv(vectors) @ z

            def state(s: float, h=h, values=values, vectors=vectors, part=part) -> np.ndarray:
                return np.asarray((vectors @ (np.exp(values * h * s) * part)).real)

            out = np.empty(n)
            for s in (0.0, 0.3, 1.0):
                series.state_at(terms, last, s, out)
                with self.subTest(n=n, s=s):
                    np.testing.assert_allclose(out, state(s), atol=1e-13 * np.linalg.norm(z))
            speed = rate @ state(0.6)
            row = -speed / np.linalg.norm(speed) ** 2
            watch, q = np.empty((1, n, 1)), np.empty(series.ROOM)
            watch[0, :, 0] = row
            crossing = float(row @ state(0.6))
            found = series.first_root(watch, 0, 0, terms, last, crossing, 1e-14, q)
            roughly = series.first_root(watch, 0, 0, terms, last, crossing, 1e-6, q)
            with self.subTest(n=n):
                self.assertAlmostEqual(found, 0.6, delta=1e-11)
                self.assertAlmostEqual(roughly, 0.6, delta=1e-6)

    def test_samples_are_reached_by_any_sum_of_steps(self) -> None:
        rate, z = stable(self.rng, 3, 1.0), self.rng.normal(size=3)
        phi = np.empty((20, 3, 3))
        propagators.ladder(rate, 1e-6, phi)
        ticks = np.array([0, 1, 2, 3, 777, 778, 65_535, 1_000_000], dtype=np.int64)
        out = np.empty((len(ticks), 3))
        propagators.sample(phi[None], 0, z, ticks, out)
        values, vectors = np.linalg.eig(rate)
        part = np.linalg.inv(vectors) @ z
        expected = (vectors @ (np.exp(np.outer(values, ticks * 1e-6)) * part[:, None])).real.T
        np.testing.assert_allclose(out, expected, atol=1e-11)

    def test_a_period_is_a_whole_number_of_ticks(self) -> None:
        self.assertEqual(PERIOD & (PERIOD - 1), 0)
        self.assertGreater(PERIOD, 2**30)


class Pair(NamedTuple):
    numbers: NDArray[np.int64]
    factor: int


def _scaled(pair):
    numbers, factor = pair[0]
    for i in range(numbers.shape[0]):
        numbers[i] *= factor
    return numbers.shape[0]


SCALING = Apart(_scaled, allocates=False)
scaled = SCALING.calling()


@light
def call(address, numbers, factor):
    return scaled(address, laid(Pair(numbers, factor)))


class ByAddress(unittest.TestCase):
    def test_a_function_is_called_by_its_address(self) -> None:
        numbers = np.array([1, 2, 3])
        address = SCALING.address(Pair(numbers, 5))
        self.assertEqual(call(address, numbers, 5), 3)
        np.testing.assert_array_equal(numbers, [5, 10, 15])
        self.assertEqual(SCALING.address(Pair(numbers, 7)), address)

    def test_every_type_has_code_of_its_own(self) -> None:
        whole, real = np.array([1, 2]), np.array([0.5, 1.5])
        addresses = [SCALING.address(Pair(numbers, 3)) for numbers in (whole, real)]
        self.assertNotEqual(*addresses)
        for address, numbers in zip(addresses, (whole, real), strict=True):
            call(address, numbers, 3)
        np.testing.assert_array_equal(whole, [3, 6])
        np.testing.assert_array_equal(real, [1.5, 4.5])

    def test_another_record_than_it_was_compiled_for_is_refused(self) -> None:
        numbers = np.array([1.0, 2.0], dtype=np.float32)
        address = SCALING.address(Pair(np.array([1]), 5))
        with self.assertRaisesRegex(TypingError, "_scaled is not compiled for"):
            call(address, numbers, 5)


class NodalEquations(unittest.TestCase):
    def setUp(self) -> None:
        self.rng = np.random.default_rng(7)

    def solved(self, k: np.ndarray, x: np.ndarray) -> tuple[int, np.ndarray, np.ndarray, np.ndarray]:
        reduced, right = k.copy(), x.copy()
        order = np.empty(len(k), dtype=np.int64)
        rank = nodal.eliminate(reduced, right, order, 1e-10)
        return rank, reduced, right, order

    def test_a_regular_system_is_solved(self) -> None:
        for n in (1, 2, 5, 12):
            k, x = self.rng.normal(size=(n, n)), self.rng.normal(size=(n, 3))
            rank, _, right, order = self.solved(k, x)
            out = np.empty_like(x)
            out[order] = right
            with self.subTest(n):
                self.assertEqual(rank, n)
                np.testing.assert_allclose(k @ out, x, atol=1e-10)

    def test_the_rank_is_that_of_the_singular_values(self) -> None:
        for n, rank in ((3, 1), (5, 3), (8, 7), (8, 0)):
            k = self.rng.normal(size=(n, rank)) @ self.rng.normal(size=(rank, n))
            with self.subTest(n=n, rank=rank):
                self.assertEqual(self.solved(k, np.zeros((n, 1)))[0], rank)

    def test_what_is_left_over_spans_the_null_space(self) -> None:
        k = self.rng.normal(size=(6, 4)) @ self.rng.normal(size=(4, 6))
        rank, reduced, _, order = self.solved(k, np.zeros((6, 1)))
        for free in range(rank, 6):
            out = np.zeros(6)
            out[order[:rank]] = -reduced[:rank, free]
            out[order[free]] = 1.0
            with self.subTest(free):
                np.testing.assert_allclose(k @ out, 0.0, atol=1e-9)

    def test_a_contradiction_shows_below_the_rank(self) -> None:
        k = np.array([[1.0, 1.0], [2.0, 2.0]])
        _, _, right, _ = self.solved(k, np.array([[1.0, 1.0], [2.0, 3.0]]))
        self.assertAlmostEqual(right[1, 0], 0.0)
        self.assertGreater(abs(right[1, 1]), 0.1)

    def test_scaling_takes_powers_of_two_only(self) -> None:
        k = self.rng.normal(size=(6, 6)) * 10.0 ** self.rng.uniform(-9, 9, (6, 1))
        scaled, row, column = k.copy(), np.empty(6), np.empty(6)
        nodal.equilibrate(scaled, row, column)
        for factors in (row, column):
            np.testing.assert_array_equal(np.log2(factors), np.round(np.log2(factors)))
        np.testing.assert_array_equal(scaled, row[:, None] * k * column[None, :])
        self.assertLess(np.abs(scaled).max(), 2.1)
        self.assertGreater(np.abs(scaled).max(axis=1).min(), 0.2)

    def test_conducting_valves_add_a_row_each(self) -> None:
        """A source of 10 V behind 4 Ω, and a valve of 1 Ω and 0.5 V beside it: 1.9 A flow."""
        k, r = np.array([[0.25]]), np.array([[2.5]])
        one = np.array([[1.0]])
        matrix, right = nodal.close_valves(
            k, r, one, one, np.array([1.0]), np.array([[0.5]]), np.array([True])
        )
        self.assertEqual(matrix.shape, (2, 2))
        voltage, current = np.linalg.solve(matrix, right[:, 0])
        self.assertAlmostEqual(current, 1.9)
        self.assertAlmostEqual(voltage, 0.5 + 1.9)
        matrix, right = nodal.close_valves(
            k, r, one, one, np.array([1.0]), np.array([[0.5]]), np.array([False])
        )
        self.assertAlmostEqual(np.linalg.solve(matrix, right)[0, 0], 10.0)


class Interpreted(unittest.TestCase):
    """The same functions without the compiler: what it makes of them is what stands there."""

    def setUp(self) -> None:
        self.rng = np.random.default_rng(11)

    def test_propagators(self) -> None:
        rate, z = stable(self.rng, 3, 2.0), self.rng.normal(size=3)
        for function, result in (
            (propagators.ladder, lambda f: self.filled(f, rate, 1e-3, shape=(6, 3, 3))),
            (moments.moments, lambda f: self.filled(f, rate, z, 0.3, shape=(3, 3))),
        ):
            with self.subTest(function.py_func.__name__):
                np.testing.assert_allclose(result(function), result(function.py_func), rtol=1e-12, atol=1e-14)

    def test_elimination(self) -> None:
        k, x = self.rng.normal(size=(5, 5)), self.rng.normal(size=(5, 2))
        found = []
        for function in (nodal.eliminate, nodal.eliminate.py_func):
            reduced, right, order = k.copy(), x.copy(), np.empty(5, dtype=np.int64)
            rank = function(reduced, right, order, 1e-12)
            found.append((rank, right, order))
        self.assertEqual(found[0][0], found[1][0])
        np.testing.assert_array_equal(found[0][2], found[1][2])
        np.testing.assert_allclose(found[0][1], found[1][1], rtol=1e-12)

    def filled(self, function, *arguments, shape: tuple[int, ...]) -> np.ndarray:
        out = np.empty(shape)
        function(*arguments, out)
        return out


class Kept(unittest.TestCase):
    def test_compiled_code_of_other_sources_is_thrown_away(self) -> None:
        """A function is compiled together with those it calls: where one source changes, nothing that was kept counts."""
        with tempfile.TemporaryDirectory() as folder:
            package = Path(folder) / "jump_lane"
            shutil.copytree(
                Path(propagators.__file__).parents[1], package, ignore=shutil.ignore_patterns("__pycache__")
            )
            cache = package / "switching" / "__pycache__"
            cache.mkdir()
            old = cache / "stepping.run_periods-1.py311.1.nbc"

            def imported() -> bool:
                code = "import jump_lane.switching.propagators"
                subprocess.run(
                    [sys.executable, "-c", code], env={**os.environ, "PYTHONPATH": folder}, check=True
                )
                return old.exists()

            old.write_bytes(b"")
            self.assertFalse(imported())
            old.write_bytes(b"")
            self.assertTrue(imported())
            source = package / "switching" / "flowing.py"
            source.write_text(source.read_text() + "\n")
            self.assertFalse(imported())
