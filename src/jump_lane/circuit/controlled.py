"""How a circuit of one's own is controlled and what happens to it over time, as its file has it."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from jump_lane.quantities.fields import (
    Amperes,
    Farads,
    Given,
    Henries,
    Hertz,
    Number,
    Ohms,
    Ratio,
    Seconds,
    Siemens,
    Volts,
    Whole,
)


class Table(BaseModel):
    """A table of a circuit file, whose keys are all known."""

    model_config = ConfigDict(extra="forbid", frozen=True)


class OwnPeakTable(Table):
    """Peak current control: a comparator ends the pulse of a switch."""

    switch: str = Field(description="Switch whose pulse it ends")
    signal: str = Field(description="Current that is sensed, such as 'L.i'")
    sense: Annotated[Ohms, Field(gt=0.0)] = Field(description="Volts for each ampere of it")
    slope: Annotated[Number, Field(ge=0.0)] = Field(default=0.0, description="Slope compensation in V/s")
    blanking: Annotated[Seconds, Field(ge=0.0)] = Field(
        default=0.0, description="How long after turn-on the comparator is not listened to"
    )


class OwnDigitalTable(Table):
    """A controller that samples once a period: e = reference − signal, I += K_i·e, u = I + K_p·e."""

    proportional: Number = Field(default=0.0, description="Proportional gain")
    integral: Number = Field(default=0.0, description="Integral gain, per period")
    delay: Whole = Field(default=1, description="Whole periods between a sample at the clock and its pulse")
    sample: Annotated[Ratio, Field(ge=0.0, lt=1.0)] = Field(
        default=0.0, description="Where in the period it samples"
    )
    voltage_step: Annotated[Number | None, Field(gt=0.0)] = Field(
        default=None, description="Step of a reading, in units of the signal"
    )
    duty_step: Annotated[Ratio | None, Field(gt=0.0, lt=1.0)] = Field(
        default=None, description="Step of the control variable"
    )

    @model_validator(mode="after")
    def _in_time(self) -> OwnDigitalTable:
        if self.sample > 0.0 and self.delay == 0:
            raise ValueError("delay: 0 with a sample within the period; expected at least 1")
        return self


class OwnControlTable(Table):
    """How a circuit of one's own is controlled."""

    signal: str = Field(default="", description="What is held, such as '@out' or 'load.v'")
    reference: Number | None = Field(
        default=None, description="Reference of the amplifier or of the controller"
    )
    amplifier: Literal["operational", "transconductance"] = Field(
        default="operational", description="Which amplifier"
    )
    gain: Annotated[Number | None, Field(gt=0.0)] = Field(
        default=None, description="Its open-loop gain in decibels"
    )
    bandwidth: Annotated[Hertz | None, Field(gt=0.0)] = Field(
        default=None, description="Its gain-bandwidth product"
    )
    transconductance: Annotated[Siemens, Field(gt=0.0)] = Field(
        default=1e-3, description="Of such an amplifier"
    )
    values: dict[str, Given] = Field(
        default={}, description="Its network: R_1, R_b, C_1, and R_2, C_2, R_3, C_3 where there are such"
    )
    ramp: Annotated[Volts, Field(gt=0.0)] = Field(
        default=1.0, description="Peak of the ramp that it is compared with"
    )
    peak: OwnPeakTable | None = Field(default=None, description="Peak current control instead of a ramp")
    command: Volts | None = Field(
        default=None, description="Fixed command of peak current control, where there is no amplifier"
    )
    digital: OwnDigitalTable | None = Field(
        default=None, description="A sampled controller instead of an amplifier"
    )


class OwnEventTable(Table):
    """Something that happens in a run over time."""

    at: Annotated[Seconds, Field(ge=0.0)] = Field(description="When, from the start of the run")
    element: str = Field(default="", description="Which element changes")
    voltage: Volts | None = Field(default=None, description="Voltage of a source from then on")
    current: Amperes | None = Field(default=None, description="Current of a source from then on")
    resistance: Annotated[Ohms | None, Field(gt=0.0)] = Field(
        default=None, description="Resistance from then on"
    )
    inductance: Annotated[Henries | None, Field(gt=0.0)] = Field(
        default=None, description="Inductance from then on"
    )
    capacitance: Annotated[Farads | None, Field(gt=0.0)] = Field(
        default=None, description="Capacitance from then on"
    )
    removed: bool = Field(
        default=False, description="Whether the element (a resistor or a current source) is taken out"
    )
    control: Given | None = Field(
        default=None, description="Control variable from then on, without a controller"
    )
    over: Annotated[Seconds, Field(ge=0.0)] = Field(
        default=0.0, description="Time in which a source gets there"
    )

    @property
    def figure(self) -> str:
        """Which figure of its element it sets; nothing if none."""
        return next((f for f in FIGURES if getattr(self, f) is not None), "")

    @model_validator(mode="after")
    def _one(self) -> OwnEventTable:
        said = [f for f in FIGURES if getattr(self, f) is not None]
        said += ["removed"] if self.removed else []
        said += ["control"] if self.control is not None else []
        if len(said) != 1:
            expected = f"expected one of {', '.join(FIGURES)}, removed, control"
            raise ValueError(f"read {' and '.join(said) or 'no change'}; {expected}")
        if self.over and said[0] not in ("voltage", "current"):
            raise ValueError(f"over and {said[0]} exclude each other: only a source changes gradually")
        return self


FIGURES = {"voltage": "V", "current": "A", "resistance": "Ω", "inductance": "H", "capacitance": "F"}
"""Figures of elements that an event may set, and their units."""
