"""Cursors and spectra on simulated waveforms."""

from __future__ import annotations

from typing import Any

from jump_lane.quantities import show, show_percent
from jump_lane.report.export import Columns
from jump_lane.report.table import Table, View
from jump_lane.switching.record import Recording
from jump_lane.switching.waveforms import Harmonic, Window, unit_of, window

CHARGE = {"A": "C", "V": "V·s", "": "s"}
SLOPE = {"A": "A/s", "V": "V/s", "": "1/s"}


def measure_view(title: str, recording: Recording, names: list[str], cursors: tuple[float, float]) -> View:
    """Show what two cursors measure on each signal."""
    found = {name: window(recording.samples_between(name, *cursors)) for name in names}
    rows = tuple(_row(name, w) for name, w in found.items())
    span = cursors[1] - cursors[0]
    columns = (
        "signal", "at first>", "at second>", "difference>", "slope>", "average>", "rms>", "peak to peak>",
        "of average>", "integral>",
    )  # fmt: skip
    notes = (
        f"cursors at {show(cursors[0], 's')} and {show(cursors[1], 's')}: "
        f"Δt = {show(span, 's')}, 1/Δt = {show(1.0 / span, 'Hz')}",
    )
    data: dict[str, Any] = {
        "title": title,
        "cursors": list(cursors),
        "dt": span,
        "signals": {name: w.data() | {"unit": unit_of(name)} for name, w in found.items()},
    }
    return View("measure", data, (Table(title, columns, rows),), notes)


def _row(name: str, w: Window) -> tuple[str, ...]:
    unit = unit_of(name)
    relative = w.peak_to_peak / abs(w.average) if w.average else float("inf")
    return (
        name,
        show(w.first, unit),
        show(w.second, unit),
        show(w.difference, unit),
        show(w.slope, SLOPE[unit]),
        show(w.average, unit),
        show(w.rms, unit),
        show(w.peak_to_peak, unit),
        show_percent(relative) if relative < 10.0 else "–",
        show(w.integral, CHARGE[unit]),
    )


def measure_columns(recording: Recording, names: list[str], cursors: tuple[float, float]) -> Columns:
    """Return a row for each signal."""
    found = {name: window(recording.samples_between(name, *cursors)) for name in names}
    out: Columns = {"signal": names, "unit": [unit_of(n) for n in names]}
    for key in ("first", "second", "slope", "average", "rms", "minimum", "maximum", "integral"):
        out[key] = [getattr(w, key) for w in found.values()]
    return out


def spectrum_view(title: str, spectra: dict[str, list[Harmonic]], decibel: bool) -> View:
    """Show amplitudes at the harmonics of the switching frequency."""
    tables = []
    for name, harmonics in spectra.items():
        unit = unit_of(name)
        rows = tuple(
            (str(h.order), show(h.frequency, "Hz"), amplitude_text(h, unit, decibel), show(h.phase, "°"))
            for h in harmonics
        )
        heads = ("harmonic>", "frequency>", "amplitude>", "phase>")
        tables.append(Table(f"{title}: spectrum of {name}", heads, rows))
    data = {
        "title": title,
        "spectra": {
            name: [
                {"order": h.order, "frequency": h.frequency, "amplitude": h.amplitude, "phase": h.phase}
                for h in harmonics
            ]
            for name, harmonics in spectra.items()
        },
    }
    return View("spectrum", data, tuple(tables))


def amplitude_text(harmonic: Harmonic, unit: str, decibel: bool) -> str:
    """Return an amplitude in its unit, or in decibels above one microunit (IEC 60027-3)."""
    if not decibel:
        return show(harmonic.amplitude, unit)
    return f"{harmonic.decibel:.1f} dBµ{unit}"
