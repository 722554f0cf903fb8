"""The divider that sets the output, with tolerances, what it takes and what it does to the loop."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from jump_lane.equations.divider import Pair, Spread, output, pair, spread
from jump_lane.equations.sheet import Line, Sheet
from jump_lane.errors import InputError
from jump_lane.judge.verdict import Verdict, at_most
from jump_lane.quantities import show
from jump_lane.spec import Spec
from jump_lane.spec.around import Divider
from jump_lane.spec.loop import Loop

NODE = "node equation at the input of the amplifier"


@dataclass(frozen=True)
class Setting:
    """A divider with what comes of it.

    Attributes
    ----------
    wanted
        Output that is asked [V].
    spread
        Output with tolerances [V].
    sheet
        Current, powers, gain, with their formulas.
    """

    asked: Divider
    wanted: float
    reference: float
    pair: Pair
    spread: Spread
    sheet: Sheet

    def verdicts(self) -> Iterator[Verdict]:
        """Yield whether each resistor is rated for what it takes."""
        advice = {"W": "larger resistors mend that", "V": "two in series mend that"}
        for name in ("R_1", "R_b"):
            for symbol, what, rating, unit in (
                (f"P_{name[2:]}", "power", self.asked.power, "W"),
                (f"V_{name[2:]}", "voltage", self.asked.voltage, "V"),
            ):
                if rating is not None:
                    yield at_most(f"{name}: {what}", self.sheet[symbol].worst, rating, unit, advice[unit])


LINES = (
    Line("I_d", "V_ref/R_b", "A", "current through the lower resistor", NODE),
    Line("P_1", "(V_o - V_ref)**2/R_1", "W", "power in the upper resistor", "Ohm's law"),
    Line("P_b", "V_ref**2/R_b", "W", "power in the lower resistor", "Ohm's law"),
    Line("V_1", "V_o - V_ref", "V", "voltage across the upper resistor", NODE),
    Line("V_b", "V_ref", "V", "voltage across the lower resistor", NODE),
    Line(
        "k_d",
        "R_b/(R_1 + R_b)",
        "",
        "part of the output that an amplifier without feedback to this node sees",
        NODE,
    ),
)


def usual_upper(spec: Spec) -> float:
    """Return the upper resistor of a divider where it says nothing of it [Ω]."""
    return (spec.control or Loop()).divider


def pair_of(asked: Divider, wanted: float, reference: float, upper: float) -> Pair:
    """Return the resistors that a divider asks for; with nothing said, from an upper one near `upper` [Ω].

    Raises
    ------
    InputError
        If the reference is not below the output.
    """
    if not reference < wanted:
        raise InputError(
            f"divider: the reference of {show(reference, 'V')} is not below the output of {show(wanted, 'V')}; expected a lower one"
        )
    return pair(wanted, reference, **asked.search(wanted, reference, upper))


def set_by(spec: Spec) -> Setting:
    """Return the divider that sets the first output.

    Raises
    ------
    InputError
        If that output has no voltage, or the reference is not below it.
    """
    wanted = spec.output[0].voltage
    if wanted is None:
        raise InputError(
            "divider: the output is a string of LEDs, whose current is held; expected an output with a voltage"
        )
    wanted = abs(wanted)
    asked = spec.output_divider
    reference = asked.reference
    found = pair_of(asked, wanted, reference, usual_upper(spec))
    figures: Mapping[str, tuple[float, float]] = {
        "V_ref": (reference, asked.reference_tolerance),
        "R_1": (found.upper.value, asked.tolerance),
        "R_b": (found.lower.value, asked.tolerance),
        "I_b": (0.5 * asked.bias, 1.0 if asked.bias else 0.0),
    }
    moved = spread(figures, lambda f: output(f["V_ref"], f["R_1"], f["R_b"], f["I_b"]))
    sheet = Sheet((1, 1))
    sheet.give("V_ref", reference, "V", "reference", "file", "control.reference")
    sheet.give("V_o", moved.nominal, "V", "output", "derived")
    sheet.give("R_1", found.upper.value, "Ω", "upper resistor", "chosen")
    sheet.give("R_b", found.lower.value, "Ω", "lower resistor", "chosen")
    for line in LINES:
        sheet.derive(line)
    return Setting(asked, wanted, reference, found, moved, sheet)
