"""What a wound component is made of, or may be made of, and what is asked of it, as a converter file has it."""

from __future__ import annotations

import re
from typing import Annotated, Literal

from pydantic import BeforeValidator, Field, WithJsonSchema, model_validator

from jump_lane.errors import InputError
from jump_lane.quantities import LENGTH, parse, pattern
from jump_lane.quantities.fields import (
    Amperes,
    Count,
    Henries,
    Kelvin,
    Metres,
    Ratio,
    SquareMetres,
    Volts,
    checked,
)
from jump_lane.spec.ranges import Table

RANGE = ".."
"""Between the first and the last of a range."""


def _names(value: object) -> object:
    """Read one name, or several, as a tuple."""
    if isinstance(value, str):
        return (value,)
    return tuple(value) if isinstance(value, list) else value


Names = Annotated[
    tuple[str, ...],
    BeforeValidator(_names),
    Field(min_length=1),
    WithJsonSchema(
        {
            "anyOf": [{"type": "string"}, {"type": "array", "minItems": 1, "items": {"type": "string"}}],
            "examples": ["ETD 29/16/10..ETD 39/20/13"],
        }
    ),
]
"""A name, some names, or the first and last of a family, smallest first: ``ETD 29/16/10..ETD 39/20/13``."""


def _as_text(value: object) -> object:
    """Return a range given as a table of its ends as text; anything else as it is."""
    if isinstance(value, dict) and set(value) == {"min", "max"}:
        return f"{value['min']}{RANGE}{value['max']}"
    return value


def _turns(value: object) -> object:
    """Read a number of turns, or a range such as ``20..30``, as least and most."""
    value = _as_text(value)
    if isinstance(value, bool):
        raise ValueError(f"{str(value).lower()} where a number of turns was expected")
    if isinstance(value, int):
        return (value, value)
    if isinstance(value, str):
        first, dots, last = value.partition(RANGE)
        try:
            return (int(first), int(last if dots else first))
        except ValueError:
            raise ValueError(
                f"{value!r} where a number of turns, or a range such as 20..30, was expected"
            ) from None
    return value


Turns = Annotated[
    tuple[Count, Count],
    BeforeValidator(_turns),
    WithJsonSchema(
        {
            "anyOf": [
                {"type": "integer", "minimum": 1},
                {"type": "string", "pattern": r"^\s*\d+\s*(\.\.\s*\d+\s*)?$"},
            ],
            "examples": ["20..30"],
            "x-quantity": "a number of turns or a range",
        }
    ),
]
"""A number of turns, or least and most."""


def _lengths(value: object) -> object:
    """Read a length, or a range such as ``0.2 mm..0.6 mm``, as least and most [m]."""
    if isinstance(value, tuple) or value is None:
        return value
    value = _as_text(value)
    if isinstance(value, bool) or not isinstance(value, str | int | float):
        raise ValueError(f"{value!r} where a length, or a range such as '0.2 mm..0.6 mm', was expected")
    first, dots, last = str(value).partition(RANGE)
    try:
        ends = tuple(
            checked(parse(text, LENGTH), value, LENGTH, 0.0) for text in (first, last if dots else first)
        )
    except InputError as error:
        raise ValueError(str(error)) from None
    if ends[0] > ends[1]:
        raise ValueError(f"{value}: the first of the range is above the last")
    return ends


Lengths = Annotated[
    tuple[float, float],
    BeforeValidator(_lengths),
    WithJsonSchema(
        {
            "anyOf": [
                {"type": "string", "pattern": pattern(LENGTH)},
                {
                    "type": "string",
                    "pattern": pattern(LENGTH)[:-1] + re.escape(RANGE) + pattern(LENGTH)[1:],
                },
                {"type": "number", "minimum": 0.0},
            ],
            "examples": ["0.2 mm..0.6 mm"],
            "x-quantity": "a length or a range",
            "x-unit": "m",
        }
    ),
]
"""A length, or least and most [m]."""


class WoundWinding(Table):
    """One winding; what is not said is chosen."""

    turns: Turns | None = Field(default=None, description="Number of turns, or a range of it")
    wire: Names | None = Field(default=None, description="Wire, or those to choose from")
    parallel: Count | None = Field(
        default=None, le=64, description="Wires side by side that make one conductor"
    )
    most_layers: Count | None = Field(default=None, le=1000, description="Layers that it may have at most")
    insulation: Literal["grade 1", "grade 2", "grade 3", "triple"] | None = Field(
        default=None, description="Insulation of the wire: a grade of enamel, or three extruded layers"
    )


