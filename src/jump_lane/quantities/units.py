"""Units that are not those of this trade's daily work: magnetic, wire, air flow, thermal, energy, decibels.

A registry of units does the work.  What it cannot say stands here: decibels above a unit (an amplitude counts 20, a power 10
decibels a decade, and an impedance joins them), and the gauge of a wire (ASTM B258: d = 0.127 mm·92^((36 − n)/39)).
"""

from __future__ import annotations

import difflib
import math
import re
from functools import lru_cache
from typing import Any

from jump_lane.errors import InputError

OWN = (
    "si_oersted = 1000/(4*pi) * ampere/meter",
    "si_gauss = 1e-4 * tesla",
    "si_maxwell = 1e-8 * weber",
    "wire_mil = 0.0254 * millimeter",
    "cubic_foot_per_minute = foot**3/minute",
    "volt_second = volt*second",
)
"""Units that the registry does not know, or means otherwise: it has magnetic units of another system, and a mil of angle."""

NAMED = {
    "oersted": "si_oersted", "Oe": "si_oersted", "gauss": "si_gauss", "Gs": "si_gauss", "G": "si_gauss",
    "maxwell": "si_maxwell", "Mx": "si_maxwell", "mil": "wire_mil", "mils": "wire_mil", "cfm": "cubic_foot_per_minute",
    "CFM": "cubic_foot_per_minute", "Vs": "volt_second", "As": "coulomb",
}  # fmt: skip
"""What these are called there."""

_NAMED = re.compile(
    rf"(?<![A-Za-z_])(?P<prefix>[munkMµ]?)(?P<name>{'|'.join(sorted(NAMED, key=len, reverse=True))})(?![A-Za-z_])"
)

DECIBELS = {
    "dBW": ("W", 1.0), "dBm": ("W", 1e-3),
    "dBV": ("V", 1.0), "dBmV": ("V", 1e-3), "dBµV": ("V", 1e-6),
    "dBmA": ("A", 1e-3), "dBµA": ("A", 1e-6),
}  # fmt: skip
"""Units in decibels: what they are above, in the SI unit."""

SPELLED = {"μ": "µ", "dBuV": "dBµV", "dBuA": "dBµA"}

GAUGE = re.compile(r"(?:AWG\s*(?P<before>\d/0|\d{1,2})|(?P<behind>\d/0|\d{1,2})\s*AWG)")

NUMBER = re.compile(r"\s*(?P<number>[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?)\s*(?P<unit>.*?)\s*")

POWERS = re.compile(r"(\*\*|\^)(?!\s*-?\s*\d(?![\d.*^\s]*(\*\*|\^|\d)))")
"""Exponents that no unit has: other than one digit."""

OFFSET = {"°C": "degC", "°F": "degF", "degF": "degF", "degC": "degC"}
"""Temperatures, whose zero lies elsewhere."""

THICK, STEP = 0.127e-3, 92.0 ** (1.0 / 39.0)
"""Diameter of gauge 36 [m], and by how much the next thicker wire is thicker (ASTM B258)."""


def gauge_diameter(gauge: float) -> float:
    """Return the diameter of a wire of a gauge [m]; 0, −1, −2, −3 are 1/0 to 4/0."""
    return float(THICK * STEP ** (36.0 - gauge))


def gauge_of(diameter: float) -> float:
    """Return the gauge of a diameter [m], as a number between gauges if it is none."""
    return 36.0 - math.log(diameter / THICK) / math.log(STEP)


def _gauge(text: str) -> float | None:
    """Return the gauge that a text names; None if it names none."""
    found = GAUGE.fullmatch(text.strip())
    if found is None:
        return None
    number = found["before"] or found["behind"]
    return 1.0 - float(number.partition("/")[0]) if "/" in number else float(number)


@lru_cache
def _registry() -> Any:
    import pint

    registry: Any = pint.UnitRegistry(cache_folder=None)
    for line in OWN:
        registry.define(line)
    return registry


def _spelled(unit: str) -> str:
    for before, after in SPELLED.items():
        unit = unit.replace(before, after)
    return unit


def _plain(unit: str) -> str:
    """Return a unit as the registry reads it."""
    text = _spelled(unit).replace("·", "*").replace("²", "**2").replace("³", "**3").replace("Ω", "ohm")
    for sign, name in (("°C", "delta_degC"), ("°F", "delta_degF"), ("kcmil", "1000*circular_mil")):
        text = text.replace(sign, name)
    text = re.sub(r"\bcircular mils?\b", "circular_mil", text)
    return _NAMED.sub(lambda m: m["prefix"] + NAMED[m["name"]], text)


