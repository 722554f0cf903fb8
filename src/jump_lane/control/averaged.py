"""The averaged model of a page at an operating point, and how far the exact response is from it."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from jump_lane.control.stage import Complex, Stage
from jump_lane.equations.sheet import DISCONTINUOUS, Sheet, Value

CLOSE_GAIN, CLOSE_PHASE, UP_TO = 0.01, 1.0, 0.05
"""Where both agree: relative gain, phase [°], up to which part of the switching frequency."""


@dataclass(frozen=True)
class Averaged:
    """Figures of an averaged model."""

    sheet: Sheet
    values: tuple[Value, ...]
    discontinuous: bool

    def gain(self, frequencies: NDArray[np.float64]) -> Complex:
        """Return the response of the output to the duty ratio, (f,)."""
        v = {value.symbol: value.worst for value in self.values}
        s = 1j * np.asarray(frequencies)
        top = v["G_0"] * (1.0 + s / v["f_esr"]) if math.isfinite(v["f_esr"]) else v["G_0"] * (1.0 + 0.0 * s)
        if self.discontinuous:
            return np.asarray(top / (1.0 + s / v["f_p"]))
        if math.isfinite(v.get("f_rhp", math.inf)):
            top = top * (1.0 - s / v["f_rhp"])
        return np.asarray(top / (1.0 + s / (v["Q_0"] * v["f_0"]) + (s / v["f_0"]) ** 2))


def averaged(stage: Stage, mode: str) -> Averaged | None:
    """Return the averaged model of a stage in a conduction mode; None if its page has none, or the load is of another kind."""
    page, point = stage.design.page, stage.point
    if not page.averaged or point.kinds[0] != "resistance":
        return None
    sheet = Sheet((1, 1))
    sheet.modes[:] = mode
    needed = {name for line in page.averaged for name in line.names}
    own = {line.symbol for line in page.averaged}
    control = page.control.symbol
    for symbol in sorted(needed - own):
        value = stage.design.sheet[symbol]
        given = stage.open.control if symbol == control else point[symbol]
        sheet.give(symbol, given, value.unit, value.meaning, "derived")
    values = tuple(sheet.derive(line) for line in page.averaged)
    return Averaged(sheet, values, mode == DISCONTINUOUS)


def apart(
    model: Averaged, stage: Stage, frequencies: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return by how much the model's gain (relative) and phase [°] are off the exact response."""
    ratio = model.gain(frequencies) / stage.plant(frequencies)
    return np.abs(ratio) - 1.0, np.degrees(np.angle(ratio))
