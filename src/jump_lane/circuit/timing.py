"""Gate formulas of a circuit file: sums, differences, products and quotients of numbers and names, and small powers."""

from __future__ import annotations

import ast
import math
from collections.abc import Callable, Mapping

from jump_lane.circuit.gates import Instant, Interval, instant
from jump_lane.errors import ConvergenceError, InputError
from jump_lane.quantities import show

Known = Mapping[str, Instant]
"""What the names in a formula stand for."""

NAMES = ("D", "phase", "period")
"""Duty ratio and phase as parts of the period, and the period [s]."""

LONGEST = 200
"""Characters in a formula."""

LARGEST_POWER = 4

FURTHEST = 100.0
"""Largest fraction of the period that an edge may be away from its start."""

_SIGNS: dict[type[ast.operator], Callable[[Instant, Instant], Instant]] = {
    ast.Add: lambda a, b: a + b,
    ast.Sub: lambda a, b: a - b,
    ast.Mult: lambda a, b: a * b,
    ast.Div: lambda a, b: a / b,
}


def edge(text: str, where: str) -> Callable[[Known], Instant]:
    """Return an edge, in parts of the period, as a function of D, phase and period.

    Raises
    ------
    InputError
        If the text is not such a formula, naming `where`; if the formula has no value, once it is called.
    """
    expected = (
        "a fraction of the period, a time, or a formula of D, phase and period with + − * / and parentheses"
    )
    try:
        if len(text) > LONGEST:
            raise InputError(f"{where}: read {len(text)} characters, expected {expected}, {LONGEST} at most")
        tree = ast.parse(text.strip(), mode="eval").body
        _require(tree)
    except (SyntaxError, ValueError, RecursionError, MemoryError):
        raise InputError(f"{where}: read {text!r}, expected {expected}") from None

    def at(known: Known) -> Instant:
        try:
            found = _value(tree, known)
        except (ZeroDivisionError, OverflowError):
            found = Instant(math.nan)
        if not abs(found.fraction) <= FURTHEST:
            used = {n.id for n in ast.walk(tree) if isinstance(n, ast.Name)}
            given = ", ".join(f"{n} = {known[n].fraction:.4g}" for n in NAMES if n in used)
            raise ConvergenceError(f"{where}: {text!r} has no usable value at {given}")
        return found

    return at


def _require(node: ast.expr) -> None:
    """Refuse whatever is not arithmetic on names and plain numbers."""
    if isinstance(node, ast.BinOp) and type(node.op) in _SIGNS:
        _require(node.left)
        _require(node.right)
    elif isinstance(node, ast.BinOp) and isinstance(node.op, ast.Pow):
        _require(node.left)
        power = node.right
        if not (isinstance(power, ast.Constant) and power.value in range(LARGEST_POWER + 1)):
            raise ValueError(node)
    elif isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.USub | ast.UAdd):
        _require(node.operand)
    elif isinstance(node, ast.Constant) and type(node.value) in (int, float):
        value = node.value
        assert isinstance(value, int | float)
        if not abs(value) <= FURTHEST:
            raise ValueError(node)
    elif not (isinstance(node, ast.Name) and node.id in NAMES):
        raise ValueError(node)


def _value(node: ast.expr, known: Known) -> Instant:
    if isinstance(node, ast.Name):
        return known[node.id]
    if isinstance(node, ast.Constant):
        assert isinstance(node.value, int | float)
        return instant(node.value)
    if isinstance(node, ast.UnaryOp):
        inner = _value(node.operand, known)
        return -inner if isinstance(node.op, ast.USub) else inner
    assert isinstance(node, ast.BinOp)
    left = _value(node.left, known)
    if isinstance(node.op, ast.Pow):
        assert isinstance(node.right, ast.Constant)
        assert isinstance(node.right.value, int)
        out = instant(1.0)
        for _ in range(node.right.value):
            out = out * left
        return out
    return _SIGNS[type(node.op)](left, _value(node.right, known))


def require_fit(start: Instant, end: Instant, period: float, where: str) -> None:
    """Refuse an on-interval with an edge given as a time that the period [s] has no room for.

    Raises
    ------
    ConvergenceError
        With the numbers.
    """
    width = end.fraction - start.fraction
    if not 0.0 <= width <= 1.0 or start.fraction >= 1.0:
        first, last = (show(edge.fraction * period, "s") for edge in (start, end))
        raise ConvergenceError(
            f"{where}: from {first} to {last} does not fit into the period of {show(period, 's')}; expected an end behind "
            "its start, and both within a period"
        )


def wrapped(start: Instant, end: Instant, where: str) -> Interval:
    """Return an on-interval; an end before its start lies in the next period.

    Raises
    ------
    ConvergenceError
        If it ends before the period in which it starts has begun, which cannot be meant.
    """
    if end.fraction < 0.0 <= start.fraction:
        raise ConvergenceError(
            f"{where}: from {start.fraction:.4g} to {end.fraction:.4g} of the period; expected an end behind its "
            "start, or one of at least 0, which wraps around"
        )
    if end.fraction < start.fraction:
        end = end + math.ceil(start.fraction - end.fraction)
    return start, end
