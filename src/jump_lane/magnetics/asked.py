"""What is asked of one wound component: its coil, what it bears, what the file fixes, and its limits."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from jump_lane.catalogue.magnetic import Core, CoreMaterial, Wire
from jump_lane.design.derive import Design
from jump_lane.errors import InputError, NoResultError, nearest
from jump_lane.magnetics.burden import Burden, burden_of
from jump_lane.magnetics.creepage import margin_for
from jump_lane.magnetics.design import NEXT, Winding, Wound, portions
from jump_lane.magnetics.reluctance import Gap
from jump_lane.magnetics.stock import Stock, stock_of
from jump_lane.operating.wound import Coil, coil_of, courses
from jump_lane.spec.wound import WoundTable, WoundWinding

GRADE_NUMBERS = {"grade 1": 1, "grade 2": 2, "grade 3": 3, "triple": 0}

ALTERNATING = 0.5
"""Where the flux goes so far the other way, at least, its current alternates."""

BESIDE = "|"
"""Stands in an order of a file where another chamber beside the last one begins."""

Order = tuple[tuple[int, float], ...]
"""Windings and shares of their turns, from the leg outwards."""


@dataclass(frozen=True)
class Asked:
    """One component to be wound.

    Attributes
    ----------
    failed
        Corners without a result, with the reason: nothing is known of them.
    """

    design: Design
    coil: Coil
    table: WoundTable
    burden: Burden
    stock: Stock
    failed: tuple[str, ...]

    @property
    def where(self) -> str:
        """What messages call its table."""
        return f"wound.{self.coil.name}"

    @property
    def ambient(self) -> float:
        """Temperature of the air [°C]."""
        return self.design.spec.thermal.ambient

    @property
    def hot(self) -> float:
        """Temperature at which it is searched [°C]: the hottest allowed."""
        return self.ambient + self.table.temperature_rise

    @cached_property
    def largest(self) -> float:
        """Largest flux linkage that must not saturate it [V·s]: where it stores energy, with the margin on currents."""
        margin = self.design.spec.margin.current if self.coil.stores else 0.0
        named = (self.table.peak_current or 0.0) * self.coil.inductance
        return max(named, (1.0 + margin) * max(c.largest for c in self.burden.courses))

    @cached_property
    def exact(self) -> bool:
        """Whether the inductance is to stay what it is: of a tank, or where the current alternates."""
        return self.coil.tank or all(
            c.linkage.min() < -ALTERNATING * c.linkage.max() for c in self.burden.courses
        )

    def winding(self, k: int) -> WoundWinding:
        """Return what the file says of a winding."""
        return self.table.winding.get(self.coil.windings[k], WoundWinding())

    def grade(self, k: int) -> int:
        """Return the grade of the insulation of a winding's wire."""
        return GRADE_NUMBERS[self.winding(k).insulation or "grade 2"]

    @property
    def triple(self) -> bool:
        """Whether triple-insulated wire separates the windings."""
        return any(self.grade(k) == 0 for k in range(len(self.coil.windings)))

    @property
    def voltage(self) -> float:
        """Working voltage across the insulation [V]."""
        return self.table.working_voltage or max(self.design.inputs)

    @cached_property
    def margin(self) -> float:
        """Left free at each end of the layers [m].

        Raises
        ------
        InputError
            If the working voltage is beyond the table.
        """
        if self.table.margin is not None or len(self.coil.windings) < 2:
            return self.table.margin or 0.0
        try:
            return margin_for(self.voltage, self.table.insulation, self.triple)
        except ValueError as error:
            raise InputError(f"{self.where}.working_voltage: {error}") from None

    def orders(self) -> tuple[Order, ...]:
        """Return the orders of portions that are looked at: the one asked for, or plain ones and those with a divided winding.

        Raises
        ------
        InputError
            If one that is asked for is not of the windings there are.
        """
        if self.table.order is not None:
            return (parse_order(self.table.order, self.coil.windings, self.where),)
        n = len(self.coil.windings)
        plain = tuple((k, 1.0) for k in range(n))
        if n == 1:
            return (plain,)
        others = tuple((k, 1.0) for k in range(1, n))
        if self.table.least_leakage is not None:
            return plain, ((0, 1.0), (NEXT, 0.0), *others)
        return plain, ((0, 0.5), *others, (0, 0.5)), (*others, (0, 1.0))


