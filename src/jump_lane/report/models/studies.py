"""Forms of sweeps, maps, efficiency, choices of parts, comparisons, explanations, errors."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from jump_lane.report.models.base import Model, Output, Value, Values


class Axis(Model):
    """A key that was varied."""

    key: str
    unit: str
    values: list[Value | str]


class Measured(Model):
    """A column of a sweep."""

    name: str
    unit: str


class Row(Model):
    """A point of a sweep."""

    at: list[Value | str]
    control: Value
    mode: str | None
    values: list[Value | str] | None
    reason: str | None


class Convert(Output):
    """A quantity in another unit."""

    from_: str = Field(alias="from")
    unit: str
    value: Value


class Sweep(Output):
    """A sweep."""

    axes: list[Axis]
    measures: list[Measured]
    complete: bool
    gaps: dict[str, list[str]]
    rows: list[Row]


class Boundary(Model):
    """The derived boundary of conduction: input voltage [V], load [A]."""

    V_in: Value
    I_B: Value


class ModePoint(Model):
    """A simulated point of the map of modes."""

    V_in: Value
    I_o: Value
    mode: str | None
    control: Value
    reason: str | None


class Based(Model):
    """A base quantity, before and after."""

    before: Value
    after: Value
    unit: str


class ScaledPart(Based):
    """A component value, before, in units of its base, and after."""

    per_unit: Value


class ScaleProof(Model):
    """A measure in units of its base."""

    name: str
    before: Value
    after: Value


class Scale(Output):
    """A converter scaled."""

    factors: dict[str, Value]
    bases: dict[str, Based]
    parts: dict[str, ScaledPart]
    proof: list[ScaleProof]


class GainPlace(Model):
    """An exact state of a tank: load [A], frequency [Hz], gains [1], current left before the capacitive side [A]."""

    load: Value
    frequency: Value
    gain: Value
    harmonic: Value
    reserve: Value
    reason: str | None


class GainCorner(Model):
    """A corner with the output held, or why it is not."""

    V_in: Value
    I_o: Value
    gain: Value
    derived: Value
    frequency: Value
    mode: str | None
    reason: str | None


class Stated(Model):
    """A value that is stated."""

    value: Value
    unit: str
    meaning: str


class Gain(Output):
    """The gain of a tank."""

    resonance: Value
    places: list[GainPlace]
    corners: list[GainCorner]
    stated: dict[str, Stated]


class AngleSpot(Model):
    """An exact state at two angles [parts of the period]: power [W], rms current [A], soft switches."""

    at: Values
    power: Value
    rms: Value
    soft: list[str]
    reason: str | None


class AnglePoint(Model):
    """An operating point with the angles that hold the output, as usual and with the least rms current [A]."""

    name: str
    V_in: Value
    I_o: Value
    angles: dict[str, Value]
    least: dict[str, Value]
    rms: Values
    reason: str | None


class Turn(Model):
    """A switch turning on: when [s], current [A], charges [C], dead time needed [s], voltage left [V]."""

    switch: str
    time: Value
    current: Value
    needed: Value
    had: Value
    dead: Value
    left: Value
    soft: bool


class Angles(Output):
    """A map over two angles."""

    across: str
    up: str
    fixed: dict[str, Value]
    spots: list[AngleSpot]
    points: list[AnglePoint]
    turns: list[Turn]


class Modes(Output):
    """The map of conduction modes."""

    boundary: list[Boundary]
    points: list[ModePoint]


class CrossPoint(Model):
    """A point of the load matrix."""

    V_in: Value
    loads: Values
    voltages: Values
    failure: str


class CrossOutput(Model):
    """An output over the load matrix."""

    output: int
    wanted: Value
    lowest: Value
    highest: Value
    holds: bool


class Cross(Output):
    """Cross regulation."""

    points: list[CrossPoint]
    outputs: list[CrossOutput]
    complete: bool


class EfficiencyAxis(Model):
    """What efficiency is shown over."""

    name: str
    unit: str


class EfficiencyPoint(Model):
    """A point: value of the curve, and on the abscissa."""

    curve: Value
    at: Value
    mission_weight: Value
    efficiency: Value
    loss: Value
    hottest: Value
    not_kept: list[str]
    gaps: list[str]
    reason: str | None


class BestFrequency(Model):
    """The frequency [Hz] at which everything is kept with the least loss."""

    frequency: Value
    load: Value
    efficiency: Value


class Efficiency(Output):
    """Efficiency over something."""

    over: str
    curve: EfficiencyAxis
    abscissa: EfficiencyAxis
    complete: bool
    weighted: Value
    best_frequency: BestFrequency | None
    points: list[EfficiencyPoint]


class Tried(Model):
    """The parts that one component may be."""

    parts: int
    within_ratings: int
    fallen: dict[str, int]


class Best(Model):
    """A combination of parts."""

    parts: dict[str, str]
    pieces: dict[str, int]
    loss: Value
    efficiency: Value
    hottest: Value
    cost: Value
    score: Value
    not_kept: list[str]
    gaps: list[str]


class Pick(Output):
    """Parts chosen."""

    tried: int
    within_ratings: int
    simulated: int
    weights: dict[str, float]
    components: dict[str, Tried]
    best: list[Best]


class Candidate(Model):
    """A converter of a comparison; ``failure`` says why it cannot do what is asked."""

    name: str
    failure: str
    duty: Values
    modes: list[str]
    stress: Value
    energy: Value
    output_rms: Value
    input_rms: Value
    parts: list[int]
    unit: str


class Compare(Output):
    """Converters side by side."""

    title: str
    converters: list[Candidate]


class Difference(Model):
    """Something that differs; the change is relative [1]."""

    what: str
    meaning: str
    before: str
    after: str
    change: Value


class Diff(Output):
    """Two files side by side."""

    files: list[str]
    keys: list[Difference]
    components: list[Difference]
    values: list[Difference]
    verdicts: list[Difference]


class Explain(Output):
    """A key of the converter file."""

    key: str
    meaning: str
    expected: str
    default: str | None
    example: str | None
    required: bool
    keys: list[str]


class Error(Output):
    """Why a command ended without a result."""

    code: Literal[
        "error", "input", "no-result", "unsolvable", "not-converged", "balance", "thermal-runaway", "usage", "output", "fault", "interrupted",
    ]  # fmt: skip
    message: str
