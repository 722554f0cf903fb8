"""The components of a topology, and what a real part may bring along."""

from __future__ import annotations

from dataclasses import dataclass

BODY_VOLTAGE = 0.8
"""Forward voltage of a body diode [V] where none is given: that of silicon."""


@dataclass(frozen=True)
class Datum:
    """One figure of a real part: its key in the file, the symbol it becomes, unit, meaning, default."""

    key: str
    symbol: str
    unit: str
    meaning: str
    default: float = 0.0


@dataclass(frozen=True)
class Role:
    """A component of a page, and what a real part may bring along.

    Data symbols follow from the component's name without underscores, here ``X``: R_X (resistance when
    conducting, winding resistance, ESR), V_FX (forward voltage), V_BX and R_BX (body diode).
    """

    name: str
    kind: str
    element: str = ""
    """Element that stands for all made alike; empty where it is called like the component."""
    also: tuple[str, ...] = ()
    """Further elements made alike."""
    tank: bool = False
    """Whether it resonates, so that its ripple is its job."""

    @property
    def elements(self) -> tuple[str, ...]:
        """Elements of the circuit that are this component."""
        return (self.element or self.name, *self.also)

    @property
    def tag(self) -> str:
        """Return the name as it stands in symbols."""
        return self.name.replace("_", "")

    @property
    def data(self) -> tuple[Datum, ...]:
        """Return what a part in this role is described by."""
        if self.kind == "coupling":
            return (Datum("factor", f"k_{self.tag}", "", f"coupling factor of {self.name}"),)
        if self.kind == "magnetising":
            return ()
        if self.kind == "transformer":
            return (
                Datum("leakage", f"L_k{self.tag}", "H", f"leakage inductance of {self.name}, seen at the primary"),
                Datum("primary_resistance", f"R_p{self.tag}", "Ω", f"primary resistance of {self.name}"),
                Datum("secondary_resistance", f"R_s{self.tag}", "Ω", f"secondary resistance of {self.name}"),
            )
        resistance = {
            "switch": "on-resistance",
            "rectifier": "resistance when conducting",
            "inductor": "winding resistance",
            "capacitor": "equivalent series resistance",
        }[self.kind]
        data = [Datum("resistance", f"R_{self.tag}", "Ω", f"{resistance} of {self.name}")]
        if self.kind == "rectifier":
            data.append(Datum("forward_voltage", f"V_F{self.tag}", "V", f"forward voltage of {self.name}"))
        if self.kind == "switch":
            data.append(Datum("output_capacitance", f"C_{self.tag}", "F", f"output capacitance of {self.name}"))
            data.append(Datum("on_voltage", f"V_T{self.tag}", "V", f"on-state voltage at no current of {self.name}"))
        if self.kind in ("switch", "rectifier"):
            data.append(Datum("body_voltage", f"V_B{self.tag}", "V", f"forward voltage of the body diode of {self.name}", BODY_VOLTAGE))
            data.append(Datum("body_resistance", f"R_B{self.tag}", "Ω", f"resistance of the body diode of {self.name}"))
        return tuple(data)
