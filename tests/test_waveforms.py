import unittest

import numpy as np

from jump_lane.switching.record import record
from jump_lane.switching.steady import steady_state
from jump_lane.switching.waveforms import harmonics, window
from tests.test_switching import T, buck, driven


class Cursors(unittest.TestCase):
    def test_a_ramp_between_two_cursors(self) -> None:
        found = window((np.array([1.0, 2.0, 3.0]), np.array([2.0, 4.0, 6.0])))
        self.assertEqual(
            (found.slope, found.average, found.integral, found.peak_to_peak), (2.0, 4.0, 8.0, 4.0)
        )
        self.assertAlmostEqual(found.rms, np.sqrt(16.0 + 4.0 / 3.0))

    def test_a_difference_of_rounding_is_none(self) -> None:
        found = window((np.array([0.0, 1.0, 2.0]), np.array([12.0, 13.0, 12.0 + 2e-15])))
        self.assertEqual((found.difference, found.slope), (0.0, 0.0))
        found = window((np.array([0.0, 1.0, 2.0]), np.array([12.0, 13.0, 12.0 + 2e-9])))
        self.assertAlmostEqual(found.difference, 2e-9, delta=1e-14)
        self.assertAlmostEqual(found.slope, 1e-9, delta=1e-14)

    def test_on_a_simulated_waveform(self) -> None:
        recording = record(steady_state(driven(buck(), 0.4)))
        half = window(recording.samples_between("L.i", 0.1 * T, 0.3 * T))
        self.assertAlmostEqual(half.slope, 12.0 / 50e-6, delta=200.0)
        whole = window(recording.samples_between("L.i", 0.0, T))
        exact = recording.measures("L.i")
        self.assertAlmostEqual(whole.average, exact.average, places=6)
        self.assertAlmostEqual(whole.rms, exact.rms, places=6)
        self.assertAlmostEqual(whole.peak_to_peak, exact.peak_to_peak, places=6)

    def test_cursors_may_lie_periods_apart(self) -> None:
        recording = record(steady_state(driven(buck(), 0.4)))
        long = window(recording.samples_between("L.i", 0.25 * T, 2.25 * T))
        self.assertAlmostEqual(long.first, long.second, places=9)
        self.assertAlmostEqual(long.average, recording.measures("L.i").average, places=5)

    def test_both_sides_of_a_jump(self) -> None:
        recording = record(steady_state(driven(buck(), 0.4)))
        self.assertAlmostEqual(recording.value_at("@sw", 0.4 * T, after=False), 20.0, places=6)
        self.assertAlmostEqual(recording.value_at("@sw", 0.4 * T, after=True), 0.0, places=6)


class Spectra(unittest.TestCase):
    def test_a_rectangle_has_the_textbook_harmonics(self) -> None:
        duty = 0.3
        time = np.array([0.0, duty, duty, 1.0])
        found = harmonics((time, np.array([1.0, 1.0, 0.0, 0.0])), 1.0, 9)
        self.assertAlmostEqual(found[0].amplitude, duty)
        for n in range(1, 10):
            self.assertAlmostEqual(
                found[n].amplitude, 2 / (n * np.pi) * abs(np.sin(n * np.pi * duty)), places=12
            )

    def test_parseval_on_a_simulated_waveform(self) -> None:
        recording = record(steady_state(driven(buck(r=0.05, load=40.0, inductance=10e-6), 0.3)))
        lines = harmonics(recording.samples_between("L.i", 0.0, T), T, 400)
        square = lines[0].amplitude ** 2 + sum(h.amplitude**2 / 2 for h in lines[1:])
        self.assertAlmostEqual(np.sqrt(square), recording.measures("L.i").rms, places=5)

    def test_decibels(self) -> None:
        found = harmonics((np.array([0.0, 0.5, 0.5, 1.0]), np.array([1.0, 1.0, -1.0, -1.0])), 1.0, 1)
        self.assertAlmostEqual(found[1].decibel, 20 * np.log10(4 / np.pi / 1e-6))
