"""Formulas as text: parsed once, evaluated over arrays, printed as an engineer writes them."""

from __future__ import annotations

import ast
import re
from collections.abc import Callable, Mapping
from functools import cached_property, lru_cache
from typing import Any

import numpy as np

from jump_lane.equations.bridges import BRIDGES
from jump_lane.equations.compose import folded
from jump_lane.equations.overlay import sum_pp, sum_ripple, sum_rms
from jump_lane.equations.soft_bridges import SOFT_BRIDGES
from jump_lane.errors import InputError


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
    "tan": np.tan,
    "acos": np.arccos,
    "asin": np.arcsin,
    "atan": np.arctan,
    "log": np.log,
    "exp": np.exp,
    "sum_pp": sum_pp,
    "sum_rms": sum_rms,
    "sum_ripple": sum_ripple,
    **BRIDGES,
    **SOFT_BRIDGES,
}
CONSTANTS = {"pi": np.pi}

_SCOPE: dict[str, Any] = {"__builtins__": {}, **FUNCTIONS, **CONSTANTS}
"""What a formula may name beside its symbols."""

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

    Allowed are ``+ − * / **``, parentheses, numbers, names, ``pi`` and sqrt, min, max, abs, floor, cos, sin, tan,
    acos, asin, atan, log, exp, the sums over several phases of `jump_lane.equations.overlay`, and what passes between two
    bridges, of `jump_lane.equations.bridges`.

    Raises
    ------
    InputError
        If the text is not such an expression.
    """

    def __init__(self, text: str) -> None:
        self.text = text
        try:
            self.tree = folded(ast.parse(text, mode="eval"))
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
        scope = _SCOPE if functions is FUNCTIONS else {**_SCOPE, **functions}
        return eval(self._code, scope, values)

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
