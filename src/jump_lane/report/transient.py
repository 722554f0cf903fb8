"""A run over time as tables, columns and a figure."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from jump_lane.control.journey import HELD, Journey, Strain, Swing
from jump_lane.control.modulator import COMMAND
from jump_lane.judge.verdict import ROUNDING
from jump_lane.quantities import show
from jump_lane.report.export import Columns
from jump_lane.report.figures import COLOURS, INK, dress, prefixed, sheet
from jump_lane.report.over_time import envelope, events, strip_columns
from jump_lane.report.table import Table, View
from jump_lane.switching.waveforms import unit_of


def transient_view(run: Journey) -> View:
    """Show what the output does at each event, what components bear, and how it conducts on the way.

    The exit status is 1 where something asked is not met.
    """
    swings, strains, modes = run.swings(), list(run.strains()), run.modes()
    broken = list(_broken(run, swings, strains))
    tables = [_swings(run, swings), _strains(strains), _modes(modes)]
    notes = [f"not met: {b}" for b in broken] or ["everything asked holds on the way"]
    notes += [
        f"{s.words}: the output has not settled by {show(s.end, 's')}"
        for s in swings
        if s.settled is None and run.loop is not None
    ]
    notes += [] if run.complete else ["interrupted: what was run is kept"]
    words = "its loop closed" if run.loop is not None else "in open loop"
    start = "from rest" if run.rest else f"from the steady state at {run.stage.words}"
    heading = f"{show(run.passage.time, 's')} {start}, {words}; settled: within {100 * run.band:.3g} % of where it ends"
    return View("transient", _data(run, swings, strains, modes, broken), tuple(t for t in tables if t.rows), tuple(notes),
                1 if broken else 0, heading=heading)  # fmt: skip


def _broken(run: Journey, swings: list[Swing], strains: list[Strain]) -> list[str]:
    out = [
        f"{s.component}: {s.what} of {show(s.value, s.unit)} at {show(s.at, 's')}, rated for {show(s.limit, s.unit)}"
        for s in strains
        if s.limit is not None and s.value > s.limit
    ]
    control = run.stage.design.spec.control
    if control is not None and control.deviation is not None:
        for s in swings:
            if "load" in s.words and s.deviation > control.deviation * (1.0 + ROUNDING):
                out.append(
                    f"{s.words}: the output deviates by {show(s.deviation, run.unit)}, asked at most {show(control.deviation, run.unit)}"
                )
    return out


def _swings(run: Journey, swings: list[Swing]) -> Table:
    heads = ("at>", "event", "before>", "after>", "below both>", "above both>", "settled in>")
    rows = []
    for s in swings:
        under = f"{show(s.undershoot, run.unit)}{_part(s.undershoot, s.after)}"
        over = f"{show(s.overshoot, run.unit)}{_part(s.overshoot, s.after)}"
        rows.append((
            show(s.start, "s"), s.words, show(s.before, run.unit), show(s.after, run.unit), under if s.words != "from rest" else "–",
            over, "not" if s.settled is None else show(s.settled, "s"),
        ))  # fmt: skip
    return Table("The output", heads, tuple(rows), tuple("bad" if s.settled is None else "" for s in swings))


def _part(value: float, whole: float) -> str:
    return f" ({100.0 * value / abs(whole):.2g} %)" if whole else ""


def _strains(strains: list[Strain]) -> Table:
    rows = tuple(
        (s.component, s.what, show(s.value, s.unit), show(s.at, "s"), "–" if s.limit is None else show(s.limit, s.unit),
         "not known" if s.holds is None else "holds" if s.holds else "EXCEEDED")
        for s in strains
    )  # fmt: skip
    marks = tuple("bad" if s.holds is False else "" for s in strains)
    return Table(
        "Largest on the way", ("component", "what", "largest>", "at>", "rated for>", ""), rows, marks
    )


def _modes(modes: list[tuple[float, str]]) -> Table:
    return Table("Conduction on the way", ("from>", "mode"), tuple((show(t, "s"), m) for t, m in modes))


def _data(
    run: Journey,
    swings: list[Swing],
    strains: list[Strain],
    modes: list[tuple[float, str]],
    broken: list[str],
) -> dict[str, Any]:
    return {
        "title": run.stage.design.spec.title,
        "topology": run.stage.design.page.name,
        "end": run.passage.time,
        "closed": run.loop is not None,
        "events": [
            {"at": s.start, "event": s.words, "before": s.before, "after": s.after, "undershoot": s.undershoot,
             "overshoot": s.overshoot, "low": s.low, "low_at": s.low_at, "high": s.high, "high_at": s.high_at, "settled": s.settled}
            for s in swings
        ],
        "strains": [
            {"component": s.component, "what": s.what, "value": s.value, "unit": s.unit, "at": s.at, "limit": s.limit, "holds": s.holds}
            for s in strains
        ],
        "modes": [{"from": t, "mode": m} for t, m in modes],
        "broken": broken,
        "holds": not broken,
    }  # fmt: skip


def transient_columns(run: Journey) -> Columns:
    """Return a row for each period."""
    return strip_columns(run.passage.strip, lambda name: _unit(name, run))


def _unit(name: str, run: Journey) -> str:
    return {HELD: run.unit, "input": "A"}.get(name) or unit_of(name)


WINDOWS = 2
"""Events that are shown with every edge."""

AROUND = 12
"""Periods shown about an event."""


def transient_figure(run: Journey) -> Any:
    """Draw envelopes of output, inductor current and control over the whole run, and every edge about the largest events."""
    title = run.stage.design.title
    figure = sheet(f"{title}: {show(run.passage.time, 's')} over time")
    strip = run.passage.strip
    panels = [(HELD, "output")] + [(f"{n}.i", f"current of {n}") for n in run.stage.inductors[:1]]
    if COMMAND in strip.names:
        panels.append((COMMAND, "amplifier"))
    height = 0.84 / len(panels)
    scale, unit = prefixed([strip.end], "s")
    marks = [(p.event.at, p.words) for p in run.plan if p.event.at < run.passage.time]
    for row, (name, words) in enumerate(panels):
        axes = figure.add_axes((0.075, 0.93 - (row + 1) * height + 0.045, 0.5, height - 0.06))
        envelope(axes, strip, name, scale, f"{words} [{_unit(name, run)}]")
        events(axes, marks, scale, name == HELD)
        if name == HELD:
            axes.legend(loc="lower right", fontsize=8, frameon=False)
    axes.set_xlabel(f"time [{unit}]", color=INK, fontsize=9)
    shown = _largest(run)
    for row, swing in enumerate(shown):
        _window(figure, run, swing, row)
    return figure


def _largest(run: Journey) -> list[Swing]:
    swings = sorted(run.swings(), key=lambda s: -s.deviation)[:WINDOWS]
    return sorted(swings, key=lambda s: s.start)


def _window(figure: Any, run: Journey, swing: Swing, row: int) -> None:
    """Draw output and inductor current with every edge about an event."""
    period = run.stage.circuit.period
    start = max(swing.start - 2.0 * period, 0.0)
    end = min(start + AROUND * period, run.passage.time)
    time, values = run.passage.samples(start, end)
    names = [HELD, *(f"{n}.i" for n in run.stage.inductors[:1])]
    scale, unit = prefixed([time], "s")
    top = 0.93 - 0.46 * row
    for k, name in enumerate(names):
        axes = figure.add_axes((0.665, top - 0.19 * (k + 1), 0.315, 0.155))
        axes.plot(time * scale, _column(run, values, name), color=COLOURS[k], lw=1.0)
        dress(axes)
        axes.axvline(swing.start * scale, color=INK, lw=0.7, ls=":")
        axes.ticklabel_format(axis="y", useOffset=False)
        axes.set_xlim(start * scale, end * scale)
        axes.set_ylabel(f"{'output' if k == 0 else name[:-2]} [{_unit(name, run)}]", color=INK, fontsize=8)
        if k == 0:
            axes.set_title(f"every edge: {swing.words}", fontsize=9, color=INK, loc="left")
            axes.tick_params(labelbottom=False)
    axes.set_xlabel(f"time [{unit}]", color=INK, fontsize=8)


def _column(run: Journey, values: NDArray[np.float64], name: str) -> NDArray[np.float64]:
    return np.asarray(values[:, run.passage.strip.names.index(name)])
