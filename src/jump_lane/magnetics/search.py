"""The search for a wound component: every core, material, number of turns, order and conductor, all limits at all corners.

For each core, number of turns and order every conductor of each winding is evaluated alone; those that no other one beats in build
and loss are combined, with every material.  The best of each are computed once more on their own, with the field of the window.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace
from functools import cached_property, partial

import numpy as np
from numpy.typing import NDArray

from jump_lane.catalogue.magnetic import Core, CoreMaterial
from jump_lane.magnetics.asked import Asked, Order
from jump_lane.magnetics.conductors import PARALLEL, Conductors, Fitted, Place, fit, front
from jump_lane.magnetics.core_loss import FluxLoss, warmth
from jump_lane.magnetics.design import NEXT, Winding, Wound, portions
from jump_lane.magnetics.gapping import gaps_for
from jump_lane.magnetics.heat import dissipated, surface
from jump_lane.magnetics.layers import breadth_at, turn_length
from jump_lane.magnetics.magnetisation import saturation
from jump_lane.magnetics.reluctance import Gap, core_reluctance
from jump_lane.magnetics.stock import wires_for
from jump_lane.quantities.copper import resistivity

Array = NDArray[np.float64]

TURNS, MOST = 16, 3.5
"""Numbers of turns that are looked at, from the least that the flux allows to so many times it."""

POWDERED = 1.5
"""Of powder at least to so many times the turns that its inductance at no current takes: bias leaves less of it."""

ROOMY = 0.8
"""Part of the room that windings usually fill, for the length of their turns before the wires are known."""

BEATEN = "another choice of wires is thinner and loses less"
"""Why combinations of conductors are not looked at further."""

UNKNOWN = 1e12
"""Stands for a figure that is not known: such designs come last."""

KEPT = 4
"""Conductors kept of each core, number of turns, order and material."""

CRITERIA = ("loss", "volume", "height", "footprint", "mass", "cost", "temperature")
"""What designs may be ranked by."""


@dataclass(frozen=True)
class Candidate:
    """A design of the search.

    Attributes
    ----------
    copper_loss, core_loss
        Of winding and core at every corner [W], (c,).
    cost
        Not a number where that of a wire or of the core is not known.
    short
        Whether it has less than the least magnetising inductance.
    made
        Makes the component.
    """

    core: Core
    copper_loss: Array
    core_loss: Array
    build: float
    cost: float
    mass: float
    short: bool
    made: Callable[[], Wound]

    @cached_property
    def wound(self) -> Wound:
        """The component; thousands are ranked and few are looked at."""
        return self.made()

    @cached_property
    def loss(self) -> float:
        """At the worst corner [W]."""
        return float((self.copper_loss + self.core_loss).max())


@dataclass
class Tally:
    """How many combinations were looked at, and for which reasons others fell out."""

    looked: int = 0
    valid: int = 0
    fallen: Counter[str] = field(default_factory=Counter)

    def fell(self, reason: str, count: int = 1) -> None:
        """Count combinations that were looked at and fell out."""
        self.looked += count
        self.fallen[reason] += count


def worth(candidate: Candidate, weights: dict[str, float]) -> float:
    """Return how a design ranks, the smaller the better: a weighted product of what counts."""
    core = candidate.core
    figures = {
        "loss": candidate.loss,
        "temperature": candidate.loss / surface(core),
        "volume": core.block,
        "height": core.height,
        "footprint": core.footprint,
        "mass": candidate.mass,
        "cost": candidate.cost,
    }
    return sum(w * math.log(figures[k] if figures[k] > 0.0 else UNKNOWN) for k, w in weights.items() if w)


class Search:
    """A search for one component.

    Parameters
    ----------
    weights
        What designs are ranked by (see `CRITERIA`), with exponents.
    """

    def __init__(self, asked: Asked, weights: dict[str, float]) -> None:
        self.asked, self.weights, self.tally = asked, weights, Tally()
        where = asked.where
        self.cores = asked.stock.some(asked.table.core, Core, f"{where}.core")
        self.materials = asked.stock.some(asked.table.material, CoreMaterial, f"{where}.material")
        self.rho = float(resistivity(asked.hot))
        self.complete = True
        self._conductors: dict[tuple[str, ...], Conductors] = {}
        courses = asked.burden.courses
        if asked.table.material is None:
            known = tuple(m for m in self.materials if m.core_pieces is not None)
            self.tally.fell("material without loss data", len(self.materials) - len(known))
            self.materials = known
        self._fluxes = {m.part: [FluxLoss(m, c.time, c.linkage) for c in courses] for m in self.materials}
        self._shares = _shares(asked)
        self.nearest = (0.0, math.inf, 0.0)
        """Of the coolest that is too warm: part of the load at which it would hold, its loss, and what may be lost [W]."""

    def run(self, watch: Callable[[int, int], None] | None = None) -> list[Candidate]:
        """Return designs that hold, the best first; what an interruption leaves is kept."""
        found: list[Candidate] = []
        try:
            for k, core in enumerate(self.cores):
                if watch is not None:
                    watch(k, len(self.cores))
                found += self.on(core)
        except KeyboardInterrupt:
            self.complete = False
        return sorted(found, key=lambda c: (c.short, worth(c, self.weights)))

    def on(self, core: Core) -> Iterator[Candidate]:
        """Yield the designs on one core."""
        table = self.asked.table
        if (table.height is not None and core.height > table.height) or (
            table.footprint is not None and core.footprint > table.footprint
        ):
            self.tally.fell("too large")
            return
        stub = self._stub(core)
        firsts = self._turns(core)
        gaps = {m.part: gaps_for(self.asked, core, m, firsts) for m in self.materials}
        for at, turns in enumerate(firsts):
            every = self._all_turns(turns)
            if every is None:
                self.tally.fell("turns ratio")
                continue
            usable = []
            for m in self.materials:
                found = gaps[m.part][at]
                if isinstance(found, str):
                    self.tally.fell(found)
                else:
                    usable.append((m, *found))
            if usable:
                for order in self.asked.orders():
                    yield from self._wound(stub, every, order, usable)

    def _stub(self, core: Core) -> Wound:
        """Return a component on a core without windings, for the room that it leaves."""
        table = self.asked.table
        bobbin = self.asked.stock.bobbin(table, core, f"{self.asked.where}.bobbin")
        return Wound(core, self.materials[0], Gap(), (), (), bobbin, self.asked.margin, table.tape)

    def _turns(self, core: Core) -> list[int]:
        """Return the numbers of turns of the first winding that are looked at on a core."""
        given = self.asked.winding(0).turns
        if given is not None:
            step = max((given[1] - given[0]) // (2 * TURNS), 1)
            return list(range(given[0], given[1] + 1, step))
        strongest = max(saturation(m, self.asked.hot) for m in self.materials)
        limit = strongest * (1.0 - self.asked.table.flux_margin)
        least = self.asked.largest / (limit * core.least_area * self.asked.coil.path)
        powder = any(m.powder for m in self.materials)
        weakest = min(m.permeability for m in self.materials)
        wanted = self.asked.coil.inductance * float(core_reluctance(core, weakest))
        most = max(MOST * least, POWDERED * math.sqrt(wanted) / self.asked.coil.path if powder else 0.0, 2.0)
        steps = np.geomspace(max(least, 1.0), most, TURNS)
        return sorted({math.ceil(s - 1e-9) for s in steps})

    def _all_turns(self, first: int) -> tuple[int, ...] | None:
        """Return whole turns of all windings; None where a ratio is missed by too much."""
        out = []
        for k, ratio in enumerate(self.asked.coil.ratios):
            wanted = ratio * first
            low, high = self.asked.winding(k).turns or (1, 10**6)
            turns = min(max(round(wanted), low), high)
            if abs(turns / wanted - 1.0) > self.asked.table.turns_error:
                return None
            out.append(turns)
        return tuple(out)

    def _wound(
        self,
        stub: Wound,
        turns: tuple[int, ...],
        order: Order,
        materials: list[tuple[CoreMaterial, float, bool]],
    ) -> Iterator[Candidate]:
        """Yield the best designs of one core, turns and order."""
        parts = portions(order, turns)
        if len(parts) < sum(k != NEXT for k, _ in order):
            self.tally.fell("fewer turns than portions", len(materials))
            return
        stub = replace(stub, order=parts)
        several = stub.chambers > 1
        room = stub.depth * self.asked.table.fill - stub.tape * (len(parts) - stub.chambers)
        deepest = stub.wall + (stub.depth if stub.core.ring else 0.0) * self.asked.table.fill
        breadth = breadth_at(stub, deepest)
        fitted, conductors = [], []
        for k in range(len(turns)):
            own = self._conductors_of(stub.core, k)
            places = self._places(stub, order, turns, k)
            one = fit(
                own,
                k,
                places,
                breadth,
                room / _sharing(stub, k),
                self.asked.burden.spectra,
                self.asked.winding(k).most_layers or np.inf,
            )
            self.tally.fell("wire wider than the window", one.narrow * len(materials))
            self.tally.fell("build", one.thick * len(materials))
            if len(one.kept) == 0:
                return
            fitted.append(one)
            conductors.append(own)
        choice, build = self._combined(fitted, room, len(materials), several)
        if len(build) == 0:
            return
        copper = np.sum([f.loss[:, c] for f, c in zip(fitted, choice, strict=True)], axis=0)
        cost = np.sum([f.cost[c] for f, c in zip(fitted, choice, strict=True)], axis=0)
        mass = np.sum([f.mass[c] for f, c in zip(fitted, choice, strict=True)], axis=0)
        price = math.nan if stub.core.cost is None else stub.core.cost
        allowed = dissipated(stub.core, self.asked.table.temperature_rise, self.asked.ambient)
        for material, length, short in materials:
            own_turns = turns[0] * self.asked.coil.path
            core = np.array([f.density(own_turns * stub.core.area) for f in self._fluxes[material.part]])
            core = core * stub.core.volume * warmth(material, self.asked.hot)
            total = (copper + core[:, None]).max(axis=0)
            cool = total <= allowed
            self._remember(total, allowed, copper, core)
            self.tally.fallen["temperature"] += int((~cool).sum())
            self.tally.valid += int(cool.sum())
            key = self._key(total, cost + price, mass)
            for at in np.flatnonzero(cool)[np.argsort(key[cool])][:KEPT]:
                picked = [
                    (c, int(f.kept[one[at]])) for c, f, one in zip(conductors, fitted, choice, strict=True)
                ]
                made = partial(self._made, stub, material, length, turns, picked)
                whole = mass[at] + stub.core.volume * material.density
                yield Candidate(
                    stub.core,
                    copper[:, at],
                    core,
                    float(build[at]) + stub.tape * (len(parts) - stub.chambers),
                    float(cost[at]) + price,
                    float(whole),
                    short,
                    made,
                )

    def _made(
        self,
        stub: Wound,
        material: CoreMaterial,
        length: float,
        turns: tuple[int, ...],
        picked: list[tuple[Conductors, int]],
    ) -> Wound:
        """Return the component with this material, gap, and for each winding the conductor picked."""
        windings = tuple(self._winding(k, turns[k], *one) for k, one in enumerate(picked))
        gap = Gap(length, self.asked.table.gaps, self.asked.table.gap_place)
        return replace(stub, material=material, gap=gap, windings=windings)

    def _remember(self, total: Array, allowed: float, copper: Array, core: Array) -> None:
        """Keep how near the coolest one came to what may be lost: part of the load at which it would hold."""
        at = int(np.argmin(total))
        worst = int(np.argmax(copper[:, at] + core))
        if total[at] > allowed:
            part = math.sqrt(max(allowed - core[worst], 0.0) / max(copper[worst, at], 1e-12))
            if part > self.nearest[0]:
                self.nearest = part, float(total[at]), allowed

    def _key(self, loss: Array, cost: Array, mass: Array) -> Array:
        """Return how conductors rank on one core."""
        figures = {"cost": cost, "mass": mass}
        found = np.zeros(len(loss))
        for name, weight in self.weights.items():
            found += weight * np.log(np.nan_to_num(figures.get(name, loss), nan=UNKNOWN))
        return found

    def _combined(
        self, fitted: list[Fitted], room: float, materials: int, beside: bool
    ) -> tuple[list[NDArray[np.int64]], Array]:
        """Return for each winding which of its conductors stands in each combination that fits, and the build of each.

        Windings are joined one after the other; of what is joined so far only what nothing beats in build and loss goes on.
        """
        if len(fitted) == 1:
            self.tally.looked += len(fitted[0].kept) * materials
            return [np.arange(len(fitted[0].kept))], fitted[0].build
        cost = "cost" in self.weights
        choice = [front(fitted[0].build, fitted[0].loss, fitted[0].cost if cost else None)]
        build, loss, price = (v[..., choice[0]] for v in (fitted[0].build, fitted[0].loss, fitted[0].cost))
        for other in fitted[1:]:
            few = front(other.build, other.loss, other.cost if cost else None)
            one, two = (g.ravel() for g in np.meshgrid(np.arange(len(build)), few, indexing="ij"))
            joined = np.maximum(build[one], other.build[two]) if beside else build[one] + other.build[two]
            fits = joined <= room
            self.tally.looked += len(one) * materials
            self.tally.fallen["build"] += int((~fits).sum()) * materials
            one, two, build = one[fits], two[fits], joined[fits]
            loss, price = loss[:, one] + other.loss[:, two], price[one] + other.cost[two]
            kept = front(build, loss, price if cost else None)
            self.tally.fallen[BEATEN] += (len(one) - len(kept)) * materials
            choice = [c[one[kept]] for c in choice] + [two[kept]]
            build, loss, price = build[kept], loss[:, kept], price[kept]
        return choice, build

    def _conductors_of(self, core: Core, k: int) -> Conductors:
        """Return the conductors that a winding on a core may have, each list worked out once."""
        asked = self.asked.winding(k)
        where = f"{self.asked.where}.winding.{self.asked.coil.windings[k]}.wire"
        gapped = self.asked.coil.stores and not all(m.powder for m in self.materials)
        wires = wires_for(self.asked.stock, core, asked, gapped, where)
        grade = self.asked.grade(k)
        key = (*(w.part for w in wires), str(grade), str(asked.parallel))
        if key not in self._conductors:
            parallel = (asked.parallel,) if asked.parallel is not None else PARALLEL
            self._conductors[key] = Conductors(
                wires, parallel, grade, self.asked.burden.frequencies, self.rho
            )
        return self._conductors[key]

    def _places(self, stub: Wound, order: Order, turns: tuple[int, ...], winding: int) -> list[Place]:
        """Return the portions of a winding with the ampere-turns before them; each takes its usual share of the room."""
        share = 0.5 if self.asked.table.gap_place == "spacer" else 1.0
        before = -share * np.array(turns, float)
        x, out, chamber = stub.wall, [], 0
        for portion, (k, part) in zip(stub.order, (o for o in order if o[0] != NEXT), strict=True):
            if portion.chamber != chamber:
                x, chamber = stub.wall, portion.chamber
            thickness = stub.depth * self.asked.table.fill * ROOMY * self._shares[k] * part
            if k == winding:
                out.append(Place(portion.turns, before.copy(), turn_length(stub.core, x + 0.5 * thickness)))
            before[k] += portion.turns
            x += thickness + stub.tape
        return out

    def _winding(self, k: int, turns: int, conductors: Conductors, at: int) -> Winding:
        name = self.asked.coil.windings[k]
        return Winding(name, turns, conductors.wires[at], int(conductors.parallel[at]), self.asked.grade(k))


def _sharing(stub: Wound, winding: int) -> int:
    """Return how many windings share the chamber of one where there are several chambers: each gets its part of the room."""
    if stub.chambers == 1:
        return 1
    chamber = next(p.chamber for p in stub.order if p.winding == winding)
    return len({p.winding for p in stub.order if p.chamber == chamber})


def _shares(asked: Asked) -> Array:
    """Return which share of the room each winding usually takes: that of its ampere-turns."""
    rms = asked.burden.rms.max(axis=0) * np.array(asked.coil.ratios)
    return np.asarray(rms / max(rms.sum(), 1e-12))
