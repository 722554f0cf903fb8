"""Maps over two angles of two bridges as tables, columns and a figure."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

import numpy as np

from jump_lane.quantities import show, show_change
from jump_lane.report.export import Columns
from jump_lane.report.figures import COLOURS, INK, prefixed, sheet
from jump_lane.report.maps import SHADES
from jump_lane.report.table import Table, View
from jump_lane.study.angles import AngleWork, Spot, Turn, Working, angled
from jump_lane.switching.waveforms import NOISE

LEVELS = 9
"""About how many levels a map has."""

PHASE_NAMES = {"phi": "phase φ", "t1": "zero interval t1", "t2": "zero interval t2"}


def _turn_table(turns: Sequence[Turn]) -> Table:
    rows = tuple(
        (
            t.switch,
            show(t.time, "s"),
            show(t.current, "A"),
            show(t.needed, "C"),
            show(t.had, "C"),
            show(t.dead, "s"),
            show(max(t.left, 0.0), "V"),
            "soft" if t.soft else "hard",
        )
        for t in turns
    )
    heads = (
        "switch",
        "turns on at>",
        "with>",
        "charge needed>",
        "had in dead time>",
        "dead time needed>",
        "against>",
        "",
    )
    return Table("Turning on, at nominal input and full load", heads, rows)


def angles_view(
    work: AngleWork, spots: Sequence[Spot], points: Sequence[Working], turns: Sequence[Turn], complete: bool
) -> View:
    """Show the operating points with the angles that hold the output, before and after optimisation.

    The exit status is 1 where one of them cannot be held.
    """
    rows = []
    for p in points:
        change = p.rms[1] / p.rms[0] - 1.0
        change = 0.0 if abs(change) < NOISE else change
        rows.append(
            (
                p.name,
                show(p.v_in, "V"),
                show(p.i_o, "A"),
                *(_angle(p.angles[s]) for s in p.angles),
                show(p.rms[0], "A"),
                *(_angle(p.least[s]) for s in p.least),
                show(p.rms[1], "A"),
                p.failure or show_change(change),
            )
        )
    symbols = list(points[0].angles)
    heads = (
        "operating point",
        "input>",
        "load>",
        *(f"{s}>" for s in symbols),
        "rms>",
        *(f"{s}, least rms>" for s in symbols),
        "rms>",
        "change>",
    )
    found = [s for s in spots if not s.failure]
    whole = sum(len(s.soft) == 8 for s in found)
    notes = [
        f"{len(found)} of {len(spots)} states; all eight switches are soft at {whole}, some at "
        f"{sum(0 < len(s.soft) < 8 for s in found)}, none at {sum(not s.soft for s in found)}",
        "angles hold the output exactly, the first one of each set found by simulation; rms of the leading switch",
    ]
    notes += [] if complete else ["interrupted: what was finished is kept"]
    data: dict[str, Any] = {
        "across": work.across,
        "up": work.up,
        "fixed": dict(work.fixed),
        "spots": [
            {
                "at": list(s.at),
                "power": s.power,
                "rms": s.rms,
                "soft": list(s.soft),
                "reason": s.failure or None,
            }
            for s in spots
        ],
        "points": [
            {
                "name": p.name,
                "V_in": p.v_in,
                "I_o": p.i_o,
                "angles": dict(p.angles),
                "least": dict(p.least),
                "rms": list(p.rms),
                "reason": p.failure or None,
            }
            for p in points
        ],
    }
    table = Table("Angles that hold the output", heads, tuple(rows))
    data["turns"] = [vars(t) for t in turns]
    return View(
        "angles", data, (table, _turn_table(turns)), tuple(notes), 1 if any(p.failure for p in points) else 0
    )


def _angle(part: float) -> str:
    return show(360.0 * part, "°")


def angles_columns(work: AngleWork, spots: Sequence[Spot]) -> Columns:
    """Return a row for each state."""
    return {
        f"{work.across} [1]": [s.at[0] for s in spots],
        f"{work.up} [1]": [s.at[1] for s in spots],
        "power [W]": [s.power for s in spots],
        "rms [A]": [s.rms for s in spots],
        "soft switches": [len(s.soft) for s in spots],
        "soft": [" ".join(s.soft) for s in spots],
        "reason": [s.failure for s in spots],
    }


Path = Sequence[tuple[Mapping[str, float], Mapping[str, float]]]


def angles_figure(
    work: AngleWork, spots: Sequence[Spot], points: Sequence[Working], paths: Sequence[Path]
) -> Any:
    """Draw power, rms current of the leading switch and soft switching over two angles, operating points marked."""
    design = work.design
    volts = f"{show(design.inputs[0], 'V')} to {show(design.sheet['V_o'].worst, 'V')}"
    figure = sheet(f"{design.title}: {volts}, simulated at fixed angles")
    by, asked = {s.at: s for s in spots}, design.sheet["P_o"].worst

    def table(value: Callable[[Spot], float]) -> Any:
        nothing = Spot(0, (0.0, 0.0))
        return np.array([[value(by.get((x, y), nothing)) for x in work.xs] for y in work.ys])

    power = table(lambda s: s.power)
    soft = table(lambda s: float("nan") if s.power != s.power else float(len(s.soft)))
    x, y = np.array(work.xs) * 360.0, np.array(work.ys) * 360.0
    leads = angled(design).leads
    panels = (
        ("power", power, "W"),
        (f"rms current of {leads}", table(lambda s: s.rms), "A"),
        ("soft switches of 8", soft, ""),
    )
    for k, (name, values, unit) in enumerate(panels):
        axes = figure.add_axes((LEFT + STEP * k, 0.26, WIDTH, 0.565))
        _map(figure, axes, (x, y), values, (name, unit), LEFT + STEP * k)
        if np.isfinite(power).sum() > FEW:
            axes.contour(x, y, power, levels=[asked], colors=COLOURS[1], linewidths=1.4)
        _points(axes, work, points, paths)
        axes.set_xlabel(f"{PHASE_NAMES.get(work.across, work.across)} [°]", color=INK)
        if k == 0:
            axes.set_ylabel(f"{PHASE_NAMES.get(work.up, work.up)} [°]", color=INK)
        axes.tick_params(labelsize=8, colors=INK)
    axes.plot([], [], color=COLOURS[1], lw=1.4, label=f"power of {show(asked, 'W')}")
    axes.plot([], [], color=COLOURS[3], lw=0.9, label="on the way, least rms (dotted: as usual)")
    figure.legend(
        *axes.get_legend_handles_labels(),
        loc="lower left",
        bbox_to_anchor=(0.045, 0.02),
        ncols=4,
        fontsize=8,
        frameon=False,
    )
    return figure


LEFT, STEP, WIDTH, FEW = 0.055, 0.32, 0.275, 8
"""Where the panels stand, as parts of the figure; states that lines of equal power need at least."""


def _map(
    figure: Any, axes: Any, at: tuple[Any, Any], values: Any, what: tuple[str, str], left: float
) -> None:
    """Fill one panel, with its title and a bar of colours above."""
    from matplotlib.colors import LinearSegmentedColormap
    from matplotlib.ticker import MaxNLocator

    whole, finite = not what[1], values[np.isfinite(values)]
    scale, unit = (1.0, "") if whole else prefixed([finite], what[1])
    shown = values * scale
    figure.text(left, 0.915, f"{what[0]} [{unit}]" if unit else what[0], color=INK, fontsize=10)
    if not len(finite):
        return
    rounded = MaxNLocator(LEVELS, steps=[1, 2, 2.5, 5, 10]).tick_values(
        float(finite.min()) * scale, float(finite.max()) * scale
    )
    levels = np.arange(-0.5, 9.0) if whole else rounded
    filled = axes.contourf(*at, shown, levels=levels, cmap=LinearSegmentedColormap.from_list("map", SHADES))
    if not whole:
        axes.clabel(
            axes.contour(*at, shown, levels=levels, colors=INK, linewidths=0.5), fmt="%.4g", fontsize=7
        )
    bar = figure.colorbar(filled, cax=figure.add_axes((left, 0.885, WIDTH, 0.014)), orientation="horizontal")
    bar.ax.tick_params(labelsize=7, colors=INK, length=0, pad=2)
    if whole:
        bar.set_ticks(range(9))


MARKERS = ("o", "s", "^", "v", "D")


def _points(axes: Any, work: AngleWork, points: Sequence[Working], paths: Sequence[Path]) -> None:
    """Mark operating points as usual (hollow) and with the least rms current (filled), and the ways between them."""
    for way in paths:
        for which, style in ((0, ":"), (1, "-")):
            axes.plot(
                [360.0 * p[which][work.across] for p in way],
                [360.0 * p[which][work.up] for p in way],
                color=COLOURS[3],
                lw=0.9,
                ls=style,
            )
    for p, marker in zip(points, MARKERS, strict=False):
        where = f"{p.name}, {show(p.v_in, 'V')}, {show(p.i_o, 'A')}"
        for found, fill, label in ((p.angles, "white", where), (p.least, INK, f"{where}: least rms")):
            axes.plot(
                360.0 * found[work.across],
                360.0 * found[work.up],
                marker,
                ms=6.5,
                mec=INK,
                mfc=fill,
                ls="",
                label=label,
                clip_on=False,
                zorder=6,
            )
