"""What the file says of converters controlled by frequency and by angles, put into the sheet before anything is derived."""

from __future__ import annotations

import math

from pydantic import BaseModel

from jump_lane.design.asked import read
from jump_lane.equations.sheet import Sheet
from jump_lane.errors import InputError
from jump_lane.spec import Spec
from jump_lane.topologies.page import Page

OWN = ("least-rms", "soft")
"""Modulations that find every angle themselves."""

WIDE, USUAL_RATIO = 3.0, 6.0
"""Frequencies from 1/3 to 3 times the resonance, and an inductance ratio of 6, where the file says nothing."""


def give_tank(sheet: Sheet, spec: Spec, page: Page) -> None:
    """Enter what the file says of a resonant tank, where the control moves the frequency."""
    if page.span is None:
        return
    t, s, v = spec.tank, spec.switching, spec.voltage
    if t.capacitor == "split" and not page.splits:
        raise InputError(
            f"tank.capacitor: read split, but both ends of the tank of the {page.name} are driven; expected whole"
        )
    limits, given = s.frequency_limits, "default" if s.frequency_limits is None else "file"
    low, high = (s.frequency / WIDE, s.frequency * WIDE) if limits is None else (limits.min, limits.max)
    sheet.give("f_min", low, "Hz", "lowest frequency allowed", given, "switching.frequency_limits")
    sheet.give("f_max", high, "Hz", "highest frequency allowed", given, "switching.frequency_limits")
    nominal = v.nominal if v.nominal is not None else math.sqrt(v.min * v.max)
    sheet.give("V_nom", nominal, "V", "input voltage at which the gain is 1", key="input.voltage.nominal")
    first, given = spec.output[0], "file" if spec.output[0].voltage_range else "default"
    most = (
        1.0 if first.voltage_range is None or not first.voltage else first.voltage_range.max / first.voltage
    )
    sheet.give(
        "k_hi",
        most,
        "",
        "highest output voltage over the usual one",
        given,
        "output.voltage_range" if given == "file" else "",
    )
    sheet.give(
        "k_s",
        1.0 if t.capacitor == "whole" else 2.0,
        "",
        "resonant capacitors side by side",
        _given(t, "capacitor"),
        "",
    )
    for symbol, name, unit, meaning in (
        ("m_g", "gain_reserve", "", "reserve of the peak gain"),
        ("k_2", "second_turns", "", "turns of the second half of the secondary over those of the first"),
        ("L_s1", "first_leakage", "H", "leakage of the first half of the secondary"),
        ("L_s2", "second_leakage", "H", "leakage of the second half of the secondary"),
        ("R_s2", "second_resistance", "Ω", "resistance of the second half of the secondary beyond the first"),
    ):
        sheet.give(symbol, getattr(t, name), unit, meaning, _given(t, name), f"tank.{name}")
    sheet.give(
        "m_a",
        t.inductance_ratio or USUAL_RATIO,
        "",
        "inductance ratio asked",
        _given(t, "inductance_ratio"),
        "tank.inductance_ratio",
    )
    asked = "tank.quality" if t.quality else ""
    sheet.give("Q_a", t.quality or 0.0, "", "quality factor asked; 0 for any", _given(t, "quality"), asked)
    for symbol, component in (("L_ra", "L_r"), ("L_ma", "L_m")):
        text = spec.chosen.get(component)
        value = 0.0 if text is None else read(text, "H", f"chosen.{component}")
        sheet.give(
            symbol,
            value,
            "H",
            f"{component} as chosen; 0 for any",
            "file" if value else "default",
            f"chosen.{component}" if value else "",
        )


def give_angles(sheet: Sheet, spec: Spec, page: Page) -> None:
    """Enter what the file says of the angles of two bridges, where power may flow both ways."""
    if not page.returns:
        return
    a, v = spec.angles, spec.voltage
    if a.regulated_by == "inner" and (a.outer is None or a.modulation in OWN):
        own = f"modulation = extended, dual or triple instead of {a.modulation}, which finds the inner angles itself"
        expected = own if a.modulation in OWN else "angles.outer beside it"
        raise InputError(
            f"angles.regulated_by: read inner; expected {expected}, as the inner angle holds the output"
        )
    nominal = v.nominal if v.nominal is not None else math.sqrt(v.min * v.max)
    sheet.give(
        "V_nom", nominal, "V", "input voltage that the turns ratio is made for", key="input.voltage.nominal"
    )
    for symbol, value, name, meaning in (
        ("t_1a", a.inner_1, "inner_1", "zero interval of the first bridge asked, part of the period"),
        ("t_2a", a.inner_2, "inner_2", "zero interval of the second bridge asked, part of the period"),
        (
            "phi_a",
            math.nan if a.outer is None else a.outer,
            "outer",
            "distance of the centres of both pulses asked, part of the period",
        ),
        ("phi_m", a.largest, "largest", "phase at the largest power, part of the period"),
    ):
        sheet.give(
            symbol,
            value,
            "",
            meaning,
            _given(a, name),
            f"angles.{name}" if _given(a, name) == "file" or name == "largest" else "",
        )


def _given(table: BaseModel, key: str) -> str:
    return "file" if key in table.model_fields_set else "default"
