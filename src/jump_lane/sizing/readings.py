"""What a case shows of every limit that a component value keeps."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

from jump_lane.design.derive import Design
from jump_lane.judge.asked import duty_limit, limits, magnetising
from jump_lane.judge.limit import Limit, Mend, Scene
from jump_lane.judge.mode import mode_limit
from jump_lane.judge.soft import soft_limits
from jump_lane.operating.point import solve
from jump_lane.sizing.case import Case, Values, spots

AIM = 0.9995
"""Part of a limit that is aimed at, so that rounding does not break it."""


@dataclass(frozen=True)
class Reading:
    """A limit in one case.

    Attributes
    ----------
    ratio
        Value over limit.
    factor
        By what the components have to be multiplied so that it is just kept; NaN if no value can.
    """

    limit: Limit
    case: Case
    value: float
    factor: float

    @property
    def ratio(self) -> float:
        """Value over limit."""
        return self.value / self.limit.highest

    @property
    def kept(self) -> bool:
        """Whether its components may stay, or even give way."""
        return self.factor <= 1.0 if self.mend.least else self.factor >= 1.0

    @property
    def mend(self) -> Mend:
        """The components that keep it."""
        assert self.limit.mend is not None
        return self.limit.mend


def read(design: Design, values: Values, cases: list[Case]) -> Iterator[Reading]:
    """Yield every limit that components keep, in every case, simulated with these component values.

    Raises
    ------
    NoResultError
        If a case has no steady state.
    """
    for spot in spots(design, values, cases):
        if spot.case.i_o == 0.0 and not spot.design.synchronous:
            continue
        state, recording = solve(spot.design, *spot.at)
        scene = Scene(recording, state.control)
        for limit in sizing_limits(spot.design, *spot.at, spot.whole):
            assert limit.mend is not None
            value = limit.measure(scene)
            yield Reading(limit, spot.case, value, limit.mend.factor(scene, AIM * limit.highest))


def sizing_limits(design: Design, i: int, j: int, whole: Design) -> Iterator[Limit]:
    """Yield every limit at a corner that component values keep."""
    for limit in limits(design, i, j, whole):
        if limit.mend is not None and limit.symbol != design.page.control.symbol:
            yield limit
    mode = mode_limit(design, j)
    if mode is not None:
        yield mode
    if "n" in design.components() and "D_lim" in design.sheet and _limits_duty(design):
        yield duty_limit(design, design.sheet["D_lim"].worst)
    given = design.spec.transformer.model_fields_set
    if "magnetising_ripple" not in given:
        yield from magnetising(design)
    if "soft_load" not in given and "k_z" in design.sheet and not design.page.soft:
        yield from (limit for limit in soft_limits(design, j) if limit.mend is not None)


def _limits_duty(design: Design) -> bool:
    """Tell whether the duty ratio is limited: as asked, or, where no turns ratio is given, as usual."""
    spec = design.spec
    given = spec.transformer.turns_ratio is not None or "n" in spec.chosen
    return spec.switching.duty_limit is not None or not given


def about(readings: list[Reading], components: set[str]) -> list[Reading]:
    """Return the readings of limits that these components keep, no others named in them."""
    out = []
    for reading in readings:
        own = tuple(c for c in reading.mend.components if c in components)
        if own:
            out.append(
                replace(reading, limit=replace(reading.limit, mend=replace(reading.mend, components=own)))
            )
    return out
