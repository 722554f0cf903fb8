"""The simulator on its own: closed forms, redundant states, regulation, failures."""

import unittest

import numpy as np

from jump_lane.circuit.circuit import Circuit
from jump_lane.circuit.elements import (
    BodyDiode,
    Capacitor,
    CoupledInductors,
    CurrentSource,
    Diode,
    Element,
    IdealTransformer,
    Inductor,
    Mutual,
    Resistor,
    Switch,
    VoltageSource,
    Winding,
    coupled_pair,
    transformer,
)
from jump_lane.circuit.gates import Instant, complement, on
from jump_lane.errors import ConvergenceError, InputError, NoResultError
from jump_lane.switching import moments, propagators
from jump_lane.switching.balance import balance, require
from jump_lane.switching.clock import PERIOD, schedule
from jump_lane.switching.engine import Engine
from jump_lane.switching.record import record
from jump_lane.switching.regulation import Regulation
from jump_lane.switching.settling import settle
from jump_lane.switching.steady import steady_state

T = 5e-6


def buck(
    r: float = 0.0, load: float = 5.0, inductance: float = 50e-6, c: float = 100e-6
) -> tuple[Element, ...]:
    return (
        VoltageSource("source", "in", "gnd", 20.0),
        Switch("S1", "in", "sw", r),
        Diode("D1", "gnd", "sw", 0.0, r),
        Inductor("L", "sw", "out", inductance),
        Capacitor("C", "out", "gnd", c),
        Resistor("load", "out", "gnd", load),
    )


def driven(elements: tuple[Element, ...], duty: float, *names: str) -> Circuit:
    return Circuit(elements, T, lambda d: {n: on(0.0, d) for n in names or ("S1",)}, duty)


class ClosedForms(unittest.TestCase):
    def test_ideal_buck_obeys_the_duty_ratio(self) -> None:
        for duty in (0.1, 0.35, 0.8):
            found = record(steady_state(driven(buck(), duty))).measures("load.v").average
            self.assertAlmostEqual(found / (duty * 20.0), 1.0, delta=1e-6)

    def test_discontinuous_ratio_of_the_textbooks(self) -> None:
        for duty, load in ((0.3, 100.0), (0.6, 400.0)):
            k = 2 * 10e-6 / (load * T)
            expected = 2.0 / (1.0 + np.sqrt(1.0 + 4.0 * k / duty**2))
            circuit = driven(buck(load=load, inductance=10e-6, c=1e-2), duty)
            found = record(steady_state(circuit)).measures("load.v").average / 20.0
            self.assertAlmostEqual(found / expected, 1.0, delta=1e-3)

    def test_rc_charged_through_a_switch(self) -> None:
        elements = (
            VoltageSource("source", "in", "gnd", 1.0),
            Switch("S1", "in", "a", 100.0),
            Capacitor("C", "a", "gnd", 1e-8),
            Resistor("R", "a", "gnd", 1e3),
        )
        recording = record(steady_state(driven(elements, 0.4)))
        on_time, off_time = 0.4 * T, 0.6 * T
        tau_on, level = 1e-8 / (1 / 100 + 1 / 1e3), 1e3 / 1100
        a, b = np.exp(-on_time / tau_on), np.exp(-off_time / 1e-5)
        peak = level * (1 - a) / (1 - a * b)
        self.assertAlmostEqual(recording.measures("C.v").maximum, peak, places=10)
        self.assertAlmostEqual(recording.measures("C.v").minimum, peak * b, places=10)

    def test_extremes_between_samples_are_refined(self) -> None:
        elements = (
            VoltageSource("source", "in", "gnd", 1.0),
            Switch("S1", "in", "a", 1.0),
            Inductor("L", "a", "b", 1e-6),
            Capacitor("C", "b", "gnd", 1e-9),
            Resistor("R", "b", "gnd", 1e4),
            Diode("D", "gnd", "a"),
        )
        recording = record(steady_state(driven(elements, 0.5)))
        fine = recording.waveforms(("C.v",), 200_000).signals["C.v"]
        self.assertAlmostEqual(recording.measures("C.v").maximum, fine.max(), delta=1e-7)
        self.assertGreaterEqual(recording.measures("C.v").maximum, fine.max() - 1e-12)

    def test_samples_and_exact_integrals_agree(self) -> None:
        recording = record(steady_state(driven(buck(r=0.05, load=40.0, inductance=10e-6), 0.3)))
        for name in ("L.i", "S1.i", "load.v", "D1.v"):
            waves = recording.waveforms((name,), 20_000)
            mean = np.trapezoid(waves.signals[name], waves.time) / T
            square = np.trapezoid(waves.signals[name] ** 2, waves.time) / T
            self.assertAlmostEqual(recording.measures(name).average, mean, delta=1e-5)
            self.assertAlmostEqual(recording.measures(name).rms, np.sqrt(square), delta=1e-5)

    def test_propagators_against_a_general_matrix_exponential(self) -> None:
        from scipy.linalg import expm

        rng = np.random.default_rng(3)
        m = rng.normal(size=(5, 5)) * 1e6
        phi = np.empty((31, 5, 5))
        tick = 5e-6 / PERIOD
        propagators.ladder(m, tick, phi)
        for level in (0, 12, 30):
            np.testing.assert_allclose(phi[level].T, expm(m * tick * 2**level), rtol=1e-12, atol=1e-13)

    def test_moments_of_a_ramp(self) -> None:
        rate = np.array([[0.0, 2.0], [0.0, 0.0]])
        out = np.empty((2, 2))
        moments.moments(rate, np.array([1.0, 1.0]), 3.0, out)
        np.testing.assert_allclose(out, [[3 + 18 + 36, 12.0], [12.0, 3.0]], rtol=1e-12)


