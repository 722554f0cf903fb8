"""A measured loop beside the computed one, as tables, columns and a figure."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from jump_lane.control.measured import Fitted
from jump_lane.report.bode import Bode, decibels, unwound
from jump_lane.report.export import Columns
from jump_lane.report.figures import COLOURS, INK, sheet
from jump_lane.report.table import Table, View


def measured_view(found: Fitted, after: Mapping[str, str], anew: View) -> View:
    """Show the figures found, how well they agree, and the loop designed anew with them."""
    rows = tuple(
        (name, _read(after[name]), f"± {100.0 * u:.2g} %" if u < 10.0 else "not told by the measurement")
        for name, u in found.uncertain.items()
    )
    figures = Table("Found from the measurement", ("figure", "value>", "standard uncertainty>"), rows)
    gain, phase = found.residuals()
    old = np.log(found.before / found.measured.gain)
    kept = Table(
        "Computed less measured",
        ("", "gain, rms>", "largest>", "phase, rms>", "largest>"),
        (
            (
                "with the file",
                *_spread(old.real * 20.0 / np.log(10.0), "dB"),
                *_spread(np.degrees(old.imag), "°"),
            ),
            ("with what was found", *_spread(gain, "dB"), *_spread(phase, "°")),
        ),
    )
    notes = [f"{n}: the measurement does not tell it; leave it out of --unknown" for n in found.untold()]
    notes += ["the measured phase was read as the phase margin (−L)"] if found.turned else []
    titled = tuple(
        replace(t, title=f"Designed anew. {t.title}") if k == 0 else t for k, t in enumerate(anew.tables)
    )
    data = {
        "figures": {n: {"value": v, "uncertainty": found.uncertain[n]} for n, v in found.values.items()},
        "rms": {"gain": _rms(gain), "phase": _rms(phase)},
        "loop": anew.data,
    }
    return View(
        "measured",
        data,
        (figures, kept, *titled),
        (*notes, *anew.notes),
        anew.exit_status,
        changes=anew.changes,
    )


def _read(text: str) -> str:
    """Return an exact value as it is read, four digits."""
    number, _, unit = text.partition(" ")
    try:
        return f"{float(number):.4g} {unit}".strip()
    except ValueError:
        return text


def _rms(values: Any) -> float:
    return float(np.sqrt(np.mean(np.square(values))))


def _spread(values: Any, unit: str) -> tuple[str, str]:
    space = "" if unit == "°" else " "
    return f"{_rms(values):.3g}{space}{unit}", f"{float(np.abs(values).max()):.3g}{space}{unit}"


def measured_columns(found: Fitted) -> Columns:
    """Return measured and computed gain and phase, and their difference."""
    gain, phase = found.residuals()
    return {
        "frequency [Hz]": found.measured.frequencies.tolist(),
        "measured, gain [dB]": decibels(found.measured.gain).tolist(),
        "measured, phase [°]": unwound(found.measured.gain).tolist(),
        "computed, gain [dB]": decibels(found.computed).tolist(),
        "computed, phase [°]": unwound(found.computed).tolist(),
        "difference, gain [dB]": gain.tolist(),
        "difference, phase [°]": phase.tolist(),
    }


def measured_figure(found: Fitted, title: str) -> Any:
    """Draw what was measured as points, what is computed with and without what was found as lines."""
    frequencies = found.measured.frequencies
    figure = sheet(f"{title}: measured loop and computed one")
    bode = Bode(figure, 0.085, 0.88)
    style = {"ls": "none", "marker": "o", "ms": 5, "mfc": "none"}
    bode.draw(frequencies, found.measured.gain, 0.0, color=INK, label="measured", **style)
    bode.draw(frequencies, found.before, 0.0, color=COLOURS[1], lw=1.2, ls="--", label="with the file")
    bode.draw(frequencies, found.computed, 0.0, color=COLOURS[0], lw=1.6, label="with what was found")
    bode.gain.legend(loc="upper right", fontsize=9, frameon=False)
    bode.finish(frequencies)
    bode.phase.axhline(-180.0, color=INK, lw=0.8)
    words = ", ".join(f"{n} ± {100.0 * u:.2g} %" for n, u in found.uncertain.items() if u < 10.0)
    figure.text(0.085, 0.925, words, color=INK, fontsize=9)
    return figure
