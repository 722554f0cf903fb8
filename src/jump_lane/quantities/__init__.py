"""Reading and writing engineering quantities at the edges; the core holds plain SI floats."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass

from jump_lane.errors import InputError


@dataclass(frozen=True)
class Dimension:
    """A kind of quantity: its name as an engineer says it, its SI unit, and other spellings of the unit.

    ``multiples`` are units of their own, with their size in the SI unit, which no prefix can say (``mm²``); ``foreign`` are such
    that `units.convert` knows.
    """

    name: str
    unit: str
    spellings: tuple[str, ...] = ()
    multiples: tuple[tuple[str, float], ...] = ()
    foreign: tuple[str, ...] = ()

    def accepts(self, unit: str) -> bool:
        """Tell whether `unit` is a spelling of this dimension's unit, or one of its multiples."""
        return unit == "" or unit == self.unit or unit in self.spellings or unit in dict(self.multiples)


VOLTAGE = Dimension("voltage", "V", ("volt", "volts"), foreign=("dBV", "dBmV", "dBµV", "dBuV"))
CURRENT = Dimension("current", "A", ("amp", "amps", "ampere"), foreign=("dBmA", "dBµA", "dBuA"))
POWER = Dimension("power", "W", ("watt", "watts"), foreign=("dBW", "dBm", "hp", "BTU/h"))
RESISTANCE = Dimension("resistance", "Ω", ("\N{OHM SIGN}", "ohm", "ohms", "Ohm", "Ohms", "R"))
INDUCTANCE = Dimension("inductance", "H", ("henry",))
CAPACITANCE = Dimension("capacitance", "F", ("farad",))
FREQUENCY = Dimension("frequency", "Hz", ("hz", "hertz"))
TIME = Dimension("time", "s", ("sec", "seconds"))
ENERGY = Dimension("energy", "J", foreign=("Wh", "mWh", "kWh", "cal", "BTU", "eV", "erg"))
CHARGE = Dimension("charge", "C", ("As",), foreign=("Ah", "mAh"))
ANGLE = Dimension("angle", "°", ("deg", "degrees"))
TEMPERATURE = Dimension("temperature", "°C", ("degC", "C"), foreign=("°F", "degF"))
TEMPERATURE_DIFFERENCE = Dimension("temperature difference", "K")
THERMAL_RESISTANCE = Dimension("thermal resistance", "K/W", ("°C/W",), foreign=("°F/W",))
CONDUCTANCE = Dimension("conductance", "S", ("siemens", "A/V"))
LENGTH = Dimension("length", "m", foreign=("mil", "in", "inch", "ft"))
AREA = Dimension(
    "area",
    "m²",
    multiples=(("mm²", 1e-6), ("mm2", 1e-6), ("cm²", 1e-4), ("cm2", 1e-4)),
    foreign=("in²", "cmil", "kcmil", "circular mil"),
)
VOLUME = Dimension(
    "volume", "m³", multiples=(("mm³", 1e-9), ("mm3", 1e-9), ("cm³", 1e-6), ("cm3", 1e-6)), foreign=("in³",)
)
FLUX_DENSITY = Dimension("magnetic flux density", "T", ("tesla",), foreign=("G", "kG", "mG", "Gs", "gauss"))
RESISTIVITY = Dimension("resistivity", "Ω·m", ("ohm·m", "Ωm"), foreign=("Ω·cm", "mΩ·cm", "µΩ·cm", "Ω·mm²/m"))
RATIO = Dimension("ratio", "")
PHASE = Dimension("phase", "", multiples=(("°", 1.0 / 360.0), ("deg", 1.0 / 360.0), ("degrees", 1.0 / 360.0)))
"""A part of the period, or an angle of which the period has 360°."""

GAUGED, GAUGE = (LENGTH, AREA), r"(AWG\s*(\d/0|\d{1,2})|(\d/0|\d{1,2})\s*AWG)"
"""What may be given by the gauge of a wire, and how that is written."""

EXPONENTS = {"f": -15, "p": -12, "n": -9, "u": -6, "µ": -6, "μ": -6, "m": -3, "k": 3, "M": 6, "G": 9}
"""SI prefixes that are read (micro as u and as both Unicode characters)."""

