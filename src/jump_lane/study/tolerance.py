"""Tolerances: values at their extremes and as a seeded random draw, every corner simulated for each."""

from __future__ import annotations

import itertools
import random
from collections.abc import Iterator
from dataclasses import dataclass

from jump_lane.design.derive import Design
from jump_lane.study.sweep import Column, Row, Spot, columns, simulate
from jump_lane.topologies.page import Ask

Deviations = dict[str, float]
"""What is off (a component, ``f_s``, or ``V_F`` of all rectifiers) to by how much [1]."""


@dataclass(frozen=True)
class Sample:
    """One set of deviations at one corner, and the limits that hold there."""

    variant: int
    corner: tuple[int, int]
    limits: tuple[float, ...]


@dataclass(frozen=True)
class Worst:
    """One asked limit over all samples.

    Attributes
    ----------
    value, limit
        The simulated value that comes nearest to (or furthest beyond) its limit.
    variant, corner
        Where that is.
    kept
        Part of the random draws that keep the limit at every corner [1].
    """

    ask: Ask
    unit: str
    nominal: float
    value: float
    limit: float
    variant: Deviations
    corner: tuple[int, int]
    kept: float

    @property
    def holds(self) -> bool:
        """Whether the limit is kept in the worst case."""
        return self.value <= self.limit * (1.0 + 1e-6)


@dataclass(frozen=True)
class Study:
    """What is to be simulated: the nominal values, the extremes, then the random draws."""

    design: Design
    variants: tuple[Deviations, ...]
    extremes: int
    columns: tuple[Column, ...]
    samples: tuple[Sample, ...]
    spots: tuple[Spot, ...]


def study(design: Design, draws: int, seed: int) -> Study:
    """Plan the variants of a design.

    Parameters
    ----------
    draws
        Number of random draws; every value is drawn on its own, uniform within its tolerance.
    seed
        Makes the draws repeatable.
    """
    edges = tuple(_extremes(design))
    variants = ({}, *edges, *_draws(design, draws, random.Random(seed)))
    rows, cols = design.shape
    samples: list[Sample] = []
    spots: list[Spot] = []
    for k, deviations in enumerate(variants):
        varied = _varied(design, deviations)
        for i, j in itertools.product(range(rows), range(cols)):
            limits = tuple(varied.sheet[a.limit].corner(i, j) for a in design.asks)
            samples.append(Sample(k, (i, j), limits))
            spots.append(Spot(Row(len(spots), ()), varied, (i, j)))
    wanted = columns(design, [a.symbol for a in design.asks])
    return Study(design, variants, len(edges), wanted, tuple(samples), tuple(spots))


def _tolerances(design: Design) -> dict[str, float]:
    """Return the tolerance of every value that may be off."""
    t = design.spec.tolerance
    kinds = {role.name: role.kind for role in design.page.roles}
    sizes = {"inductor": t.inductance, "magnetising": t.inductance, "capacitor": t.capacitance}
    out = {name: sizes[kinds[name]] for name in design.components() if kinds.get(name) in sizes}
    return out | {"f_s": t.frequency, "V_F": t.forward_voltage}


def _extremes(design: Design) -> Iterator[Deviations]:
    """Yield every combination of signs, all inductances alike and all capacitances alike."""
    tolerances = _tolerances(design)
    kinds = {role.name: role.kind for role in design.page.roles} | {"f_s": "frequency", "V_F": "drop"}
    groups = list(dict.fromkeys(kinds[name] for name in tolerances))
    for signs in itertools.product((-1.0, 1.0), repeat=len(groups)):
        sign = dict(zip(groups, signs, strict=True))
        yield {name: sign[kinds[name]] * size for name, size in tolerances.items()}


def _draws(design: Design, count: int, rng: random.Random) -> Iterator[Deviations]:
    for _ in range(count):
        yield {name: rng.uniform(-size, size) for name, size in _tolerances(design).items()}


def _varied(design: Design, deviations: Deviations) -> Design:
    """Return the design with its values off by so much."""
    spec = design.spec
    chosen = {n: v * (1.0 + deviations.get(n, 0.0)) for n, v in design.components().items()}
    frequency = spec.switching.frequency * (1.0 + deviations.get("f_s", 0.0))
    forward = 1.0 + deviations.get("V_F", 0.0)
    drops = {
        role.name: {"forward_voltage": design.sheet[f"V_F{role.tag}"].worst * forward}
        for role in design.page.roles
        if role.kind == "rectifier"
    }
    changed = spec.with_figures(drops).model_copy(
        update={
            "chosen": chosen,
            "switching": spec.switching.model_copy(update={"frequency": frequency}),
        }
    )
    return design.grid(design.inputs, design.loads, changed)


def run(work: Study, processes: int) -> Iterator[Row]:
    """Yield the simulated samples as they are ready, in any order; a row's index is that of its sample."""
    yield from simulate(list(work.spots), work.columns, processes)


def judge(work: Study, rows: list[Row]) -> tuple[list[Worst], list[Row]]:
    """Return the worst case and the yield of every asked limit, and the rows without a result."""
    done = [(work.samples[r.index], r) for r in rows if not r.failure]
    out = []
    for k, ask in enumerate(work.design.asks):
        corners = [(s, r.numbers[k]) for s, r in done if s.variant <= work.extremes]
        sample, value = max(corners, key=lambda c: c[1] / c[0].limits[k])
        nominal = max((m for s, m in corners if s.variant == 0), default=float("nan"))
        out.append(
            Worst(
                ask,
                work.columns[k].unit,
                nominal,
                value,
                sample.limits[k],
                work.variants[sample.variant],
                sample.corner,
                _kept(work, done, k),
            )
        )
    return out, [r for r in rows if r.failure]


def _kept(work: Study, done: list[tuple[Sample, Row]], k: int) -> float:
    good: dict[int, bool] = {}
    for sample, row in done:
        if sample.variant > work.extremes:
            holds = row.numbers[k] <= sample.limits[k] * (1.0 + 1e-6)
            good[sample.variant] = good.get(sample.variant, True) and holds
    return sum(good.values()) / len(good) if good else float("nan")
