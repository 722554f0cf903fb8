"""Figures: lines of equal value over two axes."""

from __future__ import annotations

from typing import Any

import numpy as np

from jump_lane.report.figures import COLOURS, INK, dress, prefixed, sheet

SHADES = ("#f6e7cf", "#d5dfae", "#7fb8ad")
"""Colours of a map, from the least to the most."""

LEVELS = 12
"""About how many levels a map has."""

Place = tuple[float, float]


def map_figure(
    title: str,
    across: tuple[str, str],
    up: tuple[str, str],
    values: dict[Place, float],
    shown: tuple[str, str],
    wrong: list[Place],
) -> Any:
    """Draw lines of equal value over two axes, at round levels.

    Parameters
    ----------
    across, up
        Name and unit of the axes.
    values
        Value at (across, up).
    shown
        What is shown, with its unit.
    wrong
        Points to be crossed out.
    """
    xs, ys = sorted({x for x, _ in values}), sorted({y for _, y in values})
    table = np.array([[values.get((x, y), np.nan) for x in xs] for y in ys])
    factor, unit = (
        prefixed([table[np.isfinite(table)]], shown[1]) if shown[1] not in ("", "%") else (1.0, shown[1])
    )
    figure = sheet(title)
    axes = figure.add_axes((0.085, 0.09, 0.78, 0.82))
    x_scale, x_unit = prefixed([np.array(xs)], across[1])
    y_scale, y_unit = prefixed([np.array(ys)], up[1])
    _fill(
        figure,
        axes,
        (np.array(xs) * x_scale, np.array(ys) * y_scale),
        table * factor,
        f"{shown[0]} [{unit or '1'}]",
    )
    axes.plot([x * x_scale for x, _ in wrong], [y * y_scale for _, y in wrong], "x", color=COLOURS[1], ms=5)
    dress(axes)
    axes.grid(False)
    axes.margins(0.0)
    axes.set_xlabel(f"{across[0]} [{x_unit}]", color=INK)
    axes.set_ylabel(f"{up[0]} [{y_unit}]", color=INK)
    return figure


def _fill(figure: Any, axes: Any, at: tuple[Any, Any], table: Any, label: str) -> None:
    from matplotlib.colors import LinearSegmentedColormap
    from matplotlib.ticker import MaxNLocator

    if min(table.shape) < 2 or not np.isfinite(table).any():
        return
    levels = MaxNLocator(LEVELS, steps=[1, 2, 2.5, 5, 10]).tick_values(np.nanmin(table), np.nanmax(table))
    colours = LinearSegmentedColormap.from_list("map", SHADES)
    filled = axes.contourf(*at, table, levels=levels, cmap=colours)
    lines = axes.contour(*at, table, levels=levels, colors=INK, linewidths=0.7)
    axes.clabel(lines, fmt="%.4g", fontsize=8)
    bar = figure.colorbar(filled, cax=figure.add_axes((0.89, 0.09, 0.02, 0.82)))
    bar.set_label(label, color=INK)
