"""Gate formulas of a circuit file: sums, differences, products and quotients of numbers and D, and small powers."""

from __future__ import annotations

import ast
import math
from collections.abc import Callable

from jump_lane.circuit.gates import Instant, Interval, instant
from jump_lane.errors import ConvergenceError, InputError

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


def edge(text: str, where: str) -> Callable[[Instant], Instant]:
    """Return an edge as a function of the control variable D.

    Raises
    ------
    InputError
        If the text is not such a formula, naming `where`; if the formula has no value, once it is called.
    """
    expected = "a fraction of the period or a formula of D with + − * / and parentheses"
    try:
        if len(text) > LONGEST:
            raise InputError(f"{where}: read {len(text)} characters, expected {expected}, {LONGEST} at most")
        tree = ast.parse(text.strip(), mode="eval").body
        _require(tree)
    except (SyntaxError, ValueError, RecursionError, MemoryError):
        raise InputError(f"{where}: read {text!r}, expected {expected}") from None

    def at(control: Instant) -> Instant:
        try:
            found = _value(tree, control)
        except (ZeroDivisionError, OverflowError):
            found = Instant(math.nan)
        if not abs(found.fraction) <= FURTHEST:
            raise ConvergenceError(f"{where}: {text!r} has no usable value at D = {control.fraction:.4g}")
        return found

    return at


def _require(node: ast.expr) -> None:
    """Refuse whatever is not arithmetic on D and plain numbers."""
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
    elif not (isinstance(node, ast.Name) and node.id == "D"):
        raise ValueError(node)


def _value(node: ast.expr, control: Instant) -> Instant:
    if isinstance(node, ast.Name):
        return control
    if isinstance(node, ast.Constant):
        assert isinstance(node.value, int | float)
        return instant(node.value)
    if isinstance(node, ast.UnaryOp):
        inner = _value(node.operand, control)
        return -inner if isinstance(node.op, ast.USub) else inner
    assert isinstance(node, ast.BinOp)
    left = _value(node.left, control)
    if isinstance(node.op, ast.Pow):
        assert isinstance(node.right, ast.Constant)
        assert isinstance(node.right.value, int)
        out = instant(1.0)
        for _ in range(node.right.value):
            out = out * left
        return out
    return _SIGNS[type(node.op)](left, _value(node.right, control))


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
