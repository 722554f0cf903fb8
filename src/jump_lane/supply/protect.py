"""Protection: fuse, inrush, current limit, hiccup, clamp, and the overload curve of the output."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from jump_lane.equations.sheet import Line, Sheet
from jump_lane.judge.verdict import ROUNDING, Verdict, at_most
from jump_lane.quantities import show
from jump_lane.spec.around import Protection

CHARGING = "a capacitor charged through a resistor"

INRUSH = (
    Line("R_x", "V_i/I_x - R_q", "Ω", "resistor, or cold NTC, that limits the inrush", "Ohm's law"),
    Line("E_x", "C_x*V_i**2/2*R_x/(R_x + R_q)", "J", "energy that it takes at each start", CHARGING),
    Line("t_x", "3*(R_x + R_q)*C_x", "s", "time until it may be bypassed, charged to 95 %", CHARGING),
    Line("P_x", "R_x*I_i**2", "W", "what it would lose in operation without a bypass", "Ohm's law"),
    Line("M_x", "I_x**2*(R_x + R_q)*C_x/2", "A²s", "integral of the squared inrush current", CHARGING),
)

SHARE = 0.5
"""Part of a fuse's melting integral that each inrush may take."""

OVERLOADS = (1.0, 1.05, 1.1, 1.2, 1.5, 2.0, 3.0)
"""Loads of the overload curve, over full load, beside the limit and a short circuit."""


@dataclass(frozen=True)
class Protected:
    """What protects a converter.

    Attributes
    ----------
    fuse
        Rated current chosen [A]; None where none that is known carries the current.
    curve
        Overload curve: load resistance over that of full load, output voltage [V] and current [A].
    hiccup
        Average of the output current with the output shorted, where the converter pauses [A].
    """

    asked: Protection
    sheet: Sheet
    fuse: float | None
    curve: tuple[tuple[float, float, float], ...]
    hiccup: float | None

    def verdicts(self) -> Iterator[Verdict]:
        """Yield whether fuse, resistor and clamp stand what comes."""
        if self.fuse is None:
            needed = show(self.sheet["I_n"].worst, "A")
            yield Verdict(
                "a fuse that carries the input current",
                f"≥ {needed}",
                "none of protection.fuse_currents",
                False,
                "name larger ones",
            )
        if "M_x" in self.sheet and self.asked.melting is not None:
            got, most = self.sheet["M_x"].worst, SHARE * self.asked.melting
            advice = "a slower fuse, or a smaller inrush current, mends that"
            yield at_most("fuse: inrush below half its melting integral", got, most, "A²s", advice)
        if "E_x" in self.sheet and self.asked.energy_rating is not None:
            what, rating = "inrush resistor: energy", self.asked.energy_rating
            yield at_most(what, self.sheet["E_x"].worst, rating, "J", "a larger part mends that")
        clamp = self.asked.clamp_voltage
        if clamp is not None:
            holds = clamp > self.sheet["V_o"].worst * (1.0 + ROUNDING)
            yield Verdict(
                "clamp above the output", f"> {show(self.sheet['V_o'].worst, 'V')}", show(clamp, "V"), holds,
                "" if holds else "it would conduct in operation; a higher clamp_voltage mends that",
            )  # fmt: skip


def protected(
    asked: Protection,
    *,
    v_in: float,
    input_rms: float,
    capacitance: float,
    v_o: float,
    i_o: float,
    source: float,
    limit: float,
) -> Protected:
    """Return what protects a converter.

    Parameters
    ----------
    v_in
        Highest input voltage [V].
    input_rms
        Largest rms of the current through fuse and resistor [A].
    capacitance
        What is charged when the input is switched on [F].
    v_o, i_o
        Output voltage and full load [V, A].
    source
        Resistance of the line and its leads [Ω].
    limit
        Output current at which the converter limits [A].
    """
    sheet = Sheet((1, 1))
    sheet.give("I_i", input_rms, "A", "largest rms of the input current", "simulated")
    sheet.give(
        "k_f",
        asked.fuse_derating,
        "",
        "part of its rated current that a fuse carries for good",
        "file",
        "protection.fuse_derating",
    )
    sheet.derive(Line("I_n", "I_i/k_f", "A", "rated current that the fuse needs", "IEC 60127: derating"))
    sheet.give("V_o", v_o, "V", "output", "file", "output.voltage")
    sheet.give("I_m", limit, "A", "current limit of the output", "derived")
    fuse = min((i for i in asked.fuse_currents if i >= sheet["I_n"].worst * (1.0 - ROUNDING)), default=None)
    if asked.inrush_current is not None and capacitance > 0.0:
        sheet.give("V_i", v_in, "V", "highest input voltage", "file", "input.voltage")
        sheet.give(
            "I_x", asked.inrush_current, "A", "largest inrush current", "file", "protection.inrush_current"
        )
        sheet.give("R_q", source, "Ω", "source and leads", "file", "protection.source_resistance")
        sheet.give("C_x", capacitance, "F", "capacitance that is charged", "derived")
        for line in INRUSH:
            if line.symbol == "E_x" and sheet["R_x"].worst <= 0.0:
                break
            sheet.derive(line)
    return Protected(asked, sheet, fuse, overload_curve(v_o, i_o, limit), _hiccup(asked, limit))


def overload_curve(v_o: float, i_o: float, limit: float) -> tuple[tuple[float, float, float], ...]:
    """Return load resistance (over that of full load), output voltage [V] and current [A] from full load to a short circuit.

    Up to the limit the voltage is held; beyond it the current is, so that the voltage falls with the resistance.
    """
    loads = sorted({*OVERLOADS, limit / i_o})
    held = [(1.0 / k, min(v_o, limit * v_o / (k * i_o)), min(k * i_o, limit)) for k in loads]
    return (*held, (0.0, 0.0, limit))


def _hiccup(asked: Protection, limit: float) -> float | None:
    on, off = asked.hiccup_on, asked.hiccup_off
    return None if on is None or off is None else limit * on / (on + off)
