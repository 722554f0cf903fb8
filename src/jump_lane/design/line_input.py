"""An alternating line, a rectifier bridge and a bulk capacitor in front of a converter.

The bulk capacitor is charged around every peak of the line and feeds the converter, which takes constant power, in
between.  Angles are of the line, counted from its peak: charging begins th_1 before it and ends th_2 after it.
"""

from __future__ import annotations

import numpy as np

from jump_lane.equations.sheet import Line, Sheet
from jump_lane.errors import InputError
from jump_lane.quantities import CAPACITANCE, parse, show
from jump_lane.spec import Spec, VoltageRange

CHARGING = "docs/equations.md, 'Line rectifier and bulk capacitor'"
DEFINITION = "definition"

INTERVAL = "cos({end})**2 - 2*{load}*(pi - {begin} - {end}) - cos({begin})**2"
"""What is left of the balance of v² between two charging intervals, in units of the squared peak."""

SIZING = (
    Line("P_B", "P_max/eta", "W", "power taken from the bulk capacitor at full load", DEFINITION),
    Line("V_lp", "sqrt(2)*V_l - 2*V_FB", "V", "peak of the rectified line", DEFINITION, "min"),
    Line(
        "x_v",
        INTERVAL.format(load="x_v", begin="th_v", end="th_c"),
        "",
        "power over reactive power of the bulk capacitor for the valley asked",
        CHARGING,
        "min",
        within=(1e-6, 0.499),
        through=(
            Line("th_v", "acos(r_v)", "", "angle before the peak at which the valley is met", CHARGING),
            Line(
                "th_c",
                "pi/4 - acos(2*x_v)/2",
                "",
                "angle after the peak at which charging then ends",
                CHARGING,
            ),
        ),
    ),
    Line("C_v", "P_B/(2*pi*f_l*V_lp**2*x_v)", "F", "bulk capacitance for the valley asked", CHARGING),
    Line(
        "C_h",
        "2*P_B*t_h/(V_lp**2*(r_v**2 - r_h**2))",
        "F",
        "bulk capacitance for the hold-up time, begun at the valley",
        CHARGING,
    ),
    Line("C_B", "max(C_v, C_h)", "F", "bulk capacitance", CHARGING, component=True),
)

OPERATION = (
    Line(
        "x_B", "P_B/(2*pi*f_l*V_lp**2*C_B)", "", "power over reactive power of the bulk capacitor", CHARGING
    ),
    Line("th_2", "pi/4 - acos(2*x_B)/2", "", "angle after the peak at which charging ends", CHARGING),
    Line(
        "th_1",
        INTERVAL.format(load="x_B", begin="th_1", end="th_2"),
        "",
        "angle before the peak at which charging begins",
        CHARGING,
        within=(0.0, 1.5707),
    ),
    Line("phi_B", "180/pi*(th_1 + th_2)", "°", "conduction angle of the bridge", CHARGING, "min"),
    Line("V_Bv", "V_lp*cos(th_1)", "V", "lowest bulk voltage", CHARGING, "min"),
    Line("dV_B", "V_lp - V_Bv", "V", "ripple of the bulk voltage, peak to peak", CHARGING),
    Line("I_Bpk", "2*pi*f_l*C_B*V_lp*sin(th_1) + P_B/V_Bv", "A", "peak current of the bridge", CHARGING),
    Line(
        "I_CBrms",
        "sqrt(((2*pi*f_l*C_B*V_lp)**2*((th_1 + th_2)/2 - (sin(2*th_2) + sin(2*th_1))/4)"
        " + pi*f_l*P_B*C_B*log((cos(th_2)/cos(th_1))**2))/pi)",
        "A",
        "rms current of the bulk capacitor at line frequency",
        CHARGING,
    ),
    Line(
        "t_B", "C_B*(V_Bv**2 - (r_h*V_min)**2)/(2*P_B)", "s", "hold-up time from the valley", CHARGING, "min"
    ),
)


def line_side(spec: Spec) -> tuple[Spec, Sheet | None]:
    """Return the spec with the DC range that a line makes, and how it was derived; other specs as they are.

    Raises
    ------
    InputError
        If no bulk capacitor can do what is asked.
    """
    line = spec.input.ac
    if line is None:
        return spec, None
    voltages = sorted({v for v in (line.min, line.nominal, line.max) if v is not None})
    sheet = Sheet((len(voltages), 1))
    sheet.give("V_l", np.array(voltages)[:, None], "V", "line voltage, rms")
    for symbol, value, unit, meaning in (
        ("f_l", line.frequency, "Hz", "line frequency"),
        ("r_v", line.valley, "", "valley asked, part of the lowest peak"),
        (
            "r_h",
            line.hold_voltage,
            "",
            "bulk voltage at the end of the hold-up time, part of the lowest peak",
        ),
        ("t_h", line.hold_up, "s", "hold-up time asked"),
        ("eta", line.efficiency, "", "efficiency assumed"),
        ("V_FB", line.forward_voltage, "V", "forward voltage of a bridge diode"),
        ("P_max", _power(spec), "W", "output power at full load"),
    ):
        sheet.give(symbol, value, unit, meaning)
    if line.hold_up > 0.0 and line.hold_voltage >= line.valley:
        raise InputError("input.ac.hold_voltage: must be below input.ac.valley")
    for entry in SIZING:
        sheet.derive(entry)
    chosen = dict(spec.chosen)
    if "C_B" in chosen:
        sheet.choose("C_B", parse(chosen.pop("C_B"), CAPACITANCE))
    sheet.give("V_min", sheet["V_lp"].corner(0, 0), "V", "peak of the lowest line")
    for entry in OPERATION:
        sheet.derive(entry)
    lowest = float(sheet["V_Bv"].values.min())
    if not np.isfinite(lowest):
        raise InputError(
            f"chosen.C_B: {show(sheet['C_B'].worst, 'F')} cannot carry the converter from one peak of the line to the next"
        )
    if line.hold_up > 0.0:
        lowest = min(lowest, line.hold_voltage * sheet["V_min"].worst)
    highest = float(np.sqrt(2.0) * line.max)
    nominal = None if line.nominal is None else float(np.sqrt(2.0) * line.nominal)
    source = spec.input.model_copy(update={"voltage": VoltageRange(min=lowest, nominal=nominal, max=highest)})
    return spec.model_copy(update={"input": source, "chosen": chosen}), sheet


def _power(spec: Spec) -> float:
    return sum(abs(o.voltages_at((o.current.max,))[0]) * o.current.max for o in spec.output)
