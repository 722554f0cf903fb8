import contextlib
import json
import math
import random
import re
import unittest

from hypothesis import given
from hypothesis import strategies as st

from jump_lane.errors import InputError
from jump_lane.quantities import (
    AREA,
    CAPACITANCE,
    CHARGE,
    CURRENT,
    FLUX_DENSITY,
    FREQUENCY,
    INDUCTANCE,
    LENGTH,
    RATIO,
    RESISTANCE,
    RESISTIVITY,
    TEMPERATURE,
    TEMPERATURE_DIFFERENCE,
    THERMAL_RESISTANCE,
    VOLTAGE,
    VOLUME,
    parse,
    parse_limit,
    pattern,
    show,
    show_change,
)
from jump_lane.quantities.units import convert, gauge_diameter
from tests.common import CommandCase


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


class Foreign(unittest.TestCase):
    """Units from elsewhere, against figures of the standards that define them."""

    PAIRS: tuple[tuple[str, str, float], ...] = (
        ("1 Oe", "A/m", 1000.0 / (4.0 * math.pi)),
        ("4700 G", "mT", 470.0),
        ("0.47 T", "kG", 4.7),
        ("100 Mx", "µWb", 1.0),
        ("100 At", "A", 100.0),
        ("24 AWG", "mm", 0.51056),
        ("AWG 36", "mil", 5.0),
        ("4/0 AWG", "mil", 460.0),
        ("1 AWG", "mm²", 42.408),
        ("0.127 mm", "AWG", 36.0),
        ("1000 circular mil", "mm²", 0.5067075),
        ("100 cfm", "m³/h", 169.9011),
        ("120 K·cm/W", "K·m/W", 1.2),
        ("1.8 °F/W", "K/W", 1.0),
        ("-40 °C", "°F", -40.0),
        ("1 Wh", "J", 3600.0),
        ("1 eV", "J", 1.602176634e-19),
        ("30 dBm", "W", 1.0),
        ("60 dBµV", "mV", 1.0),
        ("40 dBuA", "µA", 100.0),
        ("1 V", "dBmV", 60.0),
        ("2 mVs", "Wb", 2e-3),
    )

    def test_known_pairs(self) -> None:
        for text, unit, value in self.PAIRS:
            with self.subTest(text=text, unit=unit):
                self.assertAlmostEqual(convert(text, unit) / value, 1.0, delta=2e-5)

    def test_decibels_across_an_impedance(self) -> None:
        self.assertAlmostEqual(convert("0 dBm", "dBµV", 50.0), 106.9897, places=4)
        self.assertAlmostEqual(convert("60 dBµA", "dBµV", 50.0), 60.0 + 33.9794, places=4)
        self.assertAlmostEqual(convert("2 V", "W", 50.0), 0.08)
        with self.assertRaisesRegex(InputError, "joined by an impedance"):
            convert("0 dBm", "V")

    def test_what_cannot_be_converted_is_said(self) -> None:
        for text, unit, message in (
            ("3 Oe", "V", "units of one kind"),
            ("3 foo", "V", "'foo' is unknown"),
            ("3", "V", "expected a number and a unit"),
            ("V", "A", "expected a number and a unit"),
            ("0 V", "dBV", "no level"),
        ):
            with self.subTest(text=text), self.assertRaisesRegex(InputError, message):
                convert(text, unit)

    @given(st.floats(1e-6, 1e6), st.sampled_from(("mil", "in", "AWG")))
    def test_back_again(self, value: float, unit: str) -> None:
        there = convert(f"{value!r} mm", unit)
        if unit != "AWG":
            self.assertAlmostEqual(convert(f"{there!r} {unit}", "mm") / value, 1.0, places=9)
        else:
            self.assertAlmostEqual(gauge_diameter(there) / (1e-3 * value), 1.0, places=9)

    def test_whatever_is_typed_is_a_number_or_a_refusal(self) -> None:
        rng = random.Random(4)
        for _ in range(1000):
            unit = "".join(
                rng.choice("mkVAWΩ*/()^.·²³ 1%°CFdBµTOe+-[],\"'=~é") for _ in range(rng.randint(1, 9))
            )
            wanted = rng.choice(("V", "mm", "dBm", "AWG", "°C"))
            with contextlib.suppress(InputError):
                self.assertTrue(math.isfinite(convert(f"3 {unit}", wanted)))
        for unit in ("9**9**9**9", "m**99", "2**(9**9)"):
            with self.assertRaisesRegex(InputError, "is unknown"):
                convert(f"3 {unit}", "V")

    def test_in_files(self) -> None:
        for text, dimension, value in (
            ("24 AWG", LENGTH, 0.51056e-3),
            ("AWG 24", AREA, 0.204730e-6),
            ("5 mil", LENGTH, 127e-6),
            ("104 °F", TEMPERATURE, 40.0),
            ("3.9 kG", FLUX_DENSITY, 0.39),
            ("60 dBµV", VOLTAGE, 1e-3),
            ("20 µΩ·cm", RESISTIVITY, 2e-7),
            ("2 mAh", CHARGE, 7.2),
        ):
            with self.subTest(text=text):
                self.assertAlmostEqual(parse(text, dimension) / value, 1.0, delta=1e-5)
                self.assertTrue(re.search(pattern(dimension), text))
        with self.assertRaisesRegex(InputError, "where a voltage was expected"):
            parse("5 mil", VOLTAGE)


class Command(CommandCase):
    def test_convert(self) -> None:
        self.assertEqual(
            self.run_command("convert", "3.2", "kOe", "A/m").stdout.strip(), "3.2 kOe = 254648 A/m"
        )
        self.assertIn("= 18 °F", self.run_command("convert", "-7.777777778", "°C", "°F").stdout)
        data = json.loads(self.run_command("convert", "24", "AWG", "mm", "--json").stdout)
        self.assertAlmostEqual(data["value"], 0.510559, places=6)
        self.assertIn("nearest valid name", self.run_command("convert", "1", "gaus", "T", status=2).stderr)
        self.run_command("convert", "24", status=2)
