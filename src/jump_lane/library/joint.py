"""Devices and a winding chosen together: the best windings of one component, each with the best parts of all others."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING

from jump_lane.errors import InputError
from jump_lane.library.choices import Picked, pick
from jump_lane.library.converter import Converter, takes_converter
from jump_lane.library.put_back import with_winding
from jump_lane.library.result import Result, Watch
from jump_lane.library.winding import WoundDesign, is_settled, wind
from jump_lane.report.export import Columns
from jump_lane.report.table import View

if TYPE_CHECKING:
    from jump_lane.study.pick import Proven


@dataclass(frozen=True)
class Together:
    """A winding with a combination of parts, proven at all corners, and how it ranks (the smaller the better)."""

    winding: WoundDesign
    picked: Picked
    proven: Proven
    score: float

    @property
    def parts(self) -> dict[str, tuple[str, int]]:
        """Component to part and pieces."""
        found = self.proven.combination
        every = zip(self.picked.work.candidates, found.parts, found.counts, strict=True)
        return {c.role.name: (p.name, n) for c, p, n in every}


@dataclass(frozen=True, repr=False)
class JointPicked(Result):
    """Windings and parts together, the best first; those that do not keep everything behind."""

    converter: Converter
    component: str
    found: tuple[Together, ...]
    tried: int
    refused: tuple[str, ...]
    complete: bool

    def view(self) -> View:
        """Return the combinations with loss, temperature, cost and what is not kept."""
        from jump_lane.report.joint import joint_view

        return replace(joint_view(self), changes=self.converter.changes)

    def columns(self) -> Columns:
        """Return a row for each combination."""
        names = list(dict.fromkeys(name for one in self.found for name in one.parts))
        out: Columns = {"core": [one.winding.found.wound.core.part for one in self.found]}
        out |= {name: [one.parts[name][0] for one in self.found] for name in names}
        return out | {
            "loss [W]": [one.proven.combination.loss for one in self.found],
            "hottest [°C]": [one.proven.hottest for one in self.found],
            "kept": [not one.proven.broken for one in self.found],
        }

    def write(self, path: Path) -> bool:
        """Put the best winding and its parts into a converter file; tell whether that changed it.

        Raises
        ------
        InputError
            If no combination keeps everything.
        """
        from jump_lane.files import edit
        from jump_lane.study.write import with_parts

        best = next((one for one in self.found if not one.proven.broken), None)
        if best is None:
            raise InputError(f"{path} left as it is: no combination keeps everything")
        changed = best.winding.write(path)
        return edit(path, lambda text: with_parts(text, best.parts)) or changed


@takes_converter
def pick_together(
    converter: Converter,
    component: str,
    *,
    windings: int = 4,
    choose: Sequence[str] = (),
    by: str = "loss",
    most: int = 500,
    top: int = 3,
    watch: Watch | None = None,
) -> JointPicked:
    """Choose the winding of a component and the parts of others together, what the file names staying.

    Parameters
    ----------
    component
        What is wound; its table may fix core, material, wires.
    windings
        How many of the best windings are combined with parts.
    choose, by, most, top
        As `pick` has them, for each winding.

    Raises
    ------
    InputError, NoResultError
        If there is no such component, no winding holds, or no part fits any of them.
    """
    from jump_lane.study.pick import goals

    weights = goals(by)
    names = list(choose) or _open(converter, component)
    designs = list(_windings(converter, component, windings))
    found: list[Together] = []
    refused, tried, complete = [], 0, True
    for k, design in enumerate(designs):
        if watch is not None:
            watch(k, len(designs))
        try:
            picked = pick(
                with_winding(design.converter, design.asked, design.found),
                choose=names,
                by=by,
                most=most,
                top=top,
            )
        except InputError as error:
            refused.append(str(error))
            continue
        tried, complete = tried + len(picked.tried), complete and picked.complete
        found += [Together(design, picked, one, _score(weights, design, one)) for one in picked.proven]
        if not picked.complete:
            break
    if not found:
        raise InputError("no parts fit any of the windings: " + "; ".join(refused))
    best = tuple(sorted(found, key=lambda one: (bool(one.proven.broken), math.isnan(one.score), one.score)))
    return JointPicked(converter, component, best, tried, tuple(refused), complete)


def _score(weights: dict[str, float], design: WoundDesign, one: Proven) -> float:
    """Return what is to be small: loss and temperature of all together, and the cost of parts and winding."""
    cost = one.combination.cost + (math.nan if design.found.cost is None else design.found.cost)
    values = {"loss": one.combination.loss, "temperature": one.combination.hottest, "cost": cost}
    return sum(weight * values[name] for name, weight in weights.items() if weight)


def _open(converter: Converter, component: str) -> list[str]:
    """Return the components for which the file names no part, but for the one that is wound."""
    from jump_lane.study.pick import CHOSEN_KINDS

    spec = converter.unwound
    roles = [r for r in converter.design.page.roles if r.kind in CHOSEN_KINDS and r.name != component]
    found = [r.name for r in roles if "part" not in spec.data(r.name)]
    if not found:
        raise InputError("--choose: the file names a part for every component; expected those to choose anew")
    return found


def _windings(converter: Converter, component: str, count: int) -> Iterator[WoundDesign]:
    """Yield the windings to combine: the one that the file settles, or the best of a search."""
    if is_settled(converter, component):
        from jump_lane.library.winding import wound

        yield wound(converter, component)
        return
    result = wind(converter, component, count=count)
    for number in range(1, len(result.choice.designs) + 1):
        yield result.design(number)
