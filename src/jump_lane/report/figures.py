"""Figures: stacked panels of waveforms on one time axis."""

from __future__ import annotations

import io
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from jump_lane.quantities import show
from jump_lane.waveforms import NOISE, Measures, Waveforms, unit_of

COLOURS = ("#14505c", "#d1495b", "#7a9e3f", "#8a5fa8", "#c98a1b", "#3f7cac")
INK = "#22313a"
PAPER = "#fbfaf6"


@dataclass(frozen=True)
class Panel:
    """One panel: its title and the signals in it.

    ``~`` behind a signal takes its average off (AC scale), ``=`` shows it on a scale from zero (level).
    """

    title: str
    signals: tuple[str, ...]


def source_of(signal: str) -> str:
    """Return the signal that a name with or without ``~`` or ``=`` refers to."""
    return signal.rstrip("~=")


def waves_figure(
    title: str, panels: tuple[Panel, ...], waveforms: Waveforms, measured: dict[str, Measures], kind: str
) -> bytes:
    """Draw waveforms in stacked panels with a column of measures beside them.

    Parameters
    ----------
    measured
        Measures over one period, by signal name without ``~``.
    kind
        ``png`` or ``svg``.

    Returns
    -------
    bytes
        The file's content, 1280 × 800 pixels for a PNG.
    """
    from matplotlib.backends.backend_agg import FigureCanvasAgg
    from matplotlib.figure import Figure

    figure = Figure(figsize=(12.8, 8.0), dpi=100, facecolor=PAPER)
    FigureCanvasAgg(figure)
    heights = [0.45 if all(s.endswith(".gate") for s in p.signals) else 1.0 for p in panels]
    grid = figure.add_gridspec(
        len(panels), 2, width_ratios=[4.6, 1.2], height_ratios=heights, hspace=0.2, wspace=0.02,
        left=0.085, right=0.995, top=0.925, bottom=0.07,
    )  # fmt: skip
    scale, unit = _time_scale(waveforms.time[-1] - waveforms.time[0])
    first: Any = None
    for row, panel in enumerate(panels):
        axes = figure.add_subplot(grid[row, 0], sharex=first)
        first = first or axes
        _draw(axes, panel, waveforms, measured, scale)
        axes.tick_params(labelbottom=row == len(panels) - 1)
        beside = figure.add_subplot(grid[row, 1])
        _describe(beside, panel, measured)
    first.set_xlim(waveforms.time[0] * scale, waveforms.time[-1] * scale)
    axes.set_xlabel(f"time [{unit}]", color=INK)
    figure.suptitle(title, x=0.085, ha="left", color=INK, fontsize=13, fontweight="bold")
    return _save(figure, kind)


def _save(figure: Any, kind: str) -> bytes:
    out = io.BytesIO()
    figure.savefig(out, format=kind, facecolor=PAPER, metadata={"Date": None} if kind == "svg" else None)
    return out.getvalue()


def _time_scale(span: float) -> tuple[float, str]:
    for limit, scale, unit in ((2e-6, 1e9, "ns"), (2e-3, 1e6, "µs"), (2.0, 1e3, "ms")):
        if span < limit:
            return scale, unit
    return 1.0, "s"


def _prefix(values: list[NDArray[np.float64]], unit: str) -> tuple[float, str]:
    largest = max((float(np.abs(v).max()) for v in values if len(v)), default=0.0)
    for limit, scale, prefix in ((1e-3, 1e6, "µ"), (1.0, 1e3, "m"), (1e3, 1.0, ""), (1e6, 1e-3, "k")):
        if largest < limit * 0.9999:
            return scale, prefix + unit
    return 1.0, unit


def _values(signal: str, waveforms: Waveforms, measured: dict[str, Measures]) -> NDArray[np.float64]:
    samples = waveforms.signals[source_of(signal)]
    return samples - measured[source_of(signal)].average if signal.endswith("~") else samples


def _draw(axes: Any, panel: Panel, waveforms: Waveforms, measured: dict[str, Measures], scale: float) -> None:
    drawn = [_values(s, waveforms, measured) for s in panel.signals]
    unit = unit_of(source_of(panel.signals[0]))
    gate = not unit
    factor, label = (1.0, "") if gate else _prefix(drawn, unit)
    time = waveforms.time * scale
    for k, values in enumerate(drawn):
        offset = -1.3 * k if gate else 0.0
        axes.plot(
            time, values * factor + offset, color=COLOURS[k % len(COLOURS)], lw=1.5, solid_joinstyle="miter"
        )
    if len(panel.signals) == 1 and not gate and not panel.signals[0].endswith("~"):
        _mark_ripple(axes, measured[source_of(panel.signals[0])], factor)
    axes.set_ylabel(f"{panel.title}\n[{label}]" if label else panel.title, color=INK, fontsize=8.5)
    axes.margins(y=0.12)
    if panel.signals[0].endswith("="):
        axes.set_ylim(*sorted((0.0, 1.25 * float(drawn[0][np.argmax(np.abs(drawn[0]))]) * factor)))
    axes.set_facecolor("white")
    axes.grid(True, color="#dcd8cc", lw=0.6)
    axes.tick_params(labelsize=8, colors=INK)
    axes.ticklabel_format(axis="y", useOffset=False)
    if gate:
        axes.set_yticks([])
    for side in ("top", "right"):
        axes.spines[side].set_visible(False)


def _mark_ripple(axes: Any, m: Measures, factor: float) -> None:
    axes.axhline(m.average * factor, color=INK, lw=0.8, ls=(0, (6, 3)))
    if m.peak_to_peak > 1e-6 * m.peak:
        for level in (m.minimum, m.maximum):
            axes.axhline(level * factor, color=INK, lw=0.5, ls=(0, (1, 3)))


def _describe(axes: Any, panel: Panel, measured: dict[str, Measures]) -> None:
    """Write name and measures of each signal beside its panel."""
    axes.axis("off")
    lines = len(panel.signals)
    for k, signal in enumerate(panel.signals):
        top = 1.02 - k / lines
        colour = COLOURS[k % len(COLOURS)]
        axes.text(0.02, top, signal, color=colour, fontsize=8.5, fontweight="bold", va="top")
        text = _measures_text(signal, measured[source_of(signal)], brief=lines > 1)
        axes.text(0.30, top, text, color=INK, fontsize=7.8, va="top", linespacing=1.35)


def _measures_text(signal: str, m: Measures, brief: bool) -> str:
    unit = unit_of(source_of(signal))
    if not unit:
        return f"on {100 * m.average:.2f} %"
    swing = f"{show(m.peak_to_peak, unit)} peak to peak"
    if signal.endswith("~"):
        return swing
    levels = f"{show(_zero(m.average, m), unit)} average\n{show(m.rms, unit)} rms"
    edges = f"{show(_zero(m.minimum, m), unit)} to {show(_zero(m.maximum, m), unit)}"
    return f"{levels}\n{edges}" if brief else f"{levels}\n{edges}\n{swing}"


def _zero(value: float, m: Measures) -> float:
    return 0.0 if abs(value) < NOISE * m.peak else value
