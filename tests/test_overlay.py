import unittest

import numpy as np

from jump_lane.equations.overlay import sum_pp, sum_ripple, sum_rms


def sampled(count, *pieces, points=240_000):
    """The sum of all phases, sampled at the middle of so many steps of a period."""
    t = (np.arange(points) + 0.5) / points
    total = np.zeros(points)
    for k in range(count):
        at, begin = (t - k / count) % 1.0, 0.0
        for d, a, b in zip(pieces[::3], pieces[1::3], pieces[2::3], strict=True):
            total += np.where((at >= begin) & (at < begin + d), a + (b - a) * (at - begin) / d, 0.0)
            begin += d
    return total


class Overlay(unittest.TestCase):
    SHAPES = (
        (2, 0.3, 0.0, 1.0, 0.7, 1.0, 0.0),
        (3, 0.4, 0.0, 1.0, 0.25, 1.0, 0.0),
        (5, 0.35, 0.6, 1.0, 0.2, 0.0, 0.0),
        (8, 0.62, 0.0, 0.0, 0.38, 1.0, -0.2),
        (1, 0.3, 0.0, 1.0, 0.1, 1.0, 0.5, 0.6, 0.5, 0.0),
        (1, 0.25, 0.0, 1.0, 0.15, 1.0, 0.3, 0.2, 0.3, 0.0),
        (2, 0.2, 0.1, 1.0, 0.1, 1.0, 0.6, 0.4, 0.6, 0.3, 0.3, 0.3, 0.1),
    )

    def test_against_samples(self) -> None:
        for shape in self.SHAPES:
            total = sampled(*shape)
            with self.subTest(shape):
                self.assertAlmostEqual(float(sum_pp(*shape)), np.ptp(total), delta=1e-3)
                self.assertAlmostEqual(float(sum_rms(*shape)), total.std(), delta=1e-4)
                rest = total - total.mean()
                for x in (0.0, 0.02, 0.5):
                    voltage = np.cumsum(rest) / len(rest) + x * rest
                    self.assertAlmostEqual(float(sum_ripple(x, *shape)), np.ptp(voltage), delta=1e-3)

    def test_one_phase_is_worked_out_for_all_at_once(self) -> None:
        """The same as phase by phase, pieces without length and a rest without current included."""
        from jump_lane.equations import overlay

        rng = np.random.default_rng(7)
        for _ in range(200):
            parts = rng.dirichlet(np.ones(3))[: rng.integers(1, 4)]
            parts[rng.integers(len(parts))] *= rng.integers(0, 2)
            shape = [1.0, *(v for d in parts for v in (d, rng.normal(), rng.normal()))]
            x = rng.choice([0.0, rng.random()])
            for one, found in (
                (overlay._peak_to_peak(*shape), sum_pp(*shape)),
                (overlay._ac_rms(*shape), sum_rms(*shape)),
                (overlay._ripple(x, *shape), sum_ripple(x, *shape)),
            ):
                self.assertAlmostEqual(float(found), one, delta=1e-9 * (1.0 + one))

    def test_triangles_in_continuous_conduction_have_a_closed_form(self) -> None:
        for count in range(2, 9):
            for d in (0.07, 0.31, 0.5, 0.83):
                n = np.floor(count * d)
                closed = (count * d - n) * (n + 1 - count * d) / (count * d * (1 - d))
                found = float(sum_pp(count, d, 0, 1, 1 - d, 1, 0))
                self.assertAlmostEqual(found, closed, places=9)

    def test_arrays_and_missing_values(self) -> None:
        out = sum_pp(2, np.array([[0.25, 0.5, np.nan]]), 0, 1, np.array([[0.75, 0.5, 0.5]]), 1, 0)
        self.assertAlmostEqual(out[0, 0], 2.0 / 3.0)
        self.assertAlmostEqual(out[0, 1], 0.0)
        self.assertTrue(np.isnan(out[0, 2]))

    def test_pieces_that_exceed_the_period_have_no_sum(self) -> None:
        self.assertTrue(np.isnan(sum_pp(1, 0.6, 0, 1, 0.5, 1, 0)))
        self.assertTrue(np.isnan(sum_rms(2, 0.6, 0, 1, 0.5, 1, 0)))
        self.assertTrue(np.isnan(sum_ripple(5.0, 1, 0.6, 0, 1, 0.3, 1, 0.5, 0.2, 0.5, 0)))
        self.assertFalse(np.isnan(sum_ripple(5.0, 1, 0.6, 0, 1, 0.2, 1, 0.5, 0.2, 0.5, 0)))
        third = 1.0 / 3.0
        self.assertFalse(np.isnan(sum_pp(1, third, 0, 1, third, 1, 1, third, 1, 0)))