class WoundTable(Table):
    """A wound component: what is fixed, what it may be chosen from, and its limits."""

    core: Names | None = Field(
        default=None, description="Core, those to choose from, or a range of sizes of one family"
    )
    material: Names | None = Field(default=None, description="Core material, or those to choose from")
    gap: Lengths | None = Field(
        default=None,
        description="Length of all gaps in the wound leg, or thickness of the spacer; with a range what the inductance needs has to lie "
        "in it",
    )
    gaps: Annotated[int, Field(ge=1, le=9)] = Field(default=1, description="Gaps into which that is divided")
    gap_place: Literal["leg", "spacer"] = Field(
        default="leg", description="Ground into the wound leg, or a spacer between the halves"
    )
    gap_step: Metres | None = Field(
        default=None, gt=0.0, description="Gaps are whole multiples of this; by default any length"
    )
    winding: dict[str, WoundWinding] = Field(
        default={}, description="Windings, by the names that the circuit gives them"
    )
    order: list[str] | None = Field(
        default=None,
        description="Portions from the leg outwards: windings, or parts of them, such as ['Np/2', 'Ns', 'Np/2']",
    )
    bobbin: str | None = Field(default=None, description="Bobbin; by default the shipped one of the core")
    tape: Metres = Field(default=1e-4, description="Insulation between two portions")
    margin: Metres | None = Field(
        default=None, description="Left free at each end of the layers; by default what creepage needs"
    )
    insulation: Literal["functional", "basic", "reinforced"] = Field(
        default="functional", description="Between the windings of a transformer"
    )
    working_voltage: Volts | None = Field(
        default=None,
        gt=0.0,
        description="Rms voltage across that insulation; by default the largest input voltage",
    )
    temperature_rise: Annotated[Kelvin, Field(gt=0.0)] = Field(
        default=50.0, description="Largest temperature rise of its surface"
    )
    flux_margin: Ratio = Field(
        default=0.1,
        ge=0.0,
        lt=1.0,
        description="Part of the saturation polarisation that the flux density stays below, beside margin.current where it stores "
        "energy",
    )
    inductance_tolerance: Ratio = Field(
        default=0.1, ge=0.0, lt=0.5, description="How far the inductance of a wound core may be off"
    )
    peak_current: Amperes | None = Field(
        default=None,
        gt=0.0,
        description="Largest current at start-up or overload, as the first winding sees it, that must not saturate it",
    )
    height: Metres | None = Field(default=None, gt=0.0, description="Largest height above the board")
    footprint: SquareMetres | None = Field(default=None, gt=0.0, description="Largest area on the board")
    least_leakage: Henries | None = Field(
        default=None, description="Least leakage inductance, seen at the first winding"
    )
    most_leakage: Henries | None = Field(
        default=None, gt=0.0, description="Largest leakage inductance, seen at the first winding"
    )
    fill: Ratio = Field(
        default=0.9, gt=0.0, le=1.0, description="Part of the window's width that a build may have"
    )
    turns_error: Ratio = Field(
        default=0.02, ge=0.0, lt=0.5, description="How far a ratio of whole turns may be from the one derived"
    )

    @model_validator(mode="after")
    def _ordered(self) -> WoundTable:
        least, most = self.least_leakage, self.most_leakage
        if least is not None and most is not None and least > most:
            raise ValueError("least_leakage is above most_leakage")
        if self.gap_place == "spacer" and self.gaps > 1:
            raise ValueError(
                "gaps and gap_place = 'spacer' exclude each other: a spacer makes one gap in every leg"
            )
        return self

    @model_validator(mode="after")
    def _turns_ordered(self) -> WoundTable:
        for name, winding in self.winding.items():
            if winding.turns is not None and winding.turns[0] > winding.turns[1]:
                raise ValueError(f"winding.{name}.turns: the first of the range is above the last")
        return self

    @property
    def settled(self) -> bool:
        """Whether nothing is left to choose."""
        single = all(v is not None and len(v) == 1 and RANGE not in v[0] for v in (self.core, self.material))
        wound = bool(self.winding) and all(
            w.turns is not None
            and w.turns[0] == w.turns[1]
            and w.parallel is not None
            and w.wire is not None
            and len(w.wire) == 1
            for w in self.winding.values()
        )
        return single and wound and self.fixed_gap is not None and self.order is not None

    @property
    def fixed_gap(self) -> float | None:
        """The gap, if it is given [m]; None where it is free, or free within a range."""
        return self.gap[0] if self.gap is not None and self.gap[0] == self.gap[1] else None
