"""Eddy currents: asymptotes, the field solution in its complex form, skin depth."""

import unittest

import numpy as np

from jump_lane.catalogue.kinds import Inductor, Transformer
from jump_lane.dissipation.winding import dowell, resistance_ratio, thickness
from jump_lane.quantities.copper import resistivity, skin_depth


def field_solution(ratio: float, layers: float) -> float:
    """Dowell's own form: F = Re(M) + (m² − 1)/3·Re(D), M = ψ·coth ψ, D = 2ψ·tanh(ψ/2), ψ = (1 + j)·ξ."""
    psi = (1 + 1j) * ratio
    m, d = psi / np.tanh(psi), 2 * psi * np.tanh(psi / 2)
    return float(m.real + (layers**2 - 1) / 3 * d.real)


class Dowell(unittest.TestCase):
    def test_thin_layers(self) -> None:
        for layers in (1, 2, 6):
            found = float(dowell(np.array([0.1]), layers)[0])
            self.assertAlmostEqual((found - 1) / ((5 * layers**2 - 1) * 1e-4 / 45), 1.0, delta=1e-2)

    def test_thick_layers(self) -> None:
        for layers in (1, 2, 6):
            found = float(dowell(np.array([12.0]), layers)[0])
            self.assertAlmostEqual(found / (12.0 * (2 * layers**2 + 1) / 3), 1.0, delta=1e-2)

    def test_between_the_field_solution(self) -> None:
        for layers in (1, 1.5, 3, 8):
            for ratio in (0.03, 0.3, 1.0, 1.7, 3.0, 6.0):
                found = float(dowell(np.array([ratio]), layers)[0])
                self.assertAlmostEqual(found / field_solution(ratio, layers), 1.0, delta=1e-9)

    def test_no_frequency_no_excess(self) -> None:
        np.testing.assert_allclose(dowell(np.array([0.0, 1e-4]), 4), 1.0, rtol=1e-12)

    def test_very_thick_does_not_overflow(self) -> None:
        self.assertTrue(np.isfinite(dowell(np.array([1e4]), 5)).all())


class Windings(unittest.TestCase):
    def test_strands_count_as_layers_each_way(self) -> None:
        """49 strands of a layer are seven layers of them (Sullivan 1999)."""
        figures = {"part": "a", "value": "10 µH", "wire_diameter": "0.1 mm"}
        litz = resistance_ratio(Inductor(layers=2, strands=49, **figures), False, np.array([2e5]), 25.0)
        solid = resistance_ratio(Inductor(layers=14, **figures), False, np.array([2e5]), 25.0)
        self.assertAlmostEqual(float(litz[0] / solid[0]), 1.0, places=12)

    def test_skin_depth_of_copper(self) -> None:
        self.assertAlmostEqual(
            float(skin_depth(np.array([100e3]), resistivity(20.0))[0]) * 1e6, 209.0, delta=0.5
        )

    def test_round_wire_is_worth_a_foil(self) -> None:
        self.assertAlmostEqual(thickness(None, 1e-3) * 1e3, 0.8862, places=4)
        self.assertEqual(thickness(2e-4, 1e-3), 2e-4)
        self.assertIsNone(thickness(None, None))

    def test_porosity_thins_the_layer(self) -> None:
        frequency = np.array([200e3])
        full = Inductor(part="a", value=1e-5, layers=3, conductor_thickness="0.2 mm")
        porous = Inductor(part="b", value=1e-5, layers=3, conductor_thickness="0.2 mm", porosity="64 %")
        ratio = 2e-4 / skin_depth(frequency, resistivity(60.0))
        for part, factor in ((full, 1.0), (porous, 0.8)):
            found = resistance_ratio(part, False, frequency, 60.0)
            self.assertAlmostEqual(
                float(found[0]) / field_solution(float(factor * ratio[0]), 3), 1.0, delta=1e-9
            )

    def test_a_given_curve_goes_before(self) -> None:
        part = Inductor(
            part="a", value=1e-5, resistance="10 mΩ", layers=3, conductor_thickness="0.2 mm",
            ac_resistance="100 kHz: 25 mΩ; 300 kHz: 45 mΩ",
        )  # fmt: skip
        found = resistance_ratio(part, False, np.array([100e3, 200e3, 1e6]), 25.0)
        np.testing.assert_allclose(found, [2.5, 3.5, 4.5])

    def test_a_secondary_has_its_own_layers(self) -> None:
        part = Transformer(
            part="t", layers=4, conductor_thickness="0.2 mm", secondary_layers=1, secondary_thickness="0.4 mm"
        )
        frequency = np.array([150e3])
        primary = resistance_ratio(part, False, frequency, 25.0)
        secondary = resistance_ratio(part, True, frequency, 25.0)
        depth = float(skin_depth(frequency, resistivity(25.0))[0])
        self.assertAlmostEqual(float(primary[0]), field_solution(2e-4 / depth, 4), places=9)
        self.assertAlmostEqual(float(secondary[0]), field_solution(4e-4 / depth, 1), places=9)