class Structure(unittest.TestCase):
    def test_inductors_in_series_and_capacitors_in_parallel(self) -> None:
        split = (
            VoltageSource("source", "in", "gnd", 20.0),
            Capacitor("Cin", "in", "gnd", 1e-6),
            Switch("S1", "in", "sw", 0.01),
            Diode("D1", "gnd", "sw", 0.3, 0.01),
            Inductor("La", "sw", "mid", 4e-6),
            Inductor("Lb", "mid", "out", 6e-6),
            Capacitor("Ca", "out", "gnd", 30e-6),
            Capacitor("Cb", "out", "gnd", 70e-6),
            Resistor("load", "out", "gnd", 60.0),
        )
        whole = (
            *split[:1],
            *split[2:4],
            Inductor("L", "sw", "out", 10e-6),
            Capacitor("C", "out", "gnd", 100e-6),
            split[-1],
        )
        for duty in (0.2, 0.7):
            a = record(steady_state(driven(split, duty)))
            b = record(steady_state(driven(whole, duty)))
            for first, second in (("La.i", "L.i"), ("Lb.i", "L.i"), ("Ca.v", "C.v"), ("Cb.v", "C.v")):
                self.assertAlmostEqual(a.measures(first).maximum, b.measures(second).maximum, places=8)
                self.assertAlmostEqual(a.measures(first).rms, b.measures(second).rms, places=8)
            self.assertAlmostEqual(a.measures("Ca.i").rms / a.measures("Cb.i").rms, 3 / 7, places=8)

    def test_body_diode_is_a_diode_in_parallel(self) -> None:
        def bridge(*low: Element) -> Circuit:
            rest = (
                VoltageSource("source", "in", "gnd", 20.0),
                Switch("S1", "in", "sw", 0.02, BodyDiode(0.8, 0.02)),
                Inductor("L", "sw", "out", 5e-6, 0.01),
                Capacitor("C", "out", "gnd", 50e-6, 0.004),
                Resistor("load", "out", "gnd", 4.0),
            )
            high = on(0.0, 0.4)
            return Circuit((*rest, *low), T, lambda _: {"S1": high, "S2": complement(high, 0.02)})

        one = record(steady_state(bridge(Switch("S2", "sw", "gnd", 0.01, BodyDiode(0.7, 0.03)))))
        two = record(
            steady_state(bridge(Switch("S2", "sw", "gnd", 0.01), Diode("D2", "gnd", "sw", 0.7, 0.03)))
        )
        self.assertAlmostEqual(one.measures("load.v").average, two.measures("load.v").average, places=10)
        self.assertAlmostEqual(
            one.measures("S2.i").average,
            two.measures("S2.i").average - two.measures("D2.i").average,
            places=10,
        )
        self.assertAlmostEqual(one.fraction("S2.body"), 0.02, places=6)

    def test_inductors_that_share_flux_equal_coupled_windings(self) -> None:
        around = (
            VoltageSource("V", "in", "gnd", 10.0),
            Switch("S", "in", "a", 0.01),
            Diode("D", "gnd", "a", 0.5, 0.01),
            Resistor("R", "b", "gnd", 2.0),
        )
        windings = (Winding("A", "a", "gnd", 1.0, 0.1), Winding("B", "b", "gnd", 1.0, 0.2))
        joint = CoupledInductors("T", windings, ((20e-6, -5e-6), (-5e-6, 10e-6)))
        apart = (
            Inductor("A", "a", "gnd", 20e-6, 0.1),
            Inductor("B", "b", "gnd", 10e-6, 0.2),
            Mutual("M", "A", "B", -5e-6),
        )
        found = []
        for core in ((joint,), apart):
            state = steady_state(Circuit((*around, *core), 1e-5, lambda d: {"S": on(0.0, d)}, 0.4))
            recording = record(state)
            require(recording)
            found.append([recording.measures(n).peak for n in ("A.i", "B.i", "R.v")])
        np.testing.assert_allclose(found[0], found[1], rtol=1e-9)

    def test_a_jump_into_several_diodes_reverses_none(self) -> None:
        """A magnetising current that its leakage does not carry yet flows on through four coupled secondaries at once."""
        numbers, turns = (1, 2, 3, 4), (2.316, 1.0, 0.421, 2.0, 0.789)
        own = {"L_s1": 0.605e-6, "L_s2": 0.149e-6, "L_s3": 3.234e-6, "L_s4": 0.4724e-6}
        shared = {
            (1, 2): 0.0416e-6, (1, 3): -0.65e-6, (1, 4): -0.482e-6, (2, 3): 0.417e-6, (2, 4): 0.0488e-6, (3, 4): 0.846e-6,
        }  # fmt: skip
        elements = [
            VoltageSource("V", "in", "gnd", 44.0),
            Inductor("L_k", "in", "p", 2.293e-6, 0.05),
            Inductor("L_m", "p", "d", 150e-6),
            Switch("S", "d", "gnd", 0.05),
            IdealTransformer(
                "T", tuple(Winding(f"N{k}", "p" if k == 0 else "gnd", "d" if k == 0 else f"s{k}", turns[k]) for k in (0, *numbers))
            ),
        ]  # fmt: skip
        for k, volts in zip(numbers, (12.0, 4.86, 24.4, 9.21), strict=True):
            elements += [
                Inductor(f"L_s{k}", f"s{k}", f"t{k}", own[f"L_s{k}"], 0.01),
                Diode(f"D{k}", f"t{k}", f"o{k}", 0.5, 0.02),
                VoltageSource(f"V{k}", f"o{k}", "gnd", volts),
            ]
        elements += [Mutual(f"M{j}{k}", f"L_s{j}", f"L_s{k}", m) for (j, k), m in shared.items()]
        engine = Engine(Circuit(tuple(elements), 9e-6, lambda d: {"S": on(0.0, d)}, 0.4))
        start = {"L_m": 1.02}
        run = engine.run(engine.start(start), 0, 0.4, False)
        first = engine.named(engine.trace(run).states[0])
        self.assertTrue(all(first[n] > -1e-9 for n in own), first)
        self.assertGreater(sum(first[n] for n in own), 0.5)
        self.assertLess(first["L_m"], start["L_m"])

    def test_transformer_with_leakage_equals_coupled_inductors(self) -> None:
        lm, leak, n = 100e-6, 5e-6, 0.5
        windings = (Winding("T.p", "in", "sw", 2.0), Winding("T.s", "gnd", "x", 1.0))
        rest = (
            VoltageSource("source", "in", "gnd", 20.0),
            Switch("S1", "sw", "gnd", 0.01),
            Diode("Dc", "sw", "c", 0.5, 0.01),
            VoltageSource("clamp", "c", "in", 40.0),
            Diode("D1", "x", "out", 0.4, 0.01),
            Capacitor("C", "out", "gnd", 50e-6),
            Resistor("load", "out", "gnd", 5.0),
        )
        apart = transformer("T", windings, lm, (leak, 0.0))
        k = lm * n / np.sqrt((lm + leak) * lm * n * n)
        joint = coupled_pair("T", *windings, (lm + leak, lm * n * n), k)
        a = record(steady_state(driven((*rest, *apart), 0.4)))
        b = record(steady_state(driven((*rest, joint), 0.4)))
        for name in ("T.s.i", "S1.i", "Dc.i", "load.v"):
            self.assertAlmostEqual(a.measures(name).maximum, b.measures(name).maximum, places=6)
            self.assertAlmostEqual(a.measures(name).average, b.measures(name).average, places=6)

    def test_floating_secondary(self) -> None:
        elements = (
            VoltageSource("source", "in", "gnd", 10.0),
            Switch("S1", "in", "p", 0.1),
            Resistor("Rp", "p", "gnd", 100.0),
            IdealTransformer("T", (Winding("T.p", "p", "gnd", 1.0), Winding("T.s", "s1", "s2", 3.0))),
            Inductor("Lm", "p", "gnd", 1e-4),
            Resistor("load", "s1", "s2", 90.0),
        )
        recording = record(steady_state(driven(elements, 0.5)))
        self.assertAlmostEqual(
            recording.measures("load.v").maximum, 3 * recording.measures("Lm.v").maximum, places=9
        )

    def test_current_source_into_a_switched_load(self) -> None:
        elements = (
            CurrentSource("source", "gnd", "a", 2.0),
            Switch("S1", "a", "gnd", 0.01),
            Diode("D", "a", "out", 0.0, 0.01),
            Capacitor("C", "out", "gnd", 1e-4),
            Resistor("load", "out", "gnd", 10.0),
        )
        found = record(steady_state(driven(elements, 0.25))).measures("load.v").average
        self.assertAlmostEqual(found, 2.0 * 0.75 * 10.0, places=6)


