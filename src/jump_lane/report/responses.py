"""What source and load see of a converter, as tables, columns and a figure."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from jump_lane.control.surroundings import Answers
from jump_lane.quantities import show
from jump_lane.report.bode import decibels, over_frequency
from jump_lane.report.export import Columns
from jump_lane.report.figures import COLOURS, INK, sheet
from jump_lane.report.table import Table, View


def answers_view(found: Answers) -> View:
    """Show responses in open and closed loop at some frequencies."""
    groups = (
        ("To the control", [n for n in found.names if n.startswith("control")]),
        ("In open loop", [n for n in found.names if n.endswith("open")]),
        ("Under the loop", [n for n in found.names if n.endswith("closed")]),
    )
    tables = [_answers(found, title, names) for title, names in groups if names]
    notes = (
        f"at {found.words}; a sine for all time, exact: what comes out at the same frequency",
        "worst output impedance: " + found.worst,
    )
    data = {
        "frequencies": found.frequencies.tolist(),
        "responses": {n: [[v.real, v.imag] for v in found.values[n].tolist()] for n in found.names},
    }
    return View("responses", data, tuple(tables), notes)


def _answers(found: Answers, title: str, names: list[str]) -> Table:
    heads = ("frequency>", *(f"{n.partition(', ')[0]}>" for n in names))
    rows = [
        (show(f, "Hz"), *(_polar(found.values[n][k], found.units[n]) for n in names))
        for k, f in enumerate(found.frequencies.tolist())
    ]
    return Table(title, heads, tuple(rows))


def _polar(value: complex, unit: str) -> str:
    return f"{show(abs(value), unit)} ∠ {math.degrees(math.atan2(value.imag, value.real)):.1f}°"


def answers_columns(found: Answers) -> Columns:
    """Return every response over frequency."""
    out: Columns = {"frequency [Hz]": found.frequencies.tolist()}
    for n in found.names:
        out[f"{n}, magnitude [{found.units[n] or '1'}]"] = np.abs(found.values[n]).tolist()
        out[f"{n}, phase [°]"] = np.degrees(np.angle(found.values[n])).tolist()
    return out


def answers_figure(found: Answers, title: str) -> Any:
    """Draw responses: control and line above, impedances below, open loop thin."""
    figure = sheet(f"{title}: responses at {found.words}")
    groups = (
        ("control [dB]", [n for n in found.names if n.startswith("control")]),
        ("input to output [dB]", [n for n in found.names if n.startswith("line")]),
        ("impedance [dBΩ]", [n for n in found.names if "impedance" in n]),
    )
    for k, (words, names) in enumerate(groups):
        axes = figure.add_axes((0.085, 0.69 - 0.3 * k, 0.68, 0.24))
        for i, n in enumerate(names):
            style = {"lw": 1.0, "ls": "--"} if n.endswith("open") else {"lw": 1.7}
            colour = COLOURS[i % len(COLOURS)]
            axes.plot(found.frequencies, decibels(found.values[n]), color=colour, label=n, **style)
        over_frequency(axes, found.frequencies, words)
        axes.legend(loc="upper left", bbox_to_anchor=(1.01, 1.0), fontsize=8, frameon=False)
    axes.set_xlabel("frequency [Hz]", color=INK, fontsize=9)
    return figure
