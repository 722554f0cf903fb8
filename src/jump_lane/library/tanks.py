"""What frequency and angles do to a converter: the gain of its tank, maps over two angles."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

from jump_lane.library.compiling import ready
from jump_lane.library.converter import Converter, takes_converter
from jump_lane.library.result import Result, Watch, gather
from jump_lane.report.export import Columns
from jump_lane.report.table import View

if TYPE_CHECKING:
    from jump_lane.study.angles import AngleWork, Spot, Turn, Working
    from jump_lane.study.gain import GainWork, Held, Place


@dataclass(frozen=True, repr=False)
class GainMap(Result):
    """The exact gain of a resonant converter over frequency, for several loads."""

    converter: Converter
    work: GainWork
    places: list[Place]
    corners: list[Held]
    complete: bool

    def view(self) -> View:
        """Return peaks, corners, and what remains beyond the loads asked."""
        from jump_lane.report.gain import gain_view

        found = gain_view(self.work, self.places, self.corners, self.complete)
        return replace(found, changes=self.converter.changes)

    def columns(self) -> Columns:
        """Return a row for each state: load, frequency, exact gain, first harmonic, reserve to the capacitive side."""
        from jump_lane.report.gain import gain_columns

        return gain_columns(self.places)

    def drawing(self) -> Any:
        """Return the gain over frequency, corners marked."""
        from jump_lane.report.gain import gain_figure

        return gain_figure(self.work, self.places, self.corners)


@takes_converter
def gain(
    converter: Converter,
    *,
    frequencies: int = 40,
    loads: int = 8,
    processes: int = 1,
    watch: Watch | None = None,
) -> GainMap:
    """Map the exact gain of a resonant converter over frequency and load, and hold the output at every corner.

    Parameters
    ----------
    frequencies, loads
        How many of each.

    Returns
    -------
    GainMap
        Gains [1] over frequencies [Hz]; those of the first harmonic beside them.

    Raises
    ------
    InputError
        If the converter is not controlled by frequency.
    """
    from jump_lane.study import gain as study

    work = study.work(converter.design, frequencies, loads)
    ready()
    got = gather(study.run(work, processes), work.count, watch)
    return GainMap(converter, work, got.rows, list(study.corners(converter.design)), got.complete)


@dataclass(frozen=True, repr=False)
class AngleMap(Result):
    """Power, rms current and soft switching of two bridges over two angles, exact."""

    converter: Converter
    work: AngleWork
    spots: list[Spot]
    points: list[Working]
    turns: list[Turn]
    complete: bool

    def view(self) -> View:
        """Return the operating points with the angles that hold the output, as usual and with the least rms current, and how
        every switch turns on."""
        from jump_lane.report.angles import angles_view

        found = angles_view(self.work, self.spots, self.points, self.turns, self.complete)
        return replace(found, changes=self.converter.changes)

    def columns(self) -> Columns:
        """Return a row for each state: both angles, power, rms current, switches that are soft."""
        from jump_lane.report.angles import angles_columns

        return angles_columns(self.work, self.spots)

    def drawing(self) -> Any:
        """Return three maps side by side, operating points marked."""
        from jump_lane.report.angles import angles_figure
        from jump_lane.study.angles import path

        first = self.points[0]
        paths = [path(self.converter.design, first, p) for p in self.points[1:]]
        return angles_figure(self.work, self.spots, self.points, paths)


@takes_converter
def angles(
    converter: Converter,
    *,
    across: str = "phi",
    up: str = "t1",
    points: int = 40,
    processes: int = 1,
    watch: Watch | None = None,
) -> AngleMap:
    """Map what two bridges do over two of their angles, both sides held at their voltages.

    Parameters
    ----------
    across, up
        Symbols of the angles.
    points
        Values of each.

    Returns
    -------
    AngleMap
        Power [W], rms current of the leading switch [A], soft switches, over angles in parts of the period.

    Raises
    ------
    InputError
        If the converter has no such angles.
    """
    from jump_lane.study import angles as study

    work = study.work(converter.design, across, up, points)
    ready()
    got = gather(study.run(work, processes), work.count, watch)
    marked = list(study.working(converter.design))
    return AngleMap(converter, work, got.rows, marked, study.turns(converter.design), got.complete)
