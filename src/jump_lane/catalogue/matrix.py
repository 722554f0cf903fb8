"""The resistance of several windings together over frequency, written ``10 kHz: 0.1 0.01, 0.01 0.02; 100 kHz: …`` in ohms."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import BeforeValidator, WithJsonSchema

from jump_lane.errors import InputError
from jump_lane.quantities import FREQUENCY, parse

Array = NDArray[np.float64]
EXPECTED = "expected for each frequency the rows of a square matrix, such as 0 Hz: 0.1 0, 0 0.02; 100 kHz: 0.3 0.05, 0.05 0.04"


@dataclass(frozen=True)
class MatrixOverFrequency:
    """Matrices [Ω], (f, w, w), at ascending frequencies [Hz], (f,)."""

    frequencies: tuple[float, ...]
    values: tuple[tuple[tuple[float, ...], ...], ...]

    def at(self, frequencies: Array) -> Array:
        """Return the matrices at some frequencies, (h, w, w), straight over the square root of frequency in between."""
        x, table = np.sqrt(np.asarray(self.frequencies)), np.asarray(self.values)
        wanted = np.sqrt(np.asarray(frequencies, float))
        flat = table.reshape(len(x), -1)
        found = np.stack([np.interp(wanted, x, column) for column in flat.T], axis=-1)
        return found.reshape(len(wanted), *table.shape[1:])


def read_matrix(value: object) -> MatrixOverFrequency | None:
    """Read a text.

    Raises
    ------
    ValueError
        If it is none, or its matrices are not square and of one size.
    """
    if value is None or isinstance(value, MatrixOverFrequency):
        return value
    if not isinstance(value, str):
        raise ValueError(f"{value!r}: {EXPECTED}")
    found: dict[float, tuple[tuple[float, ...], ...]] = {}
    try:
        for piece in (p for p in value.split(";") if p.strip()):
            head, _, tail = piece.partition(":")
            rows = tuple(tuple(float(v) for v in row.split()) for row in tail.split(","))
            found[parse(head.strip(), FREQUENCY)] = rows
    except (ValueError, InputError) as error:
        raise ValueError(f"{error}; {EXPECTED}") from None
    sizes = {len(rows) for rows in found.values()} | {len(row) for rows in found.values() for row in rows}
    if (
        not found
        or len(sizes) != 1
        or not all(np.isfinite(np.asarray(rows)).all() for rows in found.values())
    ):
        raise ValueError(f"{value[:60]!r}: {EXPECTED}")
    order = sorted(found)
    return MatrixOverFrequency(tuple(order), tuple(found[f] for f in order))


ResistanceMatrix = Annotated[
    MatrixOverFrequency | None,
    BeforeValidator(read_matrix),
    WithJsonSchema({"type": "string", "examples": ["0 Hz: 0.1 0, 0 0.02; 100 kHz: 0.3 0.05, 0.05 0.04"]}),
]
