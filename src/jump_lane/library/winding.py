"""Wound components: searched, shown, written."""

from __future__ import annotations

import os
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any

from jump_lane.errors import InputError, NoResultError
from jump_lane.library.compiling import ready
from jump_lane.library.converter import Converter, takes_converter
from jump_lane.library.put_back import holds, judgement, put_back
from jump_lane.library.result import Result, Watch
from jump_lane.report.export import Columns
from jump_lane.report.table import View

if TYPE_CHECKING:
    from jump_lane.library.points import Simulation
    from jump_lane.magnetics.asked import Asked
    from jump_lane.magnetics.choice import Choice
    from jump_lane.magnetics.proof import Proven
    from jump_lane.magnetics.section import Shape
    from jump_lane.magnetics.sheet import Sheet
    from jump_lane.study.check import Check

SECTIONS, SHEETS = (".json", ".dxf"), (".txt", ".json")
"""Endings of files with a cross-section and with a winding sheet."""

RANKED = "loss=1,volume=1"
"""What designs are ranked by unless something else is asked."""

PUT_BACK, SIMULATED = 10, 60
"""Designs that are put back into the converter, at most, until it holds with one, and corners simulated for that (of six corners,
all of these designs); more only where more are listed."""

EASINGS = 3
"""How often turns ratios are lowered for what a winding drops."""


@dataclass(frozen=True, repr=False)
class WoundDesign(Result):
    """One wound component in detail."""

    converter: Converter
    asked: Asked
    found: Proven
    known: str = ""
    """What the check of the converter with this component says, where it was run already."""
    ratios: Mapping[str, float] = field(default_factory=dict)
    """Turns ratios by symbol that it needs beside it, where they are not those derived."""

    def view(self) -> View:
        """Return every value with its formula, losses at every corner, verdicts, and the winding sheet."""
        from jump_lane.report.wound import design_view

        return replace(
            design_view(self.asked, self.found, self.sheet, self.judgement), changes=self.converter.changes
        )

    @cached_property
    def sheet(self) -> Sheet:
        """The winding sheet."""
        from jump_lane.magnetics.sheet import sheet_of

        return sheet_of(self.asked, self.found)

    @cached_property
    def judgement(self) -> str:
        """What the check of the converter with this component says, in words."""
        return self.known or judgement(
            put_back(self.converter, self.asked, self.found), self.found, self.name
        )

    @property
    def name(self) -> str:
        """The component."""
        return self.asked.coil.name

    @property
    def section(self) -> list[Shape]:
        """Shapes of the cross-section [m]."""
        from jump_lane.magnetics.section import section

        return section(self.found)

    def columns(self) -> Columns:
        """Return losses at every corner."""
        courses = self.asked.burden.courses
        return {
            "corner": [c.words for c in courses],
            "winding [W]": self.found.copper.tolist(),
            "core [W]": self.found.core.tolist(),
            "largest flux linkage [V·s]": [c.largest for c in courses],
        }

    def drawing(self) -> Any:
        """Return the cross-section to scale, losses, and the path of each corner on the curve of the material."""
        from jump_lane.report.wound_figure import wound_figure

        title = self.converter.design.title
        return wound_figure(title, self.asked, self.found)

    def write(self, path: Path) -> bool:
        """Put the design into a converter file; tell whether that changed it."""
        from jump_lane.files import edit
        from jump_lane.magnetics.written import with_design

        return edit(path, lambda text: with_design(text, self.asked, self.found, self.ratios))


