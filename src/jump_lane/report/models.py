"""The form of the JSON that every command prints: models, from which the published schemas are made.

Values are in SI units; what has no finite value is null.
"""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

Value = float | None
Values = list[Value]
Named = dict[str, Value]


class _Model(BaseModel):
    model_config = ConfigDict(extra="forbid")


class Setting(_Model):
    """A key that was set against the file, with what holds before and after, as text."""

    key: str
    before: str
    after: str


class _Output(_Model):
    """What every output has."""

    format: str = Field(description="jumplane/, what it is, and its version")
    notes: list[str] = Field(default=[], description="What is said below the tables")
    set: list[Setting] = Field(default=[], description="What was set against the file")


class Topology(_Model):
    """One topology."""

    name: str
    title: str
    conversion: str
    isolated: bool
    secondaries: list[str]
    good_for: str


class Topologies(_Output):
    """The topologies."""

    topologies: list[Topology]


class Corner(_Model):
    """Input voltage [V] and load [A] at which a value is worst."""

    V_in: Value
    I_o: Value


class Derived(_Model):
    """A value over the corners of input (rows) and load (columns)."""

    symbol: str
    meaning: str
    unit: str
    value: Value = Field(description="At its worst corner")
    origin: str = Field(description="file, default, derived, chosen, or the name of a part")
    values: list[Values]
    key: str = Field(default="", description="Key of the file that gives it")
    formula: str = ""
    substituted: str = Field(default="", description="The formula with the numbers of the worst corner")
    source: str = ""
    worst_at: Corner | None = None
    derived: Value = Field(default=None, description="Of a component: what is derived, whatever is in use")
    set_by: str = Field(default="", description="Of a component: the limit that sizes it")


class Quantity(_Model):
    """A value with its unit."""

    value: Value
    unit: str


class Stress(_Model):
    """What a component bears: currents [A], voltage blocked [V]."""

    component: str
    kind: str
    average: Value
    rms: Value
    peak: Value
    blocked: Value


class Derivation(_Output):
    """A derivation."""

    title: str
    topology: str
    inputs: Values
    loads: Values
    modes: list[list[str]]
    values: list[Derived]
    stresses: list[Stress]
    line: dict[str, Quantity] = Field(
        description="How the input follows from an alternating line, if it does"
    )
    overloads: list[str]


class Rating(_Model):
    """A rating of a part."""

    component: str
    what: str
    load: Value
    needed: Value
    limit: Value
    unit: str
    holds: bool


class NeedyStress(Stress):
    """What a component bears, and the ratings that needs [V], [A]."""

    voltage_needed: Value
    current_needed: Value


class Mode(_Model):
    """Conduction modes of a corner."""

    derived: str
    simulated: str
    holds: bool


class Pair(_Model):
    """The control, as derived and as simulated."""

    derived: Value
    simulated: Value


class Finding(_Model):
    """One quantity at one corner."""

    symbol: str
    unit: str
    asked: Value
    derived: Value
    simulated: Value
    deviation: Value
    agrees: bool
    holds: bool
    advice: str


class CheckedCorner(_Model):
    """One corner of input and load."""

    V_in: Value
    I_o: Value
    other_loads: Values
    mode: Mode
    failure: str | None
    runaway: str | None
    temperatures: Named
    control: Pair
    holds: bool
    findings: list[Finding]


class _Check(_Model):
    title: str
    topology: str
    holds: bool
    overloads: list[str]
    not_judged: list[str]
    ratings: list[Rating]
    stresses: list[NeedyStress]
    corners: list[CheckedCorner]


class Check(_Check, _Output):
    """A check."""


class CheckedFile(_Model):
    """The check of one file among many; none where it could not be checked."""

    file: str
    exit_status: int
    verdict: str
    check: _Check | None


class Checks(_Output):
    """Many files checked."""

    holds: bool
    files: list[CheckedFile]


class ToleranceLimit(_Model):
    """A limit with values off by their tolerances."""

    symbol: str
    limit: Value
    nominal: Value
    worst: Value
    holds: bool
    deviations: Named
    corner: Corner
    yield_: Value = Field(alias="yield")


class Tolerance(_Output):
    """Worst case and yield."""

    draws: int
    complete: bool
    limits: list[ToleranceLimit]
    failures: int


