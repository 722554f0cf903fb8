"""What surrounds the power stage, as the converter file has it: parts, driver, controller, cooling, duty."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field, field_validator

from jump_lane.errors import InputError
from jump_lane.quantities import RATIO, parse
from jump_lane.quantities.fields import (
    Amperes,
    Celsius,
    Henries,
    Kelvin,
    KelvinPerWatt,
    Number,
    Ohms,
    Ratio,
    Volts,
    Watts,
)


class _Table(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class Catalogue(_Table):
    """Where parts are looked up, besides the shipped sample catalogue."""

    files: tuple[str, ...] = Field(
        default=(), description="Catalogues (.toml or .csv), relative to the converter file"
    )


class Driver(_Table):
    """What drives the gates."""

    voltage: Annotated[Volts, Field(gt=0.0)] = Field(default=10.0, description="Gate voltage when on")
    off_voltage: Annotated[Volts, Field(le=0.0)] = Field(default=0.0, description="Gate voltage when off")
    on_resistance: Annotated[Ohms, Field(ge=0.0)] = Field(
        default=5.0, description="Resistance that charges the gate, driver and resistor"
    )
    off_resistance: Annotated[Ohms, Field(ge=0.0)] = Field(
        default=3.0, description="Resistance that discharges the gate, driver and resistor"
    )
    loop_inductance: Annotated[Henries, Field(ge=0.0)] = Field(
        default=0.0, description="Stray inductance of the loop that commutates, if not drawn as leakage"
    )

    @property
    def swing(self) -> float:
        """Gate voltage from off to on [V]."""
        return self.voltage - self.off_voltage


class Controller(_Table):
    """What the control circuit takes."""

    power: Annotated[Watts, Field(ge=0.0)] = Field(default=0.0, description="Power it always takes")
    input_current: Annotated[Amperes, Field(ge=0.0)] = Field(
        default=0.0, description="Current it takes from the input, besides"
    )


class Sink(_Table):
    """A heat sink and the parts that share it."""

    resistance: Annotated[KelvinPerWatt, Field(ge=0.0)] = Field(
        description="Thermal resistance, sink to ambient"
    )
    interface: Annotated[KelvinPerWatt, Field(ge=0.0)] = Field(
        default=0.5, description="Thermal resistance, case to sink, of each part"
    )
    parts: Annotated[tuple[str, ...], Field(min_length=1)] = Field(
        description="Components on it, such as S1; those made alike are on it as well"
    )


class Thermal(_Table):
    """Cooling."""

    ambient: Celsius = Field(default=25.0, description="Ambient temperature")
    junction: Celsius = Field(
        default=25.0, description="Temperature at which derive and check take the figures of parts"
    )
    reserve: Annotated[Kelvin, Field(ge=0.0)] = Field(
        default=15.0, description="How far below its highest temperature every part has to stay"
    )
    sink: dict[str, Sink] = Field(default={}, description="Heat sinks, by name")

    @property
    def unknown(self) -> float:
        """Temperature [°C] that a part is taken to have whose cooling is not known: at least ambient."""
        return max(self.junction, self.ambient)


class Efficiency(_Table):
    """What counts as the efficiency of a mission."""

    weights: dict[str, Number] = Field(
        default={}, description="Weight of each load, such as { '50 %' = 0.6, '100 %' = 0.4 }"
    )
    least: Ratio | None = Field(default=None, gt=0.0, lt=1.0, description="Least weighted efficiency asked")

    @field_validator("weights")
    @classmethod
    def _readable(cls, weights: dict[str, Number]) -> dict[str, Number]:
        shares: dict[float, str] = {}
        for load, weight in weights.items():
            try:
                share = parse(load, RATIO)
            except InputError as error:
                raise ValueError(str(error)) from None
            if share in shares:
                raise ValueError(f"{load!r} and {shares[share]!r} are the same load; expected each load once")
            shares[share] = load
            if share <= 0.0 or weight < 0.0:
                raise ValueError(
                    f"{load!r} = {weight}: a load above zero and a weight of at least 0 were expected"
                )
        if weights and sum(weights.values()) <= 0.0:
            raise ValueError("at least one weight has to be above 0")
        return weights

    def shares(self) -> dict[float, float]:
        """Return load, part of full load, to its weight; the weights add up to one."""
        total = sum(self.weights.values())
        return {parse(load, RATIO): weight / total for load, weight in self.weights.items()}
