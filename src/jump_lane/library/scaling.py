"""A converter at another voltage, power and frequency."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from jump_lane.library.compiling import ready
from jump_lane.library.converter import Converter, Quantity, takes_converter
from jump_lane.library.result import Result
from jump_lane.report.export import Columns
from jump_lane.report.table import View

if TYPE_CHECKING:
    from jump_lane.study.scale import Factors, Proven


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