@dataclass(frozen=True, repr=False)
class WindResult(Result):
    """What a search for a wound component found, the best first."""

    converter: Converter
    choice: Choice
    judgements: tuple[str, ...]
    """What the check of the converter says with each design in it."""
    held: int
    """With how many of them, the first ones, the converter holds."""
    ratios: Mapping[str, float] = field(default_factory=dict)
    """Turns ratios by symbol, where they were lowered for what the winding drops."""

    @property
    def complete(self) -> bool:
        """Whether it was not interrupted."""
        return self.choice.complete

    def design(self, number: int = 1) -> WoundDesign:
        """Return one of the designs in detail, counted from 1.

        Raises
        ------
        InputError
            If there are not so many.
        """
        if not 1 <= number <= len(self.choice.designs):
            raise InputError(f"design {number}: the list has {len(self.choice.designs)}")
        found, known = self.choice.designs[number - 1], self.judgements[number - 1]
        return WoundDesign(self.converter, self.choice.asked, found, known, self.ratios)

    def view(self) -> View:
        """Return the list of designs, and how many combinations fell out for which reason."""
        from jump_lane.report.wound import list_view

        shown = list_view(self.choice, self.judgements, self.held, self.converter.name, self.ratios)
        return replace(shown, changes=self.converter.changes)

    def columns(self) -> Columns:
        """Return a row for each design of the list."""
        from jump_lane.report.wound import list_columns

        return list_columns(self.choice)

    def drawing(self) -> Any:
        """Return loss over volume of all designs of the search, those that nothing beats in both marked."""
        from jump_lane.report.wound_figure import pareto_figure

        title = self.converter.design.title
        return pareto_figure(title, self.choice)


def _asked(converter: Converter, component: str) -> Asked:
    from jump_lane.design.derive import derive
    from jump_lane.magnetics.asked import asked_of

    ready()
    try:
        return asked_of(derive(converter.unwound), component)
    except (InputError, NoResultError) as error:
        raise type(error)(f"{converter.name}: {error}") from None


@takes_converter
def wind(
    converter: Converter,
    component: str,
    *,
    by: str = RANKED,
    count: int = 10,
    enough: int | None = None,
    watch: Watch | None = None,
) -> WindResult:
    """Search cores, materials, turns, orders and wires of a component, every limit kept at all corners.

    Parameters
    ----------
    component
        An inductor, a transformer, or a pair on one core.
    by
        What is to be small: loss, temperature, volume, height, footprint, mass, cost, or several with weights.
    count
        Designs to list.
    enough
        With how many of them the converter has to hold for the list to end there; None goes on to its end.

    Returns
    -------
    WindResult
        Designs, the best first.

    Raises
    ------
    InputError
        If there is no such component, or its table names what is not there.
    NoResultError
        If none holds every limit; it says how many fell out for which reason.
    """
    from jump_lane.library.easing import eased, with_ratios
    from jump_lane.magnetics.search import CRITERIA
    from jump_lane.study.pick import goals

    weights = goals(by, CRITERIA)
    first = found = _searched(converter, component, weights, count, enough, watch)
    ratios: dict[str, float] = {}
    for _ in range(EASINGS):
        if found.holding or not found.choice.complete:
            break
        ratios = eased(converter, found.choice, found.checks)
        if not ratios:
            break
        try:
            found = _searched(with_ratios(converter, ratios), component, weights, count, enough, watch)
        except (InputError, NoResultError):
            break
    found, ratios = (found, ratios) if found.holding else (first, {})
    listed = replace(found.choice, designs=found.choice.designs[:count])
    judgements = [
        judgement(known, design, component)
        for design, known in zip(listed.designs, found.checks, strict=False)
    ]
    held = sum(map(holds, found.checks[:count]))
    return WindResult(found.converter, listed, tuple(judgements), held, ratios)


@dataclass(frozen=True)
class _Searched:
    """A choice whose designs were put back, those with which the converter holds first."""

    converter: Converter
    choice: Choice
    checks: tuple[Check | str, ...]

    @property
    def holding(self) -> bool:
        """Whether the converter holds with one of the designs."""
        return bool(self.checks) and holds(self.checks[0])


