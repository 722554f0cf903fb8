"""The gain of a resonant converter as tables, columns and a figure."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise
from typing import Any

import numpy as np

from jump_lane.equations.formula import pretty
from jump_lane.quantities import show
from jump_lane.report.export import Columns
from jump_lane.report.figures import COLOURS, INK, dress, shade, sheet
from jump_lane.report.table import Table, View
from jump_lane.study.gain import GainWork, Held, Place

HIGHEST = 1.6
"""How far above the largest gain needed the figure goes."""


def gain_view(work: GainWork, places: Sequence[Place], held: Sequence[Held], complete: bool) -> View:
    """Show the peak of every load, every corner with its frequency, and what remains beyond the loads asked.

    The exit status is 1 where a corner cannot be held.
    """
    design, f_0 = work.design, work.design.sheet["f_0"].worst
    peaks = [_peak_row(work, places, load) for load in work.loads]
    corners = [
        (
            show(h.v_in, "V"),
            show(h.i_o, "A"),
            show(h.gain),
            show(h.derived, "Hz"),
            show(h.frequency, "Hz") if h.mode else "–",
            show(h.frequency / f_0) if h.mode else "–",
            h.mode or h.failure,
        )
        for h in held
    ]
    heads = (
        "load>",
        "quality factor>",
        "exact peak>",
        "at>",
        "peak by its formula>",
        "peak by first harmonic>",
    )
    tables = (
        Table("Peak of the gain, at nominal input", heads, tuple(peaks)),
        Table(
            "Corners with the output held",
            ("input>", "load>", "gain needed>", "frequency derived>", "exact>", "over f_0>", "mode"),
            tuple(corners),
        ),
    )
    assert design.page.gain is not None
    values = [design.sheet[s] for s in design.page.gain.stated if s in design.sheet]
    notes = [f"{pretty(v.symbol)} = {show(v.worst, v.unit)}: {v.meaning}" for v in values]
    notes += [] if complete else ["interrupted: what was finished is kept"]
    data = {
        "resonance": f_0,
        "places": [
            {
                "load": p.load,
                "frequency": p.frequency,
                "gain": p.gain,
                "harmonic": p.harmonic,
                "reserve": p.reserve,
                "reason": p.failure or None,
            }
            for p in places
        ],
        "corners": [
            {
                "V_in": h.v_in,
                "I_o": h.i_o,
                "gain": h.gain,
                "derived": h.derived,
                "frequency": h.frequency,
                "mode": h.mode or None,
                "reason": h.failure or None,
            }
            for h in held
        ],
        "stated": {v.symbol: {"value": v.worst, "unit": v.unit, "meaning": v.meaning} for v in values},
    }
    return View("gain", data, tables, tuple(notes), 1 if any(h.failure for h in held) else 0)


def _of(places: Sequence[Place], load: float) -> list[Place]:
    return sorted((p for p in places if p.load == load), key=lambda p: p.frequency)


def _peak_row(work: GainWork, places: Sequence[Place], load: float) -> tuple[str, ...]:
    own = [p for p in _of(places, load) if not p.failure]
    sheet = work.design.at(i_o=load).sheet
    if not own:
        return (show(load, "A"), show(sheet["Q"].worst), "–", "–", "–", "–")
    best = max(own, key=lambda p: p.gain)
    edge = best in (own[0], own[-1])
    known = "M_pk" in sheet
    return (
        show(load, "A"),
        show(sheet["Q"].worst),
        show(best.gain) + ("+" if edge else ""),
        show(best.frequency, "Hz"),
        show(sheet["M_pk"].worst) if known else "1",
        show(max(p.harmonic for p in own)),
    )


def gain_columns(places: Sequence[Place]) -> Columns:
    """Return a row for each state."""
    return {
        "load [A]": [p.load for p in places],
        "frequency [Hz]": [p.frequency for p in places],
        "gain [1]": [p.gain for p in places],
        "first harmonic [1]": [p.harmonic for p in places],
        "reserve [A]": [p.reserve for p in places],
        "reason": [p.failure for p in places],
    }


def gain_figure(work: GainWork, places: Sequence[Place], held: Sequence[Held]) -> Any:
    """Draw exact gains over f/f_0, the first harmonic thin behind, the range of the design and its corners."""
    design, f_0 = work.design, work.design.sheet["f_0"].worst
    figure = sheet(f"{design.title}: gain over frequency at {show(design.at().inputs[0], 'V')}")
    axes = figure.add_axes((0.075, 0.09, 0.735, 0.82))
    needed = [h.gain for h in held]
    low, high = work.frequencies[0] / f_0, work.frequencies[-1] / f_0
    top = HIGHEST * max(needed)
    axes.axhspan(min(needed), max(needed), color="#e9efdc", zorder=0, label="gain that the corners need")
    for k, load in enumerate(work.loads):
        own = [p for p in _of(places, load) if not p.failure]
        colour = shade(k / max(len(work.loads) - 1, 1)) if len(work.loads) > 1 else COLOURS[0]
        x = np.array([p.frequency / f_0 for p in own])
        axes.plot(x, [p.harmonic for p in own], color=colour, lw=0.6, alpha=0.6, zorder=2)
        axes.plot(x, [p.gain for p in own], color=colour, lw=1.7, zorder=3, label=f"{show(load, 'A')}, exact")
    axes.plot([], [], color=INK, lw=0.6, label="first harmonic")
    for limit in ("f_min", "f_max"):
        axes.axvline(design.sheet[limit].worst / f_0, color=INK, lw=0.9, ls=":", zorder=1)
    axes.plot([], [], color=INK, lw=0.9, ls=":", label="frequency limits")
    _hatch(axes, work, places, low, top)
    _mark(axes, held, f_0)
    dress(axes)
    axes.set_xscale("log")
    ticks = [t for t in (0.2, 0.3, 0.4, 0.5, 0.6, 0.8, 1.0, 1.2, 1.5, 2.0, 2.5, 3.0) if low <= t <= high]
    axes.set_xticks(ticks, [f"{t:g}" for t in ticks])
    axes.minorticks_off()
    axes.set_xlim(low, high)
    axes.set_ylim(0.0, top)
    axes.set_xlabel(f"frequency over the series resonance, {show(f_0, 'Hz')}", color=INK)
    axes.set_ylabel("gain: output as the tank sees it, over what drives it", color=INK)
    axes.legend(loc="upper left", bbox_to_anchor=(1.01, 1.0), fontsize=8, frameon=False)
    return figure


def _mark(axes: Any, held: Sequence[Held], f_0: float) -> None:
    """Mark the corners that are held, each light load hollow."""
    full = max(h.i_o for h in held)
    for label, own, filled in (
        ("corners, full load", [h for h in held if h.mode and h.i_o == full], True),
        ("corners, lighter", [h for h in held if h.mode and h.i_o != full], False),
    ):
        axes.plot(
            [h.frequency / f_0 for h in own],
            [h.gain for h in own],
            "o",
            ms=7,
            mec=INK,
            mfc=INK if filled else "white",
            zorder=5,
            label=label,
        )


def _hatch(axes: Any, work: GainWork, places: Sequence[Place], low: float, top: float) -> None:
    """Hatch the side of the peaks on which the tank current leads."""
    f_0 = work.design.sheet["f_0"].worst
    edge = [e for load in work.loads for e in _turning(_of(places, load))]
    if not edge:
        return
    edge.sort(key=lambda e: e[1])
    gains = np.array([0.0, *(g for _, g in edge), top])
    ends = np.array([edge[0][0], *(f for f, _ in edge), edge[-1][0]]) / f_0
    axes.fill_betweenx(
        gains,
        low,
        ends,
        facecolor="none",
        edgecolor="#c9bfae",
        hatch="////",
        lw=0.0,
        zorder=1,
        label="tank current leads",
    )


def _turning(own: Sequence[Place]) -> list[tuple[float, float]]:
    """Return frequency and gain at which the reserve of one load goes, between two states."""
    for a, b in pairwise(p for p in own if not p.failure):
        if a.reserve <= 0.0 < b.reserve and math.isfinite(a.reserve):
            part = a.reserve / (a.reserve - b.reserve)
            return [(a.frequency + part * (b.frequency - a.frequency), a.gain + part * (b.gain - a.gain))]
    return []
