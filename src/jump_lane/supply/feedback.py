"""Feedback across an isolation barrier: bias of the shunt reference, transfer ratio at its worst, what the diode has to carry.

V_o ──R_d──▷|──┬── cathode of the shunt reference          V_cc ──R_p──┬── command
      └──R_k───┘                                                       └─ transistor of the optocoupler
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from jump_lane.equations.sheet import Line, Sheet
from jump_lane.judge.verdict import Verdict, at_least
from jump_lane.quantities import show
from jump_lane.spec.loop import Amplifier

NODES = "node equations of the network"

LINES = (
    Line(
        "I_p", "V_cc/R_p", "A", "current that the transistor has to take to pull the command to zero", NODES
    ),
    Line("I_Fm", "I_p/r_lo", "A", "current of the diode for it, with the least transfer ratio", NODES),
    Line("V_k", "V_h - V_F - R_d*(I_Fm + V_F/R_k)", "V", "cathode of the shunt reference then", NODES),
    Line(
        "R_dm",
        "(V_h - V_F - V_ref)/(I_Fm + V_F/R_k)",
        "Ω",
        "largest R_d that leaves it at its reference",
        NODES,
    ),
    Line("I_k", "V_F/R_k", "A", "bias of the shunt reference with no current in the diode", NODES),
    Line(
        "I_Fl",
        "(V_cc - V_cl)/(R_p*r_hi)",
        "A",
        "least current of the diode, at the highest command and transfer ratio",
        NODES,
    ),
    Line("a_c", "r_hi/r_lo", "", "range of the loop's gain by the transfer ratio", NODES),
)


@dataclass(frozen=True)
class Barrier:
    """The network across the barrier with the values it has."""

    asked: Amplifier
    sheet: Sheet

    def verdicts(self) -> Iterator[Verdict]:
        """Yield whether the diode can be driven far enough, and the reference has its bias."""
        most = show(self.sheet["R_dm"].worst, "Ω")
        yield at_least(
            "dynamic range: cathode with the command at zero, least transfer ratio", self.sheet["V_k"].worst, self.sheet["V_ref"].worst, "V",
            f"R_d of at most {most}, a larger pull-up or a better transfer ratio mends that",
        )  # fmt: skip
        yield at_least(
            "bias of the shunt reference",
            self.sheet["I_k"].worst,
            self.asked.bias,
            "A",
            "a smaller R_k mends that",
        )


def barrier(asked: Amplifier, values: Mapping[str, float], target: float, highest: float) -> Barrier:
    """Return what the network across the barrier does.

    Parameters
    ----------
    values
        Components of the network by symbol [Ω].
    target
        Output that is held [V].
    highest
        Highest command in operation [V].
    """
    sheet = Sheet((1, 1))
    for symbol, value, unit, meaning, key in (
        ("V_cc", asked.supply, "V", "supply of the pull-up resistor", "supply"),
        ("R_p", asked.pull_up, "Ω", "pull-up resistor", "pull_up"),
        ("V_F", asked.forward_voltage, "V", "forward voltage of the diode", "forward_voltage"),
        ("r_lo", asked.transfer * (1.0 - asked.spread), "", "least transfer ratio", "transfer"),
        ("r_hi", asked.transfer * (1.0 + asked.spread), "", "largest transfer ratio", "transfer"),
    ):
        sheet.give(symbol, value, unit, meaning, "file", f"control.amplifier.{key}")
    sheet.give("V_h", target, "V", "output that is held", "file", "output.voltage")
    sheet.give("V_ref", values["V_ref"], "V", "reference", "file", "control.reference")
    sheet.give("R_d", values["R_d"], "Ω", "resistor of the diode", "derived")
    sheet.give(
        "R_k",
        values.get("R_k", asked.forward_voltage / max(asked.bias, 1e-9)),
        "Ω",
        "resistor beside it",
        "derived",
    )
    sheet.give("V_cl", highest, "V", "highest command in operation", "derived")
    for line in LINES:
        sheet.derive(line)
    return Barrier(asked, sheet)
