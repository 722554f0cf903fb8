"""Saturating inductors and bipolar switches in the simulator, against plain integration in time."""

import unittest

import numpy as np

from jump_lane.circuit.circuit import Circuit
from jump_lane.circuit.elements import (
    BodyDiode,
    Capacitor,
    Diode,
    Inductor,
    Resistor,
    Switch,
    VoltageSource,
)
from jump_lane.circuit.gates import Instant
from jump_lane.design.caveats import caveats
from jump_lane.errors import InputError
from jump_lane.operating.point import solve
from jump_lane.switching import balance
from jump_lane.switching.record import Recording, record
from jump_lane.switching.steady import steady_state
from jump_lane.topologies.point import saturating
from tests.common import buck_tables, design

PERIOD, DUTY, LOAD = 5e-6, 0.23, 1.1
KNOTS = ((4.8, 8e-6), (5.5, 2e-6))


def buck(knots: tuple = (), threshold: float = 0.0, load: float = LOAD) -> Recording:
    circuit = Circuit(
        (
            VoltageSource("source", "gnd", "in", -24.0),
            Switch("S1", "in", "sw", 0.01, None, threshold),
            Diode("D1", "gnd", "sw", 0.4, 0.01),
            Inductor("L", "sw", "out", 20e-6, 0.02, knots),
            Capacitor("C_o", "out", "gnd", 47e-6, 0.005),
            Resistor("load", "out", "gnd", load),
        ),
        PERIOD,
        lambda control: {"S1": ((Instant(0.0), control),)},
        DUTY,
    )
    found = record(steady_state(circuit))
    balance.require(found)
    return found


def current_of(flux: float, knots: tuple) -> float:
    """Invert the flux-current curve piece by piece."""
    current, inductance, sign, left = 0.0, 20e-6, np.sign(flux), abs(flux)
    for start, following in knots:
        piece = inductance * (start - current)
        if left <= piece:
            break
        left -= piece
        current, inductance = start, following
    return float(sign * (current + left / inductance))


def integrated(
    knots: tuple, threshold: float, flux: float, voltage: float
) -> tuple[float, float, float, float]:
    """One period by steps of 1/20,000 of it (Runge-Kutta of fourth order): ends, largest and smallest current."""
    steps, low, high = 20000, np.inf, -np.inf
    h = PERIOD / steps

    def rate(state: np.ndarray, on: bool) -> np.ndarray:
        i = current_of(state[0], knots)
        v_out = (state[1] + 0.005 * i) / (1.0 + 0.005 / LOAD)
        v_sw = 24.0 - threshold - 0.01 * i if on else -0.4 - 0.01 * i
        return np.array([v_sw - 0.02 * i - v_out, (i - v_out / LOAD) / 47e-6])

    state = np.array([flux, voltage])
    for k in range(steps):
        on = (k + 0.5) / steps < DUTY
        a = rate(state, on)
        b = rate(state + h / 2 * a, on)
        c = rate(state + h / 2 * b, on)
        d = rate(state + h * c, on)
        state = state + h / 6 * (a + 2 * b + 2 * c + d)
        now = current_of(state[0], knots)
        low, high = min(low, now), max(high, now)
    return state[0], state[1], low, high


class Saturation(unittest.TestCase):
    def start(self, found: Recording) -> tuple[float, float]:
        state = found.trace.states[0] @ np.eye(found.width, 2)
        return state[0] * np.sqrt(20e-6), state[1] / np.sqrt(47e-6)

    def test_steady_state_repeats_under_plain_integration(self) -> None:
        for knots, threshold in ((KNOTS, 0.0), (KNOTS, 0.9), ((), 0.9)):
            with self.subTest(knots=knots, threshold=threshold):
                found = buck(knots, threshold)
                flux, voltage = self.start(found)
                end_flux, end_voltage, low, high = integrated(knots, threshold, flux, voltage)
                self.assertAlmostEqual(end_flux / flux, 1.0, delta=1e-5)
                self.assertAlmostEqual(end_voltage / voltage, 1.0, delta=1e-7)
                measured = found.measures("L.i")
                self.assertAlmostEqual(measured.maximum / high, 1.0, delta=2e-4)
                self.assertAlmostEqual(measured.minimum / low, 1.0, delta=2e-4)

    def test_the_spike_shows_and_energy_closes(self) -> None:
        plain, saturated = buck(), buck(KNOTS)
        self.assertGreater(saturated.measures("L.i").peak_to_peak, 1.2 * plain.measures("L.i").peak_to_peak)
        total = sum(saturated.power(name) for name in ("source", "S1", "D1", "L", "C_o", "load"))
        self.assertAlmostEqual(total / saturated.power("load"), 0.0, delta=1e-9)

    def test_a_curve_has_to_fall(self) -> None:
        for knots in (((4.0, 25e-6),), ((5.0, 8e-6), (4.0, 2e-6)), ((4.0, -1e-6),)):
            with self.subTest(knots=knots), self.assertRaisesRegex(InputError, "saturation of L"):
                buck(knots)

    def test_a_bipolar_switch_conducts_one_way(self) -> None:
        """Against a current that would reverse, only its antiparallel diode conducts."""
        circuit = Circuit(
            (
                VoltageSource("source", "gnd", "in", -10.0),
                Switch("S1", "in", "sw", 0.01, BodyDiode(0.7, 0.01), 1.0),
                Inductor("L", "sw", "out", 10e-6, 0.1),
                VoltageSource("load", "out", "gnd", 12.0),
            ),
            PERIOD,
            lambda control: {"S1": ((Instant(0.0), control),)},
            0.5,
        )
        found = record(steady_state(circuit))
        expected = -(12.0 - 10.0 - 0.7) / (0.1 + 0.01)
        self.assertAlmostEqual(found.measures("L.i").average / expected, 1.0, delta=1e-9)
        self.assertAlmostEqual(found.measures("S1.on.i").peak, 0.0, delta=1e-9)

    def test_flux_is_right_at_every_point_of_a_curve(self) -> None:
        from jump_lane.catalogue.kinds import Inductor as Part
        from jump_lane.operating.wound import flux_linkage

        part = Part(part="a", value="10 µH", saturation="0 A: 100 %; 4 A: 90 %; 6 A: 40 %; 9 A: 20 %")
        first, knots = saturating(10e-6, part.saturation)
        coil = Inductor("L", "a", "b", first, 0.0, knots)
        for current in (4.0, 6.0, 9.0):
            expected = 10e-6 * part.saturation.moment(current)
            self.assertAlmostEqual(float(flux_linkage(coil, np.array(current))) / expected, 1.0, places=12)


