"""Symbols, formulas, substituted numbers, units and sources: the reasons behind a value.

A formula is written once, as text.  Its value, its printed form, the numbers put into it, its unit and its
source all come from that one line.
"""

from __future__ import annotations

import ast
import re
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from jump_lane.errors import InputError
from jump_lane.quantities import show

Array = NDArray[np.float64]

CONTINUOUS = "continuous"
BOUNDARY = "boundary"
DISCONTINUOUS = "discontinuous"
REVERSED = "reversed"
"""Conduction modes; *reversed* is continuous conduction with the valley below zero (synchronous rectifier)."""


def _extreme(pick: Callable[[Any, Any], Any]) -> Callable[..., Any]:
    def extreme(*values: Any) -> Any:
        out = values[0]
        for value in values[1:]:
            out = pick(out, value)
        return out

    return extreme


FUNCTIONS: dict[str, Callable[..., Any]] = {
    "sqrt": np.sqrt,
    "min": _extreme(np.minimum),
    "max": _extreme(np.maximum),
    "abs": np.abs,
    "floor": np.floor,
    "cos": np.cos,
    "sin": np.sin,
    "acos": np.arccos,
}
CONSTANTS = {"pi": np.pi}

_ALLOWED = (
    ast.Expression,
    ast.BinOp,
    ast.UnaryOp,
    ast.Call,
    ast.Name,
    ast.Constant,
    ast.Load,
    ast.Add,
    ast.Sub,
    ast.Mult,
    ast.Div,
    ast.Pow,
    ast.USub,
)


class Formula:
    """An arithmetic expression over named symbols, written in plain text.

    Allowed are ``+ − * / **``, parentheses, numbers, names, ``pi`` and sqrt, min, max, abs, floor, cos, sin,
    acos.

    Raises
    ------
    InputError
        If the text is not such an expression.
    """

    def __init__(self, text: str) -> None:
        self.text = text
        try:
            self.tree = ast.parse(text, mode="eval")
        except SyntaxError as error:
            raise InputError(f"{text!r} is not a formula") from error
        found: dict[str, None] = {}
        for node in ast.walk(self.tree):
            if not isinstance(node, _ALLOWED):
                raise InputError(f"{text!r} is not a formula: {type(node).__name__} is not allowed")
            if isinstance(node, ast.Call) and not (
                isinstance(node.func, ast.Name) and node.func.id in FUNCTIONS
            ):
                raise InputError(f"{text!r} calls an unknown function")
            if isinstance(node, ast.Name) and node.id not in FUNCTIONS and node.id not in CONSTANTS:
                found[node.id] = None
        self.names = tuple(found)
        """The symbols in the formula."""

    @cached_property
    def _code(self) -> Any:
        return compile(self.tree, "<formula>", "eval")

    def evaluate(self, values: Mapping[str, Any], functions: Mapping[str, Any] = FUNCTIONS) -> Any:
        """Return the value for the given values of the symbols (floats, arrays, or quantities with units)."""
        scope = {name: values[name] for name in self.names}
        return eval(self._code, {"__builtins__": {}}, {**functions, **CONSTANTS, **scope})

    def write(self, leaf: Callable[[str], str]) -> str:
        """Return the formula as an engineer writes it, every symbol replaced by ``leaf(symbol)``."""
        return _write(self.tree.body, leaf, 0)


@lru_cache(maxsize=4096)
def formula(text: str) -> Formula:
    """Return the formula for a text, parsed once."""
    return Formula(text)


_OPERATORS: dict[type[ast.operator], tuple[str, int]] = {
    ast.Add: (" + ", 1),
    ast.Sub: (" − ", 1),
    ast.Mult: ("·", 2),
    ast.Div: ("/", 2),
}
_POWERS = {2: "²", 3: "³"}


def _needs_parentheses(node: ast.expr, written: str) -> bool:
    """Tell whether what is raised to a power has to stand in parentheses: a sign, a power, or a quantity."""
    if isinstance(node, ast.BinOp) and isinstance(node.op, ast.Pow):
        return True
    loose = any(c in written for c in " \u00a0") and not written.startswith(("(", "√", "|"))
    return written.startswith("−") or loose