def _unit(unit: str) -> Any:
    """Return one of a unit.

    Raises
    ------
    InputError
        If it is unknown, with the nearest one.
    """
    from tokenize import TokenError

    from pint.errors import PintError

    registry = _registry()
    try:
        if unit in OFFSET:
            return registry.Quantity(1.0, OFFSET[unit])
        if POWERS.search(_plain(unit)):
            raise ValueError
        return (
            registry.Quantity(_plain(unit)).to_base_units() * 1.0
        )  # a unit whose zero lies elsewhere cannot be multiplied
    except (
        PintError,
        TokenError,
        AssertionError,
        ArithmeticError,
        AttributeError,
        TypeError,
        ValueError,
    ) as error:
        known = {*DECIBELS, *NAMED, "AWG", *(str(n) for n in registry)}
        close = difflib.get_close_matches(unit, known, n=1, cutoff=0.6)
        hint = (
            f"nearest valid name: {close[0]}" if close else "expected one such as A/m, Oe, K/W, AWG or dBµV"
        )
        raise InputError(f"unit {unit!r} is unknown; {hint}") from error


def _measured(number: float, unit: str, impedance: float | None, kind: str) -> Any:
    """Return a quantity; one in decibels as what is wanted, V, A or W by an impedance [Ω]."""
    registry = _registry()
    unit = _spelled(unit)
    if unit in DECIBELS:
        base, above = DECIBELS[unit]
        value = above * 10.0 ** (number / (10.0 if base == "W" else 20.0))
        return registry.Quantity(_joined(value, base, kind or base, impedance), kind or base)
    return registry.Quantity(number, OFFSET[unit]) if unit in OFFSET else number * _unit(unit)


def _joined(value: float, base: str, wanted: str, impedance: float | None) -> float:
    """Return a voltage, current or power as another one of them across an impedance."""
    if base == wanted:
        return value
    if impedance is None:
        raise InputError(f"{base} and {wanted} are joined by an impedance; expected --impedance, such as 50Ω")
    power = {"V": value**2 / impedance, "A": value**2 * impedance, "W": value}[base]
    return {"V": math.sqrt(power * impedance), "A": math.sqrt(power / impedance), "W": power}[wanted]


def _kind(unit: str) -> str:
    """Return V, A or W if that is what a unit is; nothing otherwise."""
    if unit in DECIBELS:
        return DECIBELS[unit][0]
    if unit in OFFSET or not unit:
        return ""
    of = _unit(unit)
    return next((k for k in ("V", "A", "W") if of.is_compatible_with(k)), "")


def convert(text: str, to: str, impedance: float | None = None) -> float:
    """Return a quantity as a number of another unit.

    Parameters
    ----------
    text
        Number and unit, such as ``3.2 kOe``, ``24 AWG`` or ``60 dBµV``.
    to
        The unit wanted; ``AWG`` gives the gauge of a diameter or area.
    impedance
        What joins voltage, current and power, where decibels need it [Ω].

    Raises
    ------
    InputError
        If a unit is unknown, or both are not of one kind.
    """
    to = _spelled(to.strip())
    found = _read(text, to, impedance)
    if to == "AWG":
        return _as_gauge(found, text)
    if to in DECIBELS:
        base, above = DECIBELS[to]
        value = abs(_into(found, base, text))
        if value == 0.0:
            raise InputError(f"{text}: nothing has no level in {to}")
        return (10.0 if base == "W" else 20.0) * math.log10(value / above)
    return _into(found, to, text)


def _read(text: str, to: str, impedance: float | None) -> Any:
    gauge = _gauge(text)
    if gauge is not None:
        diameter = _registry().Quantity(gauge_diameter(gauge), "m")
        area = to not in ("AWG", *OFFSET, *DECIBELS) and _unit(to).is_compatible_with("m**2")
        return math.pi / 4.0 * diameter**2 if area else diameter
    parts = NUMBER.fullmatch(text)
    if parts is None or not parts["unit"]:
        raise InputError(f"{text!r}: expected a number and a unit, such as '3.2 kOe'")
    if not math.isfinite(float(parts["number"])):
        raise InputError(f"{text!r}: expected a finite number")
    number, unit, kind = float(parts["number"]), _spelled(parts["unit"]), "" if to == "AWG" else _kind(to)
    found = _measured(number, unit, impedance, kind if unit in DECIBELS else "")
    own = next((k for k in ("V", "A", "W") if found.is_compatible_with(k)), "")
    if kind and own and own != kind:
        return _registry().Quantity(_joined(float(found.to(own).magnitude), own, kind, impedance), kind)
    return found


def _as_gauge(found: Any, text: str) -> float:
    area = found.is_compatible_with("m**2")
    size = _into(found, "m**2" if area else "m", text)
    if not size > 0.0:
        raise InputError(f"{text}: no wire has that size; expected more than nothing")
    return gauge_of(math.sqrt(4.0 / math.pi * size) if area else size)


def _into(found: Any, unit: str, text: str) -> float:
    if unit in OFFSET and found.is_compatible_with("K"):
        return float(found.to(OFFSET[unit]).magnitude)
    wanted = _unit(unit)
    if not found.is_compatible_with(wanted):
        kinds = f"{found.to_base_units().units:~}", f"{wanted.to_base_units().units:~}"
        raise InputError(
            f"{text} in {unit}: one is {kinds[0]}, the other {kinds[1]}; expected units of one kind"
        )
    return float((found.to_base_units() / wanted.to_base_units()).magnitude)
