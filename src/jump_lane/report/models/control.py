"""Forms of loops and of runs over time."""

from __future__ import annotations

from pydantic import Field

from jump_lane.report.models.base import Model, Named, Output, Value, Values


class LoopCorner(Model):
    """A loop at a corner: frequencies [Hz], margins [°, dB], multipliers as real and imaginary parts."""

    corner: str
    V_in: Value
    I_o: Value
    mode: str | None
    control: Value
    crossover: Value
    phase_margin: Value
    gain_margin: Value
    crossovers: list[Values]
    whole_crossover: Value
    whole_phase_margin: Value
    whole_gain_margin: Value
    multipliers: list[Values]
    average: Value
    frequency: Value
    reason: str | None


class LoopVerdict(Model):
    """Something that is asked of a loop."""

    what: str
    asked: str
    found: str
    holds: bool
    advice: str | None


class Held(Model):
    """What a loop holds, and how far tolerances may move it, part of it."""

    average: Value
    tolerance: Value


class Root(Model):
    """A pole or zero of the power stage [rad/s]."""

    kind: str
    real: Value
    imaginary: Value


class HeldLoop(Model):
    """The loop that holds the output of a checked converter."""

    held: Held
    corners: list[LoopCorner]
    verdicts: list[LoopVerdict]


class _Loop(Model):
    title: str
    topology: str
    kind: str
    values: Named
    holds: bool
    held: Held
    corners: list[LoopCorner]
    verdicts: list[LoopVerdict]
    poles: list[Root]
    hinder: str | None


class Loop(_Loop, Output):
    """A loop designed and proven."""


class Responses(Output):
    """Responses over frequency [Hz], as real and imaginary parts."""

    frequencies: list[Value]
    responses: dict[str, list[Values]]


class EventSwing(Model):
    """What the output does at an event: instants [s], voltages or currents."""

    at: Value
    event: str
    before: Value
    after: Value
    undershoot: Value
    overshoot: Value
    low: Value
    low_at: Value
    high: Value
    high_at: Value
    settled: Value


class Strain(Model):
    """The largest voltage or current of a component on the way, and its limit."""

    component: str
    what: str
    value: Value
    unit: str
    at: Value
    limit: Value
    holds: bool | None


class ModeFrom(Model):
    """How the converter conducts from an instant [s] on."""

    from_: Value = Field(alias="from")
    mode: str


class Transient(Output):
    """A converter over time."""

    title: str
    topology: str
    end: Value
    closed: bool
    events: list[EventSwing]
    strains: list[Strain]
    modes: list[ModeFrom]
    broken: list[str]
    holds: bool


class Span(Model):
    """What a signal does from one event to the next [s]."""

    from_: Value = Field(alias="from")
    to: Value
    event: str
    signal: str
    least: Value
    least_at: Value
    largest: Value
    largest_at: Value
    average: Value


class CircuitTransient(Output):
    """A circuit of one's own over time."""

    title: str
    end: Value
    spans: list[Span]
    state: Named


class FoundFigure(Model):
    """A figure found from a measurement, and its standard uncertainty as a part of it."""

    value: Value
    uncertainty: Value


class Residual(Model):
    """How far computed and measured loop gain are apart, rms [dB, °]."""

    gain: Value
    phase: Value


class Measured(Output):
    """A loop fitted to a measurement, and designed anew."""

    figures: dict[str, FoundFigure]
    rms: Residual
    loop: _Loop


class TriedCapacitance(Model):
    """An output capacitance [F] and the deviation on the load step with it [V]."""

    capacitance: Value
    deviation: Value


class Least(Output):
    """The least output capacitance for a load step."""

    asked: Value
    step: Value
    closed_forms: Named
    exact: Value
    now: Value
    tried: list[TriedCapacitance]


class CircuitLoop(Output):
    """The loop of a circuit of one's own."""

    title: str
    stable: bool
    multipliers: list[Values]
    crossovers: list[Values]
    crossings: list[Values]
    outer_crossovers: list[Values]
