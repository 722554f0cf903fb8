"""Gain above phase, over frequency."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from jump_lane.quantities import brief
from jump_lane.report.figures import INK, dress, hertz

SMALLEST = 1e-12
"""A gain below that is drawn as that."""

Real = NDArray[np.float64]
Complex = NDArray[np.complex128]


def decibels(gain: Complex) -> Real:
    """Return the magnitude of a gain in decibels."""
    return np.asarray(20.0 * np.log10(np.maximum(np.abs(gain), SMALLEST)))


def unwound(gain: Complex) -> Real:
    """Return the phase of a gain over frequency [°], without jumps of a turn."""
    return np.asarray(np.degrees(np.unwrap(np.angle(gain))))


class Bode:
    """Two axes of a figure, one above the other; phases may start at most `above` degrees up."""

    def __init__(self, figure: Any, left: float, width: float) -> None:
        self.gain = figure.add_axes((left, 0.53, width, 0.38))
        self.phase = figure.add_axes((left, 0.08, width, 0.38))

    def draw(self, frequencies: Real, gain: Complex, above: float | None = None, **style: Any) -> None:
        """Draw a gain over frequency [Hz]; whole turns are taken off its phase until it starts at most so high [°]."""
        turned = unwound(gain)
        if above is not None:
            turned -= 360.0 * math.ceil((turned[0] - above) / 360.0)
        label = style.pop("label", None)
        self.gain.plot(frequencies, decibels(gain), label=label, **style)
        self.phase.plot(frequencies, turned, **style)

    def finish(self, frequencies: Real) -> None:
        """Dress both axes."""
        for axes, words in ((self.gain, "gain [dB]"), (self.phase, "phase [°]")):
            over_frequency(axes, frequencies, words)
        self.gain.axhline(0.0, color=INK, lw=0.8)
        self.phase.set_xlabel("frequency [Hz]", color=INK, fontsize=9)


def over_frequency(axes: Any, frequencies: Real, words: str) -> None:
    """Dress axes of something over frequency."""
    dress(axes)
    axes.set_xscale("log")
    hertz(axes)
    axes.set_xlim(frequencies[0], frequencies[-1])
    axes.set_ylabel(words, color=INK, fontsize=9)


def over_decades(axes: Any, unit: str) -> None:
    """Make an upright axis logarithmic and number its decades, with prefixes."""
    from matplotlib.ticker import FuncFormatter, LogLocator, NullFormatter

    axes.set_yscale("log")
    axes.yaxis.set_major_locator(LogLocator())
    axes.yaxis.set_major_formatter(FuncFormatter(lambda v, _: brief(v, unit)))
    axes.yaxis.set_minor_formatter(NullFormatter())
