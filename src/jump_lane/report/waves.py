"""Waveforms for a reader: measures, the intervals of a period, samples as CSV."""

from __future__ import annotations

from typing import Any

import numpy as np

from jump_lane.quantities import show, show_percent
from jump_lane.report.table import Table, View, to_csv
from jump_lane.switching.record import Recording
from jump_lane.switching.waveforms import NOISE, Measures, Waveforms, unit_of

TELLING = 10.0
"""A peak-to-peak value above this multiple of the average is not expressed by it."""


def measures_table(title: str, found: dict[str, Measures]) -> Table:
    """Return average, rms, extremes and ripple of some signals."""
    rows = []
    for name, m in found.items():
        unit = unit_of(name)
        values = (m.average, m.rms, m.minimum, m.maximum, m.peak_to_peak)
        small = NOISE * m.peak
        ripple = show_percent(m.ripple) if m.ripple < TELLING else "–"
        rows.append((name, *(show(v if abs(v) > small else 0.0, unit) for v in values), ripple))
    columns = ("signal", "average>", "rms>", "minimum>", "maximum>", "peak to peak>", "of average>")
    return Table(title, columns, tuple(rows))


def measures_data(found: dict[str, Measures]) -> dict[str, Any]:
    """Return the same as numbers."""
    return {
        name: {
            "unit": unit_of(name),
            "average": m.average,
            "rms": m.rms,
            "minimum": m.minimum,
            "maximum": m.maximum,
            "peak_to_peak": m.peak_to_peak,
        }
        for name, m in found.items()
    }


INSTANT = 1e-7
"""A shorter part of the period is one instant, at which several devices change over one after the other."""


def interval_rows(recording: Recording, inductors: tuple[str, ...]) -> list[dict[str, Any]]:
    """Return the intervals of the period: who conducts, and what each inductor sees.

    Stretches that only an instant separates are kept apart, the instants are left out; an inductor's voltage is its
    average over the interval, its current is given at both ends.
    """
    out = []
    for i, stretch in enumerate(recording.stretches):
        part = (stretch.end - stretch.start) / recording.period
        if part < INSTANT:
            continue
        entry: dict[str, Any] = {
            "from": stretch.start,
            "to": stretch.end,
            "part": part,
            "conducting": list(stretch.conducting),
        }
        for name in inductors:
            current = recording.ends(i, f"{name}.i")
            voltage = recording.stretch_average(i, f"{name}.v")
            entry[name] = {"voltage": voltage, "current_from": current[0], "current_to": current[1]}
        out.append(entry)
    return out


def interval_table(recording: Recording, inductors: tuple[str, ...]) -> Table:
    """Return the intervals as a table."""
    rows = []
    for entry in interval_rows(recording, inductors):
        cells = [
            show(entry["from"], "s"),
            show(entry["to"], "s"),
            show_percent(entry["part"]),
            show(360.0 * entry["part"], "°"),
            ", ".join(entry["conducting"]) or "nothing: idle",
        ]
        for name in inductors:
            seen = entry[name]
            cells += [
                show(_clean(seen["voltage"]), "V"),
                f"{show(_clean(seen['current_from']), 'A')} → {show(_clean(seen['current_to']), 'A')}",
            ]
        rows.append(tuple(cells))
    heads = [h for name in inductors for h in (f"{name} sees>", f"{name} current>")]
    columns = ("from>", "to>", "part of period>", "angle>", "conducting", *heads)
    return Table("Intervals of the period", columns, tuple(rows))


def _clean(value: float) -> float:
    return 0.0 if abs(value) < 1e-9 else value


def samples_csv(waveforms: Waveforms) -> str:
    """Return samples as CSV with units in the heading."""
    columns = ("time [s]", *(f"{n} [{unit_of(n) or '1'}]" for n in waveforms.signals))
    table = np.column_stack([waveforms.time, *waveforms.signals.values()])
    return to_csv(columns, [tuple(f"{v:.9g}" for v in row) for row in table])


def waves_view(
    title: str, recording: Recording, found: dict[str, Measures], inductors: tuple[str, ...]
) -> View:
    """Show measures and intervals."""
    tables = (measures_table(title, found), interval_table(recording, inductors))
    data = {
        "title": title,
        "period": recording.period,
        "measures": measures_data(found),
        "intervals": interval_rows(recording, inductors),
    }
    return View("waves", data, tables)