def _searched(
    converter: Converter,
    component: str,
    weights: dict[str, float],
    count: int,
    enough: int | None,
    watch: Watch | None,
) -> _Searched:
    """Search a component, and put the best designs back: all that are listed, and more until the converter holds with one; or
    only until it holds with enough of them."""
    from jump_lane.magnetics.choice import choose

    asked = _asked(converter, component)
    try:
        found = choose(asked, weights, max(count, PUT_BACK), watch)
    except NoResultError as error:
        raise NoResultError(f"{component}: {error}") from None
    each: list[tuple[Proven, Check | str]] = []
    simulated = 0
    for design in found.designs:
        held = sum(holds(known) for _, known in each)
        if held == enough or (len(each) >= count and (simulated >= SIMULATED or held)):
            break
        known = put_back(converter, asked, design)
        simulated += 1 if isinstance(known, str) else len(known.corners)
        each.append((design, known))
    each.sort(key=lambda e: not holds(e[1]))
    designs = tuple(design for design, _ in each)
    return _Searched(converter, replace(found, designs=designs), tuple(known for _, known in each))


@takes_converter
def wound(converter: Converter, component: str) -> WoundDesign:
    """Return a component as the file has it wound, in detail.

    Raises
    ------
    InputError
        If the file leaves something of it open.
    """
    from jump_lane.magnetics.asked import settled
    from jump_lane.magnetics.proof import prove

    asked = _asked(converter, component)
    made = settled(asked)
    return WoundDesign(converter, asked, prove(asked, made))


def core_drawing(converter: Converter, simulation: Simulation, component: str) -> Any:
    """Return flux density over field of a wound core through the period of an operating point, drawn.

    Raises
    ------
    InputError
        If there is no such component, or the file leaves something of it open.
    """
    from jump_lane.design.derive import derive
    from jump_lane.magnetics.asked import described
    from jump_lane.magnetics.magnetisation import saturation
    from jump_lane.operating.wound import course_of, element_of
    from jump_lane.report.wound_figure import core_figure

    asked, made = described(derive(converter.unwound), component)
    elements = simulation.recording.engine.circuit.elements
    course = course_of(simulation.recording, element_of(converter.design, component), elements, "")
    turns = asked.coil.turns_of(made.turns[0])
    limit = saturation(made.material, asked.hot) * (1.0 - asked.table.flux_margin)
    return core_figure(f"{simulation.title}: core of {component}", made, turns, course, limit, asked.hot)


def is_settled(converter: Converter, component: str) -> bool:
    """Tell whether a file leaves nothing of a component open."""
    table = converter.unwound.wound.get(component)
    return table is not None and table.settled


def write_section(design: WoundDesign, path: str | os.PathLike[str], overwrite: bool = False) -> None:
    """Write the cross-section as shapes (``.json``) or as a drawing for exchange (``.dxf``).

    Raises
    ------
    InputError
        On another ending, or if the file exists.
    """
    from jump_lane.files import write_whole
    from jump_lane.magnetics.section import data, dxf
    from jump_lane.report.text import json_text

    target = require_ending(path, SECTIONS)
    text = dxf(design.section) if target.suffix.lower() == ".dxf" else json_text(data(design.section))
    write_whole(target, text, overwrite)


def write_sheet(design: WoundDesign, path: str | os.PathLike[str], overwrite: bool = False) -> None:
    """Write the winding sheet as text (``.txt``) or data (``.json``).

    Raises
    ------
    InputError
        On another ending, or if the file exists.
    """
    from jump_lane.files import write_whole
    from jump_lane.report.text import json_text
    from jump_lane.report.wound import sheet_text

    target = require_ending(path, SHEETS)
    text = sheet_text(design.sheet) if target.suffix.lower() == ".txt" else json_text(design.sheet.data())
    write_whole(target, text, overwrite)


def require_ending(path: str | os.PathLike[str], endings: Sequence[str]) -> Path:
    """Return a path that ends in one of some ways.

    Raises
    ------
    InputError
        If it does not.
    """
    target = Path(path)
    if target.suffix.lower() not in endings:
        raise InputError(f"{target}: expected a name that ends in {' or '.join(endings)}")
    return target
