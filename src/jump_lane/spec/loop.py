"""How a converter is controlled, and what happens to it over time, as its file has it."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from jump_lane.quantities.fields import (
    Amperes,
    Count,
    Degrees,
    Given,
    Hertz,
    Number,
    Ohms,
    Ratio,
    Seconds,
    Siemens,
    Volts,
    Whole,
)
from jump_lane.spec.ranges import Table, require_belonging


class Amplifier(Table):
    """The error amplifier of an analogue loop."""

    kind: Literal["operational", "transconductance", "optocoupler", "threshold-diode"] = Field(
        default="operational",
        description="Operational amplifier; transconductance amplifier; shunt reference that drives an optocoupler across an "
        "isolation barrier; or a threshold diode in its place, which only takes network = 'proportional'",
    )
    gain: Annotated[Number | None, Field(gt=0.0, le=200.0)] = Field(
        default=None, description="Open-loop gain in decibels; without it, infinite"
    )
    bandwidth: Annotated[Hertz | None, Field(gt=0.0)] = Field(
        default=None, description="Gain-bandwidth product; without it, infinite"
    )
    transconductance: Annotated[Siemens, Field(gt=0.0)] = Field(
        default=1e-3, description="Of a transconductance amplifier"
    )
    transfer: Annotated[Ratio, Field(gt=0.0)] = Field(
        default=1.0, description="Current transfer ratio of the optocoupler"
    )
    spread: Annotated[Ratio, Field(ge=0.0, lt=1.0)] = Field(
        default=0.5, description="How far that ratio may be off, up or down"
    )
    pole: Annotated[Hertz, Field(gt=0.0)] = Field(
        default=100e3, description="Pole of the optocoupler with its pull-up resistor"
    )
    pull_up: Annotated[Ohms, Field(gt=0.0)] = Field(
        default=4.7e3, description="Pull-up resistor of the optocoupler"
    )
    supply: Annotated[Volts, Field(gt=0.0)] = Field(
        default=5.0, description="What the pull-up resistor of the optocoupler is at"
    )
    forward_voltage: Annotated[Volts, Field(gt=0.0)] = Field(
        default=1.1, description="Forward voltage of the diode of the optocoupler"
    )
    bias: Annotated[Amperes, Field(ge=0.0)] = Field(
        default=1e-3, description="Current that the shunt reference needs to regulate"
    )


class Peak(Table):
    """Peak current control."""

    sense: Annotated[Ohms, Field(gt=0.0)] = Field(
        description="Volts that the comparator sees for each ampere of the switch"
    )
    slope: Annotated[Ratio, Field(ge=0.0)] = Field(
        default=0.5,
        description="Slope compensation, as a part of the falling slope of the inductor current at the worst corner",
    )
    blanking: Annotated[Seconds, Field(ge=0.0)] = Field(
        default=0.0,
        description="How long after turn-on the comparator is not listened to; the least pulse",
    )


class Average(Table):
    """Average current control."""

    sense: Annotated[Ohms, Field(gt=0.0)] = Field(
        description="Volts that the current amplifier sees for each ampere of the inductor"
    )
    inductor: str | None = Field(
        default=None, description="Inductor whose current is held; by default the first one of the converter"
    )
    crossover: Annotated[Hertz | None, Field(gt=0.0)] = Field(
        default=None,
        description="Crossover of the current loop; without it a part of the switching frequency",
    )
    share: Annotated[Ratio, Field(gt=0.0, le=0.4)] = Field(
        default=0.15, description="That part of the switching frequency"
    )
    phase_margin: Annotated[Degrees, Field(gt=0.0, lt=90.0)] = Field(
        default=60.0, description="Phase margin of the current loop aimed at"
    )
    resistor: Annotated[Ohms, Field(gt=0.0)] = Field(
        default=10e3, description="Resistor from the sensed current into the current amplifier"
    )


class Digital(Table):
    """A sampled controller."""

    gains: Literal["integral", "proportional-integral"] = Field(
        default="proportional-integral", description="Which gains it has"
    )
    delay: Annotated[Whole, Field(le=10)] = Field(
        default=1, description="Whole periods between a sample at the clock and the pulse that it decides"
    )
    sample: Annotated[Ratio, Field(ge=0.0, lt=1.0)] = Field(
        default=0.0, description="Where in the period it samples; 0 is just before the clock"
    )
    proportional: Annotated[Number | None, Field(ge=0.0)] = Field(
        default=None,
        description="Proportional gain, control per volt (or ampere) of error; derived if not given",
    )
    integral: Annotated[Number | None, Field(ge=0.0)] = Field(
        default=None,
        description="Integral gain, control per volt (or ampere) and period; derived if not given",
    )
    voltage_step: Annotated[Number | None, Field(gt=0.0)] = Field(
        default=None,
        description="Step of the converter that samples, in volts (amperes of a string of LEDs) at the output",
    )
    duty_step: Annotated[Ratio | None, Field(gt=0.0, lt=1.0)] = Field(
        default=None, description="Step of the control variable"
    )
    noise: Annotated[Number, Field(ge=0.0)] = Field(
        default=0.0,
        description="Rms noise of a reading, in volts (amperes) at the output; the same in every run",
    )
    median: Annotated[Count, Field(ge=1, le=15)] = Field(
        default=1, description="Readings, of as many periods, whose median is taken"
    )
    word: Annotated[Count | None, Field(ge=4, le=64)] = Field(
        default=None,
        description="Bits behind the point of its fixed-point numbers; without it, floating-point",
    )


ANALOGUE = ("voltage", "peak-current", "average-current")
RIPPLE = ("constant-on-time", "hysteretic")
"""Kinds that have no clock."""

BELONGS = {
    "network": ANALOGUE,
    "amplifier": ANALOGUE,
    "values": ANALOGUE,
    "divider": (*ANALOGUE, *RIPPLE),
    "divider_tolerance": (*ANALOGUE, *RIPPLE),
    "resistor_tolerance": ANALOGUE,
    "capacitor_tolerance": ANALOGUE,
    "reference": (*ANALOGUE, *RIPPLE),
    "crossover": (*ANALOGUE, "digital"),
    "phase_margin": (*ANALOGUE, "digital"),
    "gain_margin": (*ANALOGUE, "digital"),
    "band": ("hysteretic",),
    "adaptive": ("constant-on-time",),
    "off_time": RIPPLE,
    "ramp": ("voltage", "average-current"),
    "feed_forward": ("voltage",),
    "peak": ("peak-current",),
    "average": ("average-current",),
    "digital": ("digital",),
}
"""Kinds of loops that a key says something of."""


class Loop(Table):
    """How the output is held: the loop and what is asked of it."""

    kind: Literal[
        "voltage", "peak-current", "average-current", "digital", "constant-on-time", "hysteretic"
    ] = Field(
        default="voltage",
        description="Pulse width against a ramp; peak current of the switch; average current of an inductor; a sampled "
        "controller; or without a clock, pulses of constant length or a band that the ripple of the output stays in",
    )
    network: Literal["proportional", "integral", "type II", "type III"] = Field(
        default="type II",
        description="Network around the amplifier: none, a capacitor alone, one zero and pole beside it, or two of each",
    )
    amplifier: Amplifier = Amplifier()
    peak: Peak | None = Field(default=None, description="Peak current control, where that is the kind")
    average: Average | None = Field(
        default=None, description="Average current control, where that is the kind"
    )
    digital: Digital = Digital()
    crossover: Annotated[Hertz | None, Field(gt=0.0)] = Field(
        default=None, description="Crossover frequency wanted; without it as high as the margins allow"
    )
    phase_margin: Annotated[Degrees, Field(gt=0.0, lt=120.0)] = Field(
        default=55.0, description="Least phase margin"
    )
    gain_margin: Annotated[Number, Field(ge=0.0, le=60.0)] = Field(
        default=6.0, description="Least gain margin in decibels"
    )
    deviation: Annotated[Volts | None, Field(gt=0.0)] = Field(
        default=None, description="Largest deviation of the output on the load step"
    )
    step: Annotated[Amperes | None, Field(gt=0.0)] = Field(
        default=None,
        description="That load step, from full load less it to full load and back; by default half of full load",
    )
    reference: Annotated[Volts, Field(gt=0.0)] = Field(default=1.2, description="Reference voltage")
    reference_tolerance: Annotated[Ratio, Field(ge=0.0, lt=0.5)] = Field(
        default=0.01, description="How far the reference may be off"
    )
    divider_tolerance: Annotated[Ratio, Field(ge=0.0, lt=0.5)] = Field(
        default=0.01, description="How far each resistor of the divider may be off"
    )
    resistor_tolerance: Annotated[Ratio, Field(ge=0.0, lt=0.5)] = Field(
        default=0.01, description="How far each other resistor of the network may be off (`loop --tolerance`)"
    )
    capacitor_tolerance: Annotated[Ratio, Field(ge=0.0, lt=0.5)] = Field(
        default=0.05, description="How far each capacitor of the network may be off (`loop --tolerance`)"
    )
    divider: Annotated[Ohms, Field(gt=0.0)] = Field(
        default=10e3, description="Upper resistor of the divider, from the output to the amplifier"
    )
    ramp: Annotated[Volts, Field(gt=0.0)] = Field(
        default=1.0, description="Peak of the ramp that the amplifier is compared with"
    )
    feed_forward: bool = Field(
        default=False,
        description="Whether the ramp is proportional to the input voltage, as given at the nominal one",
    )
    band: Annotated[Volts | None, Field(gt=0.0)] = Field(
        default=None, description="How far the output rises before a hysteretic loop ends the pulse"
    )
    adaptive: bool = Field(
        default=True,
        description="Whether the constant on-time is that at nominal input times nominal over actual input voltage",
    )
    off_time: Annotated[Seconds | None, Field(ge=0.0)] = Field(
        default=None,
        description="Shortest time between two pulses without a clock; 2 % of the period unless given",
    )
    longest: Annotated[Ratio, Field(gt=0.0, le=1.0)] = Field(
        default=1.0, description="Longest pulse, part of the period"
    )
    soft_start: Annotated[Seconds, Field(ge=0.0)] = Field(
        default=0.0, description="Time in which the reference rises from zero at start-up"
    )
    values: dict[str, Given] = Field(
        default={}, description="Values of the network that replace derived ones, by symbol, such as R_2"
    )

    @model_validator(mode="after")
    def _consistent(self) -> Loop:
        if self.kind == "peak-current" and self.peak is None:
            raise ValueError("peak: expected, as kind = 'peak-current'; it takes at least sense")
        if self.kind == "hysteretic" and self.band is None:
            raise ValueError("band: expected, as kind = 'hysteretic', such as band = \"30 mV\"")
        if self.kind == "average-current" and self.average is None:
            raise ValueError("average: expected, as kind = 'average-current'; it takes at least sense")
        require_belonging(self, "kind", BELONGS)
        if self.digital.sample > 0.0 and self.digital.delay == 0:
            raise ValueError(
                "digital.delay: 0 with a sample within the period; expected at least 1, as the pulse has begun by then"
            )
        if self.network == "type III" and self.amplifier.kind != "operational":
            raise ValueError(
                f"network: 'type III' needs an operational amplifier, read {self.amplifier.kind!r}"
            )
        return self


class Event(Table):
    """Something that happens at an instant of a run over time."""

    at: Annotated[Seconds, Field(ge=0.0)] = Field(description="When, from the start of the run")
    over: Annotated[Seconds, Field(ge=0.0)] = Field(default=0.0, description="How long it takes; a step if 0")
    output: Count = Field(default=1, description="Which output a load, or a short circuit, is at")
    load: Annotated[Amperes | None, Field(ge=0.0)] = Field(
        default=None, description="Load current from then on; 0 removes the load"
    )
    input: Annotated[Volts | None, Field(ge=0.0)] = Field(
        default=None, description="Input voltage from then on"
    )
    setpoint: Volts | None = Field(
        default=None, description="Output voltage that the loop holds from then on"
    )
    short: Annotated[Ohms | None, Field(gt=0.0)] = Field(
        default=None, description="Resistance that is put across an output"
    )
    control: Given | None = Field(
        default=None,
        description="Control variable (duty ratio, phase, frequency) from then on, without a loop",
    )
    leds: Whole | None = Field(
        default=None, description="How many LEDs the string has from then on; 0 removes it"
    )

    @model_validator(mode="after")
    def _one(self) -> Event:
        named = [k for k in KINDS if getattr(self, k) is not None]
        if len(named) != 1:
            read = " and ".join(named) or "none of them"
            raise ValueError(f"read {read}; expected one of {', '.join(KINDS)}")
        if self.over and (named[0] in ("short", "leds", "control") or self.output != 1):
            other = f"output = {self.output}" if self.output != 1 else named[0]
            raise ValueError(f"over and {other} exclude each other: that is a step")
        if self.output != 1 and named[0] not in ("load", "short"):
            raise ValueError(f"output and {named[0]} exclude each other")
        return self

    @property
    def kind(self) -> str:
        """Which of its keys it sets."""
        return next(k for k in KINDS if getattr(self, k) is not None)


KINDS = ("load", "input", "setpoint", "short", "control", "leds")
"""What an event may set."""
