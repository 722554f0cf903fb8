"""Every conductor that a winding may have in one place of one core, evaluated at once.

What a winding loses does not depend on the wires of the others but through the length of its turns, so that each winding is evaluated
alone, in the field of all ampere-turns.  Sums over the layers of a portion are closed: Σ s = n/2, Σ s² = n/3 − 1/(12·n) for the
middles s = (j − ½)/n of n layers.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from jump_lane.catalogue.magnetic import Wire
from jump_lane.magnetics.design import Winding
from jump_lane.magnetics.eddy import of_litz, of_round, strip, wire
from jump_lane.magnetics.layers import NARROWEST
from jump_lane.quantities.copper import DENSITY, STILL

Array = NDArray[np.float64]

PARALLEL = (1, 2, 3, 4, 6, 8)
"""Wires side by side that are looked at."""


class Conductors:
    """Wires times numbers of them side by side, (k,), with what does not depend on the core.

    Parameters
    ----------
    grade
        Of the insulation (see `GRADES`).
    frequencies
        Of the bins [Hz], (b,).
    """

    def __init__(
        self, wires: Sequence[Wire], parallel: Sequence[int], grade: int, frequencies: Array, rho: float
    ) -> None:
        pairs = [(w, p) for w in wires for p in (parallel if not w.flat else (1,))]
        self.wires, self.rho = [w for w, _ in pairs], rho
        self.parallel = np.array([p for _, p in pairs])
        self.flat = np.array([w.flat for w in self.wires])
        self.foil = np.array([w.form == "foil" for w in self.wires])
        self.litz = np.array([w.form == "litz" for w in self.wires])
        self.copper = np.array([w.diameter or w.thickness or 0.0 for w in self.wires])
        self.strands = np.array([w.strands for w in self.wires])
        self.outer = np.array([Winding("", 1, w, 1, grade).outer for w in self.wires])
        self.clearance = np.array([w.clearance or 0.0 for w in self.wires])
        self.section = np.where(
            self.flat, np.inf, np.pi / 4.0 * self.copper**2 * self.strands * self.parallel
        )
        self.cost = np.array([w.cost_of_mass if w.cost_of_mass is not None else np.nan for w in self.wires])
        self.frequencies = np.maximum(frequencies, STILL)
        known = [wire(np.where(self.flat, 1e-4, self.copper)[:, None], self.frequencies[None, :], rho)]
        self.known = known[0]

    def __len__(self) -> int:
        return len(self.wires)

    def per_layer(self, breadth: float) -> NDArray[np.int64]:
        """Return how many turns a full layer has, (k,); see `layers.turns_per_layer`."""
        fitting = np.floor(breadth / self.outer + 1e-9)
        plain = np.maximum((fitting - self.parallel) // self.parallel, 0)
        track = np.maximum(np.floor((breadth + self.clearance) / (NARROWEST + self.clearance)), 0)
        return np.where(self.foil, 1, np.where(self.flat, track, plain)).astype(np.int64)

    def terms(self, kept: NDArray[np.int64], breadth: float, turns: Array) -> tuple[Array, Array]:
        """Return o and f of a layer with so many turns [Ω·m], (kept, b) each."""
        f = self.frequencies[None, :]
        own, field = np.zeros((2, len(kept), f.shape[1]))
        count = (turns * self.parallel[kept])[:, None]
        d, skin = self.copper[kept][:, None], (self.known[0][kept], self.known[1][kept])
        for which, kind in ((self.flat, "flat"), (self.litz, "litz"), (~self.flat & ~self.litz, "round")):
            at = np.flatnonzero(which[kept])
            if len(at) == 0:
                continue
            mine = (skin[0][at], skin[1][at])
            if kind == "flat":
                gaps = (turns[at] - 1.0) * self.clearance[kept][at]
                porosity = np.maximum(1.0 - gaps / breadth, 0.05)[:, None]
                own[at], field[at] = strip(breadth, d[at], porosity, f, self.rho)
            elif kind == "litz":
                own[at], field[at] = of_litz(
                    breadth, count[at], self.strands[kept][at][:, None], d[at], f, self.rho, mine
                )
            else:
                own[at], field[at] = of_round(breadth, count[at], d[at], f, self.rho, mine)
        return own, field


@dataclass(frozen=True)
class Place:
    """A portion of a winding: its turns, the ampere-turns before it per ampere in each winding, and the length of its turns."""

    turns: int
    before: Array
    mean_turn: float


@dataclass(frozen=True)
class Fitted:
    """Conductors that fit.

    Attributes
    ----------
    kept
        Which they are, (k,).
    build
        Of all portions [m], (k,).
    loss
        At every corner [W], (c, k).
    cost
        Of the copper, (k,); `mass` [kg].
    """

    kept: NDArray[np.int64]
    build: Array
    loss: Array
    cost: Array
    mass: Array
    narrow: int
    thick: int


def fit(
    conductors: Conductors,
    winding: int,
    places: Sequence[Place],
    breadth: float,
    room: float,
    spectra: Array,
    most_layers: float = np.inf,
) -> Fitted:
    """Evaluate every conductor of a winding that fits.

    Parameters
    ----------
    room
        Largest build [m].
    spectra
        Of all corners (see `Burden`), (c, b, w, w).
    """
    full = conductors.per_layer(breadth)
    wide = full > 0
    layers = [np.ceil(p.turns / np.maximum(full, 1)) for p in places]
    build = np.sum(layers, axis=0) * conductors.outer
    low = np.sum(layers, axis=0) <= most_layers
    kept = np.flatnonzero(wide & low & (build <= room))
    loss = np.zeros((len(spectra), len(kept)))
    length = sum(p.turns * p.mean_turn for p in places)
    if len(kept):
        for place, every in zip(places, layers, strict=True):
            loss += _loss(conductors, kept, winding, place, every[kept], breadth, spectra)
    section = conductors.section[kept]
    strips = conductors.flat[kept]
    section = np.where(
        strips,
        conductors.copper[kept] * breadth / np.maximum(np.minimum(full[kept], places[0].turns), 1),
        section,
    )
    mass = section * length * DENSITY
    return Fitted(
        kept, build[kept], loss, mass * conductors.cost[kept], mass, int((~wide).sum()), int((wide & ~(low & (build <= room))).sum())
    )  # fmt: skip


def _loss(
    conductors: Conductors,
    kept: NDArray[np.int64],
    winding: int,
    place: Place,
    layers: Array,
    breadth: float,
    spectra: Array,
) -> Array:
    """Return the loss of a portion at every corner, (c, k)."""
    own, field = conductors.terms(kept, breadth, place.turns / layers)
    step, before = place.turns / breadth, place.before / breadth
    square = spectra[:, :, winding, winding]
    crossed = np.einsum("cbj,j->cb", spectra[:, :, winding, :], before)
    outside = np.einsum("i,cbij,j->cb", before, spectra, before)
    of_own = (own / layers[:, None] ** 2) @ (step**2 * square).T
    steady = field @ (outside + step * crossed + step**2 / 3.0 * square).T
    less = (field / (12.0 * layers[:, None] ** 2)) @ (step**2 * square).T
    return np.asarray((place.mean_turn * layers[:, None] * (of_own + steady - less)).T)


def front(build: Array, loss: Array, cost: Array | None) -> NDArray[np.int64]:
    """Return what nothing else beats in build, loss at its worst corner, and cost where that counts; the thinnest first."""
    if len(build) == 0:
        return np.zeros(0, dtype=np.int64)
    worst = loss.max(axis=0)
    order = np.lexsort((worst, build))
    if cost is None:
        best = np.minimum.accumulate(worst[order])
        return np.asarray(order[np.concatenate([[True], worst[order][1:] < best[:-1]])])
    found: list[int] = []
    for k in order:
        if not any(worst[j] <= worst[k] and cost[j] <= cost[k] for j in found):
            found.append(int(k))
    return np.array(found, dtype=np.int64)
