"""Figures of curves: stacked panels over one axis, labelled beside them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from jump_lane.report.figures import COLOURS, INK, dress, prefixed, shade, sheet


@dataclass(frozen=True)
class Curve:
    """One curve: label, abscissae and ordinates in SI units, the ordinates' unit; gaps where not a number."""

    label: str
    x: list[float]
    y: list[float]
    unit: str
    marker: str = ""
    like: int | None = None
    """The curve of its panel whose colour it has, where it belongs to one."""


def curves_figure(
    title: str,
    panels: dict[str, list[Curve]],
    axis: tuple[str, str],
    logarithmic: bool,
    names: list[str] | None = None,
) -> Any:
    """Draw curves in stacked panels over one axis.

    Parameters
    ----------
    panels
        Title to curves.
    axis
        Name and unit of the common abscissa.
    logarithmic
        Whether the abscissa is logarithmic.
    names
        Names of the abscissae 0, 1, …, where they are no numbers.
    """
    figure = sheet(title)
    grid = figure.add_gridspec(len(panels), 1, hspace=0.16, left=0.085, right=0.8, top=0.925, bottom=0.08)
    every = [np.array(c.x) for curves in panels.values() for c in curves]
    scale, unit = prefixed(every, axis[1]) if axis[1] else (1.0, "1")
    first: Any = None
    for row, (name, curves) in enumerate(panels.items()):
        axes = figure.add_subplot(grid[row, 0], sharex=first)
        first = first or axes
        _draw_curves(axes, curves, scale)
        axes.set_ylabel(name.split(" [")[0] + _scaled_unit(curves), color=INK, fontsize=9)
        axes.tick_params(which="both", labelbottom=row == len(panels) - 1)
    if logarithmic:
        _logarithmic(first)
    if names is not None:
        first.set_xticks(range(len(names)), names, rotation=12, ha="right")
        first.margins(x=0.08)
    axes.set_xlabel(axis[0] if names is not None else f"{axis[0]} [{unit}]", color=INK)
    _legends(figure)
    return figure


def _legends(figure: Any) -> None:
    """Explain the labelled curves of every panel beside it, those that a panel above explains only once."""
    known: set[str] = set()
    for axes in figure.axes:
        pairs = [
            (h, t) for h, t in zip(*axes.get_legend_handles_labels(), strict=True) if t and t not in known
        ]
        known |= {label for _, label in pairs}
        if pairs:
            handles, labels = zip(*pairs, strict=True)
            axes.legend(
                handles, labels, loc="upper left", bbox_to_anchor=(1.01, 1.0), fontsize=8, frameon=False
            )


def _logarithmic(axes: Any) -> None:
    """Make the abscissa logarithmic, labelled at 1, 2 and 5 of each decade."""
    from matplotlib.ticker import FormatStrFormatter, LogLocator, NullFormatter

    axes.set_xscale("log")
    axes.xaxis.set_major_locator(LogLocator(subs=(1.0, 2.0, 5.0)))
    axes.xaxis.set_major_formatter(FormatStrFormatter("%g"))
    axes.xaxis.set_minor_formatter(NullFormatter())


def _scaled_unit(curves: list[Curve]) -> str:
    unit = curves[0].unit
    return f" [{_curve_scale(curves)[1]}]" if unit else ""


def _curve_scale(curves: list[Curve]) -> tuple[float, str]:
    unit = curves[0].unit
    values = [np.array([v for v in c.y if v == v]) for c in curves]
    return prefixed(values, unit) if unit else (1.0, "")


def _draw_curves(axes: Any, curves: list[Curve], x_scale: float) -> None:
    scale, _ = _curve_scale(curves)
    many = len(curves) > len(COLOURS)
    for place, curve in enumerate(curves):
        k = place if curve.like is None else curve.like
        colour = shade(k / (len(curves) - 1)) if many else COLOURS[k % len(COLOURS)]
        marker = curve.marker or ("." if len(curve.x) <= 40 else "")
        line = "" if curve.marker else "-"
        label = curve.label if not many or place in (0, len(curves) - 1) else None
        axes.plot(
            np.array(curve.x) * x_scale,
            np.array(curve.y) * scale,
            color=colour,
            lw=1.4,
            marker=marker,
            ms=5,
            ls=line,
            label=label,
        )
    dress(axes)
