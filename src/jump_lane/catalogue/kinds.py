"""What is known of a part, by kind: figures of a data sheet, in SI units; what is not known is None."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from jump_lane.catalogue.core_pieces import CorePieces
from jump_lane.catalogue.curve import (
    CapacitanceOverVoltage,
    LeftOverCurrent,
    LeftOverVoltage,
    OverGateVoltage,
    OverTemperature,
    ResistanceOverFrequency,
)
from jump_lane.catalogue.magnetic import Bobbin, Core, CoreMaterial, Wire
from jump_lane.catalogue.matrix import ResistanceMatrix
from jump_lane.catalogue.mutual import MutualLeakage
from jump_lane.catalogue.part import Bought
from jump_lane.quantities.copper import resistivity
from jump_lane.quantities.fields import (
    Amperes,
    Celsius,
    Coulombs,
    Count,
    CubicMetres,
    Farads,
    Henries,
    Hertz,
    Joules,
    KelvinPerWatt,
    Metres,
    Number,
    Ohms,
    Ratio,
    Seconds,
    SquareMetres,
    Volts,
    Watts,
)

SATURATED = 0.7
"""Part of the inductance that is left at what is called the saturation current."""

REFERENCE_TEMPERATURE = 25.0
"""Temperature at which figures hold where nothing else is said [°C]."""


class _Cooled(Bought):
    """A part with a junction."""

    voltage: Annotated[Volts | None, Field(gt=0.0)] = Field(default=None, description="Voltage rating")
    current: Annotated[Amperes | None, Field(gt=0.0)] = Field(
        default=None, description="Continuous current rating, rms of a switch, average of a diode"
    )
    peak_current: Amperes | None = Field(default=None, description="Repetitive peak current rating")
    junction_case: KelvinPerWatt | None = Field(
        default=None, description="Thermal resistance, junction to case"
    )
    junction_ambient: KelvinPerWatt | None = Field(
        default=None, description="Thermal resistance, junction to ambient, without a heat sink"
    )
    max_temperature: Celsius | None = Field(default=None, description="Highest junction temperature")
    recovery_charge: Coulombs | None = Field(
        default=None, description="Reverse recovery charge (of the body diode)"
    )
    recovery_current: Amperes | None = Field(
        default=None, description="Forward current at which the recovery charge was measured"
    )
    recovery_time: Seconds | None = Field(default=None, description="Reverse recovery time")
    recovery_exponent: Number = Field(
        default=1.0, ge=0.0, le=2.0, description="Exponent of the current in the recovery charge"
    )
    recovery_curve: OverTemperature = Field(
        default=None, description="Recovery charge over junction temperature, part of that at 25 °C"
    )


class _Gated(_Cooled):
    """A part with a gate."""

    gate_charge: Coulombs | None = Field(default=None, description="Total gate charge")
    gate_charge_voltage: Volts | None = Field(
        default=None, gt=0.0, description="Gate voltage of that charge; it is scaled to the driver's"
    )
    max_gate_voltage: Volts | None = Field(default=None, gt=0.0, description="Largest gate voltage")
    gate_resistance: Ohms | None = Field(default=None, description="Internal gate resistance")
    body_voltage: Volts | None = Field(
        default=None, description="Forward voltage of the body or antiparallel diode"
    )
    body_resistance: Ohms | None = Field(default=None, description="Resistance of that diode")


class Mosfet(_Gated):
    """A field-effect transistor."""

    kind: Literal["mosfet"] = "mosfet"
    resistance: Ohms | None = Field(default=None, description="On-resistance at 25 °C")
    resistance_curve: OverTemperature = Field(
        default=None, description="On-resistance over junction temperature, part of that at 25 °C"
    )
    drive_curve: OverGateVoltage = Field(
        default=None,
        description="On-resistance over gate voltage, part of that of the data sheet's gate voltage",
    )
    gate_drain_charge: Coulombs | None = Field(default=None, description="Gate-drain charge")
    gate_source_charge: Coulombs | None = Field(
        default=None, description="Gate-source charge up to the plateau"
    )
    plateau_voltage: Volts | None = Field(default=None, description="Gate plateau voltage")
    threshold_voltage: Volts | None = Field(default=None, description="Gate threshold voltage")
    transconductance: Number | None = Field(
        default=None, gt=0.0, description="Transconductance [A/V]; the plateau then follows the current"
    )
    source_inductance: Henries | None = Field(
        default=None, description="Inductance that source current and gate drive share"
    )
    output_capacitance: Farads | None = Field(
        default=None, description="Effective output capacitance, energy related"
    )
    charge_capacitance: Farads | None = Field(
        default=None, description="Effective output capacitance, charge (time) related"
    )
    output_capacitance_curve: CapacitanceOverVoltage = Field(
        default=None, description="Output capacitance over voltage, instead"
    )

    @property
    def effective_capacitance(self) -> float | None:
        """Return the energy-related output capacitance [F], over the whole curve where there is one."""
        curve = self.output_capacitance_curve
        if self.output_capacitance is not None or curve is None or curve.x[-1] <= 0.0:
            return self.output_capacitance
        return 2.0 * curve.moment(curve.x[-1], 1) / curve.x[-1] ** 2

    def opened(self, gate: float) -> float:
        """Return by what the on-resistance is multiplied at a gate voltage [V]."""
        return 1.0 if self.drive_curve is None else self.drive_curve.at(gate)

    def resistance_at(self, temperature: float) -> float | None:
        """Return the on-resistance at a junction temperature [°C]."""
        return _at(self.resistance, self.resistance_curve, temperature)


class Gan(Mosfet):
    """A transistor that conducts in reverse without a body diode: ``body_voltage`` is what that takes."""

    kind: Literal["gan"] = "gan"  # type: ignore[assignment]


class Igbt(_Gated):
    """An insulated-gate bipolar transistor, with an antiparallel diode where ``body_voltage`` is given."""

    kind: Literal["igbt"] = "igbt"
    on_voltage: Volts | None = Field(default=None, description="On-state voltage at no current, V_CE0")
    resistance: Ohms | None = Field(default=None, description="Slope resistance, r_CE")
    resistance_curve: OverTemperature = Field(
        default=None, description="Slope resistance over junction temperature, part of that at 25 °C"
    )
    on_curve: OverTemperature = Field(
        default=None, description="On-state voltage at no current over temperature, part of that at 25 °C"
    )
    turn_on_energy: Joules | None = Field(default=None, description="Turn-on energy, diode recovery included")
    turn_off_energy: Joules | None = Field(default=None, description="Turn-off energy, tail included")
    energy_curve: OverTemperature = Field(
        default=None, description="Switching energies over junction temperature, part of those at 25 °C"
    )
    test_voltage: Volts | None = Field(default=None, description="Voltage of the switching energies")
    test_current: Amperes | None = Field(default=None, description="Current of the switching energies")
    current_exponent: Number = Field(default=1.0, description="Exponent of the current in the energies")
    voltage_exponent: Number = Field(
        default=1.0,
        description="Exponent of the voltage in the energies; in proportion where nothing is said",
    )

    def resistance_at(self, temperature: float) -> float | None:
        """Return the slope resistance at a junction temperature [°C]."""
        return _at(self.resistance, self.resistance_curve, temperature)

    def on_voltage_at(self, temperature: float) -> float | None:
        """Return the on-state voltage at no current at a junction temperature [°C]."""
        return _at(self.on_voltage, self.on_curve, temperature)


class Diode(_Cooled):
    """A diode: with recovery, or (Schottky, silicon carbide) with a capacitive charge."""

    kind: Literal["diode"] = "diode"
    forward_voltage: Volts | None = Field(default=None, description="Threshold of the forward line at 25 °C")
    resistance: Ohms | None = Field(default=None, description="Slope of the forward line at 25 °C")
    forward_curve: OverTemperature = Field(
        default=None, description="Forward voltage over temperature, part of that at 25 °C"
    )
    resistance_curve: OverTemperature = Field(
        default=None, description="Slope over temperature, part of that at 25 °C"
    )
    capacitive_charge: Coulombs | None = Field(default=None, description="Capacitive charge")
    charge_voltage: Volts | None = Field(default=None, description="Reverse voltage of that charge")

    def forward_at(self, temperature: float) -> float | None:
        """Return the threshold of the forward line at a junction temperature [°C]."""
        return _at(self.forward_voltage, self.forward_curve, temperature)

    def resistance_at(self, temperature: float) -> float | None:
        """Return the slope of the forward line at a junction temperature [°C]."""
        return _at(self.resistance, self.resistance_curve, temperature)


class Capacitor(Bought):
    """A capacitor."""

    kind: Literal["capacitor"] = "capacitor"
    value: Annotated[Farads, Field(gt=0.0, description="Capacitance without bias")]
    tolerance: Ratio = Field(default=0.0, ge=0.0, lt=1.0, description="Largest deviation of it")
    voltage: Volts | None = Field(default=None, description="Voltage rating")
    rms_current: Amperes | None = Field(default=None, description="Ripple current rating, rms")
    resistance: Ohms | None = Field(default=None, description="Equivalent series resistance")
    resistance_frequency: ResistanceOverFrequency = Field(
        default=None, description="Equivalent series resistance over frequency, instead"
    )
    resistance_curve: OverTemperature = Field(
        default=None, description="Equivalent series resistance over temperature, part of that at 25 °C"
    )
    dc_bias: LeftOverVoltage = Field(default=None, description="Part of the capacitance left over voltage")
    thermal_resistance: KelvinPerWatt | None = Field(
        default=None, description="Thermal resistance, hot spot to ambient"
    )
    max_temperature: Celsius | None = Field(default=None, description="Highest temperature")

    def left_at(self, voltage: float) -> float:
        """Return the part of the capacitance that is left at a DC voltage [V]."""
        return self.dc_bias.starting(1.0).at(voltage) if self.dc_bias is not None else 1.0

    def resistance_of(self, frequency: float, temperature: float) -> float | None:
        """Return the equivalent series resistance [Ω] at a frequency [Hz] and temperature [°C], if known."""
        found = self.resistances_of(np.array([frequency]), temperature)
        return None if found is None else float(found[0])

    def resistances_of(
        self, frequency: NDArray[np.float64], temperature: float
    ) -> NDArray[np.float64] | None:
        """Return the equivalent series resistances [Ω] at frequencies [Hz], (h,), if known."""
        rise = self.resistance_curve.at(temperature) if self.resistance_curve else 1.0
        if self.resistance_frequency is not None:
            return self.resistance_frequency.at_each(frequency) * rise
        return None if self.resistance is None else np.full(len(frequency), self.resistance * rise)


class _Wound(Bought):
    """A part with windings on a core."""

    turns: Count | None = Field(default=None, description="Turns (of the primary)")
    core_area: SquareMetres | None = Field(default=None, description="Effective core area")
    core_volume: CubicMetres | None = Field(default=None, description="Effective core volume")
    core_k: Number | None = Field(
        default=None, description="Steinmetz coefficient for W/m³ with frequency in Hz and flux density in T"
    )
    core_alpha: Number | None = Field(default=None, description="Steinmetz exponent of the frequency")
    core_beta: Number | None = Field(default=None, description="Steinmetz exponent of the flux density")
    core_pieces: CorePieces = Field(
        default=None, description="Steinmetz coefficients that hold from some frequencies up, instead"
    )
    core_curve: OverTemperature = Field(
        default=None, description="Core loss over temperature, part of that at 25 °C"
    )
    core_loss: Watts | None = Field(
        default=None, description="Core loss at a sinusoidal test current, instead of k, area and volume"
    )
    core_loss_frequency: Hertz | None = Field(default=None, description="Frequency of that test")
    core_loss_ripple: Amperes | None = Field(
        default=None, description="Current of that test, peak to peak (magnetising current of the primary)"
    )
    max_flux_density: Number | None = Field(default=None, description="Saturation flux density [T]")
    layers: Number | None = Field(default=None, gt=0.0, description="Layers of the winding")
    conductor_thickness: Metres | None = Field(default=None, description="Thickness of a foil layer")
    wire_diameter: Metres | None = Field(default=None, description="Copper diameter of a round wire, instead")
    strands: Count = Field(default=1, ge=1, description="Strands of a litz wire of that diameter each")
    porosity: Ratio = Field(
        default=1.0, gt=0.0, le=1.0, description="Part of the layer's breadth that is copper"
    )
    resistance_matrix: ResistanceMatrix = Field(
        default=None,
        description="Resistance of all windings on the core together over frequency, in the order of the circuit: for each frequency "
        "the rows of the symmetric matrix; instead of layers",
    )
    thermal_resistance: KelvinPerWatt | None = Field(
        default=None, description="Thermal resistance, hot spot to ambient"
    )
    max_temperature: Celsius | None = Field(default=None, description="Highest temperature")


class Inductor(_Wound):
    """An inductor."""

    kind: Literal["inductor"] = "inductor"
    value: Annotated[Henries, Field(gt=0.0, description="Inductance at no current")]
    tolerance: Ratio = Field(default=0.0, ge=0.0, lt=1.0, description="Largest deviation of it")
    saturation_current: Amperes | None = Field(default=None, description="Saturation current")
    rms_current: Amperes | None = Field(default=None, description="Thermal current rating, rms")
    resistance: Ohms | None = Field(default=None, description="Winding resistance at 25 °C, direct current")
    ac_resistance: ResistanceOverFrequency = Field(
        default=None, description="Winding resistance over frequency"
    )
    saturation: LeftOverCurrent = Field(
        default=None, description="Part of the (incremental) inductance left over current"
    )


class Transformer(_Wound):
    """A transformer."""

    kind: Literal["transformer"] = "transformer"
    leakage: Henries | None = Field(default=None, description="Leakage inductance, seen at the primary")
    mutual_leakage: MutualLeakage = Field(
        default=None,
        description="Mutual inductances of the leakage of several secondaries, by their numbers, each seen at itself",
    )
    primary_resistance: Ohms | None = Field(default=None, description="Primary resistance at 25 °C")
    secondary_resistance: Ohms | None = Field(default=None, description="Secondary resistance at 25 °C")
    secondary_layers: Number | None = Field(default=None, gt=0.0, description="Layers of the secondary")
    secondary_thickness: Metres | None = Field(
        default=None, description="Thickness of a foil layer of the secondary"
    )
    saturation: LeftOverCurrent = Field(
        default=None, description="Part of the (incremental) magnetising inductance left over its current"
    )


Part = Mosfet | Gan | Igbt | Diode | Capacitor | Inductor | Transformer
"""What stands in a power stage."""

Material = Core | CoreMaterial | Bobbin | Wire
"""What components are wound of."""

KINDS: dict[str, type[Bought]] = {
    "mosfet": Mosfet,
    "gan": Gan,
    "igbt": Igbt,
    "diode": Diode,
    "capacitor": Capacitor,
    "inductor": Inductor,
    "transformer": Transformer,
    "core": Core,
    "core-material": CoreMaterial,
    "bobbin": Bobbin,
    "wire": Wire,
}

ROLES: dict[str, tuple[type[Bought], ...]] = {
    "switch": (Mosfet, Igbt),
    "rectifier": (Diode, Mosfet),
    "inductor": (Inductor,),
    "capacitor": (Capacitor,),
    "transformer": (Transformer,),
}
"""Kinds of parts that can stand in each role of a circuit."""


def _at(figure: float | None, curve: OverTemperature, temperature: float) -> float | None:
    """Return a figure at a temperature; the outermost lines of its curve go on. Unknown stays unknown."""
    if figure is None or curve is None:
        return figure
    return figure * max(curve.extended(temperature), 0.0)


def copper(temperature: float) -> float:
    """Return the resistance of copper over that at 25 °C, at a temperature [°C] (IEC 60028)."""
    return float(resistivity(temperature) / resistivity(REFERENCE_TEMPERATURE))


__all__ = [
    "KINDS",
    "ROLES",
    "Capacitor",
    "Diode",
    "Gan",
    "Igbt",
    "Inductor",
    "Mosfet",
    "Part",
    "Transformer",
    "copper",
]
