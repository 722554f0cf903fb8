"""What source and load see of a converter: line response, output and input impedance, in open and closed loop."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from jump_lane.control.analogue import Analogue
from jump_lane.control.loops import AnyLoop, close
from jump_lane.control.stage import DISTURBANCE, SOURCE, Complex, Stage
from jump_lane.quantities import show
from jump_lane.switching.response import CONTROL, Responses


@dataclass(frozen=True)
class Answers:
    """Responses over frequency [Hz], by name, with their units."""

    words: str
    frequencies: NDArray[np.float64]
    values: dict[str, Complex]
    units: dict[str, str]

    @property
    def names(self) -> tuple[str, ...]:
        """Their names, in order."""
        return tuple(self.values)

    @property
    def worst(self) -> str:
        """The largest output impedance, closed if there is a loop, and where."""
        name = next(
            (n for n in ("output impedance, closed", "output impedance, open") if n in self.values), ""
        )
        if not name:
            return "not known"
        size = np.abs(self.values[name])
        k = int(size.argmax())
        return f"{show(float(size[k]), 'Ω')} at {show(float(self.frequencies[k]), 'Hz')} ({name.split(', ')[1]} loop)"


def answers(stage: Stage, loop: AnyLoop | None, frequencies: NDArray[np.float64]) -> Answers:
    """Return the responses of a stage; those in closed loop where it has an analogue one.

    A digital loop acts on samples only: what an analyser sees of it is not worked out; its loop gain is.
    """
    values: dict[str, Complex] = {}
    units: dict[str, str] = {}
    unit = "A" if stage.string else "V"
    if stage.design.page.span is None:
        found = stage.responses.analyser(CONTROL, ("held", *stage.inductors[:1]), frequencies)
        values["control to output"], units["control to output"] = found["held"], unit
        for name in stage.inductors[:1]:
            values[f"control to {name}"], units[f"control to {name}"] = found[name], "A"
    sets: list[tuple[str, Responses]] = [("open", stage.responses)]
    if isinstance(loop, Analogue):
        sets.append(("closed", close(loop, stage).responses))
    for words, responses in sets:
        if SOURCE in stage.inputs:
            line = responses.analyser(SOURCE, ("held", "input"), frequencies)
            # the source stands upside down: more of it is less input voltage
            values[f"line to output, {words}"], units[f"line to output, {words}"] = -line["held"], ""
            values[f"input impedance, {words}"], units[f"input impedance, {words}"] = (
                -1.0 / line["input"],
                "Ω",
            )
        drawn = responses.analyser(DISTURBANCE, ("output",), frequencies)
        values[f"output impedance, {words}"], units[f"output impedance, {words}"] = -drawn["output"], "Ω"
    return Answers(stage.words, frequencies, values, units)