_QUANTITY = re.compile(
    r"(?P<digits>[+-]?(\d+\.?\d*|\.\d+))([eE](?P<power>[+-]?\d+))?\s*(?P<rest>[mc]m[23]|\D*)"
)

PREFIXES = ("f", "p", "n", "µ", "m", "", "k", "M", "G", "T")
"""SI prefixes from 10⁻¹⁵ to 10¹²."""

DIMENSIONS = (
    VOLTAGE,
    CURRENT,
    POWER,
    RESISTANCE,
    INDUCTANCE,
    CAPACITANCE,
    FREQUENCY,
    TIME,
    ENERGY,
    CHARGE,
    ANGLE,
    TEMPERATURE,
    TEMPERATURE_DIFFERENCE,
    THERMAL_RESISTANCE,
    CONDUCTANCE,
    LENGTH,
    AREA,
    VOLUME,
    FLUX_DENSITY,
    RESISTIVITY,
    RATIO,
)


def dimension_of(unit: str) -> Dimension | None:
    """Return the dimension that `unit` belongs to, or None if it is unknown or empty."""
    if unit == "%":
        return RATIO
    return next((d for d in DIMENSIONS if unit and d.accepts(unit)), None)


def dimension_with(unit: str) -> Dimension:
    """Return the dimension whose SI unit this is."""
    return next(d for d in DIMENSIONS if d.unit == unit)


def article(noun: str) -> str:
    """Return `noun` with its indefinite article."""
    return f"an {noun}" if noun[0] in "aeiou" else f"a {noun}"


def pattern(dimension: Dimension) -> str:
    """Return a regular expression (ECMA-262) for what `parse` reads as a quantity of a dimension."""
    prefixes = "".join(EXPONENTS)
    units = "|".join(
        sorted((re.escape(u) for u in (dimension.unit, *dimension.spellings) if u), key=len, reverse=True)
    )
    multiples = "|".join(re.escape(u) for u, _ in dimension.multiples)
    ends = [
        f"[{prefixes}]?\\s*({units})" if units else "",
        f"[{prefixes}]",
        multiples,
        "%" if dimension in (RATIO, PHASE) else "",
    ]
    ends += [re.escape(u) for u in sorted(dimension.foreign, key=len, reverse=True)]
    plain = rf"[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?\s*({'|'.join(e for e in ends if e)})?"
    return rf"^\s*({plain}|{GAUGE})\s*$" if dimension in GAUGED else rf"^\s*{plain}\s*$"


def _converted(text: str, dimension: Dimension) -> float:
    """Return a quantity in a unit from elsewhere in the SI unit."""
    from jump_lane.quantities.units import convert

    return convert(text, dimension.unit)


def _split(text: str, dimension: Dimension, expected: str) -> tuple[float, str]:
    """Return number (prefix applied) and unit of a quantity as typed; one in a unit from elsewhere is converted."""
    match = _QUANTITY.fullmatch(text)
    if dimension in GAUGED and "AWG" in text and re.fullmatch(GAUGE, text):
        return _converted(text, dimension), ""
    if match is None:
        hint = " (write the decimal point as '.', no separators)" if "," in text or "_" in text else ""
        raise InputError(f"{text!r} is not {expected}{hint}")
    rest, unit, power = match["rest"], match["rest"], 0
    if rest in dimension.foreign:
        return _converted(text, dimension), ""
    if rest in EXPONENTS:
        unit, power = "", EXPONENTS[rest]
    elif dimension_of(rest) is None and rest[:1] in EXPONENTS and dimension_of(rest[1:].lstrip()) is not None:
        unit, power = rest[1:].lstrip(), EXPONENTS[rest[:1]]
    return float(f"{match['digits']}e{int(match['power'] or 0) + power}"), unit


