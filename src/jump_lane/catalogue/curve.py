"""Curves of a data sheet: pairs of values, straight in between, written ``25 °C: 100 %; 125 °C: 165 %``."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import BeforeValidator, WithJsonSchema

from jump_lane.errors import InputError
from jump_lane.quantities import (
    CAPACITANCE,
    CURRENT,
    FREQUENCY,
    RATIO,
    RESISTANCE,
    TEMPERATURE,
    VOLTAGE,
    Dimension,
    article,
    parse,
)


@dataclass(frozen=True)
class Curve:
    """Points with ascending abscissa, joined by straight lines.

    Attributes
    ----------
    x, y
        Abscissas and ordinates, in SI units, at least one each.
    """

    x: tuple[float, ...]
    y: tuple[float, ...]

    def starting(self, y: float) -> Curve:
        """Return the curve with `y` at 0, where it does not say what is there."""
        return self if self.x[0] <= 0.0 else Curve((0.0, *self.x), (y, *self.y))

    def at(self, x: float) -> float:
        """Return the ordinate, which beyond the ends stays what it is there."""
        return self.extended(min(max(x, self.x[0]), self.x[-1]))

    def at_each(self, x: NDArray[np.float64]) -> NDArray[np.float64]:
        """Return the ordinates at many abscissas, which beyond the ends stay what they are there."""
        return np.asarray(np.interp(x, self.x, self.y))

    def extended(self, x: float) -> float:
        """Return the ordinate, with the outermost lines going on beyond the ends."""
        if len(self.x) == 1:
            return self.y[0]
        for k, ((x0, x1), (y0, y1)) in enumerate(zip(pairwise(self.x), pairwise(self.y), strict=True)):
            if x <= x1 or k == len(self.x) - 2:
                return y0 + (y1 - y0) * (x - x0) / (x1 - x0)
        raise AssertionError

    def crossing(self, y: float) -> float | None:
        """Return the first abscissa at which a falling curve has come down to `y`; None where it never does."""
        for (x_0, x_1), (y_0, y_1) in zip(pairwise(self.x), pairwise(self.y), strict=True):
            if y_1 <= y < y_0:
                return x_0 + (x_1 - x_0) * (y_0 - y) / (y_0 - y_1)
        return None

    def moment(self, end: float, order: int = 0) -> float:
        """Return ∫ xⁿ·y dx from 0 to `end`, the ends held beyond them; exact for straight pieces.

        Parameters
        ----------
        order
            n, 0 or 1.
        """
        knots = sorted({0.0, end, *(x for x in self.x if 0.0 < x < end)})
        total = 0.0
        for a, b in pairwise(knots):
            ya, yb = self.at(a), self.at(b)
            if order == 0:
                total += (b - a) * (ya + yb) / 2.0
            else:
                total += (b - a) * (a * (2.0 * ya + yb) + b * (ya + 2.0 * yb)) / 6.0
        return total


def read_curve(
    text: str | Sequence[Sequence[str | float]], abscissa: Dimension, ordinate: Dimension
) -> Curve:
    """Read ``x: y; x: y`` or a list of pairs.

    Raises
    ------
    InputError
        If a value does not have its unit, an abscissa stands twice, or there is no point.
    """
    if isinstance(text, str):
        pairs: list[Sequence[str | float]] = [p.split(":") for p in text.split(";") if p.strip()]
    else:
        pairs = list(text)
    points = []
    for pair in pairs:
        if len(pair) != 2:
            raise InputError(f"{pair!r} where {abscissa.name}: {ordinate.name} was expected")
        points.append((parse(pair[0], abscissa), parse(pair[1], ordinate)))
    points.sort()
    if not points:
        raise InputError(f"no point in it, expected {abscissa.name}: {ordinate.name}; …")
    if len({x for x, _ in points}) < len(points):
        raise InputError(f"the same {abscissa.name} stands twice")
    return Curve(tuple(x for x, _ in points), tuple(y for _, y in points))


def _reader(abscissa: Dimension, ordinate: Dimension) -> BeforeValidator:
    def read(value: object) -> Curve | None:
        if value is None or isinstance(value, Curve):
            return value
        if not isinstance(value, str | list | tuple):
            raise ValueError(f"{value!r} where pairs of {abscissa.name} and {ordinate.name} were expected")
        try:
            return read_curve(value, abscissa, ordinate)
        except InputError as error:
            raise ValueError(str(error)) from None

    return BeforeValidator(read)


def _schema(abscissa: Dimension, ordinate: Dimension, example: str) -> WithJsonSchema:
    described = f"{ordinate.name} over {article(abscissa.name)}, such as {example!r}".capitalize()
    return WithJsonSchema({"type": ["string", "array"], "description": described, "examples": [example]})


OverTemperature = Annotated[
    Curve | None, _reader(TEMPERATURE, RATIO), _schema(TEMPERATURE, RATIO, "25 °C: 100 %; 125 °C: 165 %")
]
ResistanceOverFrequency = Annotated[
    Curve | None,
    _reader(FREQUENCY, RESISTANCE),
    _schema(FREQUENCY, RESISTANCE, "10 kHz: 14 mΩ; 100 kHz: 9 mΩ"),
]
CapacitanceOverVoltage = Annotated[
    Curve | None,
    _reader(VOLTAGE, CAPACITANCE),
    _schema(VOLTAGE, CAPACITANCE, "0 V: 1.8 nF; 20 V: 420 pF; 80 V: 240 pF"),
]
LeftOverVoltage = Annotated[
    Curve | None, _reader(VOLTAGE, RATIO), _schema(VOLTAGE, RATIO, "0 V: 100 %; 25 V: 60 %")
]
OverGateVoltage = Annotated[
    Curve | None, _reader(VOLTAGE, RATIO), _schema(VOLTAGE, RATIO, "4.5 V: 160 %; 6 V: 115 %; 10 V: 100 %")
]
LeftOverCurrent = Annotated[
    Curve | None, _reader(CURRENT, RATIO), _schema(CURRENT, RATIO, "0 A: 100 %; 8 A: 80 %; 11 A: 35 %")
]
LeftOverTemperature = Annotated[
    Curve | None, _reader(TEMPERATURE, RATIO), _schema(TEMPERATURE, RATIO, "25 °C: 100 %; 100 °C: 78 %")
]
LossOverField = Annotated[
    Curve | None, _reader(RATIO, RATIO), _schema(RATIO, RATIO, "0: 100 %; 50: 130 %; 100: 180 %")
]
