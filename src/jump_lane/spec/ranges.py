"""Tables of a file, and ranges of quantities: from the smallest to the largest, or one value."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field, GetJsonSchemaHandler, model_validator
from pydantic.json_schema import JsonSchemaValue
from pydantic_core import CoreSchema

from jump_lane.quantities.fields import (
    Amperes,
    Hertz,
    Ohms,
    Volts,
    Watts,
)


class Table(BaseModel):
    """A table of a file, whose keys are all known."""

    model_config = ConfigDict(extra="forbid", frozen=True)


def require_belonging(table: Table, choice: str, belongs: Mapping[str, Sequence[str]]) -> None:
    """Refuse keys of a table that say nothing of what another of its keys chooses.

    Parameters
    ----------
    choice
        The key that chooses.
    belongs
        Which choices each key says something of.

    Raises
    ------
    ValueError
        Naming both.
    """
    chosen = getattr(table, choice)
    for key, choices in belongs.items():
        if key in table.model_fields_set and chosen not in choices:
            raise ValueError(
                f"{key} and {choice} = {chosen!r} exclude each other; it belongs to {' and '.join(choices)}"
            )


class _Range(Table):
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

    @classmethod
    def __get_pydantic_json_schema__(cls, core: CoreSchema, handler: GetJsonSchemaHandler) -> JsonSchemaValue:
        """Return the schema of the table, or of the one value that may stand for it."""
        found = handler(core)
        table = handler.resolve_ref_schema(found)
        one = table["properties"]["min"]
        either = {
            "description": table.pop("description", ""),
            "anyOf": [dict(table), *one["anyOf"]],
            "examples": one["examples"],
            "x-unit": one["x-unit"],
            "x-quantity": f"{one['x-quantity']} or a range {{ min, nominal, max }}",
        }
        table.clear()
        table.update(either)
        return found

    def corners(self) -> tuple[float, ...]:
        """Return the distinct values to check at, ascending."""
        named = (self.min, self.nominal, self.max)  # type: ignore[attr-defined]
        return tuple(sorted({v for v in named if v is not None}))


class VoltageRange(_Range):
    """A range of voltages: ``{ min, nominal, max }`` or one voltage."""

    min: Volts = Field(description="Lowest")
    nominal: Volts | None = Field(default=None, description="Usual, looked at as well")
    max: Volts = Field(description="Highest")


class FrequencyRange(_Range):
    """A range of frequencies: ``{ min, max }``."""

    min: Annotated[Hertz, Field(gt=0.0)] = Field(description="Lowest")
    nominal: Hertz | None = Field(default=None, description="Usual")
    max: Annotated[Hertz, Field(gt=0.0)] = Field(description="Highest")


class CurrentRange(_Range):
    """A range of currents: ``{ min, nominal, max }`` or one current."""

    min: Amperes = Field(description="Smallest")
    nominal: Amperes | None = Field(default=None, description="Usual, looked at as well")
    max: Amperes = Field(description="Largest")


class PowerRange(_Range):
    """A range of powers: ``{ min, nominal, max }`` or one power."""

    min: Watts = Field(description="Smallest")
    nominal: Watts | None = Field(default=None, description="Usual, looked at as well")
    max: Watts = Field(description="Largest")


class ResistanceRange(_Range):
    """A range of resistances: ``{ min, nominal, max }`` or one resistance."""

    min: Annotated[Ohms, Field(gt=0.0, description="Smallest: full load")]
    nominal: Annotated[Ohms, Field(gt=0.0)] | None = Field(
        default=None, description="Usual, looked at as well"
    )
    max: Annotated[Ohms, Field(gt=0.0, description="Largest: light load")]
