"""Line rectifier and bulk capacitor, against stepping in time."""

import math
import unittest

import numpy as np

from jump_lane.design.derive import derive
from jump_lane.design.line_input import line_side
from jump_lane.errors import InputError
from jump_lane.spec import parse_spec
from tests.common import CommandCase

LINE = {"min": "85 V", "nominal": "230 V", "max": "265 V", "frequency": "50 Hz", "efficiency": "85 %"}


def tables(**changes: object) -> dict:
    return {
        "topology": "flyback",
        "input": {"ac": LINE | changes},
        "output": [
            {"voltage": "19 V", "current": {"min": "0.3 A", "max": "3 A"}, "voltage_ripple": "200 mV"}
        ],
        "switching": {"frequency": "100 kHz", "current_ripple": "60 %", "mode": "either"},
    }


def stepped(peak: float, frequency: float, capacitance: float, power: float) -> tuple[float, float]:
    """Lowest voltage and rms current of the capacitor, by steps of 0.5 µs over two half periods."""
    step, half = 5e-7, 0.5 / frequency
    time = np.arange(0.0, 4 * half, step)
    line = np.abs(peak * np.cos(2 * np.pi * frequency * time))
    v, current, voltage = peak, np.zeros(len(time)), np.zeros(len(time))
    for k, source in enumerate(line):
        lower = v - power / v / capacitance * step
        following = max(lower, source)
        current[k] = capacitance * (following - v) / step
        v = voltage[k] = following
    kept = time >= 2 * half
    return float(voltage[kept].min()), float(np.sqrt(np.mean(current[kept] ** 2)))


class Bulk(unittest.TestCase):
    def test_against_stepping(self) -> None:
        for capacitance in (80e-6, 150e-6, 470e-6):
            with self.subTest(capacitance):
                spec = parse_spec(tables() | {"chosen": {"C_B": capacitance}}, "test")
                _, sheet = line_side(spec)
                assert sheet is not None
                for i, voltage in enumerate((85.0, 230.0, 265.0)):
                    peak = math.sqrt(2.0) * voltage - 2.0
                    lowest, rms = stepped(peak, 50.0, capacitance, 57.0 / 0.85)
                    self.assertAlmostEqual(sheet["V_Bv"].corner(i, 0) / lowest, 1.0, delta=1e-3)
                    self.assertAlmostEqual(sheet["I_CBrms"].corner(i, 0) / rms, 1.0, delta=3e-3)

    def test_the_valley_asked_is_the_valley_found(self) -> None:
        spec, sheet = line_side(parse_spec(tables(valley="80 %"), "test"))
        assert sheet is not None
        self.assertAlmostEqual(spec.voltage.min, 0.8 * (math.sqrt(2.0) * 85 - 2.0), places=6)
        self.assertAlmostEqual(spec.voltage.max, math.sqrt(2.0) * 265, places=6)

    def test_hold_up_asks_for_more_capacitance_and_a_lower_input(self) -> None:
        plain, one = line_side(parse_spec(tables(), "test"))
        held, two = line_side(parse_spec(tables(hold_up="10 ms", hold_voltage="50 %"), "test"))
        assert one is not None and two is not None
        self.assertGreater(two["C_B"].worst, one["C_B"].worst)
        self.assertLess(held.voltage.min, plain.voltage.min)
        self.assertGreaterEqual(two["t_B"].worst, 10e-3 * (1 - 1e-9))

    def test_what_cannot_be_is_refused(self) -> None:
        for message, given in (
            ("either a voltage or an alternating line", {"input": {}}),
            ("cannot carry the converter", {"chosen": {"C_B": "5u"}}),
            ("min .* is above max", {"input": {"ac": LINE | {"min": "300 V"}}}),
        ):
            with self.subTest(message), self.assertRaisesRegex(InputError, message):
                derive(parse_spec(tables() | given, "test"))


class Command(CommandCase):
    def test_derive_shows_the_line_side(self) -> None:
        self.write(
            "adapter.toml",
            """
            topology = "flyback"
            [input]
            ac = { min = "85 V", max = "265 V", frequency = "50 Hz" }
            [[output]]
            voltage = "19 V"
            current = { min = "0.3 A", max = "3 A" }
            voltage_ripple = "200 mV"
            [switching]
            frequency = "100 kHz"
            current_ripple = "60 %"
            mode = "either"
            """,
        )
        out = self.run_command("derive", "adapter.toml").stdout
        self.assertIn("Line rectifier and bulk capacitor", out)
        self.assertIn("374.8 V", out)
        self.run_command("check", "adapter.toml")
