"""Forms of waveforms, measures, spectra, losses, damping, circuits."""

from __future__ import annotations

from pydantic import ConfigDict, Field

from jump_lane.report.models.base import Model, Named, Output, Value, Values
from jump_lane.report.models.design import Quantity


class Measures(Model):
    """What is read off a signal over one period."""

    unit: str
    average: Value
    rms: Value
    minimum: Value
    maximum: Value
    peak_to_peak: Value


class CoilInterval(Model):
    """What an inductor sees during an interval."""

    voltage: Value
    current_from: Value
    current_to: Value


class Interval(Model):
    """An interval of the period [s], and who conducts."""

    from_: Value = Field(alias="from")
    to: Value
    part: Value
    conducting: list[str]
    inductors: dict[str, CoilInterval]


class Waves(Output):
    """One operating point."""

    title: str
    period: Value
    measures: dict[str, Measures]
    intervals: list[Interval]


class Window(Model):
    """What two cursors read off a signal."""

    unit: str
    first: Value
    second: Value
    difference: Value
    slope: Value
    average: Value
    rms: Value
    minimum: Value
    maximum: Value
    peak_to_peak: Value
    integral: Value


class Measure(Output):
    """What two cursors [s] read."""

    title: str
    cursors: Values
    dt: Value
    signals: dict[str, Window]


class Harmonic(Model):
    """A line of a spectrum: frequency [Hz], amplitude (peak), phase [°]."""

    order: int
    frequency: Value
    amplitude: Value
    phase: Value


class Spectrum(Output):
    """Spectra of signals."""

    title: str
    spectra: dict[str, list[Harmonic]]


class Loss(Model):
    """A loss [W]."""

    component: str
    mechanism: str
    power: Value
    simulated: bool


class LossRating(Model):
    """A rating at the operating point."""

    component: str
    rating: str
    unit: str
    load: Value
    needed: Value
    limit: Value
    holds: bool


class Gap(Model):
    """A figure that is not known, and what is missing without it."""

    model_config = ConfigDict(extra="allow")


class Losses(Output):
    """Losses of one operating point [W], temperatures [°C]."""

    input_voltage: Value
    load: Value
    control: Value
    input_power: Value
    output_power: Value
    simulated: Value
    added: Value
    residual: Value
    thermal_feedback: Value
    efficiency: Value
    losses: list[Loss]
    parts: dict[str, str | None]
    temperatures: Named
    ratings: list[LossRating]
    not_known: list[Gap]


class CornerLoss(Model):
    """Losses of one corner, or why there are none."""

    input_voltage: Value
    load: Value
    loss: Value = None
    efficiency: Value = None
    temperatures: Named = Field(default={})
    not_kept: list[str] = Field(default=[])
    reason: str = ""


class Corners(Output):
    """Losses of all corners."""

    corners: list[CornerLoss]


class Damp(Output):
    """Damping of a device."""

    device: str
    values: dict[str, Quantity]
    peak_without: Value
    peak_with: Value
    loss: Value


class Conduction(Model):
    """How long a valve conducts [1], and what it blocks [V]."""

    fraction: Value
    blocking: Value


class Balance(Model):
    """How well balances close."""

    energy: Value
    charge: Value
    volt_seconds: Value


class Stretch(Model):
    """An interval of the period [s]."""

    from_: Value = Field(alias="from")
    to: Value
    conducting: list[str]


class Circuit(Output):
    """A circuit of one's own."""

    title: str
    period: Value
    control: Value
    held_by: str
    measures: dict[str, Measures]
    power: Named
    conduction: dict[str, Conduction]
    balance: Balance
    stretches: list[Stretch]
    warnings: list[str]
    states_jump: bool
    doubts: list[str]
