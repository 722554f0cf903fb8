"""Wound components drawn: cross-section to scale, losses, flux on the curve of the material; and the designs of a search."""

from __future__ import annotations

from typing import Any

import numpy as np

from jump_lane.magnetics.asked import Asked
from jump_lane.magnetics.choice import Choice
from jump_lane.magnetics.conductors import front
from jump_lane.magnetics.design import Wound
from jump_lane.magnetics.magnetisation import flux_curve
from jump_lane.magnetics.proof import Proven
from jump_lane.magnetics.section import Shape, section
from jump_lane.operating.wound import Course
from jump_lane.quantities import show
from jump_lane.report.figures import COLOURS, INK, dress, prefixed, sheet

FACES = {
    "core": "#8d9aa0",
    "gap": "#fbfaf6",
    "bobbin": "#e6d9bd",
    "insulation": "#d9c089",
    "margin": "#efe6cf",
    "enamel": "#ffffff",
}
"""Colours of what is no copper."""


def core_figure(
    title: str, wound: Wound, turns: int, course: Course, limit: float, temperature: float
) -> Any:
    """Draw flux density over field of a core through one period, and both over time.

    The field is that of the ampere-turns over the effective length, gaps included; thin the curve of the material with its gaps.

    Parameters
    ----------
    turns
        Of the magnetised path.
    limit
        Flux density that the smallest section stays below [T].
    temperature
        Of the core [°C].
    """
    figure = sheet(title)
    curve = flux_curve(wound.core, wound.material, wound.gap, turns, temperature)
    density = course.linkage / (turns * wound.core.least_area)
    current = np.sign(course.linkage) * np.array([curve.current_at(v) for v in course.linkage])
    field = turns * current / wound.core.path
    axes = figure.add_axes((0.085, 0.09, 0.5, 0.82))
    dress(axes)
    end = 1.6 * float(np.abs(field).max())
    span = np.linspace(-end if density.min() < 0.0 else 0.0, end, 300)
    at = np.sign(span) * np.array([curve.density_at(h * wound.core.path / turns) for h in span])
    axes.plot(
        span, 1e3 * at, color=INK, lw=0.8, label=f"{wound.material.part}, gaps included, {temperature:.0f} °C"
    )
    axes.plot(field, 1e3 * density, color=COLOURS[0], lw=3.0, label="through the period")
    for sign in (1.0, -1.0) if density.min() < 0.0 else (1.0,):
        axes.axhline(
            sign * 1e3 * limit, color=COLOURS[1], lw=0.9, ls="--", label="limit" if sign > 0.0 else None
        )
    axes.set_xlabel("field of the ampere-turns, N·i/l_e [A/m]", fontsize=9, color=INK)
    axes.set_ylabel("flux density in the smallest section [mT]", fontsize=9, color=INK)
    axes.legend(loc="lower right", fontsize=8, frameon=False)
    scale, unit = prefixed([course.time], "s")
    for row, (values, words) in enumerate(((1e3 * density, "flux density [mT]"), (field, "field [A/m]"))):
        side = figure.add_axes((0.68, 0.55 - 0.46 * row, 0.3, 0.36))
        dress(side)
        side.plot(course.time * scale, values, color=COLOURS[row], lw=1.4)
        side.set_title(words, fontsize=9, color=INK, loc="left")
        side.set_xlabel(f"time [{unit}]", fontsize=8, color=INK)
    return figure


FEW_DECADES = 12.0
"""Where the largest value is below so many times the smallest one, there is room to name what lies between decades."""

NAMED_APART = 0.3
"""How far apart named designs are at least, in the logarithm of volume."""


def wound_figure(title: str, asked: Asked, found: Proven) -> Any:
    """Draw the cross-section, losses at every corner, and the path of the flux on the curve of the material."""
    figure = sheet(f"{title}: {asked.coil.name} on {found.wound.core.part}")
    _section(figure.add_axes((0.04, 0.07, 0.3, 0.82)), found)
    _losses(figure.add_axes((0.60, 0.56, 0.375, 0.33)), asked, found)
    _path(figure.add_axes((0.60, 0.09, 0.375, 0.36)), asked, found)
    return figure


