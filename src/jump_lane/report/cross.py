"""Cross regulation: the load matrix and the band of every output."""

from __future__ import annotations

from jump_lane.quantities import show, show_percent
from jump_lane.report.export import Columns
from jump_lane.report.table import Table, View
from jump_lane.study.cross import Band, Cross
from jump_lane.study.sweep import Row


def cross_view(work: Cross, rows: list[Row], found: list[Band], complete: bool) -> View:
    """Show what every output does over the load matrix, and whether it stays in its band."""
    failed = [r for r in rows if r.failure]
    notes = [f"{len(rows)} points simulated with the first output held"]
    if failed:
        notes.append(f"no result at {len(failed)} points, such as: {failed[0].failure}")
    if not complete:
        notes.append("interrupted: what was finished is kept")
    status = 3 if failed else 0 if all(b.holds for b in found) else 1
    data = {
        "points": [
            {"V_in": s[0], "loads": list(s[1:]), "voltages": list(r.measures), "failure": r.failure}
            for s, r in ((work.settings[r.index], r) for r in rows)
        ],
        "outputs": [
            {
                "output": b.number,
                "wanted": b.wanted,
                "lowest": b.lowest,
                "highest": b.highest,
                "holds": b.holds,
            }
            for b in found
        ],
        "complete": complete,
    }
    return View("cross", data, (_bands(found), _matrix(work, rows)), tuple(notes), status)


def _bands(found: list[Band]) -> Table:
    rows = tuple(
        (
            f"output {b.number}",
            show(b.wanted, "V"),
            show(b.lowest, "V"),
            show(b.highest, "V"),
            f"{100 * (b.lowest / b.wanted - 1):+.2f} … {100 * (b.highest / b.wanted - 1):+.2f} %",
            f"± {show_percent(b.band)}",
            "holds" if b.holds else "strays too far",
        )
        for b in found
    )
    columns = ("output", "wanted>", "lowest>", "highest>", "off by>", "allowed>", "verdict")
    return Table("Outputs that follow", columns, rows, tuple("good" if b.holds else "bad" for b in found))


def _matrix(work: Cross, rows: list[Row]) -> Table:
    count = len(work.design.spec.output)
    body = []
    for row in rows:
        v, *loads = work.settings[row.index]
        head = (show(v, "V"), *(show(x, "A") for x in loads))
        measured = tuple(show(m, "V") for m in row.numbers) if row.measures else ("no result",) * count
        body.append((*head, *measured))
    columns = (
        "input>",
        *(f"load {k}>" for k in range(1, count + 1)),
        *(f"output {k}>" for k in range(1, count + 1)),
    )
    return Table("Load matrix", columns, tuple(body))


def cross_columns(work: Cross, rows: list[Row]) -> Columns:
    """Return a row for each combination of loads [A]: voltages of all outputs [V]."""
    count, none = len(work.columns), float("nan")
    at = [work.settings[r.index] for r in rows]
    found: Columns = {"input.voltage [V]": [s[0] for s in at]}
    found |= {f"load {k} [A]": [s[k] for s in at] for k in range(1, count + 1)}
    found |= {
        f"voltage {k + 1} [V]": [r.measures[k] if r.measures else none for r in rows] for k in range(count)
    }
    return found | {"reason": [r.failure for r in rows]}
