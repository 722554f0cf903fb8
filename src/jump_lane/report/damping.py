"""Damping of a device: what was derived, what the simulation shows without and with it."""

from __future__ import annotations

from typing import Any

from jump_lane.equations.formula import pretty
from jump_lane.quantities import show
from jump_lane.report.curves import Curve, curves_figure
from jump_lane.report.table import Table, View
from jump_lane.study.damping import Comparison


def damping_view(found: Comparison) -> View:
    """Show derived damping, and peak voltage and loss as simulated."""
    damped, quiet = found.damped, found.quiet
    rows = tuple(
        (pretty(v.symbol), v.meaning, show(v.worst, v.unit), damped.sheet.written(v)[0], v.origin)
        for v in damped.sheet
    )
    tables = (
        Table(f"Damping of {damped.device}", ("symbol", "meaning", "value>", "formula", "origin"), rows),
        _simulated(found),
    )
    at = f"{show(found.design.inputs[0], 'V')} in, {show(found.design.loads[0], 'A')} load"
    notes = [f"simulated at {at}"]
    if found.free is None:
        notes.append(f"without damping there is no result: {found.reason}")
    data = {
        "device": damped.device,
        "values": {v.symbol: {"value": v.worst, "unit": v.unit} for v in damped.sheet},
        "peak_without": None if found.free is None else found.peak(found.free),
        "peak_with": found.peak(quiet),
        "loss": quiet.power("R_d"),
    }
    return View("damp", data, tables, tuple(notes))


def _simulated(found: Comparison) -> Table:
    free = "no result" if found.free is None else show(found.peak(found.free), "V")
    clamp = found.damped.data.clamp
    limit = "" if clamp is None else show(clamp, "V")
    rows = (
        ("peak voltage without damping", show(found.damped["V_u"], "V"), free),
        ("peak voltage with damping", limit, show(found.peak(found.quiet), "V")),
        ("power lost in R_d", show(found.damped["P_d"], "W"), show(found.quiet.power("R_d"), "W")),
    )
    return Table("Simulated", ("quantity", "derived>", "simulated>"), rows)


def damping_figure(found: Comparison) -> Any:
    """Draw the voltage across the device without and with damping over one period."""
    curves = []
    for label, recording in (("without damping", found.free), ("with damping", found.quiet)):
        if recording is not None:
            seen = recording.waveforms(("C_p.v",), 4000)
            curves.append(Curve(label, seen.time.tolist(), seen.signals["C_p.v"].tolist(), "V"))
    currents = []
    seen = found.quiet.waveforms(("R_d.i",), 4000)
    currents.append(Curve("_current", seen.time.tolist(), seen.signals["R_d.i"].tolist(), "A"))
    title = f"{found.design.title}: ringing of {found.damped.device}"
    panels = {f"voltage of {found.damped.device} [V]": curves, "current of R_d [A]": currents}
    return curves_figure(title, panels, ("time", "s"), False)
