"""Figures: stacked panels of waveforms on one time axis."""

from __future__ import annotations

import io
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from jump_lane.errors import InputError
from jump_lane.harmless import harmless
from jump_lane.quantities import brief, show
from jump_lane.switching.waveforms import NOISE, Harmonic, Measures, Waveforms, unit_of

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


def figure_kind(path: Path) -> str:
    """Return ``png`` or ``svg`` by a file's name.

    Raises
    ------
    InputError
        On any other ending.
    """
    kind = path.suffix.lower().lstrip(".")
    if kind not in ("png", "svg"):
        raise InputError(f"--figure {path}: expected a name that ends in .png or .svg")
    return kind


def source_of(signal: str) -> str:
    """Return the signal that a name with or without ``~`` or ``=`` refers to."""
    return signal.rstrip("~=")


def waves_figure(
    title: str, panels: tuple[Panel, ...], waveforms: Waveforms, measured: dict[str, Measures]
) -> Any:
    """Draw waveforms in stacked panels with a column of measures beside them.

    Parameters
    ----------
    measured
        Measures over one period, by signal name without ``~``.
    Returns
    -------
    matplotlib.figure.Figure
        1280 × 800 pixels.
    """
    figure = sheet(title)
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
    return figure


def _as_it_stands(figure: Any) -> None:
    """Take names and titles as they are: no mathematics in them, and no control characters."""
    from matplotlib.text import Text

    for text in figure.findobj(Text):
        if not text.get_text().startswith("$\\mathdefault"):
            text.set_parse_math(False)
            text.set_text(harmless(text.get_text()))


def save(figure: Any, kind: str) -> bytes:
    """Return a figure as the content of a file of a kind."""
    _as_it_stands(figure)
    out = io.BytesIO()
    figure.savefig(out, format=kind, facecolor=PAPER, metadata={"Date": None} if kind == "svg" else None)
    return out.getvalue()


def _time_scale(span: float) -> tuple[float, str]:
    for limit, scale, unit in ((2e-6, 1e9, "ns"), (2e-3, 1e6, "µs"), (2.0, 1e3, "ms")):
        if span < limit:
            return scale, unit
    return 1.0, "s"


def prefixed(values: list[NDArray[np.float64]], unit: str) -> tuple[float, str]:
    """Return the factor by which values are drawn, and the unit with its prefix."""
    largest = max((float(np.abs(v).max()) for v in values if len(v)), default=0.0)
    for limit, scale, prefix in (
        (1e-3, 1e6, "µ"),
        (1.0, 1e3, "m"),
        (1e3, 1.0, ""),
        (1e6, 1e-3, "k"),
        (1e9, 1e-6, "M"),
    ):
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
    factor, label = (1.0, "") if gate else prefixed(drawn, unit)
    time = waveforms.time * scale
    for k, values in enumerate(drawn):
        offset = -1.3 * k if gate else 0.0
        axes.plot(
            time, values * factor + offset, color=COLOURS[k % len(COLOURS)], lw=1.5, solid_joinstyle="miter"
        )
    if len(panel.signals) == 1 and not gate and not panel.signals[0].endswith("~"):
        _mark_ripple(axes, measured[source_of(panel.signals[0])], factor)
    axes.set_ylabel(f"{panel.title}\n[{label}]" if label else panel.title, color=INK, fontsize=8.5)
    dress(axes)
    if panel.signals[0].endswith("="):
        axes.set_ylim(*sorted((0.0, 1.25 * float(drawn[0][np.argmax(np.abs(drawn[0]))]) * factor)))
    axes.ticklabel_format(axis="y", useOffset=False)
    if gate:
        axes.set_yticks([])


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
        text = _measures_text(signal, measured[source_of(signal)], lines)
        axes.text(0.30, top, text, color=INK, fontsize=7.8, va="top", linespacing=1.35)


def _measures_text(signal: str, m: Measures, lines: int) -> str:
    """Return as many measures as fit beside a panel of so many signals."""
    unit = unit_of(source_of(signal))
    if not unit:
        return f"on {100 * m.average:.2f} %"
    swing = f"{show(m.peak_to_peak, unit)} peak to peak"
    if signal.endswith("~"):
        return swing
    average = f"{show(_zero(m.average, m), unit)} average"
    if lines > 2:
        return average
    edges = f"{show(_zero(m.minimum, m), unit)} to {show(_zero(m.maximum, m), unit)}"
    text = f"{average}\n{show(m.rms, unit)} rms\n{edges}"
    return text if lines == 2 else f"{text}\n{swing}"


def _zero(value: float, m: Measures) -> float:
    return 0.0 if abs(value) < NOISE * m.peak else value


def sheet(title: str) -> Any:
    """Return an empty figure of 1280 × 800 pixels with a title."""
    from matplotlib.backends.backend_agg import FigureCanvasAgg
    from matplotlib.figure import Figure

    figure = Figure(figsize=(12.8, 8.0), dpi=100, facecolor=PAPER)
    FigureCanvasAgg(figure)
    figure.suptitle(title, x=0.085, ha="left", color=INK, fontsize=13, fontweight="bold")
    return figure


