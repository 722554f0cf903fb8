"""The converter file as a whole, validated strictly."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Annotated, Any

from pydantic import Field, ValidationError, model_validator

from jump_lane.errors import InputError
from jump_lane.quantities.fields import (
    Described,
    Given,
)
from jump_lane.spec.around import Adjust, BankType, Divider, Gate, Protection
from jump_lane.spec.loop import Event, Loop
from jump_lane.spec.ranges import Table, VoltageRange
from jump_lane.spec.surroundings import Catalogue, Controller, Driver, Efficiency, Thermal
from jump_lane.spec.tables import Angles, Damping, Margin, Switching, Tank, Tolerance, Transformer
from jump_lane.spec.terminals import Input, Output
from jump_lane.spec.wound import WoundTable
from jump_lane.validation import bounded, explain, read_toml, tidied

UNDER_CONTROL = {
    "reference": "reference",
    "reference_tolerance": "reference_tolerance",
    "tolerance": "divider_tolerance",
}
"""What the divider has of an analogue loop, and its key under [control]."""


class Spec(Table):
    """A converter file."""

    title: str = Field(default="", description="What the converter is for")
    topology: str = Field(description="Which circuit; `jumplane topologies` lists them")
    input: Input = Field(description="The source")
    output: Annotated[list[Output], Field(min_length=1, description="The outputs; the first is held")]
    switching: Switching = Field(description="How it is switched")
    transformer: Transformer = Transformer()
    tank: Tank = Tank()
    angles: Angles = Angles()
    margin: Margin = Margin()
    tolerance: Tolerance = Tolerance()
    damping: dict[str, Damping] = Field(
        default={}, description="Damping of devices, by the name of the switch or rectifier"
    )
    chosen: dict[str, Given] = Field(
        default={}, description="Component values that replace derived ones, by symbol"
    )
    parts: dict[str, Described] = Field(
        default={},
        description="Real parts, by component: the name of a part in a catalogue, or a table of data such as "
        "resistance or forward_voltage, with the name under part and the number of pieces under count",
    )
    wound: dict[str, WoundTable] = Field(
        default={},
        description="Inductors and transformers to be wound, by component: what is fixed, and what is asked of them",
    )
    catalogue: Catalogue = Catalogue()
    driver: Driver = Driver()
    controller: Controller = Controller()
    thermal: Thermal = Thermal()
    efficiency: Efficiency = Efficiency()
    control: Loop | None = Field(
        default=None, description="How the output is held: the loop and what is asked of it"
    )
    divider: Divider | None = Field(default=None, description="The divider that sets the output")
    adjust: Adjust | None = Field(default=None, description="How the output is adjusted")
    bank: dict[str, list[BankType]] = Field(
        default={},
        description="Capacitors of several types in parallel that make up a capacitor, such as C_o",
    )
    gate: Gate = Gate()
    protection: Protection | None = Field(default=None, description="Fuse, inrush, current limit, clamp")
    event: list[Event] = Field(default=[], description="What happens in a run over time, in any order")

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
    def _one_reference(self) -> Spec:
        """Refuse a reference, or tolerances of the divider, that stand under [control] as well."""
        if self.divider is not None and self.control is not None and self.control.kind != "digital":
            for key, other in UNDER_CONTROL.items():
                if key in self.divider.model_fields_set:
                    raise ValueError(f"divider.{key}: the loop says it; expected it as control.{other} alone")
        return self

    @property
    def output_divider(self) -> Divider:
        """The divider, with reference and tolerances of an analogue loop where there is one."""
        divider, loop = self.divider or Divider(), self.control
        if loop is None or loop.kind == "digital":
            return divider
        return divider.model_copy(update={key: getattr(loop, other) for key, other in UNDER_CONTROL.items()})

    @model_validator(mode="after")
    def _sensible(self) -> Spec:
        if (self.input.voltage is None) == (self.input.ac is None):
            raise ValueError("input: expected either a voltage or an alternating line (ac)")
        if self.input.voltage is not None and self.input.voltage.min <= 0.0:
            raise ValueError("input.voltage.min must be above 0 V")
        for k, output in enumerate(self.output):
            if (output.voltage is None) == (output.leds is None):
                raise ValueError("output.voltage: expected, unless output.leds says what the load is")
            if output.voltage == 0.0:
                raise ValueError("output.voltage must not be 0 V")
            span = output.voltage_range
            if span is not None and (
                k or output.voltage is None or not span.min <= output.voltage <= span.max
            ):
                raise ValueError("output.voltage_range: expected on the first output, around its voltage")
            if output.current is None:
                raise ValueError("output.voltage: expected, as the load is given by its power or resistance")
            if output.current.max <= 0.0 or (k and output.current.min < 0.0):
                raise ValueError("output.current must be positive")
        if self.switching.current_ripple is None and self.switching.mode == "either":
            raise ValueError(
                "switching.current_ripple: expected, as mode = 'either' leaves the inductance to the ripple"
            )
        if self.switching.frequency <= 0.0:
            raise ValueError("switching.frequency must be above 0 Hz")
        return self


def schema() -> dict[str, Any]:
    """Return the JSON Schema (draft 2020-12) of the converter file."""
    return tidied(bounded(Spec, Spec.model_json_schema()), "converter")


def load(path: Path) -> Spec:
    """Read and validate a converter file.

    Raises
    ------
    InputError
        If it cannot be read, is not TOML, or does not say what a converter file has to say.
    """
    return parse_spec(tables_of(path), str(path))


def tables_of(path: Path) -> dict[str, Any]:
    """Return the tables of a converter file, its catalogues and limit lines named from where it stands.

    Raises
    ------
    InputError
        If it cannot be read or is not TOML.
    """
    tables = read_toml(path)
    own = tables.get("catalogue")
    if isinstance(own, dict) and isinstance(own.get("files"), list):
        own["files"] = [str(path.parent / name) if isinstance(name, str) else name for name in own["files"]]
    for end in (tables.get("input"), *(tables["output"] if isinstance(tables.get("output"), list) else ())):
        found = end.get("filter") if isinstance(end, dict) else None
        if isinstance(found, dict) and isinstance(found.get("limits"), str):
            found["limits"] = str(path.parent / found["limits"])
    return tables


def parse_spec(tables: dict[str, Any], where: str) -> Spec:
    """Validate the tables of a converter file read from `where`."""
    try:
        return Spec.model_validate(tables)
    except ValidationError as error:
        problems = [explain(e, Spec) for e in error.errors()]
        raise InputError("\n".join(f"{where}: {p}" for p in problems)) from None