class Reading(_Model):
    """A limit where it is nearest to being broken."""

    limit: str
    key: str
    value: Value
    allowed: Value
    ratio: Value
    input_voltage: Value
    load: Value
    other_loads: Values
    off: Named
    components: list[str]


class SizedValue(_Model):
    """A solved component value."""

    symbol: str
    unit: str
    textbook: Value
    exact: Value
    value: Value
    decided_by: Reading | None


class Size(_Output):
    """Component values solved."""

    holds: bool
    tolerances: bool
    rounds: int
    solves: int
    values: list[SizedValue]
    unkept: list[Reading]


class FitCandidate(_Model):
    """One way to make a component."""

    name: str
    value: Value
    pieces: int
    resistance: Value
    margins: Named
    ripple: Named
    broken: list[str]


class FitChoice(_Model):
    """The ways to make one component, best first."""

    symbol: str
    unit: str
    derived: Value
    candidates: list[FitCandidate]


class Fit(_Output):
    """Values that exist."""

    holds: bool
    choices: list[FitChoice]


class Measures(_Model):
    """What is read off a signal over one period."""

    unit: str
    average: Value
    rms: Value
    minimum: Value
    maximum: Value
    peak_to_peak: Value


class CoilInterval(_Model):
    """What an inductor sees during an interval."""

    voltage: Value
    current_from: Value
    current_to: Value


class Interval(_Model):
    """An interval of the period [s], and who conducts."""

    from_: Value = Field(alias="from")
    to: Value
    part: Value
    conducting: list[str]
    inductors: dict[str, CoilInterval]


class Waves(_Output):
    """One operating point."""

    title: str
    period: Value
    measures: dict[str, Measures]
    intervals: list[Interval]


class Window(_Model):
    """What two cursors read off a signal."""

    unit: str
    first: Value
    second: Value
    difference: Value
    slope: Value
    average: Value
    rms: Value
    minimum: Value
    maximum: Value
    peak_to_peak: Value
    integral: Value


class Measure(_Output):
    """What two cursors [s] read."""

    title: str
    cursors: Values
    dt: Value
    signals: dict[str, Window]


class Harmonic(_Model):
    """A line of a spectrum: frequency [Hz], amplitude (peak), phase [°]."""

    order: int
    frequency: Value
    amplitude: Value
    phase: Value


class Spectrum(_Output):
    """Spectra of signals."""

    title: str
    spectra: dict[str, list[Harmonic]]


class Axis(_Model):
    """A key that was varied."""

    key: str
    unit: str
    values: list[Value | str]


class Measured(_Model):
    """A column of a sweep."""

    name: str
    unit: str


class Row(_Model):
    """A point of a sweep."""

    at: list[Value | str]
    control: Value
    mode: str | None
    values: list[Value | str] | None
    reason: str | None


class Sweep(_Output):
    """A sweep."""

    axes: list[Axis]
    measures: list[Measured]
    complete: bool
    rows: list[Row]


class Boundary(_Model):
    """The derived boundary of conduction: input voltage [V], load [A]."""

    V_in: Value
    I_B: Value


class ModePoint(_Model):
    """A simulated point of the map of modes."""

    V_in: Value
    I_o: Value
    mode: str | None
    control: Value
    reason: str | None


class Modes(_Output):
    """The map of conduction modes."""

    boundary: list[Boundary]
    points: list[ModePoint]


class CrossPoint(_Model):
    """A point of the load matrix."""

    V_in: Value
    loads: Values
    voltages: Values
    failure: str


class CrossOutput(_Model):
    """An output over the load matrix."""

    output: int
    wanted: Value
    lowest: Value
    highest: Value
    holds: bool


class Cross(_Output):
    """Cross regulation."""

    points: list[CrossPoint]
    outputs: list[CrossOutput]
    complete: bool


class Loss(_Model):
    """A loss [W]."""

    component: str
    mechanism: str
    power: Value
    simulated: bool


class LossRating(_Model):
    """A rating at the operating point."""

    component: str
    rating: str
    unit: str
    load: Value
    needed: Value
    limit: Value
    holds: bool


class Gap(_Model):
    """A figure that is not known, and what is missing without it."""

    model_config = ConfigDict(extra="allow")


