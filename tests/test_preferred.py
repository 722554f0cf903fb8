import unittest

from jump_lane.errors import InputError
from jump_lane.quantities.preferred import closest, decade, next_higher, next_lower


class Series(unittest.TestCase):
    def test_published_values(self) -> None:
        self.assertEqual(decade("E3"), (1.0, 2.2, 4.7))
        self.assertEqual(decade("E12"), (1.0, 1.2, 1.5, 1.8, 2.2, 2.7, 3.3, 3.9, 4.7, 5.6, 6.8, 8.2))
        self.assertEqual(decade("E48")[:5], (1.0, 1.05, 1.1, 1.15, 1.21))
        self.assertEqual(len(decade("E192")), 192)
        self.assertIn(9.2, decade("E192"))
        self.assertNotIn(9.19, decade("E192"))
        for coarse, fine in (("E48", "E96"), ("E96", "E192"), ("E6", "E12"), ("E12", "E24")):
            self.assertLessEqual(set(decade(coarse)), set(decade(fine)))

    def test_neighbours(self) -> None:
        self.assertAlmostEqual(next_higher(30.81e-6, "E12") / 33e-6, 1.0)
        self.assertAlmostEqual(next_higher(33e-6, "E12") / 33e-6, 1.0)
        self.assertAlmostEqual(next_higher(9.5e-6, "E12") / 10e-6, 1.0)
        self.assertAlmostEqual(next_lower(30.81e-6, "E12") / 27e-6, 1.0)
        self.assertAlmostEqual(closest(9.4e-6, "E3") / 10e-6, 1.0)

    def test_unknown_series(self) -> None:
        with self.assertRaisesRegex(InputError, "nearest valid name: E"):
            decade("E13")
