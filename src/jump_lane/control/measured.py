"""A loop as it was measured: what is not known of it is found from what an analyser read.

The computed gain is that of the exact simulation with the network as it is built; what is not known is moved until
ln(measured/computed), whose real part is a gain and whose imaginary part an angle, is least in the sum of its squares (Levenberg
1944, Marquardt 1963).  How closely a figure is told follows from the slope of the residuals by it.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from jump_lane.control.stage import Complex
from jump_lane.errors import InputError, NoResultError
from jump_lane.validation import numbers_of

COLUMNS = {"frequency": "Hz", "gain": "dB", "phase": "°"}
"""What the columns of a measurement are called, and their units."""

DECIBEL = math.log(10.0) / 20.0

FEWEST = 3
"""Points that a measurement has at least."""

WIDE = 0.5
"""A figure whose uncertainty is a larger part of it is not told by the measurement."""

FAR = 1e3
"""How far a figure is looked for from where it starts, up and down."""


@dataclass(frozen=True)
class Measured:
    """A measured loop gain at frequencies [Hz], (m,), in the sense that −1 is the limit of stability."""

    frequencies: NDArray[np.float64]
    gain: Complex


@dataclass(frozen=True)
class Fitted:
    """Figures found, and how well they agree.

    Attributes
    ----------
    values, uncertain
        Figure by name, and its standard uncertainty as a part of it.
    computed
        Loop gain with them, (m,).
    turned
        Whether the measurement was read as −L, whose phase is the phase margin.
    """

    measured: Measured
    before: Complex
    computed: Complex
    values: Mapping[str, float]
    uncertain: Mapping[str, float]
    turned: bool

    def untold(self) -> tuple[str, ...]:
        """Return the figures that the measurement does not tell."""
        return tuple(n for n, u in self.uncertain.items() if not u <= WIDE)

    def residuals(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Return computed less measured gain [dB] and phase [°], (m,) each."""
        off = np.log(self.computed / self.measured.gain)
        return off.real / DECIBEL, np.degrees(off.imag)


def read_measured(columns: Mapping[str, list[object]], where: str) -> Measured:
    """Return a measurement from the columns of a table: frequency [Hz], gain [dB], phase [°].

    Raises
    ------
    InputError
        If one is missing, or holds something else than finite numbers.
    """
    found = {name: np.array(cells) for name, cells in numbers_of(columns, COLUMNS, where, FEWEST).items()}
    if found["frequency"].min() <= 0.0:
        raise InputError(f"{where}: expected frequencies above 0 Hz")
    gain = np.exp(DECIBEL * found["gain"] + 1j * np.radians(found["phase"]))
    return Measured(found["frequency"], gain.astype(complex))


def fit_measured(
    measured: Measured, start: Mapping[str, float], compute: Callable[[Mapping[str, float]], Complex]
) -> Fitted:
    """Find the figures with which the computed loop gain agrees best with the measured one.

    Parameters
    ----------
    start
        Figures that are not known, by name, and where to start from; all positive.
    compute
        Returns the loop gain at the measured frequencies for such figures, (m,).

    Raises
    ------
    InputError
        If more is unknown than the measurement has points for.
    NoResultError
        If the loop has no result where the search starts.
    """
    from scipy.optimize import least_squares

    if 2 * len(measured.frequencies) <= len(start):
        raise InputError(
            f"{len(start)} unknowns from {len(measured.frequencies)} points; expected more points"
        )
    before = compute(start)
    turned = _mean_square(-measured.gain / before) < _mean_square(measured.gain / before)
    seen = Measured(measured.frequencies, -measured.gain if turned else measured.gain)
    names, first = tuple(start), np.log(np.array(list(start.values())))

    def off(x: NDArray[np.float64]) -> NDArray[np.float64]:
        try:
            ratio = np.log(compute(dict(zip(names, np.exp(x).tolist(), strict=True))) / seen.gain)
        except NoResultError:
            return np.full(2 * len(seen.gain), 1e3)
        return np.concatenate((ratio.real, ratio.imag))

    far = math.log(FAR)
    found = least_squares(
        off, first, bounds=(first - far, first + far), diff_step=1e-4, xtol=1e-10, ftol=1e-10
    )
    values = dict(zip(names, np.exp(found.x).tolist(), strict=True))
    return Fitted(seen, before, compute(values), values, _uncertain(names, found.jac, found.fun), turned)


def _mean_square(ratio: Complex) -> float:
    off = np.log(ratio)
    return float(np.mean(np.abs(off) ** 2))


LEAST_OFF = 1e-6
"""Residuals below this are not taken to say how well a figure is told."""


def _uncertain(
    names: tuple[str, ...], slopes: NDArray[np.float64], residuals: NDArray[np.float64]
) -> dict[str, float]:
    """Return the standard uncertainty of each figure as a part of it, from slopes of the residuals, (2m, k)."""
    freedom = max(len(residuals) - len(names), 1)
    spread = max(float(residuals @ residuals) / freedom, LEAST_OFF**2)
    values, vectors = np.linalg.eigh(slopes.T @ slopes)
    with np.errstate(divide="ignore"):
        variance = (vectors**2 * np.where(values > 0.0, spread / np.maximum(values, 1e-300), np.inf)).sum(
            axis=1
        )
    return dict(zip(names, np.sqrt(variance).tolist(), strict=True))
