"""Windings and parts chosen together, as a table."""

from __future__ import annotations

from typing import Any

from jump_lane.quantities import show
from jump_lane.report.table import Table, View


def joint_view(found: Any) -> View:
    """Show the combinations; the exit status is 1 if none keeps everything at all corners.

    Parameters
    ----------
    found
        As `library.joint.JointPicked` has it: ``found`` combinations, ``component``, how many were ``tried``, what was ``refused``.
    """
    names = list(dict.fromkeys(name for one in found.found for name in one.parts))
    rows, data = [], []
    for rank, one in enumerate(found.found, start=1):
        wound, c = one.winding.found.wound, one.proven.combination
        parts = [f"{n} × {p}" if n > 1 else p for p, n in (one.parts[name] for name in names)]
        verdict = one.proven.broken[0] if one.proven.broken else "holds"
        turns = ":".join(map(str, wound.turns))
        winding = f"{wound.core.part}, {wound.material.part.removeprefix('sample-')}, {turns} turns"
        rows.append(
            (
                str(rank),
                winding,
                *parts,
                show(c.loss, "W"),
                show(one.proven.hottest, "°C"),
                show(one.score),
                verdict,
            )
        )
        data.append({
            "core": wound.core.part, "material": wound.material.part, "turns": list(wound.turns), "gap": wound.gap.length,
            "parts": {name: {"part": p, "pieces": n} for name, (p, n) in one.parts.items()},
            "loss": c.loss, "hottest": one.proven.hottest, "score": one.score, "broken": list(one.proven.broken),
        })  # fmt: skip
    holds = any(not one.proven.broken for one in found.found)
    marks = tuple("bad" if one.proven.broken else "" for one in found.found)
    heads = ("rank>", found.component, *names, "loss>", "hottest>", "score>", "at all corners")
    notes = [
        f"{found.tried} combinations of parts simulated with {len({id(o.winding) for o in found.found})} windings"
    ]
    notes += [f"no parts with one of them: {why}" for why in found.refused]
    notes += [] if found.complete else ["interrupted: what was finished is kept"]
    return View(
        "joint", {"component": found.component, "combinations": data}, (Table("Windings and parts together", heads, tuple(rows), marks),),
        tuple(notes), 0 if holds else 1,
    )  # fmt: skip
