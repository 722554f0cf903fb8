"""Quantities with units as fields of a validated file."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, BeforeValidator, WithJsonSchema

from jump_lane.errors import InputError
from jump_lane.quantities import (
    AREA,
    CAPACITANCE,
    CHARGE,
    CURRENT,
    ENERGY,
    FREQUENCY,
    INDUCTANCE,
    LENGTH,
    POWER,
    RATIO,
    RESISTANCE,
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
)


def _reader(dimension: Dimension) -> BeforeValidator:
    def read(value: object) -> float:
        if not isinstance(value, str | int | float):
            raise ValueError(f"{value!r} where {article(dimension.name)} was expected")
        try:
            return parse(value, dimension)
        except InputError as error:
            raise ValueError(str(error)) from None

    return BeforeValidator(read)


def _schema(dimension: Dimension, example: str) -> WithJsonSchema:
    return WithJsonSchema(
        {
            "type": ["string", "number"],
            "description": f"{article(dimension.name)}, such as {example!r}".capitalize(),
            "examples": [example],
        }
    )


Volts = Annotated[float, _reader(VOLTAGE), _schema(VOLTAGE, "12.5 V")]
Amperes = Annotated[float, _reader(CURRENT), _schema(CURRENT, "6 A")]
Hertz = Annotated[float, _reader(FREQUENCY), _schema(FREQUENCY, "220 kHz")]
Seconds = Annotated[float, _reader(TIME), _schema(TIME, "40 ns")]
Ohms = Annotated[float, _reader(RESISTANCE), _schema(RESISTANCE, "9 mΩ")]
Henries = Annotated[float, _reader(INDUCTANCE), _schema(INDUCTANCE, "22 µH")]
Farads = Annotated[float, _reader(CAPACITANCE), _schema(CAPACITANCE, "47 µF")]
Watts = Annotated[float, _reader(POWER), _schema(POWER, "120 mW")]
Joules = Annotated[float, _reader(ENERGY), _schema(ENERGY, "85 µJ")]
Coulombs = Annotated[float, _reader(CHARGE), _schema(CHARGE, "38 nC")]
Celsius = Annotated[float, _reader(TEMPERATURE), _schema(TEMPERATURE, "40 °C")]
Kelvin = Annotated[float, _reader(TEMPERATURE_DIFFERENCE), _schema(TEMPERATURE_DIFFERENCE, "15 K")]
KelvinPerWatt = Annotated[float, _reader(THERMAL_RESISTANCE), _schema(THERMAL_RESISTANCE, "1.2 K/W")]
Metres = Annotated[float, _reader(LENGTH), _schema(LENGTH, "0.3 mm")]
SquareMetres = Annotated[float, _reader(AREA), _schema(AREA, "120 mm²")]
CubicMetres = Annotated[float, _reader(VOLUME), _schema(VOLUME, "6.4 cm³")]
Ratio = Annotated[float, _reader(RATIO), _schema(RATIO, "30 %")]


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
        if number <= 0.0:
            raise ValueError(f"{value} where a positive {dimension.name} or percentage was expected")
        return Limit(value=number, relative=relative)

    return BeforeValidator(read)


VoltageLimit = Annotated[Limit, _limit(VOLTAGE), _schema(VOLTAGE, "60 mV")]
CurrentLimit = Annotated[Limit, _limit(CURRENT), _schema(CURRENT, "30 %")]
