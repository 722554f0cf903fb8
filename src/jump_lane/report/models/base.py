"""What all outputs have; values are in SI units, what has no finite value is null."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict, Field

Value = float | None
Values = list[Value]
Named = dict[str, Value]


class Model(BaseModel):
    """A table of an output, whose keys are all known."""

    model_config = ConfigDict(extra="forbid")


class Setting(Model):
    """A key that was set against the file, with what holds before and after, as text."""

    key: str
    before: str
    after: str


class Output(Model):
    """What every output has."""

    format: str = Field(description="jumplane/, what it is, and its version")
    notes: list[str] = Field(default=[], description="What is said below the tables")
    set: list[Setting] = Field(default=[], description="What was set against the file")
