"""Steinmetz coefficients of a core material that hold from some frequency up, written ``50 kHz: 3.1 1.4 2.6; …``."""

from __future__ import annotations

import math
from typing import Annotated

from pydantic import BeforeValidator, WithJsonSchema

from jump_lane.errors import InputError
from jump_lane.quantities import FREQUENCY, parse

Piece = tuple[float, float, float, float]
"""Frequency from which it holds [Hz]; k for W/m³ with Hz and T, exponents α and β."""

EXPECTED = "expected from which frequency, and k, α, β, such as 50 kHz: 3.1 1.4 2.6; 200 kHz: 0.02 1.8 2.5"


def read_pieces(value: object) -> tuple[Piece, ...] | None:
    """Read a text, or a list of lists with a frequency and three numbers each.

    Raises
    ------
    ValueError
        If it is neither, a number is not finite and positive, or a frequency stands twice.
    """
    if value is None:
        return None
    if isinstance(value, str):
        rows: list[list[object]] = [
            [head, *tail.split()]
            for head, _, tail in (p.partition(":") for p in value.split(";") if p.strip())
        ]
    elif isinstance(value, list | tuple):
        rows = [list(row) if isinstance(row, list | tuple) else [row] for row in value]
    else:
        raise ValueError(f"{value!r}: {EXPECTED}")
    pieces = sorted(_piece(row) for row in rows)
    if not pieces or len({p[0] for p in pieces}) < len(pieces):
        raise ValueError(f"{'no piece' if not pieces else 'the same frequency twice'}: {EXPECTED}")
    return tuple(pieces)


def _piece(row: list[object]) -> Piece:
    if len(row) != 4 or any(
        isinstance(entry, bool) or not isinstance(entry, str | int | float) for entry in row
    ):
        raise ValueError(f"{row!r}: {EXPECTED}")
    start, *rest = row
    try:
        numbers = [parse(start, FREQUENCY), *(float(entry) for entry in rest)]  # type: ignore[arg-type]
    except (InputError, ValueError) as error:
        raise ValueError(f"{error}; {EXPECTED}") from None
    if not all(math.isfinite(n) and n >= 0.0 for n in numbers) or not all(
        0.0 < n < 1e12 for n in numbers[1:]
    ):
        raise ValueError(f"{row!r}: {EXPECTED}")
    frequency, k, alpha, beta = numbers
    return frequency, k, alpha, beta


CorePieces = Annotated[
    tuple[Piece, ...] | None,
    BeforeValidator(read_pieces),
    WithJsonSchema({"type": ["string", "array"], "examples": ["50 kHz: 3.1 1.4 2.6; 200 kHz: 0.02 1.8 2.5"]}),
]