def parse(text: str | float, dimension: Dimension) -> float:
    """Read a quantity such as ``22u``, ``22 µH``, ``4.7 kohm`` or ``30 %`` as an SI float.

    Parameters
    ----------
    text
        What was typed; a bare number is taken in the SI unit.
    dimension
        What the quantity has to be.

    Returns
    -------
    float
        The value in the SI unit of `dimension`; a ratio in percent comes back divided by 100.

    Raises
    ------
    InputError
        If `text` is not a finite number or carries the unit of another dimension.
    """
    expected = f"{article(dimension.name)}" + (f" in {dimension.unit}" if dimension.unit else "")
    if isinstance(text, bool):
        raise InputError(f"{text!r} where {expected} was expected")
    if isinstance(text, int | float):
        value, unit = float(text), ""
    else:
        value, unit = _split(text.strip(), dimension, expected)
    if not math.isfinite(value):
        raise InputError(f"{text!r} is not a finite number")
    if dimension in (RATIO, PHASE) and unit == "%":
        return value / 100.0
    if not dimension.accepts(unit):
        raise InputError(f"{text} where {article(dimension.name)} was expected" + _unit_hint(unit, dimension))
    return value * dict(dimension.multiples).get(unit, 1.0)


def _unit_hint(unit: str, dimension: Dimension) -> str:
    found = dimension_of(unit)
    if found is None:
        return f" (unit {unit!r} is unknown; the unit is {dimension.unit or 'a plain number or %'})"
    return f" ('{unit}' is the unit of {article(found.name)})"


def parse_limit(text: str | float, dimension: Dimension) -> tuple[float, bool]:
    """Read a limit given either absolutely (``20mV``) or relatively (``5 %``).

    Returns
    -------
    tuple of float and bool
        The value, and True where it is a ratio (percent divided by 100).
    """
    if isinstance(text, str) and text.strip().endswith("%"):
        return parse(text, RATIO), True
    return parse(text, dimension), False


ROUNDING = 1e-15
"""What is smaller than this in any SI unit is the rounding of a difference, and is shown as zero."""


def show(value: float, unit: str = "") -> str:
    """Write a value with four significant digits, SI prefix and unit: ``24.81 µH``.

    A plain number (unit ``""``) is written without a prefix, an angle in degrees likewise.
    """
    if math.isnan(value):
        return "–"
    if math.isinf(value):
        return "∞" if value > 0 else "−∞"
    if unit in ("", "°", "%"):
        return _plain(value) + (f" {unit}" if unit == "%" else unit)
    if unit == "°C":
        return f"{value:.1f} °C"
    if unit == "A²s":
        return f"{_plain(value)} A²s"
    if unit in ("m²", "m³"):
        return f"{_plain(value * (1e6 if unit == 'm²' else 1e9))} m{unit}"
    if abs(value) < ROUNDING:
        return f"0 {unit}"
    mantissa, exponent = f"{value:.3e}".split("e")
    power = int(exponent)
    prefix = min(max(power // 3, -5), 4)
    digits = min(max(3 - (power - 3 * prefix), 0), 6)
    return f"{float(mantissa) * 10.0 ** (power - 3 * prefix):.{digits}f} {PREFIXES[prefix + 5]}{unit}"


def brief(value: float, unit: str) -> str:
    """Write a value as short as four significant digits allow: ``33 µH``, ``4.7 mΩ``."""
    number, _, rest = show(value, unit).partition(" ")
    return f"{number.rstrip('0').rstrip('.') if '.' in number else number} {rest}".rstrip()


def exact(value: float, unit: str, digits: int = 12) -> str:
    """Write a value with an SI prefix and all its digits (twelve at most, unless said), so that it can be read again."""
    if unit in ("", "°", "%", "°C", "m²", "m³", "K") or value == 0.0 or not math.isfinite(value):
        return f"{value:.{digits}g} {unit}".rstrip()
    prefix = min(max(math.floor(math.log10(abs(value)) / 3.0), -5), 3)
    return f"{value / 10.0 ** (3 * prefix):.{digits}g} {PREFIXES[prefix + 5]}{unit}"


def _plain(value: float) -> str:
    if abs(value) < ROUNDING:
        return "0"
    if 1e-4 <= abs(value) < 1e5:
        digits = 3 - math.floor(math.log10(abs(float(f"{value:.3e}"))))
        return f"{value:.{max(digits, 0)}f}"
    return f"{value:.3e}"


def show_percent(ratio: float) -> str:
    """Write a ratio as a percentage with three significant digits."""
    return f"{100 * ratio:.0f} %" if abs(ratio) >= 10.0 else f"{100 * ratio:.3g} %"


def show_change(ratio: float) -> str:
    """Write a change as a percentage with its sign."""
    return f"{'+' if ratio >= 0.0 else ''}{show_percent(ratio)}"
