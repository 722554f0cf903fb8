"""Converters of milliwatts and of kilowatts are simulated alike, and what has no end is said to have none."""

import math
import tomllib
import unittest
from unittest.mock import Mock, patch

import numpy as np

from jump_lane.circuit.circuit import Circuit
from jump_lane.circuit.elements import (
    Capacitor,
    CurrentSource,
    Diode,
    Inductor,
    Resistor,
    Switch,
    VoltageSource,
    Winding,
    coupled_pair,
)
from jump_lane.circuit.gates import on
from jump_lane.design.derive import Design, derive
from jump_lane.errors import ConvergenceError
from jump_lane.judge.ripple import Charging
from jump_lane.operating import sided
from jump_lane.operating.point import solve
from jump_lane.sizing.solve import size
from jump_lane.spec import parse_spec
from jump_lane.study.check import check
from jump_lane.study.scale import Factors, proven, scaled
from jump_lane.study.template import example
from jump_lane.switching import balance
from jump_lane.switching.engine import Engine
from jump_lane.switching.regulation import Regulation
from jump_lane.switching.rest import energy_at_rest, states_at_rest
from jump_lane.switching.runs import Run
from jump_lane.topologies import page
from tests import wide

FACTORS = (Factors(0.04, 1e-4, 10.0), Factors(0.05, 1e-6, 20.0), Factors(20.0, 30.0, 0.2))
"""Of voltage, power and frequency."""


def changed(name: str, **changes: dict) -> Design:
    """Return the design of an example with some of its tables changed; the output is one of them."""
    tables = tomllib.loads(example(name))
    output = changes.pop("output", {})
    for key, values in changes.items():
        tables[key] = tables.get(key, {}) | values
    tables["output"][0] |= output
    return derive(parse_spec(tables, "test"))


class Scaled(unittest.TestCase):
    def test_waveforms_do_not_depend_on_the_size(self) -> None:
        """Rounding is compared with what the sources would charge: not with a joule, which is nothing here and all there."""
        for name in ("dual-active-bridge", "flyback", "two-switch-forward", "sepic"):
            tables = tomllib.loads(example(name))
            own = derive(parse_spec(tables, "test"))
            for factors in FACTORS:
                with self.subTest(name, factors=factors):
                    other = derive(parse_spec(scaled(tables, own, factors), "test"))
                    self.assertLess(max(p.apart for p in proven(own, other)), 1e-5)

    def test_a_bridge_of_a_fifth_of_a_watt_misses_no_commutation(self) -> None:
        """At 950 kHz, its output capacitances store a millionth of a millionth of a joule."""
        tables = tomllib.loads(example("dual-active-bridge"))
        own = derive(parse_spec(tables, "test"))
        small = scaled(tables, own, Factors(0.0428, 1.2e-4, 9.48))
        found = derive(parse_spec({key: v for key, v in small.items() if key != "chosen"}, "test"))
        self.assertEqual([c.failure for c in check(found).corners if c.failure], [])

    def test_what_sources_bring(self) -> None:
        elements = (
            VoltageSource("source", "in", "gnd", 12.0),
            Switch("S1", "in", "sw"),
            Diode("D1", "gnd", "sw"),
            Inductor("L", "sw", "out", 1e-5),
            Capacitor("C", "out", "gnd", 1e-4),
            CurrentSource("load", "out", "gnd", 3.0),
        )
        pair = coupled_pair(
            "T", Winding("L1", "a", "gnd", 1.0, 0.0), Winding("L2", "b", "gnd", 1.0, 0.0), (4e-5, 1e-5), 0.5
        )
        rest = [
            energy_at_rest(Circuit(e, 1e-5, lambda d: {"S1": on(0.0, d)}, 0.5))
            for e in (elements, (*elements, pair))
        ]
        self.assertAlmostEqual(rest[0] / 100.0, 1e-4 * 144.0 + 1e-5 * 9.0)
        self.assertAlmostEqual((rest[1] - rest[0]) / 100.0, 5e-5 * 9.0)
        still = (Resistor("R", "a", "gnd", 1.0), Inductor("L", "a", "gnd", 1e-6))
        self.assertEqual(energy_at_rest(Circuit(still, 1e-5, lambda _: {}, 0.5)), 1.0)
        held = states_at_rest(Circuit(elements, 1e-5, lambda d: {"S1": on(0.0, d)}, 0.5), ("C", "L"))
        np.testing.assert_allclose(held, (10.0 * 12.0 * 1e-2, rest[0] ** 0.5))
        self.assertEqual(states_at_rest(Circuit(still, 1e-5, lambda _: {}, 0.5), ("L",)), 1.0)

    def test_a_small_current_beside_a_large_capacitor_ends_where_it_is_zero(self) -> None:
        """A body diode takes 5 A of what its small capacitor leaves, beside millifarads: its current never reverses."""
        values = {
            "n": 3.2790588,
            "L_m": 4.2897e-6,
            "L": 34.71e-9,
            "L_r": 20.78958e-9,
            "C_o": 2.11684e-3,
            "C_i": 53.11952e-6,
        }
        found = derive(parse_spec(wide.wide(9274), "x")).sized(values, (7.2927091,), (37.329294,))
        _, recording = solve(found)
        current = recording.measures("S2.body.i")
        self.assertGreater(current.maximum, 1.0)
        self.assertGreater(current.minimum, -1e-4 * current.maximum)


