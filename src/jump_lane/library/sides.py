"""Converters side by side, and a device without and with its damping."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

from jump_lane.errors import InputError
from jump_lane.library.compiling import ready
from jump_lane.library.converter import Converter, Quantity, Source, converter_of, takes_converter
from jump_lane.library.result import Result
from jump_lane.report.export import Columns
from jump_lane.report.table import View
from jump_lane.study.compare import Candidate

if TYPE_CHECKING:
    from jump_lane.study.damping import Comparison


@dataclass(frozen=True, repr=False)
class Compared(Result):
    """Converters side by side."""

    title: str
    candidates: tuple[Candidate, ...]

    def view(self) -> View:
        """Return converters side by side, least device stress first, and why some cannot do it."""
        from jump_lane.report.compare import compare_view

        return compare_view(self.title, list(self.candidates))

    def columns(self) -> Columns:
        """Return a row for each converter."""
        rows = self.candidates
        return {
            "converter": [c.name for c in rows],
            "lowest control [1]": [c.duty[0] for c in rows],
            "highest control [1]": [c.duty[1] for c in rows],
            "conduction": [", ".join(c.modes) for c in rows],
            "device stress [1]": [c.stress for c in rows],
            "inductive energy [J]": [c.energy for c in rows],
            "C_o rms [A]": [c.output_rms for c in rows],
            "C_i rms [A]": [c.input_rms for c in rows],
            "reason": [c.failure for c in rows],
        }


def compare(converters: Sequence[Converter | Source], topologies: Sequence[str] = ()) -> Compared:
    """Put converters side by side, or what several topologies make of one specification.

    Parameters
    ----------
    converters
        Several, or one with `topologies`.
    topologies
        Names of topologies to try with the one converter's specification, with ideal parts and nothing chosen.

    Raises
    ------
    InputError
        If there is nothing to compare, or no such topology.
    """
    from jump_lane.study.compare import candidate, of_topologies
    from jump_lane.topologies import page

    given = [converter_of(c) for c in converters]
    if topologies and len(given) > 1:
        raise InputError("compare: several topologies are tried with one file, not with several")
    if not topologies and len(given) < 2:
        raise InputError("compare: one file; expected several, or --topology, --every or --isolated")
    if topologies:
        names = [page(name).name for name in topologies]
        one = given[0]
        return Compared(one.spec.title or one.name, tuple(of_topologies(one.spec, names)))
    return Compared("Converters", tuple(candidate(c.name, c.spec) for c in given))


@dataclass(frozen=True, repr=False)
class Dampened(Result):
    """A ringing device without and with its damping."""

    converter: Converter
    comparison: Comparison

    def view(self) -> View:
        """Return the derived damping, and peak voltage and loss as simulated."""
        from jump_lane.report.damping import damping_view

        return replace(damping_view(self.comparison), changes=self.converter.changes)

    def drawing(self) -> Any:
        """Return the voltage across the device without and with damping over one period."""
        from jump_lane.report.damping import damping_figure

        return damping_figure(self.comparison)

    def columns(self) -> Columns:
        """Return a row for each derived value."""
        sheet = list(self.comparison.damped.sheet)
        return {
            "symbol": [v.symbol for v in sheet],
            "meaning": [v.meaning for v in sheet],
            "value": [v.worst for v in sheet],
            "unit": [v.unit for v in sheet],
        }


@takes_converter
def damp(
    converter: Converter, device: str, *, input_voltage: Quantity | None = None, load: Quantity | None = None
) -> Dampened:
    """Derive the damping of a ringing device from two measured frequencies, and simulate it without and with it.

    Parameters
    ----------
    device
        A switch or rectifier with a ``[damping]`` table in the file.

    Raises
    ------
    InputError
        If the file does not say how it rings.
    """
    from jump_lane.dissipation.damping import derive_damping
    from jump_lane.study.damping import compare_damping

    design = converter.at(input_voltage, load)
    derive_damping(design, device)
    ready()
    return Dampened(converter, compare_damping(design, device))
