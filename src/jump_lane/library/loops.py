"""Loops and runs over time."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from typing import TYPE_CHECKING, Any

from jump_lane.errors import InputError
from jump_lane.library.compiling import ready
from jump_lane.library.converter import Converter, Quantity, quantity, takes_converter
from jump_lane.library.over_time import length_asked, periods_watched
from jump_lane.library.result import Result, Watch
from jump_lane.quantities import RATIO
from jump_lane.quantities import exact as quantity_text
from jump_lane.report.export import Columns
from jump_lane.report.table import View

if TYPE_CHECKING:
    from jump_lane.control.design import LoopDesign
    from jump_lane.control.journey import Journey
    from jump_lane.control.least import Least
    from jump_lane.control.surroundings import Answers

CAPACITOR = "C_o"
"""The output capacitor."""

POINTS = 200
"""Frequencies of a table or a figure."""


@dataclass(frozen=True, repr=False)
class LoopResult(Result):
    """A loop with its values, proven at every corner."""

    converter: Converter
    found: LoopDesign

    def view(self) -> View:
        """Return values, the loop at every corner, verdicts, poles and zeros of the power stage."""
        from jump_lane.control.poles import poles_of
        from jump_lane.report.loop import loop_view

        asked = self.found.loop.loop.deviation is not None
        step = self._step if asked else None
        view = loop_view(self.found, self.converter.name, poles_of(self.found), step)
        return replace(view, changes=self.converter.changes)

    def columns(self) -> Columns:
        """Return gain and phase over frequency at nominal input and full load."""
        import numpy as np

        from jump_lane.control.loops import close
        from jump_lane.report.loop import loop_columns

        stage = self.found.nominal
        f = np.geomspace(1e-4, 0.499, POINTS) / stage.circuit.period
        return loop_columns(self.found, close(self.found.loop, stage), f)

    def drawing(self) -> Any:
        """Return gain and phase, Nyquist plot, multipliers and a load step."""
        from jump_lane.control.loops import close
        from jump_lane.report.loop_figure import loop_figure

        closed = close(self.found.loop, self.found.nominal)
        return loop_figure(self.found, closed, self._step)

    @cached_property
    def _step(self) -> Journey | None:
        """A load step and back, at the worst instant of the period."""
        from jump_lane.control.journey import load_step

        return load_step(self.found)


@takes_converter
def loop(converter: Converter, *, exact: bool = False, tolerance: bool = False) -> LoopResult:
    """Design the loop that the file asks for and prove it at every corner.

    Parameters
    ----------
    exact
        Whether components keep their derived values; else resistors are of E96, capacitors of E24.
    tolerance
        Whether the loop is proven besides with every part off by its tolerance, at the corners where it is worst.

    Returns
    -------
    LoopResult
        Crossover [Hz], margins [°, dB] and multipliers at every corner, exact.

    Raises
    ------
    InputError
        If the file has no loop, or asks for what no loop can have.
    NoResultError
        If the power stage has no steady state at nominal input and full load.
    """
    from jump_lane.control.design import design_loop

    ready()
    found = design_loop(converter.design, not exact)
    if tolerance:
        from jump_lane.control.tolerances import at_tolerances

        found = at_tolerances(found)
    return LoopResult(converter, found)


@dataclass(frozen=True, repr=False)
class LeastResult(Result):
    """The least output capacitance for a load step."""

    converter: Converter
    found: Least

    def view(self) -> View:
        """Return closed forms, the exact value, and what was tried."""
        from jump_lane.report.least import least_view

        return replace(least_view(self.found, self.converter.name), changes=self.converter.changes)

    def columns(self) -> Columns:
        """Return a row for each capacitance that was tried."""
        from jump_lane.report.least import least_columns

        return least_columns(self.found)


@takes_converter
def least_capacitor(converter: Converter, *, exact: bool = False, watch: Watch | None = None) -> LeastResult:
    """Return the least output capacitance with which the load step that the file asks stays within its deviation.

    Returns
    -------
    LeastResult
        By closed forms with their sources, and exactly [F].

    Raises
    ------
    InputError
        If the file asks no deviation, or there is no output capacitor.
    NoResultError
        If the loop has no result with the capacitor of the file.
    """
    from jump_lane.control.design import design_loop
    from jump_lane.control.least import least_capacitance

    ready()
    asked = None if converter.spec.control is None else converter.spec.control.deviation
    if asked is None:
        raise InputError(
            'control.deviation: expected, such as deviation = "200 mV": what the load step may do'
        )
    now = converter.design.components().get(CAPACITOR)
    if now is None:
        raise InputError(f"{converter.design.page.name} has no output capacitor {CAPACITOR}")

    def design(value: float) -> LoopDesign:
        return design_loop(converter.set({CAPACITOR: quantity_text(value, "F")}).design, not exact)

    return LeastResult(converter, least_capacitance(asked, now, design, watch))


@dataclass(frozen=True, repr=False)
class ResponseResult(Result):
    """What source and load see of a converter."""

    converter: Converter
    found: Answers

    def view(self) -> View:
        """Return every response at some frequencies."""
        from jump_lane.report.responses import answers_view

        every = max(len(self.found.frequencies) // 12, 1)
        few = replace(
            self.found,
            frequencies=self.found.frequencies[::every],
            values={n: v[::every] for n, v in self.found.values.items()},
        )
        return replace(answers_view(few), changes=self.converter.changes)

    def columns(self) -> Columns:
        """Return every response over frequency."""
        from jump_lane.report.responses import answers_columns

        return answers_columns(self.found)

    def drawing(self) -> Any:
        """Return the responses over frequency."""
        from jump_lane.report.responses import answers_figure

        return answers_figure(self.found, self.converter.design.title)


@takes_converter
def responses(
    converter: Converter, *, input_voltage: Quantity | None = None, load: Quantity | None = None
) -> ResponseResult:
    """Return control, line and load responses, in open loop and, where the file has an analogue one, in closed loop.

    Parameters
    ----------
    input_voltage, load
        Operating point: input voltage [V] and load current [A]; nominal input and full load unless given.

    Returns
    -------
    ResponseResult
        Complex responses over frequency [Hz], exact.

    Raises
    ------
    InputError
        If the file asks for a loop that cannot be.
    NoResultError
        If there is no steady state at the operating point.
    """
    import numpy as np

    from jump_lane.control.design import design_loop
    from jump_lane.control.stage import Stage
    from jump_lane.control.surroundings import answers

    ready()
    stage = Stage(converter.at(input_voltage, load))
    made = None if converter.spec.control is None else design_loop(converter.design).loop
    f = np.geomspace(1e-4, 0.49, POINTS) / stage.circuit.period
    return ResponseResult(converter, answers(stage, made, f))


@dataclass(frozen=True, repr=False)
class TransientResult(Result):
    """A converter over time."""

    converter: Converter
    journey: Journey

    @property
    def complete(self) -> bool:
        """Whether it was not interrupted."""
        return self.journey.complete

    @cached_property
    def _view(self) -> View:
        from jump_lane.report.transient import transient_view

        return transient_view(self.journey)

    def view(self) -> View:
        """Return what the output does at each event, strains of components, modes on the way, verdicts."""
        return replace(self._view, changes=self.converter.changes)

    def columns(self) -> Columns:
        """Return least value, average and largest value of every signal in every period."""
        from jump_lane.report.transient import transient_columns

        return transient_columns(self.journey)

    def drawing(self) -> Any:
        """Return envelopes, and every edge about the events."""
        from jump_lane.report.transient import transient_figure

        return transient_figure(self.journey)


@takes_converter
def transient(
    converter: Converter,
    *,
    end: Quantity | None = None,
    from_rest: bool = False,
    open_loop: bool = False,
    input_voltage: Quantity | None = None,
    load: Quantity | None = None,
    band: Quantity = "2 %",
    watch: Watch | None = None,
) -> TransientResult:
    """Run a converter over time, through the events of its file.

    Parameters
    ----------
    end
        How long [s]; by default until some time after the last event.
    from_rest
        Whether it starts with nothing charged, instead of in its steady state.
    open_loop
        Whether the control stays what it is, though the file has a loop.
    input_voltage, load
        What it starts at; nominal input and full load unless given.
    band
        Part of the output in which it counts as settled.

    Returns
    -------
    TransientResult
        Deviations [V], settling times [s], strains [V, A].

    Raises
    ------
    InputError
        If an event cannot happen, or nothing does.
    NoResultError
        If there is no steady state to start from, or the states grow beyond all bounds.
    """
    from jump_lane.control.design import design_loop
    from jump_lane.control.journey import go, prepare, span_of
    from jump_lane.control.stage import Stage

    ready()
    spec = converter.spec
    if not spec.event and not from_rest:
        raise InputError(
            f'{converter.name}: nothing happens; expected [[event]] tables, such as\n[[event]]\nat = "1 ms"\nload = "0.5 A"\n'
            "or --from-rest"
        )
    stage = Stage(converter.at(input_voltage, load))
    made = None if spec.control is None or open_loop else design_loop(converter.design).loop
    part = quantity(band, RATIO, "band")
    assert part is not None
    if not 0.0 < part < 1.0:
        raise InputError(f"band: {part:g}; expected a part of the output, such as 2 %")
    length = length_asked(end, span_of(stage, spec, from_rest))
    journey = prepare(stage, made, spec.event, length, from_rest, part)
    return TransientResult(converter, go(journey, periods_watched(watch, length, stage.circuit.period)))
