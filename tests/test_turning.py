"""Deviations that turn with a sine: propagators and integrals against the exponential of one large matrix."""

import unittest

import numpy as np
from scipy.linalg import expm

from jump_lane.control.aiming import _next_aim
from jump_lane.switching.linear import Complex
from jump_lane.switching.network import Array
from jump_lane.switching.turning import Turning


def plainly(
    rate: Array, still: np.ndarray, h: float, omega: float, forced: int | None
) -> tuple[Complex, Complex]:
    """Return both from the exponential of [[A, 1], [0, 0]]·h (C. F. Van Loan 1978)."""
    size, held = len(still), still.copy()
    turning = rate - 1j * omega * np.eye(size)
    turning[held] = 0.0
    if forced is not None:
        held[forced] = False
    turning[:, held] = 0.0
    block = np.zeros((2 * size,) * 2, dtype=complex)
    block[:size, :size], block[:size, size:] = turning * h, np.eye(size) * h
    both = expm(block)
    return both[:size, :size], both[:size, size:]


class Stretches(unittest.TestCase):
    def compared(self, rate: Array, h: float, *omegas: float) -> None:
        still = np.zeros(len(rate), dtype=bool)
        still[-2:] = True
        for forced in (None, len(rate) - 2):
            found = zip(*Turning(rate, still, h).at(np.array(omegas), forced), strict=True)
            for omega, both in zip(omegas, found, strict=True):
                for mine, wanted in zip(both, plainly(rate, still, h, omega, forced), strict=True):
                    np.testing.assert_allclose(mine, wanted, rtol=0.0, atol=1e-9 * np.abs(wanted).max())

    def test_any_circuit_at_any_frequency(self) -> None:
        rng = np.random.default_rng(5)
        for _ in range(60):
            size, h = int(rng.integers(3, 10)), 10.0 ** rng.uniform(-8, -5)
            rate = rng.normal(size=(size, size)) * rng.uniform(0.01, 3.0) / h
            self.compared(rate, h, *(angle / h for angle in (2.0, 1e-6, 1e-3, 0.29, 0.31, 20.0)))

    def test_an_integrator_and_a_decay_that_is_over_at_once(self) -> None:
        rng = np.random.default_rng(6)
        rate = rng.normal(size=(6, 6)) * 1e5
        rate[0] = 0.0
        rate[0, -1], rate[1, 1] = 1e5, -1e12
        self.compared(rate, 2e-6, 1.0, 1e4, 1e6)

    def test_a_resonance_without_damping_at_its_own_frequency(self) -> None:
        rate = np.zeros((4, 4))
        rate[0, 1], rate[1, 0], rate[0, 2] = 3e5, -3e5, 1.0
        self.compared(rate, 5e-6, 3e5, 3e5 * (1.0 + 1e-9), 2.9e5)


class Aims(unittest.TestCase):
    """Where a loop is aimed at next, after what came of the aims so far."""

    def test_by_the_ratio_until_there_is_one_on_each_side(self) -> None:
        self.assertAlmostEqual(_next_aim([(10.0, 12.5)], 10.0), 8.0)
        self.assertAlmostEqual(_next_aim([(10.0, 100.0)], 10.0), 5.0, msg="by half at most")
        self.assertAlmostEqual(_next_aim([(7.0, 8.0), (8.0, 9.0)], 10.0), 8.0 / 0.9)

    def test_between_them_afterwards(self) -> None:
        """A power law, f = 0.01·aim², is met at once; one that leaps is approached from both sides."""
        self.assertAlmostEqual(_next_aim([(20.0, 4.0), (40.0, 16.0)], 9.0), 30.0)
        self.assertAlmostEqual(
            _next_aim([(50.0, 25.0), (20.0, 4.0), (40.0, 16.0)], 9.0), 30.0, msg="the latest"
        )
        leaping = [(10.0, 10.0), (20.0, 400.0)]
        self.assertAlmostEqual(_next_aim(leaping, 12.0), 10.0 * 2.0**0.1)
        self.assertAlmostEqual(_next_aim(leaping, 399.0), 10.0 * 2.0**0.9)

    def test_sides_that_have_crossed_say_nothing(self) -> None:
        self.assertAlmostEqual(_next_aim([(15.0, 9.0), (10.0, 20.0)], 10.0), 5.0)
