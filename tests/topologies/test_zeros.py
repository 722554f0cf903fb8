"""Derived right-half-plane zeros against those of the averaged state equations."""

import numpy as np
from scipy.linalg import eigvals

from tests.topologies.pagecase import PageCase


def zeros(a, b, c):
    """Frequencies [Hz] of the real zeros in the right half plane of c·(s − a)⁻¹·b, ascending."""
    n = len(b)
    left = np.block([[np.array(a), np.array(b)[:, None]], [np.array(c)[None, :], np.zeros((1, 1))]])
    right = np.diag([1.0] * n + [0.0])
    found = [s for s in eigvals(left, right) if np.isfinite(s) and abs(s) < 1e12]
    return sorted(s.real / (2 * np.pi) for s in found if s.real > 0 and abs(s.imag) < 1e-6 * s.real)


class Sepic(PageCase):
    topology = "sepic"

    def averaged(self, l1, l2, c_s, c_o, v_in, v_o, i_o):
        d = v_o / (v_in + v_o)
        e, v, i = 1.0 - d, v_in + v_o, i_o / (1.0 - d)
        a = [
            [0.0, 0.0, -e / l1, -e / l1],
            [0.0, 0.0, d / l2, -e / l2],
            [e / c_s, -d / c_s, 0.0, 0.0],
            [e / c_o, e / c_o, 0.0, -i_o / v_o / c_o],
        ]
        return zeros(a, [v / l1, v / l2, -i / c_s, -i / c_o], [0.0, 0.0, 0.0, 1.0])

    def derived(self, c_s):
        chosen = {"L1": "150 µH", "L2": "100 µH", "C_s": c_s, "C_o": "470 µF"}
        found = self.design(12, 24, 2, chosen=chosen)
        return self.value(found, "f_z"), self.value(found, "f_z2")

    def test_a_small_coupling_capacitor_leaves_the_lower_zero(self) -> None:
        low, _ = self.derived("10 nF")
        found = self.averaged(150e-6, 100e-6, 10e-9, 470e-6, 12.0, 24.0, 2.0)
        self.assertAlmostEqual(found[0] / low, 1.0, delta=0.01)

    def test_a_large_one_leaves_the_upper_zero(self) -> None:
        low, high = self.derived("10 mF")
        found = self.averaged(150e-6, 100e-6, 10e-3, 470e-6, 12.0, 24.0, 2.0)
        self.assertAlmostEqual(found[-1] / high, 1.0, delta=0.01)
        self.assertLess(low, high)


class QuadraticBoost(PageCase):
    topology = "quadratic-boost"

    def test_zero_below_the_resonance(self) -> None:
        l1, l2, c_1, c_o = 300e-6, 3e-3, 10e-9, 100e-6
        chosen = {"L1": l1, "L2": l2, "C_1": c_1, "C_o": c_o}
        found = self.design(24, 216, 0.2, chosen=chosen)
        e, v_1, v_o = 1.0 / 3.0, 72.0, 216.0
        i_1, i_2 = 0.2 / e**2, 0.2 / e
        a = [
            [0.0, 0.0, -e / l1, 0.0],
            [0.0, 0.0, 1.0 / l2, -e / l2],
            [e / c_1, -1.0 / c_1, 0.0, 0.0],
            [0.0, e / c_o, 0.0, -0.2 / v_o / c_o],
        ]
        real = zeros(a, [v_1 / l1, v_o / l2, -i_1 / c_1, -i_2 / c_o], [0.0, 0.0, 0.0, 1.0])
        self.assertAlmostEqual(real[0] / self.value(found, "f_z"), 1.0, delta=0.01)


class Cuk(PageCase):
    topology = "cuk"

    def test_zero_with_separate_inductors(self) -> None:
        """1 − s/ω_z + s²·L1·C_s/D' has the sum of its inverse zeros at 1/ω_z."""
        l1, l2, c_s = 150e-6, 100e-6, 1e-9
        found = self.design(12, -24, 2, chosen={"L1": l1, "L2": l2, "C_s": c_s, "C_o": "47 µF"})
        d, v, i = 2.0 / 3.0, 36.0, 6.0
        a = [
            [0.0, 0.0, (d - 1.0) / l1, 0.0],
            [0.0, 0.0, d / l2, -1.0 / l2],
            [(1.0 - d) / c_s, -d / c_s, 0.0, 0.0],
            [0.0, 1.0 / 47e-6, 0.0, -2.0 / 24.0 / 47e-6],
        ]
        real = zeros(a, [v / l1, v / l2, -i / c_s, 0.0], [0.0, 0.0, 0.0, 1.0])
        self.assertAlmostEqual(real[0] / self.value(found, "f_z"), 1.0, delta=0.01)
