"""Mutual leakage inductances of secondaries, written ``1-2: 0.4 uH; 1-3: -0.1 uH``."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from typing import Annotated

from pydantic import BeforeValidator, PlainSerializer, WithJsonSchema

from jump_lane.errors import InputError
from jump_lane.quantities import INDUCTANCE, parse

EXPECTED = "expected an inductance for each pair of secondaries, such as 1-2: 0.4 uH; 1-3: -0.1 uH"

Pairs = Mapping[tuple[int, int], float]
"""Numbers of two secondaries, the smaller one first, to the mutual inductance of their leakage [H], of either sign."""


def read_mutual(value: object) -> Pairs | None:
    """Read a text.

    Raises
    ------
    ValueError
        If it is none, or a pair is none or stands there twice.
    """
    if value is None or isinstance(value, Mapping):
        return value
    if not isinstance(value, str):
        raise ValueError(f"{value!r}: {EXPECTED}")
    found: dict[tuple[int, int], float] = {}
    for piece in (p.strip() for p in value.split(";") if p.strip()):
        match = re.fullmatch(r"(\d)\s*-\s*(\d)\s*:\s*(-?)\s*(.+)", piece)
        pair = (0, 0) if match is None else (int(match[1]), int(match[2]))
        if match is None or not 0 < pair[0] < pair[1] or pair in found:
            raise ValueError(f"{piece[:40]!r}: {EXPECTED}")
        try:
            size = parse(match[4], INDUCTANCE)
        except InputError as error:
            raise ValueError(f"{error}; {EXPECTED}") from None
        found[pair] = math.copysign(size, -1.0 if match[3] else 1.0)
    return found


def written(pairs: Pairs | None) -> str | None:
    """Return pairs as they are typed."""
    if pairs is None:
        return None
    return "; ".join(f"{j}-{k}: {value:.6g} H" for (j, k), value in sorted(pairs.items()))


MutualLeakage = Annotated[
    Pairs | None,
    BeforeValidator(read_mutual),
    PlainSerializer(written),
    WithJsonSchema({"type": "string", "examples": ["1-2: 0.4 uH; 1-3: -0.1 uH"]}),
]
