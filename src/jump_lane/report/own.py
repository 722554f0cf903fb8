"""Circuits of one's own over time and their loops, as tables, columns and figures."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from jump_lane.control.margins import Margins
from jump_lane.control.own import OwnRun
from jump_lane.quantities import show
from jump_lane.report.bode import Bode
from jump_lane.report.export import Columns
from jump_lane.report.figures import COLOURS, INK, prefixed, sheet
from jump_lane.report.over_time import envelope, events, strip_columns
from jump_lane.report.table import Table, View
from jump_lane.switching.waveforms import unit_of


def own_view(run: OwnRun) -> View:
    """Show the extremes of every signal in every span between events, and its average at the end of it."""
    strip = run.passage.strip
    rows = []
    spans = []
    for start, end, words in run.spans:
        end = min(end, run.passage.time)
        if end <= start:
            continue
        inside = np.flatnonzero((strip.start >= start - 1e-12) & (strip.end <= end * (1.0 + 1e-12)))
        last = inside[-1] if len(inside) else -1
        for k, name in enumerate(strip.names):
            low, low_at, high, high_at = strip.extremes(name, start, end)
            unit = unit_of(name)
            average = float(strip.mean[last, k])
            rows.append((
                show(start, "s"), words, name, show(low, unit), show(low_at, "s"), show(high, unit), show(high_at, "s"), show(average, unit),
            ))  # fmt: skip
            spans.append(
                {"from": start, "to": end, "event": words, "signal": name, "least": low, "least_at": low_at, "largest": high,
                 "largest_at": high_at, "average": average}
            )  # fmt: skip
    heads = ("from>", "event", "signal", "least>", "at>", "largest>", "at>", "average at its end>")
    notes = () if run.complete else ("interrupted: what was run is kept",)
    data = {"title": run.title, "end": run.passage.time, "spans": spans, "state": run.passage.state}
    return View(
        "circuit-transient", data, (Table("Over time", heads, tuple(rows)),), notes, heading=run.title
    )


def own_columns(run: OwnRun) -> Columns:
    """Return a row for each period."""
    return strip_columns(run.passage.strip, unit_of)


MOST_PANELS = 4


def own_figure(run: OwnRun) -> Any:
    """Draw the envelope of every signal, four at most."""
    strip = run.passage.strip
    figure = sheet(f"{run.title}: {show(run.passage.time, 's')} over time")
    names = strip.names[:MOST_PANELS]
    scale, unit = prefixed([strip.end], "s")
    height = 0.86 / len(names)
    for row, name in enumerate(names):
        axes = figure.add_axes((0.085, 0.93 - (row + 1) * height + 0.05, 0.88, height - 0.06))
        envelope(axes, strip, name, scale, f"{name} [{unit_of(name)}]")
        events(axes, [(start, words) for start, _, words in run.spans[1:]], scale, row == 0)
    axes.set_xlabel(f"time [{unit}]", color=INK, fontsize=9)
    return figure


def own_loop_view(
    title: str,
    margins: Margins | None,
    outer: Margins | None,
    multipliers: NDArray[np.complex128],
    frequency: float,
) -> View:
    """Show margins and multipliers of a circuit; the exit status is 1 where it is not stable."""
    rows = []
    for words, found in (("at the comparator or controller", margins), ("opened at the command", outer)):
        if found is not None:
            rows += [
                (words, "crossover", show(f, "Hz"), f"phase margin {m:.2f}°") for f, m in found.crossovers
            ]
            rows += [
                (words, "real and negative", show(f, "Hz"), f"gain margin {m:.2f} dB")
                for f, m in found.crossings
            ]
    largest = float(np.abs(multipliers).max(initial=0.0))
    each = tuple(
        (
            _number(m),
            f"{abs(m):.6f}",
            show(abs(math.atan2(m.imag, m.real)) / (2.0 * math.pi) * frequency, "Hz"),
        )
        for m in multipliers.tolist()
        if m.imag >= -1e-12
    )
    stable = largest < 1.0
    tables = (
        Table("Loop gain", ("opened", "what", "frequency>", ""), tuple(rows)),
        Table(
            "Multipliers",
            ("value", "magnitude>", "oscillates at>"),
            each,
            tuple("" if float(e[1]) < 1.0 else "bad" for e in each),
        ),
    )
    note = "every small deviation dies out" if stable else "a small deviation grows: not stable"
    data = {
        "title": title,
        "stable": stable,
        "multipliers": [[m.real, m.imag] for m in multipliers.tolist()],
        "crossovers": [] if margins is None else [list(c) for c in margins.crossovers],
        "crossings": [] if margins is None else [list(c) for c in margins.crossings],
        "outer_crossovers": [] if outer is None else [list(c) for c in outer.crossovers],
    }
    return View(
        "circuit-loop", data, tuple(t for t in tables if t.rows), (note,), 0 if stable else 1, heading=title
    )


def _number(value: complex) -> str:
    return f"{value.real:.6g}" if abs(value.imag) < 1e-12 else f"{value.real:.6g} ± {abs(value.imag):.6g}j"


def own_loop_figure(
    title: str, frequencies: NDArray[np.float64], gain: NDArray[np.complex128], words: str
) -> Any:
    """Draw gain and phase of a loop, or of a response, over frequency."""
    figure = sheet(f"{title}: {words}")
    bode = Bode(figure, 0.085, 0.88)
    bode.draw(frequencies, gain, color=COLOURS[0], lw=1.6)
    bode.phase.axhline(-180.0, color=INK, lw=0.8)
    bode.finish(frequencies)
    return figure
