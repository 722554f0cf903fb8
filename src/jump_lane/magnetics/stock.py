"""What a wound component may be chosen from: cores, materials, wires and bobbins, as the file leaves them open."""

from __future__ import annotations

import math
from collections import ChainMap
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import TypeVar

from jump_lane.catalogue.kinds import Material
from jump_lane.catalogue.load import load_materials, sample_materials
from jump_lane.catalogue.magnetic import Bobbin, Core, CoreMaterial, Wire
from jump_lane.errors import InputError, nearest
from jump_lane.spec.wound import RANGE, WoundTable, WoundWinding

Kind = TypeVar("Kind", Core, CoreMaterial, Bobbin, Wire)


@dataclass(frozen=True)
class Stock:
    """Everything known by name; a user's own entries go before shipped ones called the same."""

    known: Mapping[str, Material]
    _kinds: dict[type, tuple[Material, ...]] = field(default_factory=dict)

    def every(self, kind: type[Kind]) -> tuple[Kind, ...]:
        """Return everything of a kind."""
        if kind not in self._kinds:
            self._kinds[kind] = tuple(p for p in self.known.values() if isinstance(p, kind))
        return self._kinds[kind]  # type: ignore[return-value]

    def one(self, name: str, kind: type[Kind], where: str) -> Kind:
        """Return something of a kind by its name.

        Raises
        ------
        InputError
            With the nearest valid name.
        """
        found = self.known.get(name)
        if isinstance(found, kind):
            return found
        names = [p.part for p in self.every(kind)]
        raise InputError(f"{where}: no {_words(kind)} {name!r}; {nearest(name, names)}")

    def some(self, names: Sequence[str] | None, kind: type[Kind], where: str) -> tuple[Kind, ...]:
        """Return what names stand for: each one, ranges ``first..last`` of one family, or everything where none is given."""
        if names is None:
            return self.every(kind)
        found: list[Kind] = []
        for name in names:
            first, dots, last = name.partition(RANGE)
            if not dots:
                found.append(self.one(name, kind, where))
                continue
            low, high = (self.one(n.strip(), kind, where) for n in (first, last))
            found += _between(self.every(kind), low, high, f"{where}: {name!r}")
        return tuple(dict.fromkeys(found))

    def bobbin(self, table: WoundTable, core: Core, where: str) -> Bobbin | None:
        """Return the bobbin of a core: the one asked for, or the first that fits."""
        if table.bobbin is not None:
            return self.one(table.bobbin, Bobbin, where)
        return next((b for b in self.every(Bobbin) if b.core == core.part), None)


def _words(kind: type[object]) -> str:
    return {Core: "core", CoreMaterial: "core material", Bobbin: "bobbin", Wire: "wire"}[kind]  # type: ignore[index]


def _between(every: Sequence[Kind], low: Kind, high: Kind, where: str) -> list[Kind]:
    """Return what lies between two of one family, by size, both included."""
    if _family(low) != _family(high):
        raise InputError(
            f"{where}: {low.part} and {high.part} are not of one family, so that nothing lies between them"
        )
    small, large = sorted((_size(low), _size(high)))
    return [p for p in every if _family(p) == _family(low) and small <= _size(p) <= large]


def _family(entry: Core | CoreMaterial | Bobbin | Wire) -> str:
    if isinstance(entry, Core | CoreMaterial):
        return entry.family
    return entry.form if isinstance(entry, Wire) else "bobbin"


def _size(entry: Core | CoreMaterial | Bobbin | Wire) -> float:
    if isinstance(entry, Core):
        return entry.volume
    if isinstance(entry, CoreMaterial):
        return entry.permeability
    if isinstance(entry, Bobbin):
        return entry.wall
    return (entry.diameter or entry.thickness or 0.0) * math.sqrt(entry.strands)


def stock_of(files: Sequence[str]) -> Stock:
    """Return what is shipped, and what a user's own catalogues add.

    Raises
    ------
    InputError
        If a catalogue cannot be read.
    """
    own: dict[str, Material] = {}
    for name in files:
        own |= {entry.part: entry for entry in load_materials(Path(name))}
    return Stock(ChainMap(own, dict(sample_materials())))


def wires_for(stock: Stock, core: Core, asked: WoundWinding, gapped: bool, where: str) -> tuple[Wire, ...]:
    """Return the wires that a winding on a core may have, unless the file names them: tracks on planar cores, all others elsewhere,
    and no foil beside a gap, as what the field across it costs is not known."""
    found = stock.some(asked.wire, Wire, where)
    if asked.wire is not None:
        return found
    planar = core.family.startswith("planar")
    wires = tuple(
        w for w in found if (w.form == "track") == planar and not (w.form == "foil" and (core.ring or gapped))
    )
    triple = asked.insulation == "triple"
    return tuple(w for w in wires if w.triple is not None) if triple else wires
