"""Loops and runs over time of circuits of one's own."""

from __future__ import annotations

import os
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from jump_lane.errors import InputError
from jump_lane.library.compiling import ready
from jump_lane.library.converter import Quantity
from jump_lane.library.over_time import length_asked, periods_watched
from jump_lane.library.result import Result, Watch
from jump_lane.report.export import Columns
from jump_lane.report.table import View

if TYPE_CHECKING:
    from jump_lane.circuit.file import CircuitFile
    from jump_lane.control.margins import Margins
    from jump_lane.control.own import OwnRun


def _loaded(source: str | os.PathLike[str] | CircuitFile) -> CircuitFile:
    from jump_lane.circuit.file import CircuitFile, load

    return source if isinstance(source, CircuitFile) else load(Path(source))


@dataclass(frozen=True, repr=False)
class OwnTransient(Result):
    """A circuit of one's own over time."""

    run: OwnRun

    @property
    def complete(self) -> bool:
        """Whether it was not interrupted."""
        return self.run.complete

    def view(self) -> View:
        """Return extremes between events."""
        from jump_lane.report.own import own_view

        return own_view(self.run)

    def columns(self) -> Columns:
        """Return a row for each period: least value, average and largest value of each signal."""
        from jump_lane.report.own import own_columns

        return own_columns(self.run)

    def drawing(self) -> Any:
        """Return envelopes over time."""
        from jump_lane.report.own import own_figure

        return own_figure(self.run)


def circuit_transient(
    source: str | os.PathLike[str] | CircuitFile,
    *,
    signals: Sequence[str] = (),
    end: Quantity | None = None,
    from_rest: bool = False,
    name: str = "circuit",
    watch: Watch | None = None,
) -> OwnTransient:
    """Run a circuit of one's own over time, through the events of its file, under the control that it gives.

    Parameters
    ----------
    source
        A circuit file, or what is loaded of one.
    signals
        What to follow; by default currents of inductors and voltages of capacitors.
    end
        How long [s].
    from_rest
        Whether it starts with nothing charged, instead of in its steady state.
    name
        What to call it where it has no title.

    Raises
    ------
    InputError
        If an event cannot happen, nothing does, or there is no such signal.
    NoResultError
        If there is no steady state to start from, or the states grow beyond all bounds.
    """
    from jump_lane.control.journey import length_of_run, travelled
    from jump_lane.control.own import prepared

    loaded = _loaded(source)
    if not loaded.events and not from_rest and end is None:
        raise InputError(f"{name}: nothing happens; expected [[event]] tables, --from-rest or --end")
    ready()
    period = loaded.circuit.period
    last = max((e.at + e.over for e in loaded.events), default=0.0)
    length = length_asked(end, length_of_run(last, period))
    run, changes = prepared(loaded, tuple(signals), length, from_rest, name)
    coming = [c for c in changes if c.time < length]
    if not travelled(run.passage, coming, length, periods_watched(watch, length, period)):
        run = replace(run, complete=False)
    return OwnTransient(run)


@dataclass(frozen=True, repr=False)
class OwnLoop(Result):
    """Loop gain, margins and multipliers of a circuit of one's own; its response to the control where it has no loop."""

    title: str
    frequencies: NDArray[np.float64]
    gain: NDArray[np.complex128]
    margins: Margins | None
    outer: Margins | None
    multipliers: NDArray[np.complex128]
    words: str
    switching: float

    def view(self) -> View:
        """Return margins and multipliers."""
        from jump_lane.report.own import own_loop_view

        return own_loop_view(self.title, self.margins, self.outer, self.multipliers, self.switching)

    def columns(self) -> Columns:
        """Return the gain over frequency."""
        return {
            "frequency [Hz]": self.frequencies.tolist(),
            f"{self.words}, real [1]": self.gain.real.tolist(),
            f"{self.words}, imaginary [1]": self.gain.imag.tolist(),
        }

    def drawing(self) -> Any:
        """Return gain and phase over frequency."""
        from jump_lane.report.own import own_loop_figure

        return own_loop_figure(self.title, self.frequencies, self.gain, self.words)


def circuit_loop(
    source: str | os.PathLike[str] | CircuitFile, *, signal: str = "", to: str = "", name: str = "circuit"
) -> OwnLoop:
    """Return the loop of a circuit of one's own, or its response to the control variable or to a source.

    Parameters
    ----------
    source
        A circuit file, or what is loaded of one.
    signal
        Whose response is wanted; the loop gain is returned unless it is given.
    to
        The source that it answers; the control variable unless given.
    name
        What to call it where it has no title.

    Raises
    ------
    InputError
        If the file has no control and no signal is named, or there is no such signal or source.
    NoResultError
        If there is no steady state.
    """
    from jump_lane.control.own import closed
    from jump_lane.switching.response import CONTROL, Responses

    loaded = _loaded(source)
    if loaded.loop is None and not signal:
        raise InputError(f"{name}: no loop: expected [control], or --signal for a response in open loop")
    if to == CONTROL and loaded.loop is not None and loaded.loop.digital is None:
        raise InputError("--to: the loop sets the control; expected a source, or a file without [control]")
    ready()
    rows = {"signal": {signal: 1.0}} if signal else {}
    if loaded.loop is not None and loaded.loop.signal:
        rows["held"] = {loaded.loop.signal: 1.0}
    state = closed(loaded, rows, (to,) if to and to != CONTROL else ())
    responses = Responses(state)
    sampling = 1.0 / responses.period
    f = np.geomspace(1e-4, 0.499, 300) * sampling
    title = loaded.title or name
    if signal:
        gain = responses.analyser(to or CONTROL, ("signal",), f)["signal"]
        return OwnLoop(
            title, f, gain, None, None, responses.multipliers, f"{signal} by {to or 'the control'}", sampling
        )
    return _opened(title, loaded, responses, f)


def _opened(title: str, loaded: CircuitFile, responses: Any, f: NDArray[np.float64]) -> OwnLoop:
    from jump_lane.control.margins import margins
    from jump_lane.control.own import controller_of

    sampling = 1.0 / responses.period
    digital = controller_of(loaded, loaded.circuit.control)
    if digital is not None:
        from jump_lane.control.digital import Sampled

        loop = Sampled(digital.loop, digital.gains)
        found = margins(lambda at: loop.gain(responses, at), sampling)
        multipliers = loop.multipliers(responses)
        return OwnLoop(title, f, loop.gain(responses, f), found, None, multipliers, "loop gain", sampling)
    opened = responses.opened
    outer = margins(opened.outer_gain, sampling) if opened.command is not None else None
    found = margins(opened.loop_gain, sampling)
    return OwnLoop(title, f, opened.loop_gain(f), found, outer, responses.multipliers, "loop gain", sampling)
