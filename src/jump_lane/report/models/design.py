"""Forms of topologies, derivations, checks, solved and chosen values."""

from __future__ import annotations

from pydantic import Field

from jump_lane.report.models.base import Model, Named, Output, Value, Values
from jump_lane.report.models.control import HeldLoop


class Topology(Model):
    """One topology."""

    name: str
    title: str
    conversion: str
    isolated: bool
    secondaries: list[str]
    good_for: str


class Topologies(Output):
    """The topologies."""

    topologies: list[Topology]


class Corner(Model):
    """Input voltage [V] and load [A] at which a value is worst."""

    V_in: Value
    I_o: Value


class Derived(Model):
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


class Quantity(Model):
    """A value with its unit."""

    value: Value
    unit: str


class Stress(Model):
    """What a component bears: currents [A], voltage blocked [V]."""

    component: str
    kind: str
    average: Value
    rms: Value
    peak: Value
    blocked: Value


class Derivation(Output):
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


class Rating(Model):
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


class Mode(Model):
    """Conduction modes of a corner."""

    derived: str
    simulated: str
    holds: bool


class Pair(Model):
    """The control, as derived and as simulated."""

    derived: Value
    simulated: Value


class Finding(Model):
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


class CheckedCorner(Model):
    """One corner of input and load."""

    V_in: Value
    I_o: Value
    other_loads: Values
    output_voltage: Value
    mode: Mode
    failure: str | None
    runaway: str | None
    temperatures: Named
    control: Pair
    holds: bool
    findings: list[Finding]


class _Check(Model):
    title: str
    topology: str
    holds: bool
    overloads: list[str]
    not_judged: list[str]
    ratings: list[Rating]
    stresses: list[NeedyStress]
    corners: list[CheckedCorner]


class Check(_Check, Output):
    """A check; with the loop that holds the output, where that is closed."""

    loop: HeldLoop | None = None


class CheckedFile(Model):
    """The check of one file among many; none where it could not be checked."""

    file: str
    exit_status: int
    verdict: str
    check: _Check | None


class Checks(Output):
    """Many files checked."""

    holds: bool
    files: list[CheckedFile]


class ToleranceLimit(Model):
    """A limit with values off by their tolerances."""

    symbol: str
    limit: Value
    nominal: Value
    worst: Value
    holds: bool
    deviations: Named
    corner: Corner
    yield_: Value = Field(alias="yield")


class Tolerance(Output):
    """Worst case and yield."""

    draws: int
    complete: bool
    limits: list[ToleranceLimit]
    failures: int


class Reading(Model):
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


class SizedValue(Model):
    """A solved component value."""

    symbol: str
    unit: str
    textbook: Value
    exact: Value
    value: Value
    decided_by: Reading | None


class Size(Output):
    """Component values solved."""

    holds: bool
    tolerances: bool
    rounds: int
    solves: int
    values: list[SizedValue]
    unkept: list[Reading]
    jumping: list[str]


class FitCandidate(Model):
    """One way to make a component."""

    name: str
    value: Value
    pieces: int
    resistance: Value
    margins: Named
    ripple: Named
    broken: list[str]


class FitChoice(Model):
    """The ways to make one component, best first."""

    symbol: str
    unit: str
    derived: Value
    candidates: list[FitCandidate]


class Fit(Output):
    """Values that exist."""

    holds: bool
    choices: list[FitChoice]
