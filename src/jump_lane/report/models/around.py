"""Form of what stands around a power stage."""

from __future__ import annotations

from jump_lane.report.models.base import Model, Named, Output, Value
from jump_lane.report.models.control import LoopVerdict


class _Section(Model):
    verdicts: list[LoopVerdict]


class DividerSection(_Section):
    """The divider: resistors [Ω] with their pieces, the output with tolerances [V]."""

    R_1: Value
    R_b: Value
    pieces: dict[str, list[float]]
    wanted: Value
    nominal: Value
    low: Value
    high: Value
    three_sigma: Value
    values: Named


class Setting(Model):
    """A setting of an adjustable output [V], and whether the converter holds there."""

    setting: str
    nominal: Value
    low: Value
    high: Value
    three_sigma: Value
    holds: bool
    check: str


class AdjustSection(_Section):
    """An adjustable output."""

    values: Named
    settings: list[Setting]


class ValuesSection(_Section):
    """Values by symbol [SI]."""

    values: Named


class FilterPart(Model):
    """What a part of a filter carries [A, W]."""

    name: str
    rms: Value
    loss: Value


class FilterCorner(Model):
    """Distance of impedances [dB], where [Hz], and the largest multiplier with the filter in place."""

    corner: str
    margin: Value
    at: Value
    largest: Value
    reason: str | None


class FilterSection(_Section):
    """A filter: values of each stage [SI], attenuation [dB], peaks of its output impedance [Ω]."""

    values: Named
    attenuation: Value
    peak: Value
    undamped_peak: Value
    parts: list[FilterPart]
    corners: list[FilterCorner]


class BankShare(Model):
    """What a type of a bank carries [A, W, °C, s]."""

    name: str
    count: int
    rms_each: Value
    rms: Value
    loss_each: Value
    temperature: Value
    life: Value


class Resonance(Model):
    """A parallel resonance [Hz, Ω]."""

    frequency: Value
    impedance: Value


class BankSection(_Section):
    """A bank of capacitors at the corner where its current is largest."""

    corner: str
    total: Value
    ripple: Value
    capacitance: Value
    types: list[BankShare]
    resonances: list[Resonance]


class GateSection(_Section):
    """Gate drive, by switch."""

    gates: dict[str, Named]


class Overload(Model):
    """A point of the overload curve: load resistance over that of full load, output [V], current [A]."""

    resistance: Value
    voltage: Value
    current: Value


class ProtectionSection(_Section):
    """Fuse [A], inrush, average current with the output shorted [A], overload curve."""

    values: Named
    fuse: Value
    hiccup: Value
    overload: list[Overload]


class Around(Output):
    """What stands around a power stage, by section."""

    title: str
    holds: bool
    sections: dict[
        str,
        DividerSection
        | AdjustSection
        | FilterSection
        | BankSection
        | GateSection
        | ProtectionSection
        | ValuesSection,
    ]