class InADesign(unittest.TestCase):
    def test_check_fails_with_the_reason(self) -> None:
        from jump_lane.study.check import check

        part = {
            "resistance": "5 mΩ",
            "saturation_current": "4.2 A",
            "saturation": "0 A: 100 %; 3.5 A: 100 %; 4.5 A: 40 %",
        }
        found = check(design(buck_tables(), parts={"L": part}, switching__mode="either"))
        self.assertEqual(found.exit_status, 1)
        reasons = {f.advice for c in found.corners for f in c.findings if f.symbol == "I_Lpk" and not f.holds}
        self.assertTrue(reasons)
        self.assertTrue(all(r.startswith("L saturates at ") and "is left" in r for r in reasons), reasons)

    def test_windings_on_one_core_do_not_saturate_and_that_is_said(self) -> None:
        tables = buck_tables() | {"topology": "sepic"}
        part = {"saturation": "0 A: 100 %; 3 A: 50 %"}
        apart = design(tables, parts={"L1": part}, switching__mode="either")
        self.assertEqual(set(apart.saturation), {"L1"})
        coupled = design(tables, parts={"L1": part, "T": {"factor": 0.9}}, switching__mode="either")
        self.assertEqual(coupled.saturation, {})
        self.assertIn("the saturation curves of windings on one core are not simulated", caveats(coupled))

    def test_a_large_enough_one_holds(self) -> None:
        from jump_lane.study.check import check

        part = {"saturation_current": "6 A", "saturation": "0 A: 100 %; 5.5 A: 100 %; 8 A: 40 %"}
        found = check(design(buck_tables(), parts={"L": part}, switching__mode="either"))
        self.assertEqual(found.exit_status, 0)

    def test_no_state_beyond_what_sources_give_is_taken(self) -> None:
        """A deeply saturated core behind a load of constant current: the output goes by the duty ratio, at each of them."""
        at = 0.001 * np.array(
            [0, 85, 133, 173, 203, 229, 253, 276, 298, 321, 367, 419, 482, 569, 724, 897, 1170]
        )
        left = (100, 100, 95, 90, 85, 80, 75, 70, 65, 60, 50, 40, 30, 20, 10, 5, 2)
        diode = {"resistance": "6 mΩ", "forward_voltage": "0.36 V"}
        tables = {
            "topology": "two-switch-forward",
            "input": {"voltage": 246.8},
            "output": [{"voltage": 25.2, "voltage_ripple": "0.5 %", "load": "current", "current": 5.15}],
            "switching": {"frequency": "117.5 kHz", "current_ripple": "62 %", "duty_limit": "42 %"},
            "transformer": {"secondary": "current-doubler"},
            "parts": {
                "S1": {"resistance": "82 mΩ"},
                "S2": {"resistance": "82 mΩ"},
                "D1": diode,
                "D2": diode,
                "L": {"resistance": "11 mΩ"},
                "C_o": {"resistance": "5.2 mΩ"},
                "T": {
                    "leakage": "557.1 nH",
                    "primary_resistance": "32 mΩ",
                    "secondary_resistance": "11 mΩ",
                    "saturation": "; ".join(f"{a:g} A: {p} %" for a, p in zip(at, left, strict=True)),
                },
            },
            "chosen": {"n": 2.091, "L_m": "8.75 mH", "L": "657 µH", "C_o": "3.06 µF"},
        }
        found = design(tables).at()
        for duty in (0.31, 0.33, 0.35, 0.37, 0.39):
            with self.subTest(duty):
                _, recording = solve(found, control=duty)
                self.assertAlmostEqual(recording.measures("load.v").average / duty, 116.1, delta=0.25)
