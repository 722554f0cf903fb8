"""A converter scaled to another voltage, power and frequency: the same in units of its own bases.

With all voltages times v, all powers times p and the frequency times f, currents go with p/v, resistances with v²/p,
inductances with v²/(p·f), capacitances with p/(v²·f) and times with 1/f; every waveform keeps its shape.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from jump_lane.design.derive import Design
from jump_lane.quantities import dimension_with, exact, parse
from jump_lane.spec.keys import keys

POWERS: Mapping[str, tuple[int, int, int]] = {
    "V": (1, 0, 0),
    "W": (0, 1, 0),
    "Hz": (0, 0, 1),
    "A": (-1, 1, 0),
    "s": (0, 0, -1),
    "Ω": (2, -1, 0),
    "H": (2, -1, -1),
    "F": (-2, 1, -1),
    "C": (-1, 1, -1),
    "J": (0, 1, -1),
    "S": (-2, 1, 0),
}
"""Powers of voltage, power and frequency that a unit is made of."""


DIGITS = 16
"""Digits that a scaled quantity is written with."""


@dataclass(frozen=True)
class Factors:
    """By what voltages, powers and the frequency are multiplied."""

    voltage: float
    power: float
    frequency: float

    def of(self, unit: str) -> float:
        """Return the factor of quantities of a unit; 1 for what has none."""
        v, p, f = POWERS.get(unit, (0, 0, 0))
        return float(self.voltage**v * self.power**p * self.frequency**f)


@dataclass(frozen=True)
class Bases:
    """What a converter is normalised by: nominal input voltage [V], full power [W], frequency of its file [Hz]."""

    voltage: float
    power: float
    frequency: float

    @staticmethod
    def of(design: Design) -> Bases:
        """Return the bases of a design."""
        at = design.at()
        return Bases(at.inputs[0], abs(at.sheet["P_o"].worst), design.spec.switching.frequency)

    def unit(self, unit: str) -> float:
        """Return the base quantity of a unit, such as the impedance V²/P of Ω."""
        return Factors(self.voltage, self.power, self.frequency).of(unit)


def scaled(tables: Mapping[str, Any], design: Design, factors: Factors) -> dict[str, Any]:
    """Return the tables of a converter file scaled; component values are chosen, figures of parts written out."""
    out = {k: _walk(v, k, factors) for k, v in tables.items() if k not in ("chosen", "catalogue", "parts")}
    values = [(s, v, design.sheet[s].unit) for s, v in design.components().items()]
    out["chosen"] = {symbol: exact(value * factors.of(unit), unit, DIGITS) for symbol, value, unit in values}
    out["parts"] = {}
    for role in design.page.roles:
        known = [(d, design.sheet[d.symbol].worst) for d in role.data]
        figures = {d.key: exact(v * factors.of(d.unit), d.unit, DIGITS) for d, v in known if v}
        out["parts"] |= {role.name: figures} if figures else {}
    return out


def _walk(value: Any, path: str, factors: Factors) -> Any:
    if isinstance(value, dict):
        return {k: _walk(v, _below(path, k), factors) for k, v in value.items()}
    if isinstance(value, list):
        return [_walk(v, path, factors) for v in value]
    known = keys().get(path)
    if known is None or known.unit not in POWERS or (isinstance(value, str) and value.strip().endswith("%")):
        return value
    return exact(parse(value, dimension_with(known.unit)) * factors.of(known.unit), known.unit, DIGITS)


def _below(path: str, name: str) -> str:
    """Return the path of a key; the ends of a range are as the range."""
    deeper = f"{path}.{name}"
    return path if name in ("min", "nominal", "max") and deeper not in keys() else deeper


@dataclass(frozen=True)
class Proven:
    """A measure of the normalised waveforms, before and after."""

    name: str
    before: float
    after: float

    @property
    def apart(self) -> float:
        """How far they are apart, of the larger one."""
        size = max(abs(self.before), abs(self.after))
        return abs(self.after - self.before) / size if size else 0.0


def proven(before: Design, after: Design) -> list[Proven]:
    """Return rms current and voltage of every component at nominal input and full load, in units of the bases.

    Raises
    ------
    NoResultError
        If one of them has no steady state.
    """
    first, second = _measured(before), _measured(after)
    return [Proven(name, value, second[name]) for name, value in first.items()]


def _measured(design: Design) -> dict[str, float]:
    from jump_lane.operating.point import solve

    at, bases = design.at(), Bases.of(design)
    state, recording = solve(at)
    control = at.page.control
    out = {control.symbol: state.control / bases.unit(control.unit)}
    names = {"source", "load", "L_m", *at.page.owners} & set(recording.network.branches)
    for name in sorted(names):
        current = recording.measures(f"{name}.i")
        out[f"{name}.i rms"] = current.rms / bases.unit("A")
        out[f"{name}.v rms"] = recording.measures(f"{name}.v").rms / bases.unit("V")
    return {k: v for k, v in out.items() if abs(v) > TINY}


TINY = 1e-7
"""Measures below this part of a base are rounding."""
