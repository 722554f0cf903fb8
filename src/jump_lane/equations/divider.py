"""A divider that sets an output from a reference: resistors of a series, and how far tolerances move the output.

        V_o ──R_1──┬──R_b── ground         V_o = V_ref·(1 + R_1/R_b) + I_b·R_1 + Σ (V_ref − V_k)·R_1/R_k
            V_k ─R_k┘→ I_b into the amplifier

Node equation at the input of the amplifier, which holds it at the reference; R_k leads there from a control voltage V_k.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass

from jump_lane.errors import InputError
from jump_lane.quantities import show
from jump_lane.quantities.preferred import decade

NEARBY = 0.35
"""How far a resistor may be from where the current of the divider would have it."""


@dataclass(frozen=True)
class Resistor:
    """A resistor of one piece, or of two of a series."""

    value: float
    pieces: tuple[float, ...]
    parallel: bool = False

    @property
    def words(self) -> str:
        """How it is joined: nothing for one piece."""
        return "" if len(self.pieces) == 1 else "parallel" if self.parallel else "series"


def one(value: float) -> Resistor:
    """Return a resistor of one piece."""
    return Resistor(value, (value,))


def output(
    reference: float,
    upper: float,
    lower: float,
    bias: float = 0.0,
    branches: Sequence[tuple[float, float]] = (),
) -> float:
    """Return the output [V].

    Parameters
    ----------
    reference, upper, lower, bias
        Reference [V], resistors [Ω] and current into the amplifier [A].
    branches
        Further resistors into the node [Ω], each with the voltage that it comes from [V].
    """
    drawn = reference / lower + bias
    for resistor, voltage in branches:
        drawn += (reference - voltage) / resistor
    return reference + upper * drawn


def near(value: float, series: str, part: float = NEARBY) -> list[float]:
    """Return the values of a series that are within a part of a value."""
    power = math.floor(math.log10(value))
    every = (float(f"{v:.2f}e{power + k}") for k in (-1, 0, 1) for v in decade(series))
    return [v for v in every if abs(v / value - 1.0) <= part]


def made(value: float, series: str, combine: str) -> Iterator[Resistor]:
    """Yield resistors of a series near a value: single ones, and two in series or parallel where that is wanted."""
    for single in near(value, series, 0.2):
        yield one(single)
    if combine == "series":
        for large in near(0.75 * value, series, 1.0 / 3.0):
            rest = value - large
            if rest > 0.0:
                yield from (Resistor(large + r, (large, r)) for r in _closest(rest, series))
    elif combine == "parallel":
        for small in near(1.5 * value, series, 1.0 / 3.0):
            if small > value:
                other = small * value / (small - value)
                yield from (
                    Resistor(small * r / (small + r), (small, r), True) for r in _closest(other, series)
                )


def _closest(value: float, series: str) -> list[float]:
    return sorted(near(value, series, 0.5), key=lambda v: abs(v - value))[:2]


@dataclass(frozen=True)
class Pair:
    """Both resistors of a divider, and by how much the output misses what is wanted, part of it."""

    upper: Resistor
    lower: Resistor
    error: float


def pair(
    wanted: float,
    reference: float,
    *,
    series: str = "E96",
    upper: float | None = None,
    lower: float | None = None,
    current: float | None = None,
    combine: str = "single",
    bias: float = 0.0,
) -> Pair:
    """Return the resistors with which the output comes closest to what is wanted [V].

    One of ``upper``, ``lower`` [Ω] and ``current`` [A] says where to look: the other resistor is looked for, or with a current
    both, near what this would make them.  Of pairs that are equally good to 0.01 % the one nearest to that is taken.

    Parameters
    ----------
    bias
        Current into the amplifier that is taken into account [A].

    Raises
    ------
    InputError
        If no resistor makes the output, as the amplifier draws too much.
    """
    if upper is not None:
        found = (
            Pair(one(upper), r, 0.0) for r in made(_lower(wanted, reference, upper, bias), series, combine)
        )
        start = upper
    elif lower is not None:
        found = (
            Pair(r, one(lower), 0.0)
            for r in made((wanted - reference) / (reference / lower + bias), series, combine)
        )
        start = (wanted - reference) / (reference / lower)
    else:
        assert current is not None
        start = (wanted - reference) / current
        uppers = near(start, series)
        found = (
            Pair(one(u), r, 0.0)
            for u in uppers
            for r in made(_lower(wanted, reference, u, bias), series, combine)
        )
    judged = [
        Pair(p.upper, p.lower, output(reference, p.upper.value, p.lower.value, bias) / wanted - 1.0)
        for p in found
    ]
    return min(
        judged, key=lambda p: (round(abs(p.error), 4), abs(math.log(p.upper.value / start)), abs(p.error))
    )


def _lower(wanted: float, reference: float, upper: float, bias: float) -> float:
    """Return the lower resistor that makes an output [Ω].

    Raises
    ------
    InputError
        If the amplifier draws more than comes through the upper one.
    """
    drawn = (wanted - reference) / upper - bias
    if drawn <= 0.0:
        raise InputError(
            f"divider.bias: the amplifier draws {show(bias, 'A')}, no less than what comes through {show(upper, 'Ω')}; expected a smaller "
            "upper resistor, or more current in the divider"
        )
    return reference / drawn


@dataclass(frozen=True)
class Spread:
    """An output with everything as it should be, at its extremes, and three standard deviations up and down [V]."""

    nominal: float
    low: float
    high: float
    sigmas: float


def spread(
    figures: Mapping[str, tuple[float, float]], voltage: Callable[[Mapping[str, float]], float]
) -> Spread:
    """Return how far tolerances move an output.

    The extremes are those of every combination of ends; statistically each tolerance stands for three standard deviations, and
    independent deviations add in their squares.

    Parameters
    ----------
    figures
        Each figure with its tolerance as a part of it.
    voltage
        The output for some figures [V].
    """
    nominal = {name: value for name, (value, _) in figures.items()}
    off = {name: part for name, (_, part) in figures.items() if part > 0.0}
    middle = voltage(nominal)
    ends = []
    for signs in itertools.product((-1.0, 1.0), repeat=len(off)):
        moved = {n: nominal[n] * (1.0 + s * part) for s, (n, part) in zip(signs, off.items(), strict=True)}
        ends.append(voltage({**nominal, **moved}))
    squares = 0.0
    for name, part in off.items():
        up, down = (voltage({**nominal, name: nominal[name] * (1.0 + s * part)}) for s in (1.0, -1.0))
        squares += (0.5 * (up - down)) ** 2
    return Spread(middle, min(ends, default=middle), max(ends, default=middle), math.sqrt(squares))
