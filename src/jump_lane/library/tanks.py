"""What frequency, angles and size do to a converter: the gain of its tank, maps over two angles, the same one scaled."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

from jump_lane.library.compiling import ready
from jump_lane.library.converter import Converter, Quantity, takes_converter
from jump_lane.library.result import Result, Watch, gather
from jump_lane.report.export import Columns
from jump_lane.report.table import View

if TYPE_CHECKING:
    from jump_lane.study.angles import AngleWork, Spot, Working
    from jump_lane.study.gain import GainWork, Held, Place
    from jump_lane.study.scale import Factors, Proven


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
    complete: bool

    def view(self) -> View:
        """Return the operating points with the angles that hold the output, as usual and with the least rms current."""
        from jump_lane.report.angles import angles_view

        found = angles_view(self.work, self.spots, self.points, self.complete)
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
    return AngleMap(converter, work, got.rows, list(study.working(converter.design)), got.complete)


@dataclass(frozen=True, repr=False)
class Scaled(Result):
    """A converter scaled to another voltage, power and frequency, and the proof that its waveforms keep their shape."""

    converter: Converter
    scaled: Converter
    text: str
    factors: Factors
    proof: list[Proven]

    def view(self) -> View:
        """Return base quantities, scaling factors and parts."""
        from jump_lane.report.scale import scale_view

        found = scale_view(self.converter.design, self.scaled.design, self.factors, self.proof)
        return replace(found, changes=self.converter.changes)

    def columns(self) -> Columns:
        """Return a row for each normalised measure, before and after."""
        return {
            "measure": [p.name for p in self.proof],
            "before [1]": [p.before for p in self.proof],
            "after [1]": [p.after for p in self.proof],
        }


@takes_converter
def scale(
    converter: Converter,
    *,
    voltage: Quantity | None = None,
    power: Quantity | None = None,
    frequency: Quantity | None = None,
) -> Scaled:
    """Scale a converter, so that it is the same in units of its bases, and simulate both.

    Parameters
    ----------
    voltage, power, frequency
        Nominal input voltage [V], full power [W] and frequency [Hz] wanted; what is not given stays.

    Returns
    -------
    Scaled
        ``text`` is the scaled converter file.

    Raises
    ------
    InputError
        If a quantity is not positive.
    NoResultError
        If one of both has no steady state.
    """
    import tomlkit

    from jump_lane.errors import InputError
    from jump_lane.library.converter import load, quantity
    from jump_lane.quantities import FREQUENCY, POWER, VOLTAGE
    from jump_lane.study import scale as study

    design = converter.design
    bases = study.Bases.of(design)
    wanted = {}
    for name, given, dimension in (
        ("voltage", voltage, VOLTAGE),
        ("power", power, POWER),
        ("frequency", frequency, FREQUENCY),
    ):
        found = quantity(given, dimension, f"--{name}")
        if found is not None and found <= 0.0:
            raise InputError(f"--{name}: read {given}, expected more than 0")
        wanted[name] = 1.0 if found is None else found / getattr(bases, name)
    factors = study.Factors(**wanted)
    text = tomlkit.dumps(study.scaled(converter.tables, design, factors))
    other = load(text)
    ready()
    return Scaled(converter, other, text, factors, study.proven(design, other.design))
