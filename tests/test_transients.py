"""Runs from given states whose course has a closed form."""

import math
import unittest

from jump_lane.circuit.circuit import Circuit
from jump_lane.circuit.elements import (
    Capacitor,
    CurrentSource,
    Diode,
    Element,
    IdealTransformer,
    Inductor,
    Resistor,
    Switch,
    VoltageSource,
    Winding,
    coupled_pair,
)
from jump_lane.circuit.gates import on
from jump_lane.switching.record import Recording
from jump_lane.switching.settling import settle

T = 1e-5


def run(elements: tuple[Element, ...], periods: int, duty: float = 1.0, **start: float) -> Recording:
    """The last of so many periods; all switches conduct for ``duty`` of each."""
    names = [e.name for e in elements if isinstance(e, Switch)]
    circuit = Circuit(elements, T, lambda d: {n: on(0.0, d) for n in names}, duty)
    return settle(circuit, periods, start)[0]


def at(recording: Recording, signal: str, time: float) -> float:
    """A signal at an instant of the last period; at its end, what is reached then."""
    if time == T:
        return recording.ends(len(recording.stretches) - 1, signal)[1]
    times, values = recording.samples_between(signal, time - 1e-12, time + 1e-12)
    return float(values[len(times) // 2])


class FirstOrder(unittest.TestCase):
    def test_a_capacitor_charges_through_a_resistor(self) -> None:
        parts = (
            VoltageSource("source", "in", "gnd", 10.0),
            Resistor("R", "in", "out", 50.0),
            Capacitor("C", "out", "gnd", 1e-6),
        )
        for periods in (1, 3, 20):
            elapsed = periods * T
            expected = 10.0 * (1.0 - math.exp(-elapsed / 50e-6))
            with self.subTest(periods):
                self.assertAlmostEqual(at(run(parts, periods), "C.v", T), expected, places=9)

    def test_an_inductor_takes_its_time(self) -> None:
        parts = (
            VoltageSource("source", "in", "gnd", 12.0),
            Inductor("L", "in", "out", 100e-6, 0.5),
            Resistor("R", "out", "gnd", 1.5),
        )
        for periods in (1, 10):
            expected = 6.0 * (1.0 - math.exp(-periods * T * 2.0 / 100e-6))
            with self.subTest(periods):
                self.assertAlmostEqual(at(run(parts, periods), "L.i", T), expected, places=9)

    def test_an_inductor_runs_down_against_a_diode(self) -> None:
        """1 A in 20 µH against 0.8 V lasts 25 µs, and is exactly nothing afterwards."""
        parts = (Inductor("L", "gnd", "a", 20e-6), Diode("D", "a", "gnd", 0.8))
        self.assertAlmostEqual(at(run(parts, 1, L=1.0), "L.i", T), 1.0 - 0.8 * T / 20e-6, places=9)
        self.assertEqual(at(run(parts, 4, L=1.0), "L.i", T), 0.0)

    def test_a_current_source_fills_a_capacitor(self) -> None:
        parts = (CurrentSource("I", "gnd", "out", 0.5), Capacitor("C", "out", "gnd", 10e-6))
        self.assertAlmostEqual(at(run(parts, 7), "C.v", T), 0.5 * 7 * T / 10e-6, places=9)


class SecondOrder(unittest.TestCase):
    L, C = 10e-6, 1e-6

    def ring(self, r: float = 0.0) -> tuple[Element, ...]:
        return (Inductor("L", "gnd", "a", self.L, r), Capacitor("C", "a", "gnd", self.C))

    def test_a_lossless_ring_keeps_its_energy(self) -> None:
        energy = self.C * 5.0**2 / 2.0
        for periods in (1, 10, 1000):
            found = run(self.ring(), periods, C=5.0)
            i, v = at(found, "L.i", T), at(found, "C.v", T)
            with self.subTest(periods):
                self.assertAlmostEqual((self.L * i**2 + self.C * v**2) / 2.0 / energy, 1.0, places=9)

    def test_its_phase_is_that_of_the_resonance(self) -> None:
        omega = 1.0 / math.sqrt(self.L * self.C)
        for periods in (1, 2, 50):
            found = run(self.ring(), periods, C=5.0)
            with self.subTest(periods):
                self.assertAlmostEqual(at(found, "C.v", T), 5.0 * math.cos(omega * periods * T), places=7)

    def test_damping_takes_its_part(self) -> None:
        r = 0.8
        decay = r / (2.0 * self.L)
        omega = math.sqrt(1.0 / (self.L * self.C) - decay**2)
        elapsed = 3 * T
        expected = (
            5.0
            * math.exp(-decay * elapsed)
            * (math.cos(omega * elapsed) + decay / omega * math.sin(omega * elapsed))
        )
        self.assertAlmostEqual(at(run(self.ring(r), 3, C=5.0), "C.v", T), expected, places=9)

    def test_a_diode_stops_the_ring_at_its_first_crest(self) -> None:
        """A resonant charge through a diode ends at twice the source, and stays there."""
        parts = (
            VoltageSource("source", "in", "gnd", 10.0),
            Inductor("L", "in", "a", self.L),
            Diode("D", "a", "out"),
            Capacitor("C", "out", "gnd", self.C),
        )
        half = math.pi * math.sqrt(self.L * self.C)
        self.assertGreater(half, 0.5 * T)
        for periods in (2, 9):
            found = run(parts, periods)
            with self.subTest(periods):
                self.assertAlmostEqual(at(found, "C.v", T), 20.0, places=7)
                self.assertEqual(at(found, "L.i", T), 0.0)

    def test_two_rings_that_do_not_touch_do_not_matter_to_each_other(self) -> None:
        other = (Inductor("L2", "gnd", "b", 3e-6), Capacitor("C2", "b", "gnd", 2e-6))
        alone = at(run(self.ring(), 5, C=5.0), "C.v", T)
        beside = run((*self.ring(), *other), 5, C=5.0, C2=3.0)
        self.assertAlmostEqual(at(beside, "C.v", T), alone, places=10)
        omega = 1.0 / math.sqrt(3e-6 * 2e-6)
        self.assertAlmostEqual(at(beside, "C2.v", T), 3.0 * math.cos(omega * 5 * T), places=8)


class Coupled(unittest.TestCase):
    def test_a_transformer_reflects_a_load(self) -> None:
        """4 : 1, 1 Ω at the secondary: 16 Ω for the primary."""
        parts = (
            VoltageSource("source", "in", "gnd", 32.0),
            Inductor("L_m", "in", "gnd", 1e-3),
            IdealTransformer("T", (Winding("p", "in", "gnd", 4.0), Winding("s", "out", "gnd", 1.0))),
            Resistor("R", "out", "gnd", 1.0),
        )
        found = run(parts, 1)
        self.assertAlmostEqual(at(found, "R.v", T), 8.0, places=9)
        self.assertAlmostEqual(at(found, "source.i", T), -(32.0 / 16.0 + 32.0 * T / 1e-3), places=9)

    def test_coupled_inductors_share_a_voltage_by_their_turns(self) -> None:
        """k = 0.8, 100 µH and 25 µH, the second one open: v_2 = k·√(L_2/L_1)·v_1."""
        pair = coupled_pair(
            "K", Winding("A", "in", "gnd", 1.0), Winding("B", "out", "gnd", 1.0), (100e-6, 25e-6), 0.8
        )
        parts = (VoltageSource("source", "in", "gnd", 10.0), pair, Resistor("R", "out", "gnd", 1e9))
        found = run(parts, 1)
        self.assertAlmostEqual(at(found, "R.v", 0.5 * T) / (0.8 * 0.5 * 10.0), 1.0, places=4)
        self.assertAlmostEqual(at(found, "A.i", T), 10.0 * T / 100e-6, places=4)

    def test_flux_is_handed_over_when_the_primary_opens(self) -> None:
        """A tight transformer of 2 : 1 that carried 3 A goes on with 6 A in its secondary."""
        parts = (
            VoltageSource("source", "in", "gnd", 20.0),
            Switch("S", "a", "gnd"),
            Inductor("L_m", "in", "a", 100e-6),
            IdealTransformer("T", (Winding("p", "in", "a", 2.0), Winding("s", "gnd", "x", 1.0))),
            Diode("D", "x", "out"),
            VoltageSource("sink", "out", "gnd", 5.0),
        )
        duty = 0.5
        found = run(parts, 1, duty=duty, L_m=2.0)
        peak = 2.0 + 20.0 * duty * T / 100e-6
        self.assertAlmostEqual(found.measures("L_m.i").maximum, peak, places=9)
        self.assertAlmostEqual(found.measures("D.i").maximum, 2.0 * peak, places=9)
        after = peak - 10.0 * (1.0 - duty) * T / 100e-6
        self.assertAlmostEqual(at(found, "L_m.i", T), after, places=9)
