"""A parts list: CSV with a heading line, or TOML, validated strictly.

Columns (keys) are ``part``, ``kind`` (inductor or capacitor), ``value``, and optionally ``tolerance``,
``saturation_current``, ``rms_current``, ``resistance`` (winding or ESR), ``voltage`` and ``dc_bias``, the part of
the capacitance left over voltage: ``0 V: 100 %; 25 V: 60 %``.
"""

from __future__ import annotations

import csv
import io
import tomllib
from dataclasses import dataclass
from itertools import pairwise
from pathlib import Path
from typing import Any

from jump_lane.errors import InputError, nearest
from jump_lane.quantities import CAPACITANCE, CURRENT, INDUCTANCE, RATIO, RESISTANCE, VOLTAGE, parse

KINDS = {"inductor": INDUCTANCE, "capacitor": CAPACITANCE}
QUANTITIES = {
    "tolerance": RATIO,
    "saturation_current": CURRENT,
    "rms_current": CURRENT,
    "resistance": RESISTANCE,
    "voltage": VOLTAGE,
}
KEYS = ("part", "kind", "value", *QUANTITIES, "dc_bias")


@dataclass(frozen=True)
class Part:
    """One inductor or capacitor; figures that are not known are None.

    Attributes
    ----------
    value
        Inductance [H] or capacitance without bias [F].
    tolerance
        Largest deviation of the value [1].
    dc_bias
        (voltage [V], part of the capacitance left [1]), ascending; straight in between.
    """

    name: str
    kind: str
    value: float
    tolerance: float = 0.0
    saturation_current: float | None = None
    rms_current: float | None = None
    resistance: float | None = None
    voltage: float | None = None
    dc_bias: tuple[tuple[float, float], ...] = ()

    def left_at(self, voltage: float) -> float:
        """Return the part of the capacitance that is left at a DC voltage [V]."""
        if not self.dc_bias:
            return 1.0
        points = ((0.0, 1.0), *(p for p in self.dc_bias if p[0] > 0.0))
        for (v0, c0), (v1, c1) in pairwise(points):
            if voltage <= v1:
                return c0 + (c1 - c0) * (voltage - v0) / (v1 - v0)
        return points[-1][1]


def load(path: Path) -> tuple[Part, ...]:
    """Read a parts list.

    Raises
    ------
    InputError
        If it cannot be read, or an entry is not valid: file, entry, key, what was read and expected.
    """
    try:
        text = path.read_text(encoding="utf-8")
    except OSError as error:
        raise InputError(f"{path}: {error.strerror or error}") from None
    if path.suffix.lower() == ".toml":
        try:
            entries = tomllib.loads(text).get("part", [])
        except tomllib.TOMLDecodeError as error:
            raise InputError(f"{path}: not a TOML file: {error}") from None
    elif path.suffix.lower() == ".csv":
        entries = list(csv.DictReader(io.StringIO(text)))
    else:
        raise InputError(f"{path}: expected a parts list that ends in .csv or .toml")
    if not entries:
        raise InputError(
            f"{path}: no parts in it; expected [[part]] tables, or a CSV heading with {', '.join(KEYS)}"
        )
    return tuple(_part(entry, f"{path}: entry {i}") for i, entry in enumerate(entries, start=1))


def _part(entry: dict[str, Any], where: str) -> Part:
    given = {k.strip(): v for k, v in entry.items() if k is not None and v not in (None, "")}
    for key in given:
        if key not in KEYS:
            raise InputError(f"{where}: {key}: unknown key; {nearest(key, KEYS)}")
    for key in ("part", "kind", "value"):
        if key not in given:
            raise InputError(f"{where}: {key}: missing")
    kind = str(given["kind"]).strip()
    if kind not in KINDS:
        raise InputError(f"{where}: kind: read {kind!r}; {nearest(kind, KINDS)}")
    try:
        figures = {k: parse(given[k], d) for k, d in QUANTITIES.items() if k in given}
        value = parse(given["value"], KINDS[kind])
        bias = _bias(str(given.get("dc_bias", "")))
    except InputError as error:
        raise InputError(f"{where} ({given['part']}): {error}") from None
    if value <= 0.0:
        raise InputError(
            f"{where} ({given['part']}): value: {given['value']} where a positive value was expected"
        )
    return Part(str(given["part"]), kind, value, dc_bias=bias, **figures)


def _bias(text: str) -> tuple[tuple[float, float], ...]:
    points = []
    for pair in text.split(";"):
        if not pair.strip():
            continue
        voltage, _, left = pair.partition(":")
        points.append((parse(voltage.strip(), VOLTAGE), parse(left.strip(), RATIO)))
    return tuple(sorted(points))
