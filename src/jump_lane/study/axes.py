"""Axes of a sweep: a key of the converter file, a component or the control, and the values it takes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from jump_lane.design.derive import Design
from jump_lane.errors import InputError
from jump_lane.quantities import Dimension, dimension_with, parse, show
from jump_lane.spec.keys import key as find_key
from jump_lane.study.whatif import full_key

MOST_POINTS = 10_000
"""Points of one axis; of all together a hundred times as many."""

Setting = float | str
"""A value in the SI unit, or a name."""


@dataclass(frozen=True)
class Axis:
    """A key of the converter file and the values it takes: numbers in the SI unit, or names."""

    key: str
    values: tuple[Setting, ...]
    unit: str

    @property
    def numbers(self) -> tuple[float, ...]:
        """Its values, of an axis that has numbers."""
        return tuple(float(v) for v in self.values)

    def show(self, value: Setting) -> str:
        """Return a value as text."""
        return value if isinstance(value, str) else show(value, self.unit)


def controls(axis: Axis, design: Design) -> bool:
    """Tell whether an axis is that of the control."""
    return axis.key == design.page.control.symbol


def read_axis(text: str, design: Design) -> Axis:
    """Read an axis: ``KEY=FROM..TO/POINTS``, the same with ``log`` behind it, or ``KEY=A,B,C``.

    Raises
    ------
    InputError
        Saying what was expected.
    """
    name, _, values = (part.strip() for part in text.partition("="))
    each = [v.strip() for v in values.split(",")]
    key, unit = _key(name, each[0], design)
    try:
        found: tuple[Setting, ...] = tuple(each) if unit is None else spanned(values, unit)
    except (InputError, ValueError) as error:
        raise InputError(
            f"--vary {text}: {error}; expected KEY=FROM..TO/POINTS, KEY=FROM..TO/POINTSlog or KEY=A,B,C"
        ) from None
    return _within(Axis(key, found, unit or ""), design)


def _within(axis: Axis, design: Design) -> Axis:
    """Return an axis whose values the control can have, where it is that of the control."""
    if controls(axis, design):
        for value in axis.values:
            design.control.within(float(value), f"--vary {axis.key}")
    return axis


def column_axis(heading: str, values: Sequence[Any], design: Design) -> Axis:
    """Return an axis from a column of a table of points; a unit in brackets in its heading is that of bare numbers."""
    name, _, rest = heading.partition("[")
    unit_said = rest.partition("]")[0].strip()
    if not len(values):
        raise InputError("--points: no points in the table")
    key, unit = _key(name.strip(), str(values[0]), design)
    if unit is None:
        return Axis(key, tuple(str(v) for v in values), "")
    try:
        suffix = "" if unit_said in ("", "1") else f" {unit_said}"
        found = tuple(parse(_with_unit(v, suffix), dimension_with(unit)) for v in values)
    except InputError as error:
        raise InputError(f"--points, column {heading}: {error}") from None
    return _within(Axis(key, found, unit), design)


def _with_unit(value: Any, suffix: str) -> str:
    text = str(value).strip()
    return text + suffix if text[-1:].isdecimal() else text


def spanned(values: str, unit: str) -> tuple[float, ...]:
    """Return the values of an axis: ``FROM..TO/POINTS``, the same with ``log`` behind it, or ``A,B,C``.

    Raises
    ------
    InputError, ValueError
        If they cannot be read.
    """
    dimension = dimension_with(unit)
    return (
        _span(values, dimension) if ".." in values else tuple(parse(v, dimension) for v in values.split(","))
    )


def _span(values: str, dimension: Dimension) -> tuple[float, ...]:
    ends, _, count = values.partition("/")
    low, high = (parse(e, dimension) for e in ends.split("..", 1))
    logarithmic = count.endswith("log")
    points = int(count.removesuffix("log"))
    if not 2 <= points <= MOST_POINTS:
        raise ValueError(f"2 to {MOST_POINTS} points")
    if logarithmic and not (low > 0.0 and high > 0.0):
        raise ValueError("a logarithmic axis needs positive ends")
    space = np.geomspace(low, high, points) if logarithmic else np.linspace(low, high, points)
    return tuple(float(v) for v in space)


def _key(name: str, value: str, design: Design) -> tuple[str, str | None]:
    """Return the full key that a name stands for, and the unit of its values; None where they are names.

    Raises
    ------
    InputError
        If it cannot be varied.
    """
    if name == design.page.control.symbol:
        return name, design.page.control.unit
    try:
        path = full_key(design.page, name, value)
    except InputError as error:
        raise InputError(f"--vary {name}: {error}") from None
    if path[0] == "chosen":
        return ".".join(path), design.sheet[path[1]].unit
    if path[0] == "parts":
        data = {d.key: d.unit for r in design.page.roles if r.name == path[1] for d in r.data}
        return ".".join(path), None if len(path) == 2 else data.get(path[2], "")
    found = find_key(".".join(path))
    if found.expected.startswith("one of") or found.path == "topology":
        return ".".join(path), None
    if not found.expected.startswith(("a ", "an ")) or found.expected.startswith(("a table", "a list")):
        raise InputError(f"--vary {name}: a table cannot be varied; expected one of its keys")
    return ".".join(path), found.unit
