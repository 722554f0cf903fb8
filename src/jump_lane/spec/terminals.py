"""The input and the outputs of a converter, as its file has them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal

from pydantic import Field, model_validator

from jump_lane.quantities.fields import (
    Count,
    Henries,
    Hertz,
    Limit,
    Ohms,
    Ratio,
    Seconds,
    VoltageLimit,
    Volts,
)
from jump_lane.spec.around import Filter
from jump_lane.spec.ranges import CurrentRange, PowerRange, ResistanceRange, Table, VoltageRange


class AlternatingLine(Table):
    """An alternating line behind a rectifier bridge, with a bulk capacitor."""

    min: Annotated[Volts, Field(gt=0.0, description="Lowest line voltage, rms")]
    nominal: Volts | None = Field(default=None, description="Nominal line voltage, rms")
    max: Annotated[Volts, Field(gt=0.0, description="Highest line voltage, rms")]
    frequency: Annotated[Hertz, Field(gt=0.0, description="Line frequency")]
    valley: Ratio = Field(
        default=0.75, gt=0.0, lt=1.0, description="Lowest bulk voltage at the lowest line, part of its peak"
    )
    efficiency: Ratio = Field(
        default=0.9,
        gt=0.0,
        le=1.0,
        description="Efficiency assumed for the power taken from the bulk capacitor",
    )
    hold_up: Seconds = Field(default=0.0, ge=0.0, description="Time without line that is to be bridged")
    hold_voltage: Ratio = Field(
        default=0.6,
        gt=0.0,
        lt=1.0,
        description="Bulk voltage at the end of it, part of the lowest line's peak",
    )
    forward_voltage: Volts = Field(default=1.0, ge=0.0, description="Forward voltage of one bridge diode")

    @model_validator(mode="after")
    def _ordered(self) -> AlternatingLine:
        if self.min > self.max:
            raise ValueError(f"min ({self.min:g}) is above max ({self.max:g})")
        return self


class Input(Table):
    """The source: a DC voltage, or an alternating line."""

    voltage: VoltageRange | None = Field(default=None, description="Input voltage")
    ac: AlternatingLine | None = Field(default=None, description="Alternating line instead")
    voltage_ripple: VoltageLimit = Field(
        default=Limit(value=0.01, relative=True),
        description="Largest input ripple, peak to peak; a percentage is of the lowest input voltage",
        validate_default=False,
        json_schema_extra={"default": "1 %"},
    )
    source_resistance: Ohms = Field(
        default=0.0,
        ge=0.0,
        description="Resistance of the source, for the input ripple; with neither it delivers the average current alone",
    )
    source_inductance: Henries = Field(
        default=0.0, ge=0.0, description="Inductance of the source and its leads, for the input ripple"
    )
    filter: Filter | None = Field(default=None, description="A filter between source and converter")


class Leds(Table):
    """A string of light-emitting diodes in series."""

    threshold: Annotated[Volts, Field(gt=0.0, description="Threshold voltage of one diode")]
    resistance: Annotated[Ohms, Field(gt=0.0, description="Dynamic resistance of one diode")]
    count: Count = Field(description="Number of diodes in series")

    def voltage(self, current: float) -> float:
        """Return the voltage of the string [V] at a current [A]."""
        return self.count * (self.threshold + self.resistance * current)


class Output(Table):
    """One output."""

    voltage: Volts | None = Field(
        default=None, description="Average output voltage; a string of LEDs brings its own"
    )
    voltage_range: VoltageRange | None = Field(
        default=None,
        description="Voltages that the first output may be set to, its load currents staying what they are; voltage is the usual "
        "one, for which most is derived",
    )
    current: CurrentRange = Field(
        default=None,  # type: ignore[assignment]  # one of three ways to say it, from which it follows
        description="Load current; or give power or resistance",
    )
    power: PowerRange | None = Field(
        default=None, description="Load as a power at the output voltage, instead of current"
    )
    resistance: ResistanceRange | None = Field(
        default=None, description="Load as a resistance at the output voltage, instead of current"
    )
    voltage_ripple: VoltageLimit = Field(
        description="Largest output ripple, peak to peak; a percentage is of the output voltage"
    )
    voltage_band: Ratio = Field(
        default=0.1,
        gt=0.0,
        description="How far an output that is not regulated may stray, part of its voltage",
    )
    load: Literal["resistance", "current", "power"] = Field(
        default="resistance", description="What the load keeps constant while its voltage ripples"
    )
    filter: Filter | None = Field(default=None, description="A filter between output capacitor and load")
    leds: Leds | None = Field(
        default=None,
        description="A string of LEDs instead: it brings its own voltage, the load is its current",
    )

    @model_validator(mode="after")
    def _as_current(self) -> Output:
        """Let a load in watts or ohms be the current that it takes at the output voltage."""
        ways = [key for key in ("current", "power", "resistance") if getattr(self, key) is not None]
        if self.leds is not None:
            self._require_current()
        elif len(ways) != 1:
            found = f"read {' and '.join(ways)}" if ways else "read none of them"
            raise ValueError(f"{found}; expected one of current, power and resistance")
        elif self.current is None and self.voltage:
            object.__setattr__(self, "current", self._taken(abs(self.voltage)))
        return self

    def _require_current(self) -> None:
        """Refuse what a string of LEDs excludes."""
        for key in ("voltage", "power", "resistance"):
            if getattr(self, key) is not None:
                raise ValueError(
                    f"leds and {key} exclude each other: the string sets the voltage, and what is given is its current"
                )
        if "load" in self.model_fields_set:
            raise ValueError("leds and load exclude each other: the string is the load")
        if self.current is None:
            raise ValueError("current: expected beside leds, as the string is driven by a current")

    def _taken(self, voltage: float) -> CurrentRange:
        if self.power is not None:
            low, middle, high = self.power.min, self.power.nominal, self.power.max
            nominal = None if middle is None else middle / voltage
            return CurrentRange(min=low / voltage, nominal=nominal, max=high / voltage)
        assert self.resistance is not None
        ohms = self.resistance
        nominal = None if ohms.nominal is None else voltage / ohms.nominal
        return CurrentRange(min=voltage / ohms.max, nominal=nominal, max=voltage / ohms.min)

    def voltages_at(self, loads: Sequence[float]) -> tuple[float, ...]:
        """Return the output voltage at each of some load currents [V]."""
        if self.leds is not None:
            return tuple(self.leds.voltage(i) for i in loads)
        assert self.voltage is not None
        return (self.voltage,) * len(loads)
