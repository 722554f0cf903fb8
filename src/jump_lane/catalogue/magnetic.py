"""What a wound component is made of: cores, their materials, bobbins and wires; figures of standards and data sheets, SI units."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from jump_lane.catalogue.core_pieces import CorePieces
from jump_lane.catalogue.curve import LeftOverTemperature, LossOverField, OverTemperature
from jump_lane.catalogue.part import Bought
from jump_lane.quantities.fields import (
    Celsius,
    Count,
    CubicMetres,
    Metres,
    Number,
    OhmMetres,
    SquareMetres,
    Teslas,
    Volts,
)

Positive = Annotated[Number, Field(gt=0.0)]
Length = Annotated[Metres, Field(gt=0.0)]


class Core(Bought):
    """A core of a shape and size: two halves that meet, or a ring."""

    kind: Literal["core"] = "core"
    family: str = Field(min_length=1, description="Shape, such as E, ETD, PQ, RM, P, EFD, U or R (a ring)")
    standard: str = Field(default="", description="Standard that gives its dimensions")
    leg: Literal["round", "rectangular"] = Field(description="Section of the leg that is wound")
    leg_width: Length = Field(
        description="Width of that leg in the plane of the window; the diameter of a round one"
    )
    leg_depth: Length = Field(description="Depth of that leg across the plane of the window")
    window_width: Length = Field(description="Width of the window, from the leg to the wall")
    window_height: Length = Field(description="Height of the window; of a ring its inner circumference")
    path: Length = Field(description="Effective length l_e (IEC 60205)")
    area: Annotated[SquareMetres, Field(gt=0.0)] = Field(description="Effective area A_e (IEC 60205)")
    least_area: Annotated[SquareMetres, Field(gt=0.0)] = Field(
        description="Smallest section, where it saturates first"
    )
    volume: Annotated[CubicMetres, Field(gt=0.0)] = Field(description="Effective volume V_e (IEC 60205)")
    width: Length = Field(description="Largest width of a pair")
    depth: Length = Field(description="Largest depth of a pair")
    height: Length = Field(description="Height of a pair, along the wound leg")

    @property
    def footprint(self) -> float:
        """Area on the board [m²]."""
        return self.width * self.depth

    @property
    def block(self) -> float:
        """Volume of the block around it [m³]."""
        return self.footprint * self.height

    @property
    def ring(self) -> bool:
        """Whether it is a ring, which is wound through and cannot be gapped."""
        return self.family == "R"


class CoreMaterial(Bought):
    """A core material."""

    kind: Literal["core-material"] = "core-material"
    family: Literal["ferrite", "powder"] = Field(description="Ferrite, or powder whose gap is distributed")
    permeability: Positive = Field(description="Initial relative permeability at 25 °C")
    permeability_curve: OverTemperature = Field(
        default=None, description="Initial permeability over temperature, part of that at 25 °C"
    )
    saturation: Annotated[Teslas, Field(gt=0.0)] = Field(description="Saturation polarisation at 25 °C")
    saturation_curve: LeftOverTemperature = Field(
        default=None, description="Saturation polarisation over temperature, part of that at 25 °C"
    )
    knee: Positive = Field(
        default=2.5, description="Exponent c of B = μ0·H + J_s·u/(1 + u^c)^(1/c), u = (μ_i − 1)·μ0·H/J_s"
    )
    bias_offset: Positive = Field(
        default=1.0, description="a of μ/μ_i = 1/(a + b·H^p), permeability of powder over field in A/m"
    )
    bias_factor: Annotated[Number, Field(ge=0.0)] = Field(
        default=0.0, description="b of it; without it the knee tells"
    )
    bias_exponent: Positive = Field(default=1.0, description="p of it")
    core_pieces: CorePieces = Field(
        default=None,
        description="Steinmetz coefficients that hold from some frequencies up (W/m³ with Hz and T)",
    )
    core_curve: OverTemperature = Field(
        default=None, description="Core loss over temperature, part of that at 25 °C"
    )
    bias_loss: LossOverField = Field(
        default=None, description="Factor of the core loss over the field of the direct current in A/m"
    )
    resistivity: Annotated[OhmMetres, Field(gt=0.0)] | None = Field(default=None, description="Resistivity")
    density: Positive = Field(default=4800.0, description="Density [kg/m³]")
    max_temperature: Celsius = Field(default=120.0, description="Highest temperature")

    @property
    def powder(self) -> bool:
        """Whether its gap is distributed."""
        return self.family == "powder"


class Bobbin(Bought):
    """What carries a winding on a core."""

    kind: Literal["bobbin"] = "bobbin"
    core: str = Field(min_length=1, description="Core that it fits")
    wall: Length = Field(description="Thickness between leg and first layer")
    flange: Length = Field(description="Thickness at both ends of the leg")
    pins: Count = Field(default=10, description="Pins")
    max_temperature: Celsius = Field(default=155.0, description="Highest temperature")


class Wire(Bought):
    """A wire: round, litz, foil, or a track of a board."""

    kind: Literal["wire"] = "wire"
    form: Literal["round", "litz", "foil", "track"] = Field(description="What it is")
    standard: str = Field(default="", description="Standard of its insulation")
    diameter: Length | None = Field(default=None, description="Copper diameter, of one strand of litz")
    strands: Count = Field(default=1, description="Strands of litz")
    thickness: Length | None = Field(
        default=None, description="Thickness of a foil, or of the copper of a board"
    )
    insulation: Length | None = Field(
        default=None, description="Insulation between two foils, or between two layers of a board"
    )
    clearance: Length | None = Field(default=None, description="Distance between two tracks of a layer")
    overall: Length | None = Field(
        default=None, description="Largest diameter with insulation of grade 1, or of the bundle"
    )
    overall_2: Length | None = Field(default=None, description="The same of grade 2")
    overall_3: Length | None = Field(default=None, description="The same of grade 3")
    triple: Length | None = Field(
        default=None, description="The same with three layers of extruded insulation"
    )
    breakdown: Volts | None = Field(default=None, description="Breakdown voltage of its insulation")
    cost_of_mass: Positive | None = Field(
        default=None, description="Cost figure of a kilogram of copper drawn to it"
    )

    @model_validator(mode="after")
    def _whole(self) -> Wire:
        needed = {
            "round": ("diameter", "overall"),
            "litz": ("diameter", "overall"),
            "foil": ("thickness", "insulation"),
            "track": ("thickness", "insulation", "clearance"),
        }[self.form]
        for key in needed:
            if getattr(self, key) is None:
                raise ValueError(f"{key}: missing; a {self.form} wire needs {' and '.join(needed)}")
        return self

    @property
    def flat(self) -> bool:
        """Whether it is a strip, whose breadth follows from the winding."""
        return self.form in ("foil", "track")