class Losses(_Output):
    """Losses of one operating point [W], temperatures [°C]."""

    input_voltage: Value
    load: Value
    control: Value
    input_power: Value
    output_power: Value
    simulated: Value
    added: Value
    residual: Value
    thermal_feedback: Value
    efficiency: Value
    losses: list[Loss]
    parts: dict[str, str | None]
    temperatures: Named
    ratings: list[LossRating]
    not_known: list[Gap]


class CornerLoss(_Model):
    """Losses of one corner, or why there are none."""

    input_voltage: Value
    load: Value
    loss: Value = None
    efficiency: Value = None
    temperatures: Named = {}
    not_kept: list[str] = []
    reason: str = ""


class Corners(_Output):
    """Losses of all corners."""

    corners: list[CornerLoss]


class EfficiencyAxis(_Model):
    """What efficiency is shown over."""

    name: str
    unit: str


class EfficiencyPoint(_Model):
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


class BestFrequency(_Model):
    """The frequency [Hz] at which everything is kept with the least loss."""

    frequency: Value
    load: Value
    efficiency: Value


class Efficiency(_Output):
    """Efficiency over something."""

    over: str
    curve: EfficiencyAxis
    abscissa: EfficiencyAxis
    complete: bool
    weighted: Value
    best_frequency: BestFrequency | None
    points: list[EfficiencyPoint]


class Tried(_Model):
    """The parts that one component may be."""

    parts: int
    within_ratings: int
    fallen: dict[str, int]


class Best(_Model):
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


class Pick(_Output):
    """Parts chosen."""

    tried: int
    within_ratings: int
    simulated: int
    weights: dict[str, float]
    components: dict[str, Tried]
    best: list[Best]


class Candidate(_Model):
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


class Compare(_Output):
    """Converters side by side."""

    title: str
    converters: list[Candidate]


class Difference(_Model):
    """Something that differs; the change is relative [1]."""

    what: str
    meaning: str
    before: str
    after: str
    change: Value


class Diff(_Output):
    """Two files side by side."""

    files: list[str]
    keys: list[Difference]
    components: list[Difference]
    values: list[Difference]
    verdicts: list[Difference]


class Damp(_Output):
    """Damping of a device."""

    device: str
    values: dict[str, Quantity]
    peak_without: Value
    peak_with: Value
    loss: Value


class Explain(_Output):
    """A key of the converter file."""

    key: str
    meaning: str
    expected: str
    default: str | None
    example: str | None
    required: bool
    keys: list[str]


class Conduction(_Model):
    """How long a valve conducts [1], and what it blocks [V]."""

    fraction: Value
    blocking: Value


class Balance(_Model):
    """How well balances close."""

    energy: Value
    charge: Value
    volt_seconds: Value


class Stretch(_Model):
    """An interval of the period [s]."""

    from_: Value = Field(alias="from")
    to: Value
    conducting: list[str]


class Circuit(_Output):
    """A circuit of one's own."""

    title: str
    period: Value
    control: Value
    measures: dict[str, Measures]
    power: Named
    conduction: dict[str, Conduction]
    balance: Balance
    stretches: list[Stretch]
    warnings: list[str]
    states_jump: bool
    doubts: list[str]


class Error(_Output):
    """Why a command ended without a result."""

    code: Literal[
        "error", "input", "no-result", "unsolvable", "not-converged", "balance", "thermal-runaway", "usage", "output", "fault", "interrupted",
    ]  # fmt: skip
    message: str


OUTPUTS: dict[str, type[_Output]] = {
    "topologies": Topologies,
    "derive": Derivation,
    "check": Check,
    "checks": Checks,
    "tolerance": Tolerance,
    "size": Size,
    "fit": Fit,
    "waves": Waves,
    "measure": Measure,
    "spectrum": Spectrum,
    "sweep": Sweep,
    "modes": Modes,
    "cross": Cross,
    "losses": Losses,
    "corners": Corners,
    "efficiency": Efficiency,
    "pick": Pick,
    "compare": Compare,
    "diff": Diff,
    "damp": Damp,
    "explain": Explain,
    "circuit": Circuit,
    "error": Error,
}
"""What the middle part of ``format`` names, to its form."""