def _write(node: ast.expr, leaf: Callable[[str], str], binding: int) -> str:
    if isinstance(node, ast.Name):
        return "π" if node.id == "pi" else leaf(node.id)
    if isinstance(node, ast.Constant):
        return f"{node.value:g}" if isinstance(node.value, int | float) else str(node.value)
    if isinstance(node, ast.UnaryOp):
        return "−" + _write(node.operand, leaf, 3)
    if isinstance(node, ast.Call):
        name = node.func.id if isinstance(node.func, ast.Name) else "?"
        inner = ", ".join(_write(a, leaf, 0) for a in node.args)
        return f"√({inner})" if name == "sqrt" else f"|{inner}|" if name == "abs" else f"{name}({inner})"
    if isinstance(node, ast.BinOp) and isinstance(node.op, ast.Pow):
        power = node.right.value if isinstance(node.right, ast.Constant) else None
        base = _write(node.left, leaf, 4)
        if _needs_parentheses(node.left, base):
            base = f"({base})"
        if isinstance(power, int) and power in _POWERS:
            return base + _POWERS[power]
        return f"{base}^{_write(node.right, leaf, 4)}"
    assert isinstance(node, ast.BinOp)
    sign, level = _OPERATORS[type(node.op)]
    left = _write(node.left, leaf, level)
    tight = isinstance(node.op, ast.Sub | ast.Div)
    right = _write(node.right, leaf, level + 1 if tight else level)
    text = f"{left}{sign}{right}"
    return f"({text})" if level < binding else text


def pretty(symbol: str) -> str:
    """Return a symbol as it is printed: ``dI_L`` becomes ``ΔI_L``."""
    return re.sub(r"^d(?=[VIQ]_|[VIQ]$)", "Δ", symbol)


@dataclass(frozen=True)
class Line:
    """One line of a derivation.

    Attributes
    ----------
    symbol, unit, meaning, source
        What it is called, its SI unit, what it is, and where the equation comes from.
    text
        The formula, or one formula for each conduction mode (the one for continuous conduction stands in for
        a mode that has none of its own).
    worst
        "max" or "min": which corner of input and load is the worst one.
    component
        Whether the value at the worst corner is a component value: one number from here on, which the user
        may replace by a chosen one.
    """

    symbol: str
    text: str | Mapping[str, str]
    unit: str
    meaning: str
    source: str
    worst: str = "max"
    component: bool = False

    def formula(self, mode: str) -> Formula:
        """Return the formula that holds in a conduction mode."""
        if isinstance(self.text, str):
            return formula(self.text)
        return formula(self.text.get(mode, self.text[CONTINUOUS]))

    @property
    def formulas(self) -> tuple[Formula, ...]:
        """Return all formulas of the line."""
        texts = (self.text,) if isinstance(self.text, str) else tuple(self.text.values())
        return tuple(formula(t) for t in texts)


@dataclass(frozen=True)
class Value:
    """A symbol with its values over the grid of corners.

    Attributes
    ----------
    values
        One value for each corner of input and load; (1, 1) for one that does not depend on them.
    at
        Index of the worst corner.
    origin
        Where it comes from: "file", "default", "derived" or "chosen".
    line
        The line that derives it; None where it is given.
    required
        For a component: the value its line asks for, whatever was chosen instead.
    """

    symbol: str
    unit: str
    meaning: str
    values: Array
    at: tuple[int, int]
    origin: str
    line: Line | None = None
    required: float | None = None

    @property
    def worst(self) -> float:
        """Value at the worst corner."""
        return float(self.values[self.at])

    @property
    def constant(self) -> bool:
        """Whether the value is the same at all corners."""
        spread = float(self.values.max() - self.values.min())
        return not spread > 1e-9 * float(np.abs(self.values).max())

    def corner(self, i: int, j: int) -> float:
        """Return the value at input corner i and load corner j."""
        rows, columns = self.values.shape
        return float(self.values[min(i, rows - 1), min(j, columns - 1)])


