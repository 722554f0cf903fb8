"""What everything that can be bought has."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field

from jump_lane.quantities.fields import Number, whole


class Bought(BaseModel):
    """A part of a list."""

    model_config = ConfigDict(extra="forbid", arbitrary_types_allowed=True, frozen=True, defer_build=True)

    part: str = Field(min_length=1, description="Name of the part")
    cost: Number | None = Field(default=None, ge=0.0, description="Cost figure, in any currency")
    at_hand: Annotated[int | None, BeforeValidator(whole), Field(ge=0)] = Field(
        default=None,
        description="Pieces at hand, of a list of one's own; a choice that needs more is not made",
    )

    @property
    def name(self) -> str:
        """Return the name of the part."""
        return self.part
