"""Cross regulation: what the outputs that follow do while the loads of all outputs change."""

from __future__ import annotations

import itertools
from dataclasses import dataclass

from jump_lane.design.derive import Design
from jump_lane.errors import InputError
from jump_lane.judge.loads import combinations, loaded
from jump_lane.study.sweep import Column, Row, Spot


@dataclass(frozen=True)
class Cross:
    """The load matrix: every combination of smallest and largest loads, at the lowest and highest input.

    Attributes
    ----------
    settings
        Input voltage and the load of every output of each point, in the order of the spots.
    """

    design: Design
    settings: tuple[tuple[float, ...], ...]
    spots: tuple[Spot, ...]
    columns: tuple[Column, ...]


@dataclass(frozen=True)
class Band:
    """An output over the load matrix, and the band it has to stay in [V]."""

    number: int
    wanted: float
    lowest: float
    highest: float
    band: float

    @property
    def holds(self) -> bool:
        """Whether the output stays in its band."""
        return max(self.highest - self.wanted, self.wanted - self.lowest) <= self.band * self.wanted


def plan(design: Design) -> Cross:
    """Plan the load matrix.

    Raises
    ------
    InputError
        If there is one output only.
    """
    outputs = design.spec.output
    if len(outputs) < 2:
        raise InputError("output: cross regulation needs two outputs or more")
    own = tuple(sorted({outputs[0].current.min, outputs[0].current.max}))
    voltage = design.spec.voltage
    inputs = tuple(sorted({voltage.min, voltage.max}))
    settings: list[tuple[float, ...]] = []
    spots: list[Spot] = []
    for others in combinations(design.spec):
        varied = design.grid(inputs, own, loaded(design.spec, others))
        for (i, v), (j, load) in itertools.product(enumerate(inputs), enumerate(own)):
            settings.append((v, load, *others))
            spots.append(Spot(Row(len(spots), ()), varied, (i, j)))
    names = ["load", *(f"load{k}" for k in range(2, len(outputs) + 1))]
    columns = tuple(Column(f"V_{name}", f"{name}.v", "average", "V") for name in names)
    return Cross(design, tuple(settings), tuple(spots), columns)


def bands(work: Cross, rows: list[Row]) -> list[Band]:
    """Return how far every output that follows strays."""
    done = [r for r in rows if not r.failure]
    out = []
    for k, output in enumerate(work.design.spec.output[1:], start=1):
        found = [r.numbers[k] for r in done]
        assert output.voltage is not None
        out.append(Band(k + 1, output.voltage, min(found), max(found), output.voltage_band))
    return out
