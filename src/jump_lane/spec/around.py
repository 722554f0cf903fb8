"""What stands around the power stage, as the converter file has it: divider, adjustable output, banks of capacitors, filter,
gate drive, protection."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from jump_lane.quantities.fields import (
    Amperes,
    Celsius,
    Count,
    Farads,
    Henries,
    Hertz,
    Joules,
    KelvinPerWatt,
    Number,
    Ohms,
    Ratio,
    Seconds,
    Volts,
    Watts,
)
from jump_lane.spec.ranges import Table, VoltageRange, require_belonging

Series = Literal["E12", "E24", "E48", "E96", "E192"]


class Divider(Table):
    """The divider that sets the output, from its reference."""

    series: Series = Field(default="E96", description="Series that both resistors are of")
    upper: Annotated[Ohms | None, Field(gt=0.0)] = Field(
        default=None, description="Upper resistor, from the output to the amplifier"
    )
    lower: Annotated[Ohms | None, Field(gt=0.0)] = Field(
        default=None, description="Lower resistor, from the amplifier to ground"
    )
    current: Annotated[Amperes | None, Field(gt=0.0)] = Field(
        default=None, description="Current through it, about, instead of one of the resistors"
    )
    combine: Literal["single", "series", "parallel"] = Field(
        default="single", description="Whether the resistor that is looked for may be two of the series"
    )
    tolerance: Annotated[Ratio, Field(ge=0.0, lt=0.5)] = Field(
        default=0.01, description="How far each resistor may be off; an analogue loop says it under [control]"
    )
    reference: Annotated[Volts, Field(gt=0.0)] = Field(
        default=1.2, description="Reference voltage; an analogue loop says it under [control]"
    )
    reference_tolerance: Annotated[Ratio, Field(ge=0.0, lt=0.5)] = Field(
        default=0.01, description="How far the reference may be off; an analogue loop says it under [control]"
    )
    bias: Amperes = Field(
        default=0.0, description="Largest current that flows into the input of the amplifier"
    )
    power: Annotated[Watts | None, Field(gt=0.0)] = Field(
        default=None, description="What each resistor is rated for"
    )
    voltage: Annotated[Volts | None, Field(gt=0.0)] = Field(
        default=None, description="Voltage that each resistor is rated for"
    )

    @model_validator(mode="after")
    def _one(self) -> Divider:
        said = [k for k in ("upper", "lower", "current") if getattr(self, k) is not None]
        if len(said) > 1:
            raise ValueError(f"read {' and '.join(said)}; expected one of upper, lower and current")
        return self

    def search(self, wanted: float, reference: float, near: float) -> dict[str, Any]:
        """Return how its resistors are looked for, an upper one near a value [Ω] where nothing else is said; see `pair`."""
        where = {"upper": self.upper, "lower": self.lower, "current": self.current}
        if all(v is None for v in where.values()):
            where["current"] = (wanted - reference) / near
        return {"series": self.series, "combine": self.combine, "bias": 0.5 * self.bias, **where}


ADJUSTED = {
    "voltage": ("voltage", "pulse-width"),
    "frequency": ("pulse-width",),
    "ripple": ("pulse-width",),
    "voltages": ("resistors",),
    "potentiometer": ("potentiometer",),
    "potentiometer_tolerance": ("potentiometer",),
    "steps": ("voltage", "pulse-width", "potentiometer"),
}
"""Ways to adjust that a key says something of."""


class Adjust(Table):
    """How the output is adjusted."""

    by: Literal["voltage", "pulse-width", "resistors", "potentiometer"] = Field(
        description="A control voltage, or a filtered pulse width, through a third resistor; resistors switched beside the lower one; "
        "or a potentiometer in its place"
    )
    output: VoltageRange | None = Field(
        default=None, description="Output from lowest to highest; output.voltage_range unless given"
    )
    voltage: VoltageRange = Field(
        default=VoltageRange(min=0.0, max=3.3), description="Control voltage: the highest gives the lowest output",
        json_schema_extra={"default": "0 V … 3.3 V"}, validate_default=False,
    )  # fmt: skip
    frequency: Annotated[Hertz, Field(gt=0.0)] = Field(
        default=20e3, description="Frequency of the pulse width, whose amplitude is voltage.max"
    )
    ripple: Annotated[Volts, Field(gt=0.0)] = Field(
        default=10e-3, description="Largest ripple of the output, peak to peak, that the pulse width leaves"
    )
    voltages: list[Volts] = Field(
        default=[], description="Outputs that one resistor each switches to, above that without any"
    )
    potentiometer: Annotated[Ohms, Field(gt=0.0)] = Field(
        default=10e3, description="Resistance of the potentiometer"
    )
    potentiometer_tolerance: Annotated[Ratio, Field(ge=0.0, lt=0.5)] = Field(
        default=0.2, description="How far it may be off"
    )
    steps: Annotated[Count, Field(ge=2, le=33)] = Field(
        default=5, description="Settings that are shown and checked"
    )
    series: Series = Field(default="E96", description="Series that resistors are of")

    @model_validator(mode="after")
    def _belongs(self) -> Adjust:
        require_belonging(self, "by", ADJUSTED)
        if self.by == "pulse-width" and self.voltage.min != 0.0:
            raise ValueError(
                "voltage.min: a pulse width starts from 0 V; expected the amplitude alone, as voltage.max"
            )
        return self


class BankType(Table):
    """Capacitors of one type in a bank."""

    part: str = Field(default="", description="What they are called")
    capacitance: Annotated[Farads, Field(gt=0.0)] = Field(description="Of each")
    resistance: Annotated[Ohms, Field(ge=0.0)] = Field(default=0.0, description="Series resistance of each")
    inductance: Annotated[Henries, Field(ge=0.0)] = Field(
        default=0.0, description="Series inductance of each"
    )
    track_inductance: Annotated[Henries, Field(ge=0.0)] = Field(
        default=0.0, description="Inductance of the track that leads to all of them"
    )
    track_resistance: Annotated[Ohms, Field(ge=0.0)] = Field(default=0.0, description="Its resistance")
    count: Count = Field(default=1, description="How many are in parallel")
    current: Annotated[Amperes | None, Field(gt=0.0)] = Field(
        default=None, description="Rms current that each is rated for"
    )
    thermal_resistance: Annotated[KelvinPerWatt | None, Field(gt=0.0)] = Field(
        default=None, description="Of each, to ambient"
    )
    max_temperature: Celsius = Field(
        default=105.0, description="Highest temperature, at which its life holds"
    )
    life: Annotated[Seconds | None, Field(gt=0.0)] = Field(
        default=None, description="Life at that temperature and the rated current"
    )
    halving: Annotated[Number, Field(gt=1.0, le=40.0)] = Field(
        default=10.0, description="Kelvin by which the life doubles as it gets cooler"
    )


class Filter(Table):
    """A filter between source and converter, or behind an output."""

    kind: Literal["single", "pi", "two-stage"] = Field(
        default="single",
        description="One inductor and capacitor; a capacitor on the far side besides; two of each",
    )
    attenuation: Annotated[Number | None, Field(gt=0.0, le=200.0)] = Field(
        default=None, description="Decibels by which the current at `at` is to be smaller behind the filter"
    )
    at: Annotated[Hertz | None, Field(gt=0.0)] = Field(
        default=None, description="Frequency of that attenuation; the switching frequency unless given"
    )
    ripple: Annotated[Volts | None, Field(gt=0.0)] = Field(
        default=None, description="Largest ripple on the far side, peak to peak, across far_resistance"
    )
    limits: str | None = Field(
        default=None,
        description="Limit line instead: a CSV file with columns frequency [Hz] and level [dBµV]",
    )
    far_resistance: Annotated[Ohms, Field(gt=0.0)] = Field(
        default=50.0, description="Resistance of the far side at which ripple and level are measured"
    )
    margin: Annotated[Number, Field(ge=0.0, le=60.0)] = Field(
        default=3.0, description="Decibels by which attenuation or level are to be better than asked"
    )
    capacitance: Annotated[Farads | None, Field(gt=0.0)] = Field(
        default=None,
        description="Capacitor at the converter, of each stage; its own capacitor there unless given",
    )
    capacitor_resistance: Annotated[Ohms, Field(ge=0.0)] = Field(
        default=0.0, description="Series resistance of that capacitor"
    )
    capacitor_inductance: Annotated[Henries, Field(ge=0.0)] = Field(
        default=0.0, description="Series inductance of that capacitor"
    )
    inductance: Annotated[Henries | None, Field(gt=0.0)] = Field(
        default=None, description="Inductor of each stage; found unless given"
    )
    inductor_resistance: Annotated[Ohms, Field(ge=0.0)] = Field(default=0.0, description="Its resistance")
    inductor_capacitance: Annotated[Farads, Field(ge=0.0)] = Field(
        default=0.0, description="Capacitance across its winding"
    )
    damping: Literal["none", "parallel-rc", "parallel-rl", "series-rl"] = Field(
        default="parallel-rc",
        description="Resistor and capacitor beside the capacitor; resistor and inductor beside the inductor; or an inductor with a "
        "resistor across it in series with the inductor",
    )
    damping_ratio: Annotated[Number | None, Field(gt=0.0, le=100.0)] = Field(
        default=None,
        description="Damping capacitor or inductor over that of the filter; 4 unless given, 0.5 with parallel-rl",
    )
    impedance_margin: Annotated[Number, Field(ge=0.0, le=40.0)] = Field(
        default=6.0,
        description="Decibels by which the filter's output impedance stays below the converter's input impedance",
    )

    @model_validator(mode="after")
    def _asked(self) -> Filter:
        said = [k for k in ("attenuation", "ripple", "limits") if getattr(self, k) is not None]
        if len(said) > 1 or (not said and self.inductance is None):
            raise ValueError(
                f"read {' and '.join(said) or 'none of them'}; expected one of attenuation, ripple and limits, or an inductance"
            )
        if self.at is not None and self.attenuation is None:
            raise ValueError("at: the frequency of an attenuation; expected attenuation with it")
        if self.damping == "none" and self.damping_ratio is not None:
            raise ValueError("damping_ratio and damping = 'none' exclude each other")
        return self


class Gate(Table):
    """What the gate drive is made of, besides [driver]."""

    bootstrap_droop: Annotated[Volts, Field(gt=0.0)] = Field(
        default=0.3, description="How far the bootstrap capacitor may discharge while the switch is on"
    )
    bootstrap_drop: Annotated[Volts, Field(ge=0.0)] = Field(
        default=0.7, description="Forward voltage of the bootstrap diode"
    )
    quiescent: Amperes = Field(
        default=0.0, description="Current that a floating driver takes from that capacitor"
    )
    leakage: Amperes = Field(default=0.0, description="Leakage of gate, diode and capacitor together")
    peak_current: Annotated[Amperes | None, Field(gt=0.0)] = Field(
        default=None, description="Peak current that the driver is rated for"
    )


class Protection(Table):
    """Fuse, inrush, current limit, clamp."""

    inrush_current: Annotated[Amperes | None, Field(gt=0.0)] = Field(
        default=None, description="Largest current when the input is switched on"
    )
    source_resistance: Annotated[Ohms | None, Field(ge=0.0)] = Field(
        default=None, description="Of the line and its leads; input.source_resistance unless given"
    )
    energy_rating: Annotated[Joules | None, Field(gt=0.0)] = Field(
        default=None, description="Energy that the inrush resistor, or cold NTC, is rated for"
    )
    fuse_derating: Annotated[Ratio, Field(gt=0.0, le=1.0)] = Field(
        default=0.75, description="Part of its rated current that a fuse carries for good"
    )
    fuse_currents: list[Amperes] = Field(
        default=[0.5, 1.0, 1.6, 2.0, 2.5, 3.15, 4.0, 5.0, 6.3, 8.0, 10.0, 12.5, 16.0, 20.0, 25.0, 32.0, 40.0],
        description="Rated currents that fuses come in",
    )
    melting: Annotated[Number | None, Field(gt=0.0)] = Field(
        default=None,
        description="Melting integral of the fuse [A²s]; the inrush has to stay below half of it",
    )
    current_limit: Annotated[Ratio, Field(gt=1.0, le=5.0)] = Field(
        default=1.3, description="Current limit over full load"
    )
    hiccup_on: Annotated[Seconds | None, Field(gt=0.0)] = Field(
        default=None, description="How long an overload is borne before the converter stops"
    )
    hiccup_off: Annotated[Seconds | None, Field(gt=0.0)] = Field(
        default=None, description="How long it then waits"
    )
    clamp_voltage: Annotated[Volts | None, Field(gt=0.0)] = Field(
        default=None, description="Voltage at which the output is clamped"
    )

    @model_validator(mode="after")
    def _both(self) -> Protection:
        if (self.hiccup_on is None) != (self.hiccup_off is None):
            raise ValueError("hiccup_on and hiccup_off belong together; expected both or neither")
        return self