def _section(axes: Any, found: Proven) -> None:
    from matplotlib.patches import Circle, Rectangle

    names = [w.name for w in found.wound.windings]
    started: set[str] = set()
    ring = found.wound.core.ring
    if ring:
        _ring(axes, found)
    for s in section(found):
        if ring and s.kind != "circle":
            continue
        colour = COLOURS[names.index(s.winding) % len(COLOURS)] if s.what == "copper" else FACES[s.what]
        x, y, w, h = (1e3 * v for v in (s.x, s.y, s.width, s.height))
        if ring:
            x, y = _round(found, s)
        patch = Circle((x, y), 0.5 * w) if s.kind == "circle" else Rectangle((x, y), w, h)
        patch.set(facecolor=colour, edgecolor=INK, linewidth=0.3)
        axes.add_patch(patch)
        if s.what == "copper" and s.winding not in started:
            started.add(s.winding)
            middle = (x, y) if s.kind == "circle" else (x + 0.5 * w, y + 0.5 * h)
            axes.plot(*middle, "o", color="#ffffff", ms=3, mec=INK, mew=0.5, zorder=5)
    for k, name in enumerate(names):
        winding = found.wound.windings[k]
        axes.plot(
            [],
            [],
            "s",
            color=COLOURS[k % len(COLOURS)],
            label=f"{name}: {winding.turns} turns, {winding.wire.part}",
        )
    axes.plot([], [], "o", color="#ffffff", mec=INK, ms=4, label="dot: first turn")
    axes.set_aspect("equal")
    axes.autoscale_view()
    for side in ("top", "right", "left", "bottom"):
        axes.spines[side].set_visible(False)
    axes.tick_params(labelsize=7, colors=INK)
    axes.set_xlabel("[mm]" if ring else "distance from the leg [mm]", fontsize=8, color=INK)
    axes.legend(loc="upper left", bbox_to_anchor=(1.0, 1.0), fontsize=8, frameon=False)
    words = "the ring, its inner half of every turn" if ring else "one window, to scale"
    axes.set_title(words, fontsize=9, color=INK, loc="left")


def _ring(axes: Any, found: Proven) -> None:
    """Draw a ring seen from above."""
    from matplotlib.patches import Annulus

    core = found.wound.core
    outer = 0.5e3 * core.width
    patch = Annulus((0.0, 0.0), outer, 1e3 * core.leg_width)
    patch.set(facecolor=FACES["core"], edgecolor=INK, linewidth=0.6)
    axes.add_patch(patch)


def _round(found: Proven, shape: Shape) -> tuple[float, float]:
    """Return where a conductor lies inside a ring [mm]: the height of the window goes around it."""
    core = found.wound.core
    radius = 0.5e3 * core.width - 1e3 * core.leg_width - 1e3 * shape.x
    angle = 2.0 * np.pi * shape.y / core.window_height
    return float(radius * np.cos(angle)), float(radius * np.sin(angle))


def _losses(axes: Any, asked: Asked, found: Proven) -> None:
    dress(axes)
    names = [c.words for c in asked.burden.courses]
    at = np.arange(len(names))[::-1]
    axes.barh(at, found.copper, color=COLOURS[0], label="winding", height=0.7)
    axes.barh(at, found.core, left=found.copper, color=COLOURS[1], label="core", height=0.7)
    axes.set_yticks(at, names, fontsize=8, color=INK)
    axes.set_xlabel("loss [W]", fontsize=8, color=INK)
    axes.set_title(
        f"at most {show(found.loss, 'W')}, {found.rise:.0f} K warmer",
        fontsize=9,
        color=INK,
        loc="left",
    )
    axes.legend(loc="lower right", bbox_to_anchor=(1.0, 1.0), ncols=2, fontsize=8, frameon=False)


