"""What was seen over time: a row for each period, and envelopes."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from jump_lane.report.export import Columns
from jump_lane.report.figures import COLOURS, INK, dress
from jump_lane.switching.strip import Strip

STAGGERED, LOWER, APART = 3, 0.05, 0.07
"""Words beside events stand on so many levels, the first that far from the top, so far apart (parts of the panel)."""


def strip_columns(strip: Strip, unit: Callable[[str], str]) -> Columns:
    """Return a row for each period: least value, average and largest value of each signal."""
    out: Columns = {
        "start [s]": strip.start.tolist(),
        "end [s]": strip.end.tolist(),
        "control [1]": strip.control.tolist(),
    }
    for k, name in enumerate(strip.names):
        for words, values in (("least", strip.low), ("average", strip.mean), ("largest", strip.high)):
            out[f"{name}, {words} [{unit(name)}]"] = values[:, k].tolist()
    return out


def _whole(strip: Strip) -> NDArray[np.bool_]:
    """Tell which parts are whole periods: what a change leaves of one shows no average worth drawing."""
    length = strip.end - strip.start
    return np.asarray(length > 0.5 * np.median(length))


def envelope(axes: Any, strip: Strip, name: str, scale: float, words: str) -> None:
    """Draw least to largest value in a period, and its average, over time times a scale."""
    k, whole = strip.names.index(name), _whole(strip)
    time = 0.5 * (strip.start + strip.end)[whole] * scale
    axes.fill_between(
        time, strip.low[whole, k], strip.high[whole, k], color=COLOURS[0], alpha=0.25, lw=0,
        label="least to largest in a period",
    )  # fmt: skip
    axes.plot(time, strip.mean[whole, k], color=COLOURS[0], lw=1.3, label="average")
    dress(axes)
    axes.set_xlim(0.0, float(strip.end[-1]) * scale)
    axes.set_ylabel(words, color=INK, fontsize=9)


def events(axes: Any, marks: Sequence[tuple[float, str]], scale: float, named: bool) -> None:
    """Mark instants [s], with words if they are named here."""
    low, high = axes.get_ylim()
    for k, (time, words) in enumerate(marks):
        axes.axvline(time * scale, color=INK, lw=0.7, ls=":")
        if named:
            level = high - (LOWER + APART * (k % STAGGERED)) * (high - low)
            axes.annotate(
                words, (time * scale, level), xytext=(3, 0), textcoords="offset points", fontsize=7, color=INK
            )