def shade(part: float) -> tuple[float, float, float]:
    """Return a colour between the first two of the palette."""
    ends = [tuple(int(c[i : i + 2], 16) / 255.0 for i in (1, 3, 5)) for c in COLOURS[:2]]
    red, green, blue = (a + part * (b - a) for a, b in zip(*ends, strict=True))
    return red, green, blue


def hertz(axes: Any) -> None:
    """Number a logarithmic axis of frequencies by decades, with prefixes."""
    from matplotlib.ticker import FuncFormatter, LogLocator, NullFormatter

    axes.xaxis.set_major_locator(LogLocator())
    axes.xaxis.set_major_formatter(FuncFormatter(lambda f, _: brief(f, "Hz")))
    axes.xaxis.set_minor_formatter(NullFormatter())


def dress(axes: Any) -> None:
    """Give axes the look of all figures."""
    axes.set_facecolor("white")
    axes.grid(True, color="#dcd8cc", lw=0.6)
    axes.tick_params(labelsize=8, colors=INK)
    axes.margins(y=0.12)
    for side in ("top", "right"):
        axes.spines[side].set_visible(False)


def plane_figure(title: str, wave: Waveforms, across: str, up: str) -> Any:
    """Draw one signal over another through one period, its start and a quarter marked."""
    figure = sheet(f"{title}: {up} over {across}")
    axes = figure.add_axes((0.085, 0.09, 0.66, 0.82))
    scales = [prefixed([wave.signals[s]], unit_of(s)) for s in (across, up)]
    x, y = (wave.signals[s] * scale for s, (scale, _) in zip((across, up), scales, strict=True))
    axes.plot(x, y, color=COLOURS[0], lw=1.5)
    for part, label in (
        (0.0, "start of the period"),
        (0.25, "a quarter later"),
        (0.5, "half a period later"),
    ):
        k = int(np.searchsorted(wave.time, part * wave.period))
        axes.plot(x[k], y[k], "o", ms=7, color=COLOURS[round(4 * part) + 1], label=label)
    dress(axes)
    axes.margins(0.08)
    axes.set_xlabel(f"{across} [{scales[0][1]}]", color=INK)
    axes.set_ylabel(f"{up} [{scales[1][1]}]", color=INK)
    axes.legend(loc="upper left", bbox_to_anchor=(1.01, 1.0), fontsize=8, frameon=False)
    return figure


DECADES, SMALLEST_SHOWN = 2.0, 1e-5
"""Amplitudes over more decades are drawn logarithmically; what is below that part of the largest is not."""


def _spans_decades(amplitudes: list[float]) -> bool:
    seen = [a for a in amplitudes if a > SMALLEST_SHOWN * max(amplitudes)]
    return bool(seen) and max(seen) > 10.0**DECADES * min(seen)


def spectrum_figure(title: str, spectra: dict[str, list[Harmonic]], decibel: bool) -> Any:
    """Draw the harmonics of some signals as lines over frequency: linear, logarithmic over decades, or in decibels."""
    from matplotlib.ticker import FormatStrFormatter, NullFormatter

    figure = sheet(title)
    grid = figure.add_gridspec(len(spectra), 1, hspace=0.22, left=0.085, right=0.985, top=0.925, bottom=0.08)
    highest = max(h.frequency for harmonics in spectra.values() for h in harmonics)
    scale, unit = prefixed([np.array([highest])], "Hz")
    for row, (name, harmonics) in enumerate(spectra.items()):
        axes = figure.add_subplot(grid[row, 0])
        lines = harmonics[1:]
        x = [h.frequency * scale for h in lines]
        wide = not decibel and _spans_decades([h.amplitude for h in lines])
        if decibel:
            y, label = np.array([h.decibel for h in lines]), f"dBµ{unit_of(name)}"
            low = max(float(y.max()) - 100.0, float(y.min())) - 5.0
            axes.set_ylim(low, float(y.max()) + 8.0)
        else:
            amplitudes = np.array([h.amplitude for h in lines])
            factor, label = prefixed([amplitudes], unit_of(name)) if unit_of(name) else (1.0, "1")
            y, low = amplitudes * factor, 0.0
            if wide:
                low = 0.5 * max(float(y[y > 0.0].min()), float(y.max()) * SMALLEST_SHOWN)
                axes.set_yscale("log")
                axes.yaxis.set_major_formatter(FormatStrFormatter("%g"))
                axes.yaxis.set_minor_formatter(NullFormatter())
                axes.set_ylim(low, 2.0 * float(y.max()))
        axes.vlines(x, low, y, color=COLOURS[row % len(COLOURS)], lw=1.6)
        axes.plot(x, y, "o", color=COLOURS[row % len(COLOURS)], ms=3.5)
        dress(axes)
        if not decibel and not wide:
            axes.set_ylim(bottom=0.0)
        axes.set_ylabel(f"{name}\n[{label}]", color=INK, fontsize=9)
    axes.set_xlabel(f"frequency [{unit}]", color=INK)
    return figure
