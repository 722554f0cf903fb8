"""A converter under its loop: its output is where reference and divider hold it, not where it was asked to be."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from jump_lane.errors import InputError
from jump_lane.library.compiling import ready
from jump_lane.library.converter import Converter, takes_converter
from jump_lane.quantities import exact

if TYPE_CHECKING:
    from jump_lane.control.design import LoopDesign

LEAST = 1e-6
"""Tolerances below this part of the output are none."""


@dataclass(frozen=True)
class UnderLoop:
    """A converter whose output is what its loop holds, and that loop.

    Attributes
    ----------
    converter
        The converter with the same components, its output at the average that is held, and over the range that the tolerances
        of reference and divider leave.
    loop
        The loop, proven at every corner.
    """

    converter: Converter
    loop: LoopDesign


@takes_converter
def under_loop(converter: Converter) -> UnderLoop:
    """Close the loop of a converter's file and take what it holds for the output that is asked.

    Returns
    -------
    UnderLoop
        Every function that takes a converter takes its `converter`.

    Raises
    ------
    InputError
        If the file has no loop, or one that holds a current.
    NoResultError
        If the loop holds nothing at nominal input and full load.
    """
    from jump_lane.control.design import design_loop
    from jump_lane.control.verdicts import accuracy
    from jump_lane.errors import NoResultError

    ready()
    found = design_loop(converter.design)
    if found.nominal.string:
        raise InputError(
            "closed loop: the output is a string of LEDs, whose current the loop holds; expected an output with a voltage"
        )
    if found.middle is None:
        raise NoResultError(f"closed loop: no result at {found.nominal.words}")
    average, part = accuracy(found)
    wide = part > LEAST and converter.spec.output[0].voltage_range is None
    span = sorted(average * (1.0 + sign * part) for sign in (-1.0, 1.0)) if wide else []
    return UnderLoop(held_at(converter, average, span), found)


def held_at(converter: Converter, voltage: float, span: Sequence[float] = ()) -> Converter:
    """Return a converter whose output is somewhere else, all components as they are.

    Parameters
    ----------
    voltage
        Of the first output [V].
    span
        From where to where it may be set besides [V].
    """
    design = converter.design
    settings = {s: exact(v, design.sheet[s].unit) for s, v in design.components().items()}
    settings["output.voltage"] = exact(voltage, "V")
    if span:
        settings["output.voltage_range"] = "..".join(exact(v, "V") for v in span)
    held = converter.set(settings)
    told = tuple(c for c in held.changes[len(converter.changes) :] if c.key.startswith("output."))
    return replace(held, changes=(*converter.changes, *told))
