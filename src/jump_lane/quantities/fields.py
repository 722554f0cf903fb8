"""Quantities with units as fields of a validated file."""

from __future__ import annotations

from numbers import Real
from typing import Annotated

from pydantic import BaseModel, BeforeValidator, Discriminator, Field, Tag, WithJsonSchema

from jump_lane.errors import InputError
from jump_lane.quantities import (
    ANGLE,
    AREA,
    CAPACITANCE,
    CHARGE,
    CONDUCTANCE,
    CURRENT,
    ENERGY,
    FLUX_DENSITY,
    FREQUENCY,
    INDUCTANCE,
    LENGTH,
    PHASE,
    POWER,
    RATIO,
    RESISTANCE,
    RESISTIVITY,
    TEMPERATURE,
    TEMPERATURE_DIFFERENCE,
    THERMAL_RESISTANCE,
    TIME,
    VOLTAGE,
    VOLUME,
    Dimension,
    article,
    parse,
    parse_limit,
    pattern,
    show,
)

SMALLEST, LARGEST = 1e-21, 1e15
"""Magnitudes in SI units beyond which nothing can be meant; zero is allowed where nothing else is said."""


def checked(value: float, read: object, dimension: Dimension, lowest: float = -LARGEST) -> float:
    """Return a value that is in the range of its dimension.

    Raises
    ------
    InputError
        Saying what was read and which range was expected.
    """
    if value < lowest:
        raise InputError(
            f"{read} where {article(dimension.name)} of at least {show(lowest, dimension.unit)} was expected"
        )
    if abs(value) > LARGEST or 0.0 < abs(value) < SMALLEST:
        raise InputError(
            f"{read} is beyond any {dimension.name} that can be meant "
            f"({SMALLEST:g} to {LARGEST:g} {dimension.unit})".replace(" )", ")")
        )
    return value


def _reader(dimension: Dimension, lowest: float = -LARGEST) -> BeforeValidator:
    def read(value: object) -> float:
        if not isinstance(value, str | int | float):
            raise ValueError(f"{value!r} where {article(dimension.name)} was expected")
        try:
            return checked(parse(value, dimension), value, dimension, lowest)
        except InputError as error:
            raise ValueError(str(error)) from None

    return BeforeValidator(read)


PERCENTAGE = r"^\s*[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?\s*%\s*$"
"""A regular expression for a percentage."""


def _no_bool(value: object) -> object:
    if isinstance(value, bool):
        raise ValueError(f"{str(value).lower()} where a number was expected")
    return value


def _schema(
    dimension: Dimension, example: str, lowest: float = -LARGEST, relative: bool = False
) -> WithJsonSchema:
    """Return the schema of a quantity as text or number; a ``relative`` one may be a percentage too."""
    what = f"a percentage or {article(dimension.name)}" if relative else article(dimension.name)
    what = f"{what[0].upper()}{what[1:]}, such as {example!r}"
    number: dict[str, object] = {"type": "number"}
    texts: list[dict[str, object]] = [{"type": "string", "pattern": pattern(dimension)}]
    if relative:
        texts.append({"type": "string", "pattern": PERCENTAGE})
    if lowest > -LARGEST:
        what += f"; at least {show(lowest, dimension.unit)}"
        number["minimum"] = lowest
    kind = article(dimension.name)
    return WithJsonSchema(
        {
            "anyOf": [*texts, number],
            "description": what,
            "examples": [example],
            "x-quantity": f"{kind} or a percentage" if relative else kind,
            "x-unit": dimension.unit,
        }
    )


ABSOLUTE_ZERO = -273.15
"""Lowest temperature [°C]."""

Volts = Annotated[float, _reader(VOLTAGE), _schema(VOLTAGE, "12.5 V")]
Amperes = Annotated[float, _reader(CURRENT), _schema(CURRENT, "6 A")]
Hertz = Annotated[float, _reader(FREQUENCY, 0.0), _schema(FREQUENCY, "220 kHz", 0.0)]
Seconds = Annotated[float, _reader(TIME, 0.0), _schema(TIME, "40 ns", 0.0)]
Ohms = Annotated[float, _reader(RESISTANCE, 0.0), _schema(RESISTANCE, "9 mΩ", 0.0)]
Henries = Annotated[float, _reader(INDUCTANCE, 0.0), _schema(INDUCTANCE, "22 µH", 0.0)]
Farads = Annotated[float, _reader(CAPACITANCE, 0.0), _schema(CAPACITANCE, "47 µF", 0.0)]
Watts = Annotated[float, _reader(POWER, 0.0), _schema(POWER, "120 mW", 0.0)]
Joules = Annotated[float, _reader(ENERGY, 0.0), _schema(ENERGY, "85 µJ", 0.0)]
Coulombs = Annotated[float, _reader(CHARGE, 0.0), _schema(CHARGE, "38 nC", 0.0)]
Celsius = Annotated[float, _reader(TEMPERATURE, ABSOLUTE_ZERO), _schema(TEMPERATURE, "40 °C", ABSOLUTE_ZERO)]
Kelvin = Annotated[float, _reader(TEMPERATURE_DIFFERENCE, 0.0), _schema(TEMPERATURE_DIFFERENCE, "15 K", 0.0)]
KelvinPerWatt = Annotated[
    float, _reader(THERMAL_RESISTANCE, 0.0), _schema(THERMAL_RESISTANCE, "1.2 K/W", 0.0)
]
Siemens = Annotated[float, _reader(CONDUCTANCE, 0.0), _schema(CONDUCTANCE, "1 mS", 0.0)]
Degrees = Annotated[float, _reader(ANGLE), _schema(ANGLE, "55°")]
Metres = Annotated[float, _reader(LENGTH, 0.0), _schema(LENGTH, "0.3 mm", 0.0)]
SquareMetres = Annotated[float, _reader(AREA, 0.0), _schema(AREA, "120 mm²", 0.0)]
CubicMetres = Annotated[float, _reader(VOLUME, 0.0), _schema(VOLUME, "6.4 cm³", 0.0)]
Teslas = Annotated[float, _reader(FLUX_DENSITY, 0.0), _schema(FLUX_DENSITY, "390 mT", 0.0)]
OhmMetres = Annotated[float, _reader(RESISTIVITY, 0.0), _schema(RESISTIVITY, "5 Ω·m", 0.0)]
Ratio = Annotated[float, _reader(RATIO), _schema(RATIO, "30 %")]
Phase = Annotated[float, _reader(PHASE), _schema(PHASE, "20°")]