class Sheet:
    """A derivation under way: values by symbol, in the order in which they were found."""

    def __init__(self, shape: tuple[int, int]) -> None:
        self.shape = shape
        self.modes: NDArray[np.str_] = np.full(shape, CONTINUOUS, dtype="<U16")
        self._values: dict[str, Value] = {}
        self._known: dict[str, Array] = {}

    def __getitem__(self, symbol: str) -> Value:
        return self._values[symbol]

    def __contains__(self, symbol: str) -> bool:
        return symbol in self._values

    def __iter__(self) -> Iterator[Value]:
        return iter(self._values.values())

    def give(
        self, symbol: str, values: float | Array, unit: str, meaning: str, origin: str = "file"
    ) -> Value:
        """Enter a value that is not derived."""
        array = np.atleast_2d(np.asarray(values, dtype=float))
        return self._enter(Value(symbol, unit, meaning, array, _worst(array, "max"), origin))

    def _enter(self, value: Value) -> Value:
        self._values[value.symbol] = value
        self._known[value.symbol] = value.values
        return value

    def derive(self, line: Line) -> Value:
        """Evaluate a line over all corners, each in its conduction mode, and enter the result."""
        with np.errstate(all="ignore"):
            array = self._evaluate(line, self._known)
        at = _worst(array, line.worst)
        if line.component:
            number = float(array[at])
            one = np.array([[number]])
            return self._enter(
                Value(line.symbol, line.unit, line.meaning, one, (0, 0), "derived", line, number)
            )
        return self._enter(Value(line.symbol, line.unit, line.meaning, array, at, "derived", line))

    def _evaluate(self, line: Line, known: Mapping[str, Array]) -> Array:
        if isinstance(line.text, str):
            return np.broadcast_to(
                np.atleast_2d(line.formula("").evaluate(known)), self._fit(line, known)
            ).copy()
        out = np.full(self.shape, np.nan)
        for mode in sorted(set(self.modes.flat)):
            value = np.broadcast_to(line.formula(str(mode)).evaluate(known), self.shape)
            out = np.where(self.modes == mode, value, out)
        return out

    def _fit(self, line: Line, known: Mapping[str, Array]) -> tuple[int, int]:
        shapes = [known[n].shape for n in line.formula("").names]
        shape = np.broadcast_shapes((1, 1), *shapes)
        return (shape[0], shape[1])

    def choose(self, symbol: str, value: float) -> None:
        """Replace a derived component value by a chosen one."""
        old = self._values[symbol]
        one = np.array([[value]])
        self._enter(Value(symbol, old.unit, old.meaning, one, (0, 0), "chosen", old.line, old.required))

    def at(self, i: int, j: int) -> dict[str, float]:
        """Return all values at one corner."""
        return {v.symbol: v.corner(i, j) for v in self._values.values()}

    def written(self, value: Value) -> tuple[str, str]:
        """Return the formula of a value and the same with the numbers of its worst corner put in."""
        if value.line is None:
            return "", ""
        corner = value.at if value.values.shape == self.shape else self.worst_of(value)
        mode = str(self.modes[min(corner[0], self.shape[0] - 1), min(corner[1], self.shape[1] - 1)])
        expression = value.line.formula(mode)

        def number(symbol: str) -> str:
            found = self._values[symbol]
            return show(found.corner(*corner), found.unit).replace(" ", "\u00a0")

        return expression.write(pretty), expression.write(number)

    def worst_of(self, value: Value) -> tuple[int, int]:
        """Return the corner at which a value's line is worst, for component values too."""
        if value.line is None or value.values.shape == self.shape:
            return value.at
        with np.errstate(all="ignore"):
            array = np.broadcast_to(self._evaluate(value.line, self._known), self.shape)
        return _worst(array, value.line.worst)


def _worst(array: Array, which: str) -> tuple[int, int]:
    signed = array if which == "max" else -array
    flat = int(np.where(np.isnan(signed), -np.inf, signed).argmax())
    return flat // array.shape[1], flat % array.shape[1]