class Endless(unittest.TestCase):
    def test_an_output_that_a_constant_current_discharges(self) -> None:
        """With ideal parts: no voltage of millions of volts is taken for a state, so that the one there is is found."""
        tables = tomllib.loads(example("full-bridge-llc")) | {"parts": {}, "tank": {"inductance_ratio": 8}}
        tables["input"]["voltage"] = {"min": 73.163, "nominal": 79.434, "max": 83.614}
        tables["output"][0] |= {"voltage": 57.631, "voltage_ripple": "0.4 %", "load": "current"}
        tables["output"][0]["current"] = {"min": 20.598e-6, "max": 2.04674e-3}
        limits = {"min": "922.07 kHz", "max": "3.45777 MHz"}
        tables["switching"] |= {
            "frequency": "1.61363 MHz",
            "frequency_limits": limits,
            "dead_time": "17.352 ns",
        }
        tables["transformer"] = {"secondary": "centre-tap"}
        found = check(derive(parse_spec(tables, "test")))
        self.assertEqual([c.failure for c in found.corners if c.failure], [])
        self.assertEqual(found.exit_status, 0)

    def test_an_output_beyond_the_highest_frequency(self) -> None:
        """A tank that gives more than a light load takes: the voltage that it has there is told, or that there is none."""
        corners = check(derive(parse_spec(wide.wide(6022), "test"))).corners
        said = [c.failure for c in corners if c.failure]
        self.assertEqual(len(said), 1)
        self.assertIn("still 234.8 V at 3.659 MHz, the highest frequency allowed", said[0])
        side = page("full-bridge-llc").side
        assert side is not None
        step = sided.Step(Mock(control=3.6e6), math.inf, True)
        self.assertTrue(
            sided._above(step, Regulation("load", 12.0), side).startswith(
                "the output does not settle at 3.600 MHz"
            )
        )

    def test_no_load_of_a_tank_needs_no_ripple_current(self) -> None:
        found = changed(
            "half-bridge-series-resonant",
            output={"current": {"min": 0, "max": "6 A"}},
            switching={"rectifier": "synchronous"},
        )
        self.assertEqual(found.loads[0], 0.0)


class Ringing(unittest.TestCase):
    """A coil and a capacitor that ring at 5 MHz without loss, down to where a diode would conduct, and never beyond."""

    def period(self, length: float) -> tuple[Engine, Run]:
        elements = (
            VoltageSource("source", "in", "gnd", 10.0),
            Inductor("L", "in", "out", 1e-6),
            Capacitor("C", "out", "gnd", 1e-9),
            Diode("D", "gnd", "out"),
            Switch("S1", "out", "x"),
            Resistor("R", "x", "gnd", 1e9),
        )
        engine = Engine(Circuit(elements, length, lambda d: {"S1": on(0.0, d)}, 0.5))
        return engine, engine.run(engine.start({"L": 0.0, "C": 0.0}), 0, 0.5, tangents=False)

    def test_thousands_of_cycles_keep_their_energy(self) -> None:
        engine, run = self.period(1e-3)
        current, voltage = (engine.network.to_si @ run.end[: engine.n]).tolist()
        self.assertAlmostEqual(1e-6 * current**2 + 1e-9 * (voltage - 10.0) ** 2, 1e-7, delta=1e-10)

    def test_one_without_end_is_given_up(self) -> None:
        with self.assertRaisesRegex(
            ConvergenceError, "1,000,000 steps between two commutations.*nothing damps"
        ):
            self.period(1.0)