def _path(axes: Any, asked: Asked, found: Proven) -> None:
    """Draw what flux density each corner reaches over the current of the magnetised path, on the curve of core and gap."""
    dress(axes)
    curve, wound = found.curve, found.wound
    turns = asked.coil.turns_of(wound.turns[0])
    largest = max(asked.largest, 1e-12)
    end = 2.2 * curve.current_at(largest)
    current = np.linspace(0.0, end, 300)
    density = np.interp(current, curve.current, curve.density)
    axes.plot(current, 1e3 * density, color=INK, lw=1.0, label="core with its gap, hot")
    limit = found.limit * (1.0 - asked.table.flux_margin)
    axes.axhline(1e3 * limit, color=COLOURS[1], lw=0.9, ls="--", label="limit")
    for k, course in enumerate(asked.burden.courses):
        low, high = float(course.linkage.min()), float(course.linkage.max())
        span = np.linspace(low, high, 60)
        at = np.sign(span) * np.array([curve.current_at(v) for v in span])
        axes.plot(
            at,
            1e3 * span / (turns * wound.core.least_area),
            color=COLOURS[(k + 2) % len(COLOURS)],
            lw=2.6,
            alpha=0.6,
        )
    axes.set_ylim(
        bottom=min(
            0.0,
            1.1e3
            * min(float(c.linkage.min()) for c in asked.burden.courses)
            / (turns * wound.core.least_area),
        )
    )
    axes.set_xlabel("magnetising current [A]", fontsize=8, color=INK)
    axes.set_ylabel("flux density [mT]", fontsize=8, color=INK)
    axes.set_title("where each corner moves on the magnetisation curve", fontsize=9, color=INK, loc="left")
    axes.legend(loc="lower right", fontsize=8, frameon=False)


def pareto_figure(title: str, choice: Choice) -> Any:
    """Draw loss over volume of all designs of a search; those that nothing beats in both are joined and named."""
    figure = sheet(f"{title}: {choice.asked.coil.name}, {choice.valid} designs that hold")
    axes = figure.add_axes((0.085, 0.1, 0.88, 0.8))
    dress(axes)
    loss = np.array([p[0] for p in choice.points])
    volume = 1e6 * np.array([p[1] for p in choice.points])
    axes.plot(
        volume,
        loss,
        ".",
        color=COLOURS[0],
        ms=3,
        alpha=0.35,
        label="best of each core, turns, material and order",
    )
    best = front(volume, loss[None], None)
    axes.plot(
        volume[best], loss[best], "-", color=COLOURS[1], lw=1.2, label="nothing is smaller and loses less"
    )
    last = -np.inf
    for k in best:
        if np.log(volume[k]) - last > NAMED_APART:
            axes.annotate(
                choice.points[k][2],
                (volume[k], loss[k]),
                xytext=(4, 5),
                textcoords="offset points",
                fontsize=7,
                color=INK,
            )
            last = np.log(volume[k])
    listed = np.array([(1e6 * p.volume, p.loss) for p in choice.designs])
    axes.plot(
        listed[:, 0],
        listed[:, 1],
        "o",
        color=COLOURS[2],
        ms=7,
        mfc="none",
        mew=1.6,
        label="in the list, computed once more",
    )
    axes.set_xscale("log")
    axes.set_yscale("log")
    for axis, values in ((axes.xaxis, volume), (axes.yaxis, loss)):
        few = float(values.max()) < FEW_DECADES * float(values.min())
        axis.set_major_formatter(lambda v, _: f"{v:g}")
        axis.set_minor_formatter(lambda v, _, few=few: f"{v:g}" if few else "")
        axis.set_tick_params(which="both", labelsize=8)
    axes.set_xlabel("volume [cm³]", fontsize=9, color=INK)
    axes.set_ylabel("loss at the worst corner [W]", fontsize=9, color=INK)
    axes.legend(loc="upper right", fontsize=8, frameon=False)
    return figure
