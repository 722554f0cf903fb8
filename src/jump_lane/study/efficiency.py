"""Efficiency over load, input, frequency or ambient temperature, every point simulated with its losses."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np

from jump_lane.design.derive import Design
from jump_lane.dissipation.budget import budget
from jump_lane.dissipation.ledger import Gap
from jump_lane.errors import InputError, NoResultError, nearest
from jump_lane.judge.derived import unkept
from jump_lane.spec import Spec
from jump_lane.study.pool import spread

OVER = ("load", "map", "frequency", "temperature")
"""What efficiency can be shown over."""

COLD, WARM = -40.0, 85.0
"""Range of ambient temperatures [°C]."""

SPAN = 3.0
"""Frequencies from the chosen one divided by this to that multiplied by it."""


@dataclass(frozen=True)
class Spot:
    """One operating point of a design: its place, what it is at, and the design there."""

    index: int
    at: tuple[float, float]
    design: Design
    corner: tuple[int, int]
    mission: float = 0.0
    """Weight in the mission; 0 for a point of a curve."""


@dataclass(frozen=True)
class Measured:
    """The result at one operating point, or why there is none.

    Attributes
    ----------
    at
        Value of the curve (input voltage, load) and on the abscissa.
    loss, hottest
        Total loss [W], highest temperature [°C].
    broken
        Ratings not kept, and what is asked and not kept, in words.
    """

    index: int
    at: tuple[float, float]
    mission: float = 0.0
    efficiency: float = float("nan")
    loss: float = float("nan")
    hottest: float = float("nan")
    broken: tuple[str, ...] = ()
    gaps: tuple[Gap, ...] = ()
    failure: str = ""


@dataclass(frozen=True)
class Work:
    """What to simulate: operating points, and what the two values of each are (name, unit)."""

    over: str
    design: Design
    curve: tuple[str, str]
    abscissa: tuple[str, str]
    rows: tuple[tuple[Spot, ...], ...]

    @property
    def count(self) -> int:
        """Number of points."""
        return sum(len(row) for row in self.rows)


def work(design: Design, over: str, points: int) -> Work:
    """Return the operating points of a study.

    Parameters
    ----------
    over
        One of `OVER`.
    points
        How many along each axis.

    Raises
    ------
    InputError
        If there is no such study.
    """
    if over not in OVER:
        raise InputError(f"--over: read {over!r}; {nearest(over, OVER)}")
    full = design.spec.output[0].current
    loads = _loads(full.min, full.max, points)
    if over == "load":
        rows = _grid(design, design.spec.voltage.corners(), loads)
        found = Work(over, design, ("input voltage", "V"), ("load", "A"), rows)
    elif over == "map":
        low, high = design.spec.voltage.min, design.spec.voltage.max
        inputs = tuple(float(v) for v in np.linspace(low, high, points)) if high > low else (low,)
        found = Work(over, design, ("input voltage", "V"), ("load", "A"), _grid(design, inputs, loads))
    else:
        found = _varied(design, over, points)
    return _with_mission(found)


def _loads(low: float, high: float, points: int) -> tuple[float, ...]:
    return tuple(float(i) for i in np.linspace(max(low, 0.02 * high), high, points))


def _grid(
    design: Design, inputs: tuple[float, ...], loads: tuple[float, ...]
) -> tuple[tuple[Spot, ...], ...]:
    grid = design.grid(inputs, loads)
    return tuple(
        tuple(Spot(i * len(loads) + j, (v, load), grid, (i, j)) for j, load in enumerate(loads))
        for i, v in enumerate(inputs)
    )


def _varied(design: Design, over: str, points: int) -> Work:
    """Return points over frequency or ambient temperature, at nominal input, for a third of full load and full load."""
    spec = design.spec
    if over == "frequency":
        f = spec.switching.frequency
        values = tuple(float(v) for v in np.geomspace(f / SPAN, f * SPAN, points))
        abscissa = ("switching frequency", "Hz")
    else:
        values = tuple(float(v) for v in np.linspace(COLD, WARM, points))
        abscissa = ("ambient temperature", "°C")
    inputs, full = design.at().inputs, max(design.loads)
    loads = (full / 3.0, full)
    rows: list[list[Spot]] = [[] for _ in loads]
    for k, value in enumerate(values):
        grid = design.grid(inputs, loads, _changed(spec, over, value))
        for j, load in enumerate(loads):
            rows[j].append(Spot(j * len(values) + k, (load, value), grid, (0, j)))
    return Work(over, design, ("load", "A"), abscissa, tuple(tuple(row) for row in rows))


def _changed(spec: Spec, over: str, value: float) -> Spec:
    if over == "frequency":
        return spec.model_copy(update={"switching": spec.switching.model_copy(update={"frequency": value})})
    return spec.model_copy(update={"thermal": spec.thermal.model_copy(update={"ambient": value})})


def _with_mission(found: Work) -> Work:
    """Add the loads that the file weighs, at nominal input."""
    shares = found.design.spec.efficiency.shares()
    if not shares or found.over != "load":
        return found
    full = max(found.design.loads)
    loads = tuple(share * full for share in shares)
    inputs = found.design.at().inputs
    grid = found.design.grid(inputs, loads)
    mission = tuple(
        Spot(found.count + j, (inputs[0], load), grid, (0, j), weight)
        for j, (load, weight) in enumerate(zip(loads, shares.values(), strict=True))
    )
    return Work(found.over, found.design, found.curve, found.abscissa, (*found.rows, mission))


def run(found: Work, processes: int) -> Iterator[Measured]:
    """Yield the points as they are ready, in any order."""
    yield from spread(found.rows, _rows, processes, 1)


def _rows(rows: Sequence[tuple[Spot, ...]]) -> Iterator[Measured]:
    """Yield the points of some rows; each starts from the temperatures that its neighbours lead to."""
    for row in rows:
        known: list[tuple[float, dict[str, float]]] = []
        for spot in row:
            point, found = _point(spot, _led_to(known, spot.at[1]))
            if found:
                known = [*known[-1:], (spot.at[1], found)]
            yield point


def _led_to(known: list[tuple[float, dict[str, float]]], x: float) -> dict[str, float]:
    """Return temperatures at `x` on the straight line through the last two points, as far as there are any."""
    if len(known) < 2:
        return known[-1][1] if known else {}
    (x0, t0), (x1, t1) = known
    return {name: t1[name] + (t1[name] - t0[name]) * (x - x1) / (x1 - x0) for name in t1}


def _point(spot: Spot, start: dict[str, float]) -> tuple[Measured, dict[str, float]]:
    """Return a point and its temperatures, none where it has no result."""
    point = Measured(spot.index, spot.at, spot.mission)
    try:
        found = budget(spot.design, *spot.corner, start=start)
    except NoResultError as error:
        return replace(point, failure=str(error)), {}
    done = replace(
        point,
        efficiency=found.efficiency,
        loss=found.loss,
        hottest=found.hottest,
        broken=(*found.broken, *unkept(spot.design, *spot.corner)),
        gaps=found.gaps,
    )
    return done, found.temperatures


def weighted(points: Sequence[Measured]) -> float | None:
    """Return the efficiency of the mission, or None where there is none or one of its points has no result.

    Notes
    -----
    Σ w·η over the loads that the file weighs, the weights adding up to one.
    """
    mission = [p for p in points if p.mission > 0.0]
    if not mission or any(p.failure for p in mission):
        return None
    return sum(p.mission * p.efficiency for p in mission)


def best(points: Sequence[Measured]) -> Measured | None:
    """Return the most efficient point of the largest curve value, at an abscissa where every curve keeps everything."""
    top = max((p.at[0] for p in points), default=0.0)
    wrong = {p.at[1] for p in points if p.failure or p.broken}
    kept = [p for p in points if p.at[0] == top and p.at[1] not in wrong and p.efficiency == p.efficiency]
    return max(kept, key=lambda p: p.efficiency, default=None)
