"""Gate drive: charge, currents, what the driver loses, bootstrap.

References
----------
N. Mohan, T. M. Undeland and W. P. Robbins, "Power Electronics", 3rd ed. 2003, chapter 28 (gate and base drive circuits).
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from jump_lane.catalogue.kinds import Igbt, Mosfet
from jump_lane.design.derive import Design
from jump_lane.design.named import part_of
from jump_lane.equations.sheet import Line, Sheet
from jump_lane.judge.verdict import Verdict, at_most
from jump_lane.quantities.preferred import next_higher

CHARGE = "Mohan/Undeland/Robbins 2003, chapter 28: charge of the gate"

LINES = (
    Line("Q_g", "Q_s*(V_on - V_off)/V_s", "C", "gate charge at the driver's voltage", CHARGE),
    Line("I_av", "Q_g*f_s", "A", "average current of the driver", CHARGE),
    Line("P_g", "Q_g*(V_on - V_off)*f_s", "W", "loss of the gate drive, in driver and resistors", CHARGE),
    Line("I_on", "(V_on - V_off)/(R_on + R_i)", "A", "peak current that charges the gate", "Ohm's law"),
    Line("I_off", "(V_on - V_off)/(R_off + R_i)", "A", "peak current that discharges it", "Ohm's law"),
    Line(
        "P_d",
        "P_g/2*(R_on/(R_on + R_i) + R_off/(R_off + R_i))",
        "W",
        "part of it outside the switch",
        "resistances in series",
    ),
)

BOOTSTRAP = (
    Line(
        "C_b",
        "(Q_g + (I_q + I_l)*D_m/f_s)/dV_b",
        "F",
        "bootstrap capacitor",
        "charge taken while the switch is on",
    ),
    Line("V_g", "V_on - V_F - dV_b", "V", "least gate voltage out of it", "Kirchhoff's voltage law"),
    Line("I_F", "I_av + I_q + I_l", "A", "average current of the bootstrap diode", "charge balance"),
    Line("V_R", "V_i + V_on", "V", "what it blocks", "Kirchhoff's voltage law"),
)


@dataclass(frozen=True)
class Driven:
    """The gate drive of one switch.

    Attributes
    ----------
    missing
        Figures that the file does not have, with what is then left out.
    """

    name: str
    sheet: Sheet
    missing: tuple[str, ...]
    peak_rating: float | None
    largest: float | None

    def verdicts(self) -> Iterator[Verdict]:
        """Yield whether driver and gate are rated for it."""
        if self.peak_rating is not None and "I_on" in self.sheet:
            got = max(self.sheet["I_on"].worst, self.sheet["I_off"].worst)
            what = f"{self.name}: peak current of the driver"
            yield at_most(what, got, self.peak_rating, "A", "more gate resistance mends that")
        if self.largest is not None:
            got = max(self.sheet["V_on"].worst, -self.sheet["V_off"].worst)
            yield at_most(
                f"{self.name}: gate voltage", got, self.largest, "V", "a lower driver.voltage mends that"
            )


def gates(design: Design, on: Mapping[str, float], frequency: float) -> list[Driven]:
    """Return the gate drive of every switch with a part.

    Parameters
    ----------
    on
        Longest part of the period for which each switch is on, by element [1].
    frequency
        The highest at which it switches [Hz].
    """
    out = []
    for role in design.page.roles:
        part = part_of(design.spec, role.name, role.kind) if role.kind in ("switch", "rectifier") else None
        if isinstance(part, Mosfet | Igbt):
            longest = max((on[e] for e in role.elements if e in on), default=1.0)
            out.append(_driven(design, role.name, part, longest, frequency))
    return out


def _driven(design: Design, name: str, part: Mosfet | Igbt, longest: float, frequency: float) -> Driven:
    driver, gate, sheet = design.spec.driver, design.spec.gate, Sheet((1, 1))
    sheet.give("V_on", driver.voltage, "V", "gate voltage when on", "file", "driver.voltage")
    sheet.give("V_off", driver.off_voltage, "V", "gate voltage when off", "file", "driver.off_voltage")
    sheet.give(
        "R_on", driver.on_resistance, "Ω", "resistance that charges it", "file", "driver.on_resistance"
    )
    sheet.give(
        "R_off", driver.off_resistance, "Ω", "resistance that discharges it", "file", "driver.off_resistance"
    )
    sheet.give("R_i", part.gate_resistance or 0.0, "Ω", "resistance inside the switch", "part")
    sheet.give("f_s", frequency, "Hz", "highest switching frequency", "simulated")
    missing = []
    if part.gate_resistance is None:
        missing.append(f"{name}: gate_resistance is not known; peak currents are those without it")
    if part.gate_charge is None:
        missing.append(f"{name}: gate_charge is not known; charge, loss and bootstrap are left out")
        names = {"I_on", "I_off"}
    else:
        sheet.give("Q_s", part.gate_charge, "C", "gate charge of the data sheet", "part")
        sheet.give("V_s", part.gate_charge_voltage or driver.swing, "V", "gate voltage of it", "part")
        names = {line.symbol for line in LINES}
    for line in LINES:
        if line.symbol in names:
            sheet.derive(line)
    if part.gate_charge is not None:
        sheet.give("D_m", longest, "", "longest part of the period that it is on", "derived")
        sheet.give("I_q", gate.quiescent, "A", "current of a floating driver", "file", "gate.quiescent")
        sheet.give("I_l", gate.leakage, "A", "leakage", "file", "gate.leakage")
        sheet.give(
            "dV_b", gate.bootstrap_droop, "V", "what the capacitor may lose", "file", "gate.bootstrap_droop"
        )
        sheet.give(
            "V_F",
            gate.bootstrap_drop,
            "V",
            "forward voltage of the bootstrap diode",
            "file",
            "gate.bootstrap_drop",
        )
        sheet.give("V_i", max(design.inputs), "V", "highest input voltage", "file", "input.voltage")
        for line in BOOTSTRAP:
            sheet.derive(line)
        sheet.prefer("C_b", next_higher(sheet["C_b"].worst, "E6"))
    return Driven(name, sheet, tuple(missing), gate.peak_current, part.max_gate_voltage)
