"""The gain of a resonant converter over frequency for several loads: exact, beside the first harmonic, with its corners."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from jump_lane.design.derive import Design
from jump_lane.equations.formula import formula
from jump_lane.errors import InputError, NoResultError
from jump_lane.spec import Spec
from jump_lane.study.pool import spread
from jump_lane.topologies.page import Gain

BEYOND = 0.85
"""The lowest frequency drawn, of that of the peak at the lightest load, where the limits leave room for it."""

HEAVIER = 2.0
"""The heaviest load drawn, over full load; the lightest is the smallest asked."""


@dataclass(frozen=True)
class Place:
    """One exact state at a fixed frequency [Hz] and load [A at the output voltage asked].

    ``reserve`` is positive on the side of the peak that is meant; ``failure`` says why there is no state.
    """

    index: int
    load: float
    frequency: float
    gain: float = math.nan
    harmonic: float = math.nan
    reserve: float = math.nan
    failure: str = ""


@dataclass(frozen=True)
class Held:
    """A corner with the output held: gain needed, frequency found [Hz] (none: why)."""

    v_in: float
    i_o: float
    gain: float
    derived: float
    frequency: float = math.nan
    mode: str = ""
    failure: str = ""


@dataclass(frozen=True)
class GainWork:
    """Which frequencies [Hz] and loads [A] are looked at, at nominal input."""

    design: Design
    frequencies: tuple[float, ...]
    loads: tuple[float, ...]

    @property
    def count(self) -> int:
        """Number of states."""
        return len(self.frequencies) * len(self.loads)


def work(design: Design, frequencies: int, loads: int) -> GainWork:
    """Return what a map of the gain looks at.

    Raises
    ------
    InputError
        If the converter has no such gain.
    """
    if design.page.gain is None:
        raise InputError(f"gain: the {design.page.name} has no tank whose gain the frequency sets")
    sheet = design.sheet
    low, high = sheet["f_min"].worst, sheet["f_max"].worst
    if "f_pk" in sheet:
        low = min(low, BEYOND * float(np.nanmin(sheet["f_pk"].values)))
    smallest = max(min(design.loads), 0.02 * max(design.loads))
    return GainWork(
        design,
        tuple(float(f) for f in np.geomspace(low, high, frequencies)),
        tuple(float(i) for i in np.geomspace(HEAVIER * max(design.loads), smallest, loads)),
    )


def run(work: GainWork, processes: int = 1) -> Iterator[Place]:
    """Yield the states as they are ready, in any order; those of one load one after another, from the highest frequency."""
    jobs = list(enumerate(work.loads))
    yield from spread(jobs, partial(_along, work), processes, 1)


def _along(work: GainWork, some: Sequence[tuple[int, float]]) -> Iterator[Place]:
    from jump_lane.switching.record import record
    from jump_lane.switching.steady import steady_state

    gain, side = work.design.page.gain, work.design.page.side
    assert gain is not None
    assert side is not None
    for k, load in some:
        design = work.design.at(i_o=load)
        design = replace(design, spec=_resistive(design))
        point, sheet = design.point(0, 0), design.sheet
        circuit, known, guess = design.page.at(point), None, {"C_o": point["V_o"]}
        for j in reversed(range(len(work.frequencies))):
            f = work.frequencies[j]
            place = Place(k * len(work.frequencies) + j, load, f, harmonic=_harmonic(gain, point.values, f))
            try:
                state = steady_state(replace(circuit, control=f), None, guess, known=known)
            except NoResultError as error:
                yield replace(place, failure=str(error))
                continue
            seen, known, guess = record(state), state.engine, state.states
            reached = seen.measures("load.v").average
            ratio = sheet["M"].worst * reached / point["V_o"]
            yield replace(place, gain=ratio, reserve=side.reserve(seen, point))


def _resistive(design: Design) -> Spec:
    """Return what is asked with a load of constant resistance, whatever the file has."""
    first = design.spec.output[0].model_copy(update={"load": "resistance"})
    return design.spec.model_copy(update={"output": [first, *design.spec.output[1:]]})


def _harmonic(gain: Gain, values: Mapping[str, float], frequency: float) -> float:
    return float(formula(gain.harmonic).evaluate({**values, "x": frequency / values["f_0"]}))


def corners(design: Design) -> Iterator[Held]:
    """Yield every corner with the output held."""
    from jump_lane.operating.mode import simulated_mode
    from jump_lane.operating.point import solve

    for i, j in np.ndindex(design.shape):
        needed = design.sheet["M"].corner(i, j)
        found = Held(design.inputs[i], design.loads[j], needed, design.sheet["f_s"].corner(i, j))
        try:
            state, seen = solve(design, i, j)
        except NoResultError as error:
            yield replace(found, failure=str(error))
            continue
        mode = simulated_mode(design.page, design.point(i, j), seen)
        yield replace(found, frequency=state.control, mode=mode)
