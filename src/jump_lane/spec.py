"""What is asked: the converter file, validated strictly."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import (
    BaseModel,
    ConfigDict,
    Field,
    ValidationError,
    model_validator,
)

from jump_lane.errors import InputError
from jump_lane.fields import (
    Amperes,
    Count,
    CurrentLimit,
    Farads,
    Given,
    Hertz,
    Limit,
    Ohms,
    Ratio,
    Seconds,
    TurnsRatio,
    VoltageLimit,
    Volts,
    Watts,
)
from jump_lane.surroundings import Catalogue, Controller, Driver, Efficiency, Thermal
from jump_lane.validation import explain, read_toml


class _Table(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class _Range(_Table):
    """From the smallest to the largest value; one number stands for both."""

    @model_validator(mode="before")
    @classmethod
    def _single(cls, value: Any) -> Any:
        if isinstance(value, str | int | float):
            return {"min": value, "max": value}
        return value

    @model_validator(mode="after")
    def _ordered(self) -> _Range:
        low, high = self.min, self.max  # type: ignore[attr-defined]
        nominal = self.nominal  # type: ignore[attr-defined]
        if low > high:
            raise ValueError(f"min ({low:g}) is above max ({high:g})")
        if nominal is not None and not low <= nominal <= high:
            raise ValueError(f"nominal ({nominal:g}) is not between min ({low:g}) and max ({high:g})")
        return self

    def corners(self) -> tuple[float, ...]:
        """Return the distinct values to check at, ascending."""
        named = (self.min, self.nominal, self.max)  # type: ignore[attr-defined]
        return tuple(sorted({v for v in named if v is not None}))


class VoltageRange(_Range):
    """A range of voltages: ``{ min, nominal, max }`` or one voltage."""

    min: Volts
    nominal: Volts | None = None
    max: Volts


class CurrentRange(_Range):
    """A range of currents: ``{ min, nominal, max }`` or one current."""

    min: Amperes
    nominal: Amperes | None = None
    max: Amperes


class PowerRange(_Range):
    """A range of powers: ``{ min, nominal, max }`` or one power."""

    min: Watts
    nominal: Watts | None = None
    max: Watts


class ResistanceRange(_Range):
    """A range of resistances: ``{ min, nominal, max }`` or one resistance."""

    min: Annotated[Ohms, Field(gt=0.0)]
    nominal: Annotated[Ohms, Field(gt=0.0)] | None = None
    max: Annotated[Ohms, Field(gt=0.0)]


class Line(_Table):
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
    def _ordered(self) -> Line:
        if self.min > self.max:
            raise ValueError(f"min ({self.min:g}) is above max ({self.max:g})")
        return self


class Input(_Table):
    """The source: a DC voltage, or an alternating line."""

    voltage: VoltageRange | None = Field(default=None, description="Input voltage")
    ac: Line | None = Field(default=None, description="Alternating line instead")
    voltage_ripple: VoltageLimit = Field(
        default=Limit(value=0.01, relative=True),
        description="Largest input ripple, peak to peak; a percentage is of the lowest input voltage",
        validate_default=False,
    )


class Leds(_Table):
    """A string of light-emitting diodes in series."""

    threshold: Annotated[Volts, Field(gt=0.0, description="Threshold voltage of one diode")]
    resistance: Annotated[Ohms, Field(gt=0.0, description="Dynamic resistance of one diode")]
    count: Count = Field(description="Number of diodes in series")

    def voltage(self, current: float) -> float:
        """Return the voltage of the string [V] at a current [A]."""
        return self.count * (self.threshold + self.resistance * current)


class Output(_Table):
    """One output."""

    voltage: Volts | None = Field(
        default=None, description="Average output voltage; a string of LEDs brings its own"
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


class Switching(_Table):
    """How it is switched."""

    frequency: Hertz = Field(description="Switching frequency")
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
        default=0.0, ge=0.0, description="Both switches open around every edge of a synchronous rectifier"
    )


class Transformer(_Table):
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


class Damping(_Table):
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


class Margin(_Table):
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


class Tolerance(_Table):
    """How far values may be off, up or down."""

    inductance: Ratio = Field(default=0.2, ge=0.0, lt=1.0, description="Of every inductance")
    capacitance: Ratio = Field(default=0.2, ge=0.0, lt=1.0, description="Of every capacitance")
    frequency: Ratio = Field(default=0.1, ge=0.0, lt=1.0, description="Of the switching frequency")
    forward_voltage: Ratio = Field(default=0.1, ge=0.0, lt=1.0, description="Of every forward voltage")


class Spec(_Table):
    """A converter file."""

    title: str = Field(default="", description="What the converter is for")
    topology: str = Field(description="Which circuit; `jumplane topologies` lists them")
    input: Input
    output: Annotated[list[Output], Field(min_length=1)]
    switching: Switching
    transformer: Transformer = Transformer()
    margin: Margin = Margin()
    tolerance: Tolerance = Tolerance()
    damping: dict[str, Damping] = Field(
        default={}, description="Damping of devices, by the name of the switch or rectifier"
    )
    chosen: dict[str, Given] = Field(
        default={}, description="Component values that replace derived ones, by symbol"
    )
    parts: dict[str, str | dict[str, Given]] = Field(
        default={},
        description="Real parts, by component: the name of a part in a catalogue, or a table of data such as "
        "resistance or forward_voltage, with the name under part and the number of pieces under count",
    )
    catalogue: Catalogue = Catalogue()
    driver: Driver = Driver()
    controller: Controller = Controller()
    thermal: Thermal = Thermal()
    efficiency: Efficiency = Efficiency()

    @property
    def voltage(self) -> VoltageRange:
        """The DC input range; that of an alternating line is derived before it is asked for."""
        assert self.input.voltage is not None
        return self.input.voltage

    def data(self, component: str) -> dict[str, str | float]:
        """Return what the file says of the part of a component."""
        given = self.parts.get(component, {})
        return {"part": given} if isinstance(given, str) else given

    def with_catalogues(self, files: tuple[str, ...]) -> Spec:
        """Return the same with some more catalogues, whose parts go before others called the same."""
        every = Catalogue(files=(*self.catalogue.files, *files))
        return self.model_copy(update={"catalogue": every})

    def with_figures(self, changes: Mapping[str, Mapping[str, str | float]]) -> Spec:
        """Return the same with some figures of parts replaced, by component and key."""
        merged = {name: dict(self.data(name)) for name in (*self.parts, *changes)}
        for name, figures in changes.items():
            merged[name] |= figures
        return self.model_copy(update={"parts": merged})

    @model_validator(mode="after")
    def _sensible(self) -> Spec:
        if (self.input.voltage is None) == (self.input.ac is None):
            raise ValueError("input: expected either a voltage or an alternating line (ac)")
        if self.input.voltage is not None and self.input.voltage.min <= 0.0:
            raise ValueError("input.voltage.min must be above 0 V")
        for output in self.output:
            if (output.voltage is None) == (output.leds is None):
                raise ValueError("output.voltage: expected, unless output.leds says what the load is")
            if output.voltage == 0.0:
                raise ValueError("output.voltage must not be 0 V")
            if output.current is None:
                raise ValueError("output.voltage: expected, as the load is given by its power or resistance")
            if output.current.min < 0.0 or output.current.max <= 0.0:
                raise ValueError("output.current must be positive")
        if self.switching.current_ripple is None and self.switching.mode == "either":
            raise ValueError(
                "switching.current_ripple: expected, as mode = 'either' leaves the inductance to the ripple"
            )
        if self.switching.frequency <= 0.0:
            raise ValueError("switching.frequency must be above 0 Hz")
        return self


def schema() -> dict[str, Any]:
    """Return the JSON Schema of the converter file."""
    return Spec.model_json_schema()


def load(path: Path) -> Spec:
    """Read and validate a converter file.

    Raises
    ------
    InputError
        If it cannot be read, is not TOML, or does not say what a converter file has to say.
    """
    return parse_spec(tables_of(path), str(path))


def tables_of(path: Path) -> dict[str, Any]:
    """Return the tables of a converter file, its catalogues named from where it stands.

    Raises
    ------
    InputError
        If it cannot be read or is not TOML.
    """
    tables = read_toml(path)
    own = tables.get("catalogue")
    if isinstance(own, dict) and isinstance(own.get("files"), list):
        own["files"] = [str(path.parent / name) if isinstance(name, str) else name for name in own["files"]]
    return tables


def parse_spec(tables: dict[str, Any], where: str) -> Spec:
    """Validate the tables of a converter file read from `where`."""
    try:
        return Spec.model_validate(tables)
    except ValidationError as error:
        problems = [explain(e, Spec) for e in error.errors()]
        raise InputError("\n".join(f"{where}: {p}" for p in problems)) from None
