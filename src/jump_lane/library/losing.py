"""Where every watt goes: at one operating point, or at every corner."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

import numpy as np

from jump_lane.design.derive import Design
from jump_lane.errors import NoResultError
from jump_lane.library.compiling import ready
from jump_lane.library.converter import Converter, Quantity, takes_converter
from jump_lane.library.result import Result
from jump_lane.report.export import Columns
from jump_lane.report.table import View

if TYPE_CHECKING:
    from jump_lane.dissipation.budget import Budget


@dataclass(frozen=True, repr=False)
class Losses(Result):
    """Where every watt goes at one operating point."""

    converter: Converter
    design: Design
    budget: Budget

    @property
    def efficiency(self) -> float:
        """Output power over input power [1]; NaN where no part has any figure."""
        return self.budget.efficiency

    @property
    def temperatures(self) -> dict[str, float]:
        """Temperature of every component whose cooling is known [°C]."""
        return dict(self.budget.temperatures)

    def view(self) -> View:
        """Return losses by part and mechanism, temperatures, ratings, the power balance, what is not known."""
        from jump_lane.report.losses import losses_view

        return replace(losses_view(self.design, self.budget), changes=self.converter.changes)

    def columns(self) -> Columns:
        """Return a row for each component and mechanism."""
        from jump_lane.report.losses import losses_columns

        return losses_columns(self.budget)

    def drawing(self) -> Any:
        """Return the losses as stacked bars."""
        from jump_lane.report.losses import losses_figure

        return losses_figure(self.design, self.budget)


@takes_converter
def losses(
    converter: Converter, *, input_voltage: Quantity | None = None, load: Quantity | None = None
) -> Losses:
    """Return where every watt goes at one operating point, temperatures and losses solved together.

    Parameters
    ----------
    input_voltage, load
        Operating point [V], [A]; by default nominal input and full load.

    Raises
    ------
    NoResultError
        If there is no steady state, or no stable temperature.
    """
    from jump_lane.dissipation.budget import budget

    design = converter.at(input_voltage, load)
    ready()
    return Losses(converter, design, budget(design))


@dataclass(frozen=True, repr=False)
class CornerLosses(Result):
    """Loss, efficiency and hottest part at every corner."""

    converter: Converter
    budgets: tuple[tuple[tuple[float, float], Budget | str], ...]

    def view(self) -> View:
        """Return a row for each corner; the exit status is 1 where a rating is not kept, 3 where there is no result."""
        from jump_lane.report.losses import corners_view

        return replace(corners_view(self.budgets), changes=self.converter.changes)

    def columns(self) -> Columns:
        """Return a row for each corner."""
        from jump_lane.report.losses import corners_columns

        return corners_columns(self.budgets)


@takes_converter
def losses_at_corners(converter: Converter) -> CornerLosses:
    """Return loss, efficiency and hottest part at every corner of input and load, temperatures settled."""
    from jump_lane.dissipation.budget import budget

    design = converter.design
    ready()
    found: list[tuple[tuple[float, float], Budget | str]] = []
    for i, j in np.ndindex(design.shape):
        at = (design.inputs[i], design.loads[j])
        try:
            found.append((at, budget(design, i, j)))
        except NoResultError as error:
            found.append((at, str(error)))
    return CornerLosses(converter, tuple(found))