def whole(value: object) -> object:
    """Return a whole number given as text or number; an empty cell as None."""
    text = str(_no_bool(value)).strip() if value is not None else ""
    if not text:
        return None
    return int(text) if text.isdecimal() else value


Count = Annotated[int, BeforeValidator(_no_bool), Field(ge=1, le=1_000_000)]
"""How many of something there are."""

Whole = Annotated[int, BeforeValidator(_no_bool), Field(ge=0, le=1_000_000)]
"""How many of something there are, or none."""


def _typed(value: object) -> object:
    if isinstance(_no_bool(value), str | Real):
        return value
    raise ValueError(f"{value!r} where a number was expected")


Given = Annotated[str | float, BeforeValidator(_typed)]
"""A quantity as typed, whose dimension shows later."""


Described = Annotated[
    Annotated[str, Tag("str")] | Annotated[dict[str, Given], Tag("dict")],
    Discriminator(
        lambda value: next((kind.__name__ for kind in (str, dict) if isinstance(value, kind)), None),
        custom_error_type="neither",
        custom_error_message="neither the name of a part nor a table of its data",
    ),
]
"""A part: its name, or a table of its data."""

Number = Annotated[float, BeforeValidator(_no_bool), Field(ge=-LARGEST, le=LARGEST, allow_inf_nan=False)]
"""A plain finite number."""


LARGEST_TURNS = 1e4
TURNS = r"^\s*\d+(\.\d*)?\s*(:\s*\d+(\.\d*)?\s*)*$"
"""A regular expression for turns of windings."""


def _read_turns(value: object) -> object:
    """Read turns such as ``10 : 3 : 1``, or a single number to 1."""
    if isinstance(value, tuple):
        return value
    if isinstance(value, bool) or not isinstance(value, str | int | float):
        raise ValueError(f"{value!r} where turns such as '10 : 3' were expected")
    parts = str(value).split(":")
    try:
        turns = tuple(float(part) for part in parts)
    except ValueError:
        turns = ()
    if not turns or not all(1.0 / LARGEST_TURNS <= t <= LARGEST_TURNS for t in turns):
        raise ValueError(f"{value} where turns of primary and secondaries were expected, such as '10 : 3'")
    return turns if len(turns) > 1 else (turns[0], 1.0)


TurnsRatio = Annotated[
    tuple[float, ...],
    BeforeValidator(_read_turns),
    WithJsonSchema(
        {
            "anyOf": [{"type": "string", "pattern": TURNS}, {"type": "number", "exclusiveMinimum": 0.0}],
            "description": "Turns of the primary to those of each secondary, such as '10 : 3'; a number alone is to 1",
            "examples": ["10 : 3"],
            "x-quantity": "turns of every winding",
        }
    ),
]
"""Turns of the primary and of every secondary."""


class Limit(BaseModel):
    """A limit in SI units, or relative to something named where it is used."""

    value: float
    relative: bool

    def of(self, whole: float) -> float:
        """Return the limit in SI units, `whole` being what a relative one refers to."""
        return self.value * abs(whole) if self.relative else self.value


def _limit(dimension: Dimension) -> BeforeValidator:
    def read(value: object) -> object:
        if isinstance(value, Limit):
            return value
        if not isinstance(value, str | int | float):
            raise ValueError(f"{value!r} where {article(dimension.name)} or a percentage was expected")
        try:
            number, relative = parse_limit(value, dimension)
        except InputError as error:
            raise ValueError(str(error)) from None
        if not SMALLEST <= number <= LARGEST:
            raise ValueError(f"{value} where a positive {dimension.name} or percentage was expected")
        return Limit(value=number, relative=relative)

    return BeforeValidator(read)


VoltageLimit = Annotated[Limit, _limit(VOLTAGE), _schema(VOLTAGE, "60 mV", 0.0, relative=True)]
CurrentLimit = Annotated[Limit, _limit(CURRENT), _schema(CURRENT, "30 %", 0.0, relative=True)]
