"""A wound design written into a converter file, everything else left as it is."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import tomlkit

from jump_lane.magnetics.asked import BESIDE, GRADE_NUMBERS, Asked
from jump_lane.magnetics.proof import Proven
from jump_lane.quantities import brief

INSULATION = {number: words for words, number in GRADE_NUMBERS.items()}


def with_design(text: str, asked: Asked, found: Proven, ratios: Mapping[str, float] | None = None) -> str:
    """Return a converter file's text with a design under ``[wound.NAME]``; limits that stand there stay.

    Turns ratios that it needs, by symbol, are written under ``[chosen]``.
    """
    document = tomlkit.parse(text)
    for symbol, value in (ratios or {}).items():
        _table(document, "chosen", False)[symbol] = value
    wound, name = found.wound, asked.coil.name
    table = _table(_table(document, "wound", True), name, False)
    values: dict[str, Any] = {
        "core": wound.core.part, "material": wound.material.part, "gap": brief(wound.gap.length, "m"), "gaps": wound.gap.number,
        "gap_place": wound.gap.place, "order": order_of(asked, found), "tape": brief(wound.tape, "m"),
    }  # fmt: skip
    for key, value in values.items():
        if table.get(key) != value and not (
            key in ("gaps", "gap_place") and key not in table and value in (1, "leg")
        ):
            table[key] = value
    windings = _table(table, "winding", False)
    for winding in wound.windings:
        entry = {
            "turns": winding.turns, "wire": winding.wire.part, "parallel": winding.parallel, "insulation": INSULATION[winding.grade],
        }  # fmt: skip
        inline = tomlkit.inline_table()
        inline.update(entry)
        if windings.get(winding.name) != entry:
            windings[winding.name] = inline
    return tomlkit.dumps(document)


def order_of(asked: Asked, found: Proven) -> list[str]:
    """Return the order of the portions of a design as it stands in a file."""
    names = asked.coil.windings
    parts = [p.winding for p in found.wound.order]
    out: list[str] = []
    chamber = 0
    for portion in found.wound.order:
        if portion.chamber != chamber:
            out.append(BESIDE)
            chamber = portion.chamber
        k = portion.winding
        out.append(names[k] if parts.count(k) == 1 else f"{names[k]}/{parts.count(k)}")
    return out


def _table(parent: Any, key: str, outer: bool) -> Any:
    if key not in parent:
        parent[key] = tomlkit.table(is_super_table=outer)
    return parent[key]
