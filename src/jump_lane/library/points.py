"""Results at one operating point: waveforms, what cursors read, spectra, losses; a circuit of one's own."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from jump_lane.design.derive import Design
from jump_lane.errors import InputError
from jump_lane.library.compiling import ready
from jump_lane.library.converter import Converter, Quantity, quantity, takes_converter
from jump_lane.library.result import Result
from jump_lane.quantities import TIME, show
from jump_lane.report.export import Columns
from jump_lane.report.table import View

if TYPE_CHECKING:
    from jump_lane.report.figures import Panel
    from jump_lane.report.waves import Shown
    from jump_lane.switching.record import Recording
    from jump_lane.switching.waveforms import Harmonic, Measures, Waveforms, Window

Array = NDArray[np.float64]

LONGEST = 1000
"""Periods that two cursors may span."""


@dataclass(frozen=True, repr=False)
class Simulation(Result):
    """The periodic steady state of one operating point.

    Attributes
    ----------
    title
        Which point of what this is.
    recording
        The period as the simulator has it.
    panels
        What a figure shows: title and signals of each panel; ``~`` behind a signal is without its average.
    coils
        Inductors whose voltage and current the table of intervals shows.
    control
        Duty ratio, shift or whatever holds the output; None where nothing is controlled.
    """

    title: str
    recording: Recording
    panels: tuple[tuple[str, tuple[str, ...]], ...]
    coils: tuple[str, ...] = ()
    control: float | None = None
    changes: tuple[Any, ...] = ()
    design: Design | None = None

    def settings(self) -> dict[str, Any]:
        """Return what sets the operating point, for other programs: voltages [V], instants of every gate [s], parts.

        Raises
        ------
        InputError
            If it is not that of a converter file.
        """
        from jump_lane.report.settings import settings

        if self.design is None or self.control is None:
            raise InputError("--settings: a circuit file says itself what is set; expected a converter file")
        return settings(self.design, self.control, self.recording)

    def plane(self, across: str, up: str) -> Any:
        """Return one signal drawn over another, through one period."""
        from jump_lane.report.figures import plane_figure

        return plane_figure(self.title, self._seen((across, up)), across, up)

    @property
    def period(self) -> float:
        """Length of the period [s]."""
        return self.recording.period

    @property
    def names(self) -> list[str]:
        """Names of all signals: ``L.i`` (current [A]), ``S1.v`` (voltage [V]), ``S1.gate``, ``@node`` (potential [V])."""
        return list(self.recording.names)

    def waveforms(self, signals: Sequence[str] = ()) -> Mapping[str, Array]:
        """Return signals over one period as arrays, and their instants under ``time`` [s].

        Parameters
        ----------
        signals
            Names; all of them by default.

        Returns
        -------
        mapping
            (m,) each; a jump has two samples at one instant.

        Raises
        ------
        InputError
            If there is no such signal.
        """
        seen = self._seen(tuple(signals or self.names))
        return {"time": seen.time, **seen.signals}

    def measures(self, signal: str) -> Measures:
        """Return average, rms, extremes and ripple of a signal over one period, exact."""
        self.recording.index(signal)
        return self.recording.measures(signal)

    def between(self, signal: str, start: Quantity, end: Quantity) -> Window:
        """Return what two cursors [s] read off a signal: values, slope, average, rms, integral."""
        from jump_lane.switching.waveforms import window

        self.recording.index(signal)
        return window(self.recording.samples_between(signal, *self.cursors(start, end)))

    def cursors(self, start: Quantity | None, end: Quantity | None) -> tuple[float, float]:
        """Return two cursors [s]: by default the start of the period, and a period later.

        Raises
        ------
        InputError
            If they are not in order, or too far apart.
        """
        first = quantity(start, TIME, "--from") or 0.0
        last = quantity(end, TIME, "--to")
        found = (first, first + self.period if last is None else last)
        if not 0.0 <= found[0] < found[1]:
            raise InputError(
                f"--from {show(found[0], 's')} --to {show(found[1], 's')}: expected 0 ≤ from < to"
            )
        if found[1] > LONGEST * self.period:
            raise InputError(
                f"--to {show(found[1], 's')}: expected {LONGEST} periods ({show(LONGEST * self.period, 's')}) at most"
            )
        return found

    def spectrum(self, signal: str, highest: int = 40) -> list[Harmonic]:
        """Return the harmonics 0 to `highest` of a signal: frequency [Hz], amplitude (peak), phase [°]."""
        from jump_lane.switching.waveforms import harmonics

        self.recording.index(signal)
        return harmonics(self.recording.samples_between(signal, 0.0, self.period), self.period, highest)

    def _seen(self, signals: tuple[str, ...]) -> Waveforms:
        for name in signals:
            self.recording.index(name)
        return self.recording.waveforms(signals)

    def window(
        self,
        signals: Sequence[str] = (),
        periods: int = 2,
        start: Quantity | None = None,
        end: Quantity | None = None,
    ) -> Shown:
        """Return what a figure shows: panels, and their waveforms in a window [s]."""
        from jump_lane.report.figures import source_of
        from jump_lane.report.waves import Shown, windowed

        panels = self._panels(signals)
        names = tuple(dict.fromkeys(source_of(s) for p in panels for s in p.signals))
        seen = self._seen(names).repeated(periods)
        span = (quantity(start, TIME, "--from"), quantity(end, TIME, "--to"))
        return Shown(panels, windowed(seen, span), {name: self.recording.measures(name) for name in names})

    def _panels(self, signals: Sequence[str]) -> tuple[Panel, ...]:
        from jump_lane.report.figures import Panel, source_of

        for name in signals:
            self.recording.index(name.rstrip("~="))
        wanted = [(s, (s,)) for s in signals] or self.panels
        known = set(self.recording.names)
        found = (Panel(title, tuple(s for s in names if source_of(s) in known)) for title, names in wanted)
        return tuple(p for p in found if p.signals)

    def view(self, shown: Shown | None = None) -> View:
        """Return measures and the intervals of the period."""
        from jump_lane.report.waves import waves_view

        found = (shown or self.window()).measures
        return replace(waves_view(self.title, self.recording, found, self.coils), changes=self.changes)

    def columns(self) -> Columns:
        """Return the samples of all signals over one period; a jump has two rows at one instant."""
        from jump_lane.report.waves import sample_columns

        return sample_columns(self._seen(tuple(self.names)))

    def drawing(self, shown: Shown | None = None) -> Any:
        """Return the usual signals over two periods, with their measures."""
        from jump_lane.report.figures import waves_figure

        seen = shown or self.window()
        return waves_figure(self.title, seen.panels, seen.waveforms, seen.measures)


@takes_converter
def simulate(
    converter: Converter,
    *,
    input_voltage: Quantity | None = None,
    load: Quantity | None = None,
    control: Quantity | None = None,
) -> Simulation:
    """Return the steady state of one operating point, with the output held or at a fixed control.

    Parameters
    ----------
    input_voltage, load
        Operating point [V], [A]; by default nominal input and full load.
    control
        Duty ratio, shift or whatever the topology is controlled by; None lets it hold the output.

    Raises
    ------
    InputError
        If a quantity is wrong.
    NoResultError
        If there is no such state, or its balances do not close.
    """
    from jump_lane.operating.point import solve

    design = converter.at(input_voltage, load)
    fixed = None if control is None else design.control.read(str(control), "--control")
    ready()
    state, recording = solve(design, control=fixed)
    return Simulation(
        point_title(design, state.control), recording, tuple(design.page.figure), design.inductors, state.control,
        converter.changes, design,
    )  # fmt: skip


def settings_text(path: Path, simulation: Simulation) -> str:
    """Return what sets an operating point as the content of a file (.json, .toml, .csv)."""
    from jump_lane.report.settings import as_text

    return as_text(path, simulation.settings())


def point_title(design: Design, control: float) -> str:
    """Return in words which operating point this is, the load as the file has it."""
    name = design.title
    symbol = design.page.control.symbol
    return (
        f"{name}: {show(design.inputs[0], 'V')} in, {load_words(design)}, "
        f"{symbol} = {design.page.control.shown(control, 1.0 / design.spec.switching.frequency)}"
    )


def load_words(design: Design) -> str:
    """Return the load of the first output: a current where it is held, else what the file gives, a resistance too."""
    output, current = design.spec.output[0], design.loads[0]
    voltage = abs(output.voltages_at((current,))[0])
    if output.leds is None and output.resistance is not None and current > 0.0:
        return f"{show(voltage / current, 'Ω')} load"
    if output.leds is None and output.power is not None:
        return f"{show(voltage * current, 'W')} load"
    return f"{show(current, 'A')} load"


@dataclass(frozen=True, repr=False)
class Read(Result):
    """What two cursors read off some signals."""

    simulation: Simulation
    signals: tuple[str, ...]
    cursors: tuple[float, float]

    def view(self) -> View:
        """Return values, slope, average, rms, ripple and charge of each signal."""
        from jump_lane.report.measure import measure_view

        found = measure_view(
            self.simulation.title, self.simulation.recording, list(self.signals), self.cursors
        )
        return replace(found, changes=self.simulation.changes)

    def columns(self) -> Columns:
        """Return a row for each signal."""
        from jump_lane.report.measure import measure_columns

        return measure_columns(self.simulation.recording, list(self.signals), self.cursors)


@dataclass(frozen=True, repr=False)
class Spectrum(Result):
    """Harmonics of some signals."""

    simulation: Simulation
    spectra: dict[str, list[Harmonic]]
    decibel: bool = False

    def view(self) -> View:
        """Return frequency, amplitude and phase of every harmonic."""
        from jump_lane.report.measure import spectrum_view

        return replace(
            spectrum_view(self.simulation.title, self.spectra, self.decibel), changes=self.simulation.changes
        )

    def columns(self) -> Columns:
        """Return a row for each harmonic of each signal."""
        rows = [(name, h) for name, found in self.spectra.items() for h in found]
        return {
            "signal": [name for name, _ in rows],
            "harmonic": [h.order for _, h in rows],
            "frequency [Hz]": [h.frequency for _, h in rows],
            "amplitude": [h.amplitude for _, h in rows],
            "phase [°]": [h.phase for _, h in rows],
        }

    def drawing(self) -> Any:
        """Return the harmonics as lines over frequency."""
        from jump_lane.report.figures import spectrum_figure

        return spectrum_figure(self.simulation.title, self.spectra, self.decibel)


def measure(
    simulation: Simulation,
    signals: Sequence[str] = (),
    start: Quantity | None = None,
    end: Quantity | None = None,
) -> Read:
    """Read signals between two cursors.

    Parameters
    ----------
    signals
        Names; by default the currents of the inductors and the output voltage.
    start, end
        Cursors [s]; by default one period.
    """
    names = _named(simulation, signals)
    return Read(simulation, names, simulation.cursors(start, end))


def spectrum(
    simulation: Simulation, signals: Sequence[str] = (), highest: int = 40, decibel: bool = False
) -> Spectrum:
    """Return the harmonics of signals, amplitudes as they are or in decibels above one microunit."""
    names = _named(simulation, signals)
    return Spectrum(simulation, {name: simulation.spectrum(name, highest) for name in names}, decibel)


def _named(simulation: Simulation, signals: Sequence[str]) -> tuple[str, ...]:
    names = tuple(signals) or (*(f"{name}.i" for name in simulation.coils), "load.v")
    for name in names:
        simulation.recording.index(name)
    return names
