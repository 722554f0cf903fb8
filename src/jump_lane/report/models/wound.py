"""Forms of wound components and of windings chosen along with parts."""

from __future__ import annotations

from jump_lane.report.models.base import Model, Named, Output, Value, Values


class Winding(Model):
    """A winding of a design."""

    name: str
    turns: int
    wire: str
    parallel: int
    grade: int


class WoundVerdict(Model):
    """Something that is asked of a wound component."""

    what: str
    asked: str
    found: str
    holds: bool
    warning: bool


class _Design(Model):
    core: str
    material: str
    bobbin: str | None
    gap: Value
    gaps: int
    gap_place: str
    order: list[str]
    windings: list[Winding]
    layers: int
    inductance: Value
    leakage: Named
    capacitance: Named
    flux_density: Value
    saturation: Value
    copper_loss: Values
    core_loss: Values
    rise: Value
    hot_spot: Value
    build: Value
    fill: Value
    volume: Value
    height: Value
    footprint: Value
    mass: Value
    cost: Value
    verdicts: list[WoundVerdict]


class ListedDesign(_Design):
    """A design of the list, and what the converter says of it."""

    converter: str


class Wind(Output):
    """The best designs of a wound component."""

    component: str
    looked: int
    valid: int
    fallen: dict[str, int]
    held: int
    """With how many designs, the first ones, the converter holds."""
    turns_ratios: dict[str, float]
    """By symbol, where they were lowered for what the winding drops."""
    designs: list[ListedDesign]


class Step(Model):
    """A step of winding."""

    number: int
    winding: str
    turns: int
    wire: str
    parallel: int
    start: str
    end: str
    direction: str
    note: str


class WindingSheet(Model):
    """What a workshop winds from."""

    component: str
    core: str
    material: str
    bobbin: str
    gap: str
    steps: list[Step]
    dots: dict[str, str]
    inductance: Value
    tolerance: Value
    leakage_limit: Named
    resistance: Named
    test_voltage: Value
    measure: list[str]


class Wound(_Design, Output):
    """One design of a wound component in detail."""

    component: str
    holds: bool
    converter: str
    sheet: WindingSheet


class ChosenPart(Model):
    """A part, and how many of it."""

    part: str
    pieces: int


class Combination(Model):
    """A winding with parts: score and what is broken at some corner."""

    core: str
    material: str
    turns: list[int]
    gap: Value
    parts: dict[str, ChosenPart]
    loss: Value
    hottest: Value
    score: Value
    broken: list[str]


class Joint(Output):
    """Windings and parts chosen together."""

    component: str
    combinations: list[Combination]