def parse_order(texts: Sequence[str], windings: Sequence[str], where: str) -> Order:
    """Return an order as windings and shares: ``["Np/2", "Ns", "Np/2"]``.

    Raises
    ------
    InputError
        If a winding is not there, or its shares do not add up to all of it.
    """
    found: list[tuple[int, float]] = []
    for text in texts:
        if text.strip() == BESIDE:
            found.append((NEXT, 0.0))
            continue
        name, slash, part = text.partition("/")
        if name.strip() not in windings:
            raise InputError(f"{where}.order: no winding {name.strip()!r}; {nearest(name.strip(), windings)}")
        try:
            share = 1.0 / float(part) if slash else 1.0
        except (ValueError, ZeroDivisionError):
            raise InputError(
                f"{where}.order: {text!r}; expected a winding, or a part of it such as {name.strip()}/2"
            ) from None
        found.append((windings.index(name.strip()), share))
    for k, name in enumerate(windings):
        total = sum(share for winding, share in found if winding == k)
        if abs(total - 1.0) > 1e-6:
            raise InputError(
                f"{where}.order: {name} is there {total:g} times; expected once, or parts that add up to it"
            )
    return tuple(found)


def asked_of(design: Design, name: str) -> Asked:
    """Return what is asked of a component of a design, and what the simulation says it bears.

    Raises
    ------
    InputError
        If there is no such component, or its table names what is not there.
    NoResultError
        If no corner has a result.
    """
    coil = coil_of(design, name)
    table = design.spec.wound.get(name, WoundTable())
    for winding in table.winding:
        if winding not in coil.windings:
            raise InputError(
                f"wound.{name}.winding: no winding {winding!r}; {nearest(winding, coil.windings)}"
            )
    found, failed = courses(design, name)
    if not found:
        raise NoResultError("no corner has a result:\n" + "\n".join(failed))
    if max(found, key=lambda course: course.largest).biased:
        coil = replace(coil, stores=True)  # more inductance than asked would let the same current saturate it
    stock = stock_of(design.spec.catalogue.files)
    return Asked(design, coil, table, burden_of(found), stock, failed)


def described(design: Design, name: str) -> tuple[Asked, Wound]:
    """Return a component as its table settles it, without anything simulated.

    Raises
    ------
    InputError
        If there is no such component, or the table leaves something open.
    """
    coil = coil_of(design, name)
    n = len(coil.windings)
    idle = Burden(np.zeros(1), np.zeros((1, 1, n, n)), ())
    table = design.spec.wound.get(name, WoundTable())
    asked = Asked(design, coil, table, idle, stock_of(design.spec.catalogue.files), ())
    return asked, settled(asked)


def settled(asked: Asked) -> Wound:
    """Return the component that a table settles, with nothing left to choose.

    Raises
    ------
    InputError
        If something is missing of it, or it cannot be wound.
    """
    table, where = asked.table, asked.where
    missing = [k for k in ("core", "material", "gap", "order") if getattr(table, k) is None]
    missing += [
        f"winding.{name}.{key}"
        for k, name in enumerate(asked.coil.windings)
        for key in ("turns", "wire", "parallel")
        if getattr(asked.winding(k), key) is None
    ]
    if missing:
        raise InputError(f"{where}: {', '.join(missing)} missing; `wind --write` chooses what is left open")
    assert table.core is not None and table.material is not None and table.fixed_gap is not None
    core = asked.stock.one(table.core[0], Core, f"{where}.core")
    material = asked.stock.one(table.material[0], CoreMaterial, f"{where}.material")
    windings = []
    for k, name in enumerate(asked.coil.windings):
        own = asked.winding(k)
        assert own.turns is not None and own.wire is not None and own.parallel is not None
        wire = asked.stock.one(own.wire[0], Wire, f"{where}.winding.{name}.wire")
        windings.append(Winding(name, own.turns[0], wire, own.parallel, asked.grade(k)))
    order = portions(asked.orders()[0], [w.turns for w in windings])
    bobbin = asked.stock.bobbin(table, core, f"{where}.bobbin")
    gap = Gap(table.fixed_gap, table.gaps, table.gap_place)
    return Wound(core, material, gap, tuple(windings), order, bobbin, asked.margin, table.tape)
