"""A scaled converter: base quantities, scaling factors, parts, and the proof that waveforms keep their shape."""

from __future__ import annotations

from typing import Any

from jump_lane.design.derive import Design
from jump_lane.equations.formula import pretty
from jump_lane.quantities import show
from jump_lane.report.table import Table, View
from jump_lane.study.scale import Bases, Factors, Proven

BASES = (
    ("voltage", "V", "nominal input"),
    ("power", "W", "full load"),
    ("frequency", "Hz", "of the file"),
    ("current", "A", "P/V"),
    ("impedance", "Ω", "V²/P"),
    ("inductance", "H", "V²/(P·f)"),
    ("capacitance", "F", "P/(V²·f)"),
    ("time", "s", "1/f"),
)
"""Base quantities: name, unit, and what each is."""


GOES = {
    u: {"V": "v", "W": "p", "Hz": "f", "A": "p/v", "Ω": "v²/p", "H": "v²/(p·f)", "F": "p/(v²·f)", "s": "1/f"}[
        u
    ]
    for _, u, _ in BASES
}
"""What every quantity goes with, of voltages times v, powers times p and the frequency times f."""


def scale_view(before: Design, after: Design, factors: Factors, found: list[Proven]) -> View:
    """Show bases, factors and parts before and after; the exit status is 1 where a waveform has changed its shape."""
    old, new = Bases.of(before), Bases.of(after)
    first = tuple((n, what, show(old.unit(u), u), show(new.unit(u), u)) for n, u, what in BASES)
    second = tuple((n, GOES[u], show(factors.of(u))) for n, u, _ in BASES)
    parts = []
    for symbol, value in before.components().items():
        unit = before.sheet[symbol].unit
        scaled = after.sheet[symbol].worst
        parts.append((pretty(symbol), show(value, unit), show(value / old.unit(unit)), show(scaled, unit)))
    widest = max(found, key=lambda p: p.apart)
    holds = widest.apart <= SAME
    notes = [
        f"{len(found)} measures of both, simulated at nominal input and full load, are the same in units of their bases to "
        f"{widest.apart:.1e} ({widest.name})"
    ]
    data: dict[str, Any] = {
        "factors": {n: factors.of(u) for n, u, _ in BASES},
        "bases": {n: {"before": old.unit(u), "after": new.unit(u), "unit": u} for n, u, _ in BASES},
        "parts": {
            s: {
                "before": v,
                "per_unit": v / old.unit(before.sheet[s].unit),
                "after": after.sheet[s].worst,
                "unit": before.sheet[s].unit,
            }
            for s, v in before.components().items()
        },
        "proof": [{"name": p.name, "before": p.before, "after": p.after} for p in found],
    }
    tables = (
        Table("Base quantities", ("quantity", "is", "here>", "scaled>"), first),
        Table("Scaling factors", ("quantity", "goes with", "factor>"), second),
        Table("Parts", ("component", "here>", "in units of its base>", "scaled>"), tuple(parts)),
    )
    return View("scale", data, tables, tuple(notes), 0 if holds else 1)


SAME = 1e-9
"""How far normalised measures may be apart."""
