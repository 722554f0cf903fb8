"""An output that is adjusted: what settings make of it.

A control voltage V_k works through a third resistor R_3 into the input of the amplifier, so that a higher one lowers the output; a
pulse width does the same behind a low-pass of R_f and C_f; resistors R_k beside the lower one raise it, each by as much as its
current makes across the upper one; a potentiometer in the place of the lower one has a fixed resistor as its stop.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np

from jump_lane.equations.divider import Spread, output, spread
from jump_lane.equations.sheet import Line, Sheet
from jump_lane.errors import InputError
from jump_lane.quantities import show
from jump_lane.quantities.preferred import closest, next_higher
from jump_lane.spec import Spec
from jump_lane.spec.around import Adjust, Divider
from jump_lane.supply.setting import NODE, pair_of, usual_upper

MOST_SWITCHED = 5
"""Resistors that are switched, whose codes are all shown."""

LOW_PASS = "charge of a triangular ripple"

THIRD = (
    Line("R_3", "R_1*(V_kh - V_kl)/(V_oh - V_ol)", "Ω", "resistor from the control voltage", NODE),
    Line("R_b", "V_ref/((V_oh - V_ref)/R_1 + (V_kl - V_ref)/R_3 - I_b)", "Ω", "lower resistor", NODE),
)

FILTERED = (
    Line(
        "R_f",
        "R_3/2",
        "Ω",
        "resistor of the low-pass, one half of R_3; the other half leads on",
        "equal halves",
    ),
    Line(
        "C_f",
        "V_kh/(4*f_w*R_f*dV)*R_1/(R_3 - R_f)",
        "F",
        "its capacitor, for the ripple at half pulse width",
        LOW_PASS,
    ),
    Line("tau", "R_f*C_f/2", "s", "time constant of a new setting, both halves beside the capacitor", NODE),
)

STOPPED = (
    Line("R_1", "P/(V_ref*(1/(V_ol - V_ref) - 1/(V_oh - V_ref)))", "Ω", "upper resistor", NODE),
    Line(
        "R_s",
        "V_ref/((V_oh - V_ref)/R_1 - I_b)",
        "Ω",
        "stop: what is left of the lower resistor at the highest output",
        NODE,
    ),
)


@dataclass(frozen=True)
class Step:
    """One setting: in words, what it is set to (V, part or code), and the output with tolerances [V]."""

    words: str
    spread: Spread


@dataclass(frozen=True)
class Adjusted:
    """An adjustable output.

    Attributes
    ----------
    sheet
        Resistors with their formulas; chosen ones are of the series.
    low, high
        Output asked at the ends [V].
    """

    asked: Adjust
    sheet: Sheet
    low: float
    high: float
    steps: tuple[Step, ...]


def adjusted(spec: Spec) -> Adjusted:
    """Return how the first output is adjusted, as its file asks.

    Raises
    ------
    InputError
        If it does not say between which voltages, or these cannot be made.
    """
    asked, divider = spec.adjust, spec.output_divider
    assert asked is not None
    reference = divider.reference
    low, high = _range(spec, asked)
    if not reference < low:
        raise InputError(
            f"adjust.output: {show(low, 'V')} is not above the reference of {show(reference, 'V')}; expected a higher one"
        )
    sheet = Sheet((1, 1))
    sheet.give("V_ref", reference, "V", "reference", "file", "control.reference")
    sheet.give("V_ol", low, "V", "lowest output", "file", "adjust.output")
    sheet.give("V_oh", high, "V", "highest output", "file", "adjust.output")
    made = {
        "voltage": _by_voltage, "pulse-width": _by_voltage, "resistors": _by_resistors, "potentiometer": _by_potentiometer,
    }[asked.by]  # fmt: skip
    tolerances = {"V_ref": divider.reference_tolerance, "R": divider.tolerance}
    sheet.give(
        "I_b", 0.5 * divider.bias, "A", "current into the amplifier, half the largest", "file", "divider.bias"
    )
    return Adjusted(asked, sheet, low, high, tuple(made(spec, divider, asked, sheet, tolerances)))


def _range(spec: Spec, asked: Adjust) -> tuple[float, float]:
    first = spec.output[0]
    if asked.by == "resistors" and asked.voltages and first.voltage:
        if len(asked.voltages) > MOST_SWITCHED:
            raise InputError(f"adjust.voltages: read {len(asked.voltages)}; expected at most {MOST_SWITCHED}")
        if min(asked.voltages) <= first.voltage:
            raise InputError(
                f"adjust.voltages: {show(min(asked.voltages), 'V')} is not above output.voltage, {show(first.voltage, 'V')}: resistors "
                "beside the lower one only raise the output"
            )
        return first.voltage, max(asked.voltages)
    found = asked.output or first.voltage_range
    if found is None or found.min == found.max:
        raise InputError(
            'adjust.output: expected, such as { min = "5 V", max = "15 V" }, or output.voltage_range'
        )
    return found.min, found.max


def _upper(spec: Spec, divider: Divider, reference: float, wanted: float) -> float:
    """Return the upper resistor: what the divider says, or what its pair has."""
    if divider.upper is not None:
        return divider.upper
    return pair_of(divider, wanted, reference, usual_upper(spec)).upper.value


def _choose(sheet: Sheet, symbol: str, series: str) -> float:
    sheet.prefer(symbol, closest(sheet[symbol].worst, series))
    return sheet[symbol].worst


def _by_voltage(
    spec: Spec, divider: Divider, asked: Adjust, sheet: Sheet, off: Mapping[str, float]
) -> list[Step]:
    reference = sheet["V_ref"].worst
    sheet.give(
        "R_1",
        _upper(spec, divider, reference, sheet["V_oh"].worst),
        "Ω",
        "upper resistor",
        "file",
        "divider.upper",
    )
    pulses = asked.by == "pulse-width"
    lowest = 0.0 if pulses else asked.voltage.min
    sheet.give("V_kl", lowest, "V", "lowest control voltage", "file", "adjust.voltage")
    sheet.give("V_kh", asked.voltage.max, "V", "highest control voltage", "file", "adjust.voltage")
    if lowest == asked.voltage.max:
        raise InputError("adjust.voltage: lowest and highest are the same; expected a range")
    for line in THIRD:
        sheet.derive(line)
        if not sheet[line.symbol].worst > 0.0:
            raise InputError(
                "adjust: no lower resistor makes the lowest output at the highest control voltage; expected a smaller control voltage "
                "or a lower reference"
            )
        _choose(sheet, line.symbol, asked.series)
    if pulses:
        sheet.give("f_w", asked.frequency, "Hz", "frequency of the pulse width", "file", "adjust.frequency")
        sheet.give("dV", asked.ripple, "V", "ripple that it leaves in the output", "file", "adjust.ripple")
        for line in FILTERED:
            sheet.derive(line)
            if line.symbol == "C_f":
                sheet.prefer("C_f", next_higher(sheet["C_f"].worst, "E12"))

    def at(figures: Mapping[str, float], voltage: float) -> float:
        return output(
            figures["V_ref"], figures["R_1"], figures["R_b"], figures["I_b"], [(figures["R_3"], voltage)]
        )

    figures = _figures(sheet, off, "R_1", "R_b", "R_3")
    top = asked.voltage.max
    steps = []
    for voltage in np.linspace(lowest, top, asked.steps).tolist():
        words = f"{100.0 * voltage / top:.4g} %" if pulses else show(voltage, "V")
        steps.append(Step(words, spread(figures, _bound(at, voltage))))
    return steps


def _bound(
    at: Callable[[Mapping[str, float], float], float], setting: float
) -> Callable[[Mapping[str, float]], float]:
    return lambda figures: at(figures, setting)


def _figures(sheet: Sheet, off: Mapping[str, float], *resistors: str) -> dict[str, tuple[float, float]]:
    return {
        "V_ref": (sheet["V_ref"].worst, off["V_ref"]),
        "I_b": (sheet["I_b"].worst, 1.0 if sheet["I_b"].worst else 0.0),
        **{name: (sheet[name].worst, off["R"]) for name in resistors},
    }


def _by_resistors(
    spec: Spec, divider: Divider, asked: Adjust, sheet: Sheet, off: Mapping[str, float]
) -> list[Step]:
    reference, low = sheet["V_ref"].worst, sheet["V_ol"].worst
    wanted = asked.voltages or [sheet["V_oh"].worst]
    sheet.give("R_1", _upper(spec, divider, reference, low), "Ω", "upper resistor", "file", "divider.upper")
    sheet.derive(
        Line("R_b", "V_ref/((V_ol - V_ref)/R_1 - I_b)", "Ω", "lower resistor, no other switched in", NODE)
    )
    _choose(sheet, "R_b", asked.series)
    names = []
    for k, voltage in enumerate(wanted, start=2):
        sheet.give(f"V_o{k}", voltage, "V", f"output with R_{k} alone", "file", "adjust.voltages")
        sheet.derive(
            Line(
                f"R_{k}",
                f"V_ref*R_1/(V_o{k} - V_ref - V_ref*R_1/R_b)",
                "Ω",
                "resistor that is switched in beside R_b",
                NODE,
            )
        )
        _choose(sheet, f"R_{k}", asked.series)
        names.append(f"R_{k}")
    figures = _figures(sheet, off, "R_1", "R_b", *names)
    steps = []
    for code in itertools.product((0, 1), repeat=len(names)):
        closed = [n for n, bit in zip(names, code, strict=True) if bit]

        def at(f: Mapping[str, float], _: float, closed: list[str] = closed) -> float:
            lower = 1.0 / (1.0 / f["R_b"] + sum(1.0 / f[n] for n in closed))
            return output(f["V_ref"], f["R_1"], lower, f["I_b"])

        words = "".join(map(str, code)) + (f" ({', '.join(closed)})" if closed else "")
        steps.append(Step(words, spread(figures, _bound(at, 0.0))))
    return steps


def _by_potentiometer(
    spec: Spec, divider: Divider, asked: Adjust, sheet: Sheet, off: Mapping[str, float]
) -> list[Step]:
    del spec
    if divider.upper is not None:
        raise InputError(
            "divider.upper and adjust.by = 'potentiometer' exclude each other: the upper resistor follows from the potentiometer"
        )
    sheet.give("P", asked.potentiometer, "Ω", "potentiometer", "file", "adjust.potentiometer")
    for line in STOPPED:
        sheet.derive(line)
        _choose(sheet, line.symbol, asked.series)

    def at(f: Mapping[str, float], turned: float) -> float:
        return output(f["V_ref"], f["R_1"], f["R_s"] + turned * f["P"], f["I_b"])

    figures = _figures(sheet, off, "R_1", "R_s")
    figures["P"] = sheet["P"].worst, asked.potentiometer_tolerance
    return [
        Step(f"{100.0 * turned:.4g} %", spread(figures, _bound(at, turned)))
        for turned in np.linspace(0.0, 1.0, asked.steps).tolist()
    ]
