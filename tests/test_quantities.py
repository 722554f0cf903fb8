import math
import unittest

from hypothesis import given
from hypothesis import strategies as st

from jump_lane.errors import InputError
from jump_lane.quantities import (
    AREA,
    CAPACITANCE,
    CHARGE,
    CURRENT,
    FREQUENCY,
    INDUCTANCE,
    LENGTH,
    RATIO,
    RESISTANCE,
    TEMPERATURE,
    TEMPERATURE_DIFFERENCE,
    THERMAL_RESISTANCE,
    VOLTAGE,
    VOLUME,
    parse,
    parse_limit,
    show,
    show_change,
)


class Parse(unittest.TestCase):
    def test_what_engineers_type(self) -> None:
        for text, dimension, value in (
            ("44", VOLTAGE, 44.0),
            ("44 V", VOLTAGE, 44.0),
            (44, VOLTAGE, 44.0),
            ("-12 V", VOLTAGE, -12.0),
            ("20mV", VOLTAGE, 0.02),
            ("22u", INDUCTANCE, 22e-6),
            ("22 µH", INDUCTANCE, 22e-6),
            ("22 \u03bcH", INDUCTANCE, 22e-6),
            ("22uH", INDUCTANCE, 22e-6),
            ("1e-6 H", INDUCTANCE, 1e-6),
            ("250k", FREQUENCY, 250e3),
            ("3 mHz", FREQUENCY, 3e-3),
            ("4.7kΩ", RESISTANCE, 4700.0),
            ("4.7 kohm", RESISTANCE, 4700.0),
            ("1 F", CAPACITANCE, 1.0),
            ("100 f", CAPACITANCE, 1e-13),
            ("30 %", RATIO, 0.3),
            ("0.3", RATIO, 0.3),
        ):
            with self.subTest(text=text):
                self.assertAlmostEqual(parse(text, dimension) / value, 1.0, places=14)

    def test_wrong_units_are_refused_by_name(self) -> None:
        with self.assertRaisesRegex(InputError, "12 A where a voltage was expected"):
            parse("12 A", VOLTAGE)
        with self.assertRaisesRegex(InputError, "'foo' is unknown"):
            parse("5 foo", CURRENT)

    def test_what_is_not_a_number_is_refused(self) -> None:
        for text in ("", "V", "1,5 V", "1_000", "5V5", "inf", "nan", "1e999", True):
            with self.subTest(text=text), self.assertRaises(InputError):
                parse(text, VOLTAGE)

    def test_limits_are_absolute_or_relative(self) -> None:
        self.assertEqual(parse_limit("20mV", VOLTAGE), (0.02, False))
        self.assertEqual(parse_limit("5 %", VOLTAGE), (0.05, True))


class Show(unittest.TestCase):
    def test_four_digits_prefix_unit(self) -> None:
        for value, unit, text in (
            (24.812e-6, "H", "24.81 µH"),
            (999.96, "V", "1.000 kV"),
            (-3.2e-3, "A", "-3.200 mA"),
            (0.0, "A", "0 A"),
            (0.21404, "", "0.2140"),
            (105.9, "°", "105.9°"),
            (math.inf, "H", "∞"),
        ):
            self.assertEqual(show(value, unit), text)

    @given(st.floats(min_value=1e-14, max_value=9e11))
    def test_what_is_written_reads_back(self, value: float) -> None:
        text = show(value, "V")
        self.assertAlmostEqual(parse(text, VOLTAGE) / value, 1.0, delta=6e-4)


class DataSheets(unittest.TestCase):
    def test_units_of_parts(self) -> None:
        for text, dimension, value in (
            ("-40 °C", TEMPERATURE, -40.0),
            ("15 K", TEMPERATURE_DIFFERENCE, 15.0),
            ("0.45 K/W", THERMAL_RESISTANCE, 0.45),
            ("450 m°C/W", THERMAL_RESISTANCE, 0.45),
            ("120 mm²", AREA, 120e-6),
            ("1.2 cm2", AREA, 120e-6),
            ("6.4 cm³", VOLUME, 6.4e-6),
            ("0.25 mm", LENGTH, 0.25e-3),
            ("38 nC", CHARGE, 38e-9),
        ):
            with self.subTest(text):
                self.assertAlmostEqual(parse(text, dimension) / value, 1.0, places=12)

    def test_wrong_units_of_parts(self) -> None:
        for text, dimension in (("120 mm", AREA), ("40 K", TEMPERATURE), ("3 K", THERMAL_RESISTANCE)):
            with self.subTest(text), self.assertRaises(InputError):
                parse(text, dimension)

    def test_changes_have_a_sign_and_no_powers_of_ten(self) -> None:
        for ratio, text in ((20.58, "+2058 %"), (-0.0352, "-3.52 %"), (0.0, "+0 %"), (9.35, "+935 %")):
            self.assertEqual(show_change(ratio), text)

    def test_writing_them(self) -> None:
        for value, unit, text in (
            (83.66, "°C", "83.7 °C"),
            (120e-6, "m²", "120.0 mm²"),
            (6.4e-6, "m³", "6400 mm³"),
            (0.45, "K/W", "450.0 mK/W"),
        ):
            self.assertEqual(show(value, unit), text)
