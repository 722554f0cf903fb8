"""Core loss: plain Steinmetz for a sine, published closed forms for straight waveforms, minor loops."""

import math
import unittest

import numpy as np

from jump_lane.equations.steinmetz import Steinmetz, equivalent_frequency, loss_density

FERRITE = Steinmetz(2.5, 1.4, 2.5)
PERIOD = 1e-5


def waveform(*points: tuple[float, float]) -> tuple[np.ndarray, np.ndarray]:
    """A waveform through (part of the period, flux density)."""
    time, flux = np.array(points).T
    return time * PERIOD, flux


class ClosedForms(unittest.TestCase):
    def test_sine_gives_the_plain_steinmetz_value(self) -> None:
        time = np.linspace(0.0, PERIOD, 401)
        for material in (FERRITE, Steinmetz(100.0, 1.1, 2.1), Steinmetz(0.3, 1.75, 2.8)):
            plain = material.k * PERIOD**-material.alpha * 0.08**material.beta
            found = loss_density(material, time, 0.08 * np.sin(2 * np.pi * time / PERIOD) + 0.1)
            self.assertAlmostEqual(found / plain, 1.0, delta=1e-3)

    def test_a_sine_is_as_fast_as_itself_and_a_triangle_a_little_less(self) -> None:
        time = np.linspace(0.0, PERIOD, 2001)
        sine = equivalent_frequency(time, 0.1 * np.sin(2 * np.pi * time / PERIOD))
        self.assertAlmostEqual(sine * PERIOD, 1.0, delta=1e-5)
        triangle = equivalent_frequency(*waveform((0, -0.1), (0.5, 0.1), (1, -0.1)))
        self.assertAlmostEqual(triangle * PERIOD, 8 / math.pi**2, places=9)

    def test_triangle(self) -> None:
        """P = k_i·ΔB^β·f^α·(D^(1−α) + (1−D)^(1−α)) (Venkatachalam et al. 2002)."""
        for duty in (0.5, 0.3, 0.05, 0.9):
            found = loss_density(FERRITE, *waveform((0.0, -0.1), (duty, 0.1), (1.0, -0.1)))
            spread = duty ** (1 - FERRITE.alpha) + (1 - duty) ** (1 - FERRITE.alpha)
            expected = FERRITE.constant * 0.2**FERRITE.beta * PERIOD**-FERRITE.alpha * spread
            self.assertAlmostEqual(found / expected, 1.0, delta=1e-9)

    def test_trapezium(self) -> None:
        """Flat parts lose nothing: P = k_i·ΔB^β·f^α·2·d^(1−α) with ramps of d periods."""
        found = loss_density(FERRITE, *waveform((0, 0), (0.2, 0.15), (0.5, 0.15), (0.7, 0), (1, 0)))
        expected = FERRITE.constant * 0.15**2.5 * PERIOD**-1.4 * 2 * 0.2**-0.4
        self.assertAlmostEqual(found / expected, 1.0, delta=1e-9)

    def test_constant_by_quadrature(self) -> None:
        angle = np.linspace(0.0, 2 * math.pi, 200001)
        height = np.abs(np.cos(angle)) ** 1.4
        integral = float(np.sum((height[1:] + height[:-1]) / 2.0) * (angle[1] - angle[0]))
        expected = 2.5 / ((2 * math.pi) ** 0.4 * 2**1.1 * integral)
        self.assertAlmostEqual(FERRITE.constant / expected, 1.0, delta=1e-8)

    def test_no_flux_no_loss_and_direct_flux_does_not_matter(self) -> None:
        self.assertEqual(loss_density(FERRITE, *waveform((0, 0.2), (0.5, 0.2), (1, 0.2))), 0.0)
        one = loss_density(FERRITE, *waveform((0, 0), (0.4, 0.1), (1, 0)))
        other = loss_density(FERRITE, *waveform((0, 0.2), (0.4, 0.3), (1, 0.2)))
        self.assertAlmostEqual(one / other, 1.0, places=12)


class MinorLoops(unittest.TestCase):
    def test_a_minor_loop_counts_by_its_own_span(self) -> None:
        """0 → 0.3, back to 0.2, on to 0.4, then down: a loop of 0.1 within one of 0.4."""
        found = loss_density(FERRITE, *waveform((0, 0), (0.3, 0.3), (0.4, 0.2), (0.6, 0.4), (1, 0)))

        def energy(span: float, *pieces: tuple[float, float]) -> float:
            steep = sum(abs(b) ** 1.4 * (t * PERIOD) ** -0.4 for b, t in pieces)
            return FERRITE.constant * span**1.1 * steep

        major = energy(0.4, (0.3, 0.3), (0.1, 0.1), (0.4, 0.4))
        minor = energy(0.1, (0.1, 0.1), (0.1, 0.1))
        self.assertAlmostEqual(found / ((major + minor) / PERIOD), 1.0, delta=1e-9)

    def test_where_the_period_starts_does_not_matter(self) -> None:
        points = [(0, 0), (0.3, 0.3), (0.4, 0.2), (0.6, 0.4), (0.8, 0.1), (0.85, 0.2), (1, 0)]
        time, flux = waveform(*points)
        reference = loss_density(FERRITE, time, flux)
        for k in range(1, 6):
            turned = np.concatenate([flux[k:], flux[1 : k + 1]])
            steps = np.concatenate([np.diff(time)[k:], np.diff(time)[:k]])
            moved = np.concatenate([[0.0], np.cumsum(steps)])
            self.assertAlmostEqual(loss_density(FERRITE, moved, turned) / reference, 1.0, delta=1e-9)

    def test_loops_within_loops(self) -> None:
        points = ((0, 0), (0.2, 0.4), (0.3, 0.1), (0.35, 0.2), (0.4, 0.15), (0.5, 0.4), (0.6, 0.5), (1, 0))
        found = loss_density(FERRITE, *waveform(*points))

        def energy(span: float, *pieces: tuple[float, float]) -> float:
            return FERRITE.constant * span**1.1 * sum(b**1.4 * (t * PERIOD) ** -0.4 for b, t in pieces)

        major = energy(0.5, (0.4, 0.2), (0.1, 0.1), (0.5, 0.4))
        share = 0.05 / 0.25
        loop = energy(0.3, (0.3, 0.1), (0.1, 0.05), (0.2, 0.1 * (1 - share)))
        inner = energy(0.05, (0.05, 0.05), (0.05, 0.1 * share))
        self.assertAlmostEqual(found / ((major + loop + inner) / PERIOD), 1.0, delta=1e-9)


class InACircuit(unittest.TestCase):
    def test_windings_on_one_core_share_their_flux(self) -> None:
        """What one winding sees is the integral of its own voltage, whoever carries the current."""
        from jump_lane.design.components import components
        from jump_lane.dissipation.core import linkage
        from jump_lane.dissipation.stage import Stage
        from jump_lane.operating.point import solve
        from tests.common import buck_tables, design

        tables = buck_tables() | {"topology": "sepic", "parts": {"T": {"factor": 0.9}}}
        at = design(tables, switching__mode="either").at()
        _, recording = solve(at)
        seen = Stage(at, at.point(0, 0), recording, components(at, at.point(0, 0)))
        for component in seen.of("inductor"):
            coil = component.elements[0]
            _, flux = linkage(seen, coil)
            time, voltage = recording.samples_between(f"{coil.name}.v", 0.0, recording.period)
            area = np.concatenate([[0.0], np.cumsum(np.diff(time) * (voltage[1:] + voltage[:-1]) / 2.0)])
            self.assertAlmostEqual(np.ptp(flux) / np.ptp(area), 1.0, delta=1e-3)