class Operation(unittest.TestCase):
    def test_the_average_is_held_by_the_control(self) -> None:
        for load in (5.0, 500.0):
            state = steady_state(driven(buck(r=0.05, load=load), 0.5), Regulation("load", 7.0))
            self.assertAlmostEqual(record(state).measures("load.v").average, 7.0, places=8)

    def test_what_cannot_be_held_is_an_error(self) -> None:
        with self.assertRaisesRegex(ConvergenceError, "cannot be held at 25.00 V"):
            steady_state(driven(buck(r=0.05), 0.5), Regulation("load", 25.0))

    def test_settling_ends_in_the_steady_state(self) -> None:
        circuit = driven(buck(r=0.05, c=5e-6), 0.4)
        settled, remaining = settle(circuit, 3000)
        self.assertLess(remaining, 1e-10)
        self.assertAlmostEqual(
            settled.measures("L.i").maximum, record(steady_state(circuit)).measures("L.i").maximum, places=8
        )

    def test_settling_starts_from_zero(self) -> None:
        first, _ = settle(driven(buck(r=0.05), 0.4), 1)
        self.assertAlmostEqual(first.measures("L.i").maximum, 20.0 * 0.4 * T / 50e-6, delta=0.01)
        later, _ = settle(driven(buck(r=0.05), 0.4), 1, {"L": 2.0, "C": 8.0})
        self.assertAlmostEqual(later.measures("L.i").maximum, 2.0 + 12.0 * 0.4 * T / 50e-6, delta=0.01)

    def test_gates_wrap_around_the_period(self) -> None:
        late = schedule({"S1": on(0.75, 1.25)}, ("S1",))
        self.assertEqual(late.ticks.tolist(), [0, PERIOD // 4, 3 * PERIOD // 4, PERIOD])
        self.assertEqual(late.masks.tolist(), [1, 0, 1])
        self.assertEqual(schedule({"S1": on(0.0, 1.0)}, ("S1",)).masks.tolist(), [1])
        self.assertEqual(schedule({"S1": on(0.3, 0.3)}, ("S1",)).masks.tolist(), [0])

    def test_edges_move_with_the_control(self) -> None:
        duty = Instant(0.4, 1.0)
        found = schedule({"S1": on(0.0, duty), "S2": complement(on(0.0, duty), 0.01)}, ("S1", "S2"))
        moving = dict(zip((found.ticks[:-1] / PERIOD).round(4).tolist(), found.slopes.tolist(), strict=True))
        self.assertEqual(moving, {0.0: 0.0, 0.4: 1.0, 0.41: 1.0, 0.99: 0.0})

    def test_tangents_are_the_derivatives(self) -> None:
        from jump_lane.switching.engine import Engine

        engine = Engine(driven(buck(r=0.05, load=80.0, inductance=10e-6), 0.3))
        state = steady_state(engine.circuit)
        z, combo = state.start, state.combo
        run = engine.run(z, combo, 0.3, tangents=True)
        for k in range(engine.n + 1):
            shifted, control = z.copy(), 0.3
            step = 1e-6
            if k < engine.n:
                shifted[k] += step
            else:
                control += step
            moved = engine.run(shifted, combo, control, tangents=False).end
            numeric = (moved - run.end)[: engine.n] / step
            np.testing.assert_allclose(run.tangent[k, : engine.n], numeric, rtol=1e-3, atol=2e-5)

    def test_a_balance_that_does_not_close_is_noticed(self) -> None:
        recording, _ = settle(driven(buck(r=0.05), 0.4), 3)
        self.assertGreater(balance(recording).volt_seconds, 1e-3)


class Refused(unittest.TestCase):
    def test_circuits_that_cannot_be_meant(self) -> None:
        good = buck()
        for message, elements, gates in (
            ("used more than once", (*good, Resistor("L", "out", "gnd", 1.0)), ("S1",)),
            ("reached by 'X' only", (*good, Resistor("X", "nowhere", "gnd", 1.0)), ("S1",)),
            ("which is not a switch", good, ("S1", "D1")),
            ("has no gate", (*good, Switch("S2", "sw", "gnd")), ("S1",)),
            ("reference node", (Resistor("A", "a", "b", 1.0), Resistor("B", "a", "b", 1.0)), ()),
        ):
            with self.subTest(message), self.assertRaisesRegex(InputError, message):
                circuit = Circuit(elements, T, lambda d, g=gates: {n: on(0.0, d) for n in g}, 0.5)
                steady_state(circuit)

    def test_contradicting_sources(self) -> None:
        elements = (
            VoltageSource("A", "a", "gnd", 1.0),
            VoltageSource("B", "a", "gnd", 2.0),
            Resistor("R", "a", "gnd", 1.0),
        )
        with self.assertRaisesRegex(NoResultError, "contradict"):
            steady_state(Circuit(elements, T))

    def test_perfect_coupling(self) -> None:
        pair = coupled_pair("T", Winding("a", "in", "gnd"), Winding("b", "x", "gnd"), (1e-6, 1e-6), 1.0)
        elements = (VoltageSource("A", "in", "gnd", 1.0), pair, Resistor("R", "x", "gnd", 1.0))
        with self.assertRaisesRegex(InputError, "positive definite"):
            steady_state(Circuit(elements, T))
