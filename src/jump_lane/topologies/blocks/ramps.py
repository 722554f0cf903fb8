"""Currents that are made of straight pieces."""

from __future__ import annotations


def mean_square(*pieces: tuple[str, str, str]) -> str:
    """Return the formula of the mean square of a current that goes straight from value to value.

    Parameters
    ----------
    pieces
        Part of the period, first and last value, each a formula; ``"0"`` as a value makes a ramp from or to zero.
    """
    return "(" + " + ".join(f"{part}*{_tripled(first, last)}" for part, first, last in pieces) + ")/3"


def root_mean_square(*pieces: tuple[str, str, str]) -> str:
    """Return the formula of the rms value of such a current."""
    return f"sqrt({mean_square(*pieces)})"


def _tripled(first: str, last: str) -> str:
    """Return three times the mean square of one straight piece."""
    if first == last:
        return f"3*{first}**2"
    if "0" in (first, last):
        return f"{last if first == '0' else first}**2"
    return f"({first}**2 + {first}*{last} + {last}**2)"
