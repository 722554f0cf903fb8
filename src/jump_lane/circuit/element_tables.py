"""What each kind of element takes in a circuit file, and what it is made of."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from jump_lane.circuit import elements as parts
from jump_lane.circuit.controlled import Table
from jump_lane.quantities.fields import Amperes, Farads, Given, Henries, Number, Ohms, Volts

Nodes = tuple[str, str]


class VoltageSourceTable(Table):
    """An ideal DC voltage source."""

    kind: Literal["voltage-source"]
    nodes: Nodes
    voltage: Volts

    def build(self, name: str) -> tuple[parts.Element, ...]:
        """Return the element."""
        return (parts.VoltageSource(name, *self.nodes, self.voltage),)


class CurrentSourceTable(Table):
    """An ideal DC current source; the current flows from the first node through it to the second."""

    kind: Literal["current-source"]
    nodes: Nodes
    current: Amperes

    def build(self, name: str) -> tuple[parts.Element, ...]:
        """Return the element."""
        return (parts.CurrentSource(name, *self.nodes, self.current),)


class ResistorTable(Table):
    """A resistance."""

    kind: Literal["resistor"]
    nodes: Nodes
    resistance: Annotated[Ohms, Field(gt=0.0)]

    def build(self, name: str) -> tuple[parts.Element, ...]:
        """Return the element."""
        return (parts.Resistor(name, *self.nodes, self.resistance),)


class InductorTable(Table):
    """An inductance with its winding resistance; from each current of ``saturation`` on, that inductance holds."""

    kind: Literal["inductor"]
    nodes: Nodes
    inductance: Annotated[Henries, Field(gt=0.0)]
    resistance: Annotated[Ohms, Field(ge=0.0)] = 0.0
    saturation: list[tuple[Amperes, Henries]] = Field(default=[])

    def build(self, name: str) -> tuple[parts.Element, ...]:
        """Return the element."""
        knots = tuple(self.saturation)
        return (parts.Inductor(name, *self.nodes, self.inductance, self.resistance, knots),)


class CapacitorTable(Table):
    """A capacitance with its equivalent series resistance."""

    kind: Literal["capacitor"]
    nodes: Nodes
    capacitance: Annotated[Farads, Field(gt=0.0)]
    resistance: Annotated[Ohms, Field(ge=0.0)] = 0.0

    def build(self, name: str) -> tuple[parts.Element, ...]:
        """Return the element."""
        return (parts.Capacitor(name, *self.nodes, self.capacitance, self.resistance),)


class DiodeTable(Table):
    """A diode; the first node is the anode."""

    kind: Literal["diode"]
    nodes: Nodes
    forward_voltage: Annotated[Volts, Field(ge=0.0)] = 0.0
    resistance: Annotated[Ohms, Field(ge=0.0)] = 0.0

    def build(self, name: str) -> tuple[parts.Element, ...]:
        """Return the element."""
        return (parts.Diode(name, *self.nodes, self.forward_voltage, self.resistance),)


class BodyTable(Table):
    """The diode inside a switch, conducting from its second node to its first (or the other way round)."""

    forward_voltage: Annotated[Volts, Field(ge=0.0)] = 0.0
    resistance: Annotated[Ohms, Field(ge=0.0)] = 0.0
    forward: bool = False


class SwitchTable(Table):
    """A gated switch, on in the intervals of ``gate`` (fractions of the period, times, or formulas of D, phase, period).

    With an ``on_voltage`` it is a bipolar one, which conducts from its first node to its second only.
    """

    kind: Literal["switch"]
    nodes: Nodes
    resistance: Annotated[Ohms, Field(ge=0.0)] = 0.0
    gate: Annotated[list[Annotated[list[Given], Field(min_length=2, max_length=2)]], Field(max_length=1000)]
    on_voltage: Annotated[Volts, Field(ge=0.0)] = 0.0
    body: BodyTable | None = None

    def build(self, name: str) -> tuple[parts.Element, ...]:
        """Return the element."""
        body = None
        if self.body is not None:
            body = parts.BodyDiode(self.body.forward_voltage, self.body.resistance, self.body.forward)
        return (parts.Switch(name, *self.nodes, self.resistance, body, self.on_voltage),)


class CoupledWindingTable(Table):
    """One of several coupled inductors; the first node is the dotted end."""

    nodes: Nodes
    inductance: Annotated[Henries, Field(gt=0.0)]
    resistance: Annotated[Ohms, Field(ge=0.0)] = 0.0


class CoupledTable(Table):
    """Coupled inductors with one coupling factor common to all pairs."""

    kind: Literal["coupled-inductors"]
    windings: dict[str, CoupledWindingTable]
    coupling: Annotated[Number, Field(gt=-1.0, lt=1.0)]

    def build(self, name: str) -> tuple[parts.Element, ...]:
        """Return the element; its windings are called ``name.key``."""
        each = list(self.windings.values())
        matrix = tuple(
            tuple(
                (1.0 if i == j else self.coupling) * (a.inductance * b.inductance) ** 0.5
                for j, b in enumerate(each)
            )
            for i, a in enumerate(each)
        )
        windings = tuple(
            parts.Winding(f"{name}.{key}", *w.nodes, resistance=w.resistance)
            for key, w in self.windings.items()
        )
        return (parts.CoupledInductors(name, windings, matrix),)


class TransformerWindingTable(Table):
    """One winding of a transformer; the first node is the dotted end."""

    nodes: Nodes
    turns: Annotated[Number, Field(gt=0.0)]
    leakage: Annotated[Henries, Field(ge=0.0)] = 0.0
    resistance: Annotated[Ohms, Field(ge=0.0)] = 0.0


class TransformerTable(Table):
    """A transformer: turns, magnetising inductance at the first winding (none: ideal), leakage by winding."""

    kind: Literal["transformer"]
    windings: dict[str, TransformerWindingTable]
    magnetising: Annotated[Henries, Field(gt=0.0)] | None = None

    @model_validator(mode="after")
    def _several(self) -> TransformerTable:
        if len(self.windings) < 2:
            raise ValueError("a transformer has two windings or more")
        return self

    def build(self, name: str) -> tuple[parts.Element, ...]:
        """Return the elements; windings are called ``name.key``, the magnetising inductance ``name.m``."""
        windings = tuple(
            parts.Winding(f"{name}.{key}", *w.nodes, w.turns, w.resistance)
            for key, w in self.windings.items()
        )
        leakages = tuple(w.leakage for w in self.windings.values())
        return parts.transformer(name, windings, self.magnetising, leakages)


ELEMENTS = (
    "voltage-source",
    "current-source",
    "resistor",
    "inductor",
    "capacitor",
    "diode",
    "switch",
    "coupled-inductors",
    "transformer",
)

ElementTable = Annotated[
    VoltageSourceTable
    | CurrentSourceTable
    | ResistorTable
    | InductorTable
    | CapacitorTable
    | DiodeTable
    | SwitchTable
    | CoupledTable
    | TransformerTable,
    Field(discriminator="kind"),
]
