"""Waveforms for a reader: measures, the intervals of a period, samples as CSV."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from jump_lane.errors import InputError
from jump_lane.quantities import show, show_percent
from jump_lane.report.export import Columns
from jump_lane.report.figures import Panel
from jump_lane.report.table import Table, View
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
    out: list[dict[str, Any]] = []
    for i, stretch in enumerate(recording.stretches):
        part = (stretch.end - stretch.start) / recording.period
        if part < INSTANT:
            continue
        entry: dict[str, Any] = {
            "from": stretch.start,
            "to": stretch.end,
            "part": part,
            "conducting": [name for name in stretch.conducting if KNEE not in name],
            "inductors": {},
        }
        for name in inductors:
            current = recording.ends(i, f"{name}.i")
            voltage = recording.stretch_average(i, f"{name}.v")
            entry["inductors"][name] = {
                "voltage": voltage,
                "current_from": current[0],
                "current_to": current[1],
            }
        if out and out[-1]["conducting"] == entry["conducting"] and _only_bent(recording, i):
            _join(out[-1], entry)
        else:
            out.append(entry)
    return out


KNEE = ".knee"
"""In the names of what bends the curve of a saturating inductance, which is no device."""


def _only_bent(recording: Recording, i: int) -> bool:
    """Tell whether nothing but the inductance of a core changes between a stretch and the one before."""
    before, after = (set(recording.stretches[k].conducting) for k in (i - 1, i))
    changed = before ^ after
    return bool(changed) and all(KNEE in name for name in changed)


def _join(entry: dict[str, Any], following: dict[str, Any]) -> None:
    """Let an interval go on through the following one."""
    a, b = entry["part"], following["part"]
    entry["to"], entry["part"] = following["to"], a + b
    for name, seen in entry["inductors"].items():
        other = following["inductors"][name]
        seen["voltage"] = (a * seen["voltage"] + b * other["voltage"]) / (a + b)
        seen["current_to"] = other["current_to"]


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
            seen = entry["inductors"][name]
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


def sample_columns(waveforms: Waveforms) -> Columns:
    """Return samples with units in the headings."""
    signals = {f"{n} [{unit_of(n) or '1'}]": v.tolist() for n, v in waveforms.signals.items()}
    return {"time [s]": waveforms.time.tolist(), **signals}


@dataclass(frozen=True)
class Shown:
    """What is drawn of an operating point: panels, their waveforms in a window, and measures over one period."""

    panels: tuple[Panel, ...]
    waveforms: Waveforms
    measures: dict[str, Measures]


def windowed(seen: Waveforms, window: tuple[float | None, float | None]) -> Waveforms:
    """Return waveforms between two instants [s].

    Raises
    ------
    InputError
        If that is not within them.
    """
    last = float(seen.time[-1])
    low = 0.0 if window[0] is None else window[0]
    high = last if window[1] is None else window[1]
    if not 0.0 <= low < high <= last * (1 + 1e-9):
        raise InputError(
            f"--from {show(low, 's')} --to {show(high, 's')}: "
            f"expected a window within 0 … {show(last, 's')} (--periods shows more)"
        )
    return seen.between(low, high)


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
