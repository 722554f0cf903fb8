"""Symbols, formulas, substituted numbers, units and sources: the reasons behind a value.

A formula is written once, as text.  Its value, its printed form, the numbers put into it, its unit and its
source all come from that one line.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from jump_lane.equations.formula import Formula, formula, pretty
from jump_lane.quantities import show

Array = NDArray[np.float64]

CONTINUOUS = "continuous"
BOUNDARY = "boundary"
DISCONTINUOUS = "discontinuous"
REVERSED = "reversed"
"""Conduction modes; *reversed* is continuous conduction with the valley below zero (synchronous rectifier)."""

WHOLE = (CONTINUOUS, BOUNDARY, REVERSED)
"""Modes in which an inductor current flows through the whole period."""

NEAR = 0.005
"""An idle part of the period, or a last rectifier current over its peak, below this counts as the boundary;
it is what a load one percent off the boundary load brings."""

FAINT = 0.03
"""Where magnetising current goes on flowing through an idling inductor, this part of its peak counts as idle."""


HALVINGS = 50
"""Steps of bisection for a line that is an equation: 1e-15 of the interval."""


@dataclass(frozen=True)
class Proof:
    """What a simulated period shows of a line.

    Attributes
    ----------
    signal, measure
        The signal, and what is read off it.
    accuracy
        How far the line may be off where its source claims to hold [1]: of the derived value, or of the symbol ``scale``.
    scale
        Symbol that deviations are measured by where the line itself may vanish.
    modes
        Conduction modes in which it is compared; all if none is named.
    """

    signal: str
    measure: str
    accuracy: float = 0.01
    scale: str = ""
    modes: tuple[str, ...] = ()


@dataclass(frozen=True)
class Line:
    """One line of a derivation.

    Attributes
    ----------
    symbol, unit, meaning, source
        What it is called, its SI unit, what it is, and where the equation comes from.
    text
        The formula, or one formula for each mode (that for continuous conduction, or else the first one, stands in
        for a mode that has none of its own).
    worst
        "max" or "min": which corner of input and load is the worst one.
    component
        Whether the value at the worst corner is a component value: one number from here on, which the user
        may replace by a chosen one.
    within
        If given, the text is an equation instead: the value is where it vanishes between these two numbers.
    through
        Lines between the value and its equation; they are entered behind it.
    modes
        Conduction modes in which it holds; all if none is named. In others it has no value.
    single
        Whether the value at the worst corner is that of all corners, without being a component.
    proof
        What of a simulated period it is compared with, if anything.
    """

    symbol: str
    text: str | Mapping[str, str]
    unit: str
    meaning: str
    source: str
    worst: str = "max"
    component: bool = False
    within: tuple[float, float] | None = None
    through: tuple[Line, ...] = ()
    modes: tuple[str, ...] = ()
    single: bool = False
    proof: Proof | None = None

    def formula(self, mode: str) -> Formula:
        """Return the formula that holds in a conduction mode."""
        if isinstance(self.text, str):
            return formula(self.text)
        return formula(self.text.get(mode, self.text.get(CONTINUOUS, next(iter(self.text.values())))))

    @property
    def formulas(self) -> tuple[Formula, ...]:
        """Return all formulas of the line."""
        texts = (self.text,) if isinstance(self.text, str) else tuple(self.text.values())
        return tuple(formula(t) for t in texts)

    @property
    def names(self) -> tuple[str, ...]:
        """Return the symbols in all of them."""
        return tuple(name for one in self.formulas for name in one.names)


@dataclass(frozen=True)
class Value:
    """A symbol with its values over the grid of corners.

    Attributes
    ----------
    values
        One value for each corner of input and load; (1, 1) for one that does not depend on them.
    origin
        Where it comes from: "file", "default", "derived" or "chosen".
    line
        The line that derives it; None where it is given.
    required
        For a component: the value its line asks for, whatever was chosen instead.
    key
        Key of the converter file that gives it; empty where no single one does.
    """

    symbol: str
    unit: str
    meaning: str
    values: Array
    origin: str
    line: Line | None = None
    required: float | None = None
    key: str = ""

    @cached_property
    def at(self) -> tuple[int, int]:
        """Index of the worst corner."""
        return _worst(self.values, "max" if self.line is None else self.line.worst)

    @property
    def worst(self) -> float:
        """Value at the worst corner."""
        return float(self.values[self.at])

    @property
    def constant(self) -> bool:
        """Whether the value is the same at all corners."""
        finite = self.values[np.isfinite(self.values)]
        if len(finite) < self.values.size:
            return bool(np.all(self.values == self.values.flat[0])) or not len(finite)
        return not float(np.ptp(finite)) > 1e-9 * float(np.abs(finite).max())

    def corner(self, i: int, j: int) -> float:
        """Return the value at input corner i and load corner j."""
        rows, columns = self.values.shape
        return float(self.values.item(i if i < rows else rows - 1, j if j < columns else columns - 1))


class Sheet:
    """A derivation under way: values by symbol, in the order in which they were found."""

    def __init__(self, shape: tuple[int, int]) -> None:
        self.shape = shape
        self.modes: NDArray[np.str_] = np.full(shape, CONTINUOUS, dtype="<U16")
        self._values: dict[str, Value] = {}
        self._known: dict[str, Array] = {}
        self._spread: Array | None = None

    def __getitem__(self, symbol: str) -> Value:
        return self._values[symbol]

    def __contains__(self, symbol: str) -> bool:
        return symbol in self._values

    def __iter__(self) -> Iterator[Value]:
        return iter(self._values.values())

    def give(
        self,
        symbol: str,
        values: float | Array,
        unit: str,
        meaning: str,
        origin: str = "file",
        key: str = "",
    ) -> Value:
        """Enter a value that is not derived, with the key of the file that gives it."""
        array = np.atleast_2d(np.asarray(values, dtype=float))
        return self._enter(Value(symbol, unit, meaning, array, origin, key=key))

    def _enter(self, value: Value) -> Value:
        self._values[value.symbol] = value
        self._known[value.symbol] = value.values
        self._spread = None
        return value

    def derive(self, line: Line) -> Value:
        """Evaluate a line over all corners, each in its conduction mode, and enter the result.

        Raises
        ------
        ValueError
            If the symbol has a value already: a page would mean two things by it.
        """
        if line.symbol in self:
            raise ValueError(f"{line.symbol}: '{line.meaning}', and '{self[line.symbol].meaning}' before")
        with np.errstate(all="ignore"):
            array = self._seek(line) if line.within else self._evaluate(line, self._known)
        value = self._enter_derived(line, array)
        for following in line.through:
            self.derive(following)
        return value

    def _enter_derived(self, line: Line, array: Array) -> Value:
        required = None
        if line.single or line.component:
            number = float(array[_worst(array, line.worst)])
            array = np.array([[number]])
            required = number if line.component else None
        return self._enter(Value(line.symbol, line.unit, line.meaning, array, "derived", line, required))

    def _seek(self, line: Line) -> Array:
        """Return where the equation of a line vanishes, by bisection; NaN where its sign does not change."""
        known = dict(self._known)

        def residual(trial: Array) -> Array:
            known[line.symbol] = trial
            for following in line.through:
                known[following.symbol] = self._evaluate(following, known)
            return np.broadcast_to(self._evaluate(line, known), self.shape)

        assert line.within is not None
        low, high = (np.full(self.shape, end) for end in line.within)
        start = residual(low)
        possible = start * residual(high) <= 0.0
        for _ in range(HALVINGS):
            middle = (low + high) / 2.0
            before = residual(middle) * start > 0.0
            low, high = np.where(before, middle, low), np.where(before, high, middle)
        return np.where(possible, (low + high) / 2.0, np.nan)

    def _evaluate(self, line: Line, known: Mapping[str, Array]) -> Array:
        found = self._formulas(line, known)
        if line.modes and not set(self.modes.flat) <= set(line.modes):
            return np.where(np.isin(self.modes, line.modes), found, np.nan)
        return found

    def _formulas(self, line: Line, known: Mapping[str, Array]) -> Array:
        if isinstance(line.text, str):
            return np.array(line.formula("").evaluate(known), ndmin=2)
        out = np.full(self.shape, np.nan)
        for mode in sorted(set(self.modes.flat)):
            value = np.broadcast_to(line.formula(str(mode)).evaluate(known), self.shape)
            out = np.where(self.modes == mode, value, out)
        return out

    def choose(self, symbol: str, value: float, origin: str = "chosen") -> None:
        """Replace a derived component value by a chosen one, or that of a part."""
        old = self._values[symbol]
        one = np.array([[value]])
        self._enter(Value(symbol, old.unit, old.meaning, one, origin, old.line, old.required))

    def prefer(self, symbol: str, value: float) -> None:
        """Replace a derived value by one that can be bought, and keep what was derived beside it."""
        old = self._values[symbol]
        one = np.array([[value]])
        self._enter(Value(symbol, old.unit, old.meaning, one, "chosen", old.line, old.worst))

    def at(self, i: int, j: int) -> dict[str, float]:
        """Return all values at one corner."""
        if self._spread is None:
            self._spread = np.array([np.broadcast_to(v, self.shape) for v in self._known.values()])
        return dict(zip(self._known, self._spread[:, i, j].tolist(), strict=True))

    def written(self, value: Value) -> tuple[str, str]:
        """Return the formula of a value and the same with the numbers of its worst corner put in."""
        if value.line is None:
            return "", ""
        corner = value.at if value.values.shape == self.shape else self.worst_of(value)
        mode = str(self.modes[min(corner[0], self.shape[0] - 1), min(corner[1], self.shape[1] - 1)])
        expression = value.line.formula(mode)
        ending = " = 0" if value.line.within else ""

        def number(symbol: str) -> str:
            found = self._values[symbol]
            return show(found.corner(*corner), found.unit).replace(" ", "\u00a0")

        return expression.write(pretty) + ending, expression.write(number) + ending

    def leading_to(self, symbols: Iterable[str]) -> tuple[Value, ...]:
        """Return the derived values that some symbols follow from, and themselves, in the order of the derivation."""
        wanted: set[str] = set()
        waiting = list(symbols)
        while waiting:
            symbol = waiting.pop()
            line = self._values[symbol].line
            if symbol in wanted or line is None:
                continue
            wanted.add(symbol)
            waiting += [n for one in (line, *line.through) for n in one.names if n in self]
        return tuple(v for v in self if v.symbol in wanted)

    def worst_of(self, value: Value) -> tuple[int, int]:
        """Return the corner at which a value's line is worst, for component values too."""
        if value.line is None or value.values.shape == self.shape:
            return value.at
        with np.errstate(all="ignore"):
            array = np.broadcast_to(self._evaluate(value.line, self._known), self.shape)
        return _worst(array, value.line.worst)


def _worst(array: Array, which: str) -> tuple[int, int]:
    if array.size == 1:
        return 0, 0
    signed = array if which == "max" else -array
    flat = int(np.where(np.isnan(signed), -np.inf, signed).argmax())
    return flat // array.shape[1], flat % array.shape[1]