class ConstantPower(unittest.TestCase):
    def corners(self, name: str, **changes: dict) -> list[str]:
        tables = tomllib.loads(example(name)) | {"parts": {}}
        output = changes.pop("output")
        tables["output"][0] |= {"load": "power"} | output
        found = derive(parse_spec(tables | changes, "test"))
        return [c.failure for c in check(found).corners if c.failure]

    def test_of_a_tank_is_reached_from_a_resistance(self) -> None:
        """In open loop such a load of a tank has two states or none; from that of a resistance one is led to."""
        said = self.corners(
            "full-bridge-series-resonant",
            output={"voltage": 106.97, "voltage_ripple": "0.2 %", "current": {"min": 0.3, "max": 1.0818}},
            input={"voltage": {"min": "16.3 V", "nominal": "18.942 V", "max": "21.6 V"}},
            switching={
                "frequency": "29.522 kHz",
                "frequency_limits": {"min": "29.522 kHz", "max": "88.566 kHz"},
                "dead_time": "406 ns",
            },
            tank={"quality": 2},
            transformer={"secondary": "centre-tap"},
        )
        self.assertEqual(said, [])

    def test_of_a_bridge_that_takes_power_back(self) -> None:
        said = self.corners(
            "dual-active-bridge",
            output={
                "voltage": 17.768,
                "voltage_ripple": "0.4 %",
                "current": {"min": -0.449, "nominal": 0.17, "max": 0.449},
            },
            input={"voltage": 1.617},
            switching={"frequency": "1.75 MHz", "dead_time": "10.3 ns"},
        )
        self.assertEqual(said, [])


class HeavyOutput(unittest.TestCase):
    """Kiloamperes come out of 0.8 F, and none at this load: what rounding leaves of its charge is a current beside nothing."""

    def test_what_a_state_is_known_to_is_no_imbalance(self) -> None:
        asked = tomllib.loads(example("half-bridge-llc")) | {"parts": {}}
        asked["input"] = {"voltage": 24.23}
        asked["output"] = [
            {
                "voltage": 4.569,
                "voltage_ripple": "0.14 %",
                "current": {"min": 0, "max": 4345},
                "load": "power",
            }
        ]
        asked["switching"] = {
            "frequency": "180 kHz",
            "frequency_limits": {"min": "98 kHz", "max": "392 kHz"},
            "rectifier": "synchronous",
            "dead_time": "159 ns",
        }
        asked["transformer"] = {"secondary": "bridge"}
        values = {"n": 2.8, "L_r": 7.004e-9, "C_r": 111.7e-6, "L_m": 35.02e-9, "C_o": 0.7775, "C_i": 12.63e-3}
        _, recording = solve(derive(parse_spec(asked | {"tank": {}, "chosen": values}, "x")), 0, 0)
        found = balance.balance(recording).charge
        with patch.object(balance, "RETURNED", 0.0):
            whole = balance.balance(recording).charge
        self.assertLess(found, 0.2 * whole)
        self.assertLess(whole, 1e-6)


class Capacitances(unittest.TestCase):
    """A square current of ±1 A, 5 µs each way: 5 µC swing to and fro."""

    CURRENT = Charging(
        np.array([2.5e-6, 5e-6, 2.5e-6]),
        np.array([[1.0, -1.0, 1.0], [1.0, -1.0, 1.0]]),
        np.array([0.0, 2.5e-6, -2.5e-6, 0.0]),
    )

    def test_of_a_charge(self) -> None:
        self.assertAlmostEqual(self.CURRENT.ripple(1e-6, 0.0), 5.0)
        self.assertAlmostEqual(self.CURRENT.capacitance_for(0.5, 3e-6, 0.0) or 0.0, 1e-5)

    def test_beside_a_resistance(self) -> None:
        """10 mΩ make 20 mV of their own at once; no capacitance brings 19 mV, and 1 F is far more than 10 V need."""
        found = self.CURRENT.capacitance_for(0.03, 1e-4, 10e-3) or 0.0
        self.assertAlmostEqual(self.CURRENT.ripple(found, 10e-3), 0.03, delta=1e-7)
        self.assertIsNone(self.CURRENT.capacitance_for(0.019, 1e-4, 10e-3))
        self.assertAlmostEqual(self.CURRENT.capacitance_for(10.0, 1.0, 10e-3) or 0.0, 1e-6, delta=1e-12)


class SizedTogether(unittest.TestCase):
    def test_a_magnetising_inductance_whose_current_stops_with_the_others(self) -> None:
        """Continuous conduction at a fortieth of the load asks it of all three inductances, not of two without end."""
        found = changed(
            "isolated-cuk",
            output={"current": {"min": "0.05 A", "max": "2 A"}},
            switching={"mode": "continuous"},
        )
        sizing = size(found.spec.model_copy(update={"chosen": {}}))
        for symbol in ("L1", "L2", "L_m"):
            self.assertEqual(sizing.deciding[symbol].limit.symbol, "mode", symbol)
        self.assertEqual(sizing.unkept, [])
