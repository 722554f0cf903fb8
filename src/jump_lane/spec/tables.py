"""How a converter is switched, wound and damped, and what margins it gets, as its file has it."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from jump_lane.quantities.fields import (
    Count,
    CurrentLimit,
    Farads,
    Henries,
    Hertz,
    Ohms,
    Phase,
    Ratio,
    Seconds,
    TurnsRatio,
    Volts,
)
from jump_lane.spec.ranges import FrequencyRange, Table


class Switching(Table):
    """How it is switched."""

    frequency: Hertz = Field(
        description="Switching frequency; series resonance of a converter that is controlled by frequency"
    )
    frequency_limits: FrequencyRange | None = Field(
        default=None,
        description="Between which frequencies a converter that is controlled by frequency may run; by default a third of "
        "the series resonance to three times it",
    )
    current_ripple: CurrentLimit | None = Field(
        default=None,
        description="Largest inductor ripple, peak to peak; a percentage is of the average at full load. Without it the "
        "inductance follows from the boundary of continuous conduction at the smallest load",
    )
    mode: Literal["continuous", "boundary", "discontinuous", "either"] = Field(
        default="continuous",
        description="Conduction wanted: continuous over the whole load range, at its boundary at full load, "
        "discontinuous over the whole load range, or either (the ripple alone decides)",
    )
    rectifier: Literal["diode", "synchronous"] = Field(default="diode", description="What rectifies")
    phases: Count = Field(default=2, ge=2, le=8, description="Number of phases of an interleaved converter")
    coupling_ripple: Ratio = Field(
        default=0.05,
        gt=0.0,
        description="Ripple of a coupling capacitor, peak to peak, part of its average voltage",
    )
    duty_limit: Ratio | None = Field(
        default=None, gt=0.0, lt=1.0, description="Largest duty ratio wanted; it sets the turns ratio"
    )
    dead_time: Seconds = Field(
        default=0.0,
        ge=0.0,
        description="Both switches of a leg open around every edge; of a synchronous rectifier, and of bridges that need it",
    )


class Transformer(Table):
    """How an isolating transformer is wound."""

    turns_ratio: TurnsRatio | None = Field(
        default=None,
        description="Turns of the primary to those of each secondary, such as '10 : 3 : 1', instead of the derived ratio",
    )
    primary_turns: Count | None = Field(
        default=None, description="Number of primary turns; the secondary gets a whole number too"
    )
    secondary: Literal["half-wave", "centre-tap", "bridge", "current-doubler"] | None = Field(
        default=None,
        description="What rectifies behind the transformer of a forward or bridge converter; by default what is "
        "usual there",
    )
    magnetising_ripple: Ratio = Field(
        default=0.1,
        gt=0.0,
        description="Ripple of the magnetising current where it stores nothing, peak to peak, part of the "
        "load current at full load as the primary sees it",
    )
    soft_load: Ratio = Field(
        default=0.3,
        gt=0.0,
        description="Load, part of full load, down to which switches turn on without voltage",
    )
    clamp_voltage: Ratio = Field(
        default=1.5,
        gt=1.0,
        description="Voltage of a dissipating clamp, in units of the reflected output voltage",
    )


class Tank(Table):
    """How the resonant circuit of a converter is made."""

    inductance_ratio: Ratio | None = Field(
        default=None,
        gt=1.0,
        le=100.0,
        description="Magnetising over resonant inductance; without it and what it would follow from, 6",
    )
    quality: Ratio | None = Field(
        default=None,
        gt=0.0,
        le=10.0,
        description="Characteristic impedance over the load as the tank sees it, at full load; it decides the inductance ratio "
        "where none is given, as a chosen L_r or L_m does",
    )
    gain_reserve: Ratio = Field(
        default=0.1, ge=0.0, le=2.0, description="By how much the peak gain exceeds the largest gain needed"
    )
    capacitor: Literal["whole", "split"] = Field(
        default="whole",
        description="Resonant capacitor in series, or two of half the value to either rail of the input",
    )
    second_turns: Ratio = Field(
        default=1.0,
        gt=0.5,
        lt=2.0,
        description="Turns of the second half of a centre-tapped secondary over those of the first",
    )
    first_leakage: Henries = Field(
        default=0.0, description="Leakage of the first half of a centre-tapped secondary, seen there"
    )
    second_leakage: Henries = Field(
        default=0.0, description="Leakage of the second half of a centre-tapped secondary, seen there"
    )
    second_resistance: Ohms = Field(
        default=0.0,
        description="Resistance of the second half of a centre-tapped secondary beyond that of the first",
    )


class Angles(Table):
    """How two bridges that are controlled by angles are modulated."""

    modulation: Literal["single", "extended", "dual", "triple", "least-rms", "soft"] = Field(
        default="single",
        description="Single phase shift; extended: an inner angle of the first bridge; dual: one inner angle of both; triple: one "
        "of each; least-rms: those of the least rms current at every corner; soft: of those with which every switch turns on "
        "without voltage",
    )
    regulated_by: Literal["outer", "inner"] = Field(
        default="outer",
        description="What holds the output: the phase between both bridges, or the inner angle of the first one (of both where "
        "dual), the phase staying what it is",
    )
    outer: Annotated[Phase | None, Field(ge=-0.5, le=0.5)] = Field(
        default=None,
        description="Distance of the centres of both bridges' pulses where an inner angle holds the output, in parts of the "
        "period or degrees",
    )
    inner_1: Annotated[Phase, Field(ge=0.0, lt=0.5)] = Field(
        default=0.0,
        description="Zero interval of each half period of the first bridge, or of both where dual",
    )
    inner_2: Annotated[Phase, Field(ge=0.0, lt=0.5)] = Field(
        default=0.0, description="Zero interval of each half period of the second bridge"
    )
    largest: Annotated[Phase, Field(gt=0.0, le=0.25)] = Field(
        default=0.12,
        description="Phase at the largest power and the least voltages; it sets the inductance",
    )


class Damping(Table):
    """What damps or clamps the ringing of a device; all of it follows from three measurements."""

    ring: Annotated[Hertz, Field(gt=0.0, description="Frequency at which the device rings, as measured")]
    added: Annotated[
        Farads, Field(gt=0.0, description="Capacitance put across the device for a second measurement")
    ]
    ring_added: Annotated[Hertz, Field(gt=0.0, description="Ring frequency with it")]
    quality: Ratio = Field(default=20.0, gt=0.5, description="Quality factor of the ring without damping")
    ratio: Ratio = Field(default=3.0, gt=0.0, description="Damping capacitance over the parasitic one")
    clamp: Volts | None = Field(
        default=None,
        gt=0.0,
        description="Voltage of a clamp (diode, capacitor, resistor) instead of series damping",
    )
    resistance: Ohms | None = Field(default=None, gt=0.0, description="Replaces the derived resistance")
    capacitance: Farads | None = Field(default=None, gt=0.0, description="Replaces the derived capacitance")

    @model_validator(mode="after")
    def _falls(self) -> Damping:
        if self.ring_added >= self.ring:
            raise ValueError("ring_added: must be below ring, as the added capacitance slows the ring down")
        return self


class Margin(Table):
    """What is added to derived values."""

    inductance: Ratio = Field(default=0.2, ge=0.0, description="Added to the smallest inductance")
    capacitance: Ratio = Field(default=0.2, ge=0.0, description="Added to the smallest capacitance")
    voltage: Ratio = Field(default=0.3, ge=0.0, description="Added to voltage stresses for ratings")
    current: Ratio = Field(default=0.3, ge=0.0, description="Added to current stresses for ratings")
    spike: Ratio = Field(
        default=0.2,
        ge=0.0,
        description="Added for the spike of the leakage inductance where no clamp limits it",
    )
    esr_share: Ratio = Field(
        default=0.0,
        ge=0.0,
        lt=1.0,
        description="Part of the ripple voltage left to the capacitor's ESR, or what a given ESR makes, if that is more",
    )


class Tolerance(Table):
    """How far values may be off, up or down."""

    inductance: Ratio = Field(default=0.2, ge=0.0, lt=1.0, description="Of every inductance")
    capacitance: Ratio = Field(default=0.2, ge=0.0, lt=1.0, description="Of every capacitance")
    frequency: Ratio = Field(default=0.1, ge=0.0, lt=1.0, description="Of the switching frequency")
    forward_voltage: Ratio = Field(default=0.1, ge=0.0, lt=1.0, description="Of every forward voltage")
