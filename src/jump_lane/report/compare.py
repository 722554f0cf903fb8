"""Converters side by side."""

from __future__ import annotations

from dataclasses import asdict

from jump_lane.quantities import show
from jump_lane.report.derivation import SHORT
from jump_lane.report.table import Table, View
from jump_lane.study.compare import Candidate


def compare_view(title: str, found: list[Candidate]) -> View:
    """Show converters side by side, and which cannot do what is asked and why."""
    able = sorted((c for c in found if not c.failure), key=lambda c: (c.stress != c.stress, c.stress))
    unable = [c for c in found if c.failure]
    columns = (
        "converter<", "control>", "conduction", "stress>", "energy>", "C_o rms>", "C_i rms>",
        "parts>",
    )  # fmt: skip
    tables = [Table(f"{title}: least device stress first", columns, tuple(_row(c) for c in able))]
    if unable:
        rows = tuple((c.name, c.failure) for c in unable)
        tables.append(Table("Cannot do it", ("converter", "reason"), rows, ("faint",) * len(rows)))
    notes = (
        "stress: blocking voltage times peak current of all switches and rectifiers, over the output power; "
        "worst corner of each; energy: in all inductances at their peaks; parts: devices + magnetics + capacitors",
    )
    data = {"title": title, "converters": [asdict(c) for c in (*able, *unable)]}
    return View("compare", data, tuple(tables), notes, 0 if able else 1)


def _row(c: Candidate) -> tuple[str, ...]:
    return (
        c.name,
        f"{show(c.duty[0], c.unit)} … {show(c.duty[1], c.unit)}",
        ", ".join(SHORT.get(m, m) for m in c.modes),
        show(c.stress),
        show(c.energy, "J"),
        show(c.output_rms, "A"),
        show(c.input_rms, "A"),
        " + ".join(str(n) for n in c.parts),
    )
