"""A derivation under way: what is asked goes into a sheet, and the lines of a page after it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from jump_lane.design.asked import give_asked, give_parts, give_ripples, give_transformer, with_secondary
from jump_lane.design.controlled import give_angles, give_tank
from jump_lane.design.refusals import (
    beyond_bounds,
    beyond_control,
    beyond_peak,
    out_of_range,
    too_much_esr,
    written_out,
)
from jump_lane.equations.sheet import CONTINUOUS, DISCONTINUOUS, REVERSED, Line, Sheet
from jump_lane.errors import InputError
from jump_lane.spec import Spec
from jump_lane.topologies.page import Page
from jump_lane.topologies.variant import Variant, variant_of


class Derivation:
    """A page's lines on their way into a sheet over input voltages × load currents.

    Parameters
    ----------
    chosen
        Component values that are not derived.
    kept
        Part of the turns ratio that losses leave.

    Raises
    ------
    InputError
        If what is asked cannot be meant.
    """

    def __init__(
        self,
        spec: Spec,
        page: Page,
        inputs: tuple[float, ...],
        loads: tuple[float, ...],
        chosen: dict[str, float],
        kept: float = 1.0,
    ) -> None:
        self.spec, self._page, self._chosen = with_secondary(spec, page), page, chosen
        self._sheet = Sheet((len(inputs), len(loads)))
        give_asked(self._sheet, self.spec, page, inputs, loads)
        give_transformer(self._sheet, self.spec, page, kept)
        give_tank(self._sheet, self.spec, page)
        give_angles(self._sheet, self.spec, page)
        give_parts(self._sheet, self.spec, page)
        self._variant = variant_of(self.spec, self._sheet, page.bodies)
        self._left, self._rippled = iter(page.lines_of(self._variant)), False

    def up_to(self, symbol: str = "") -> Sheet:
        """Enter the lines up to that of a symbol, or all that are left, and return the sheet.

        Raises
        ------
        InputError
            If no value of a component fulfils what is asked.
        """
        page, sheet = self._page, self._sheet
        for line in self._left:
            self._rippled = self._rippled or give_ripples(sheet, self.spec, page)
            _enter(sheet, line, self.spec, page, self._chosen)
            if line.symbol == page.decides:
                sheet.modes = np.broadcast_to(_modes(sheet, page, self._variant), sheet.shape).copy()
            if line.symbol == symbol:
                break
        return sheet


def _modes(sheet: Sheet, page: Page, variant: Variant) -> NDArray[np.str_]:
    """Return the mode of every corner, as far as what is known by now tells it."""
    if page.naming is not None:
        return page.naming.derived(sheet)
    below = sheet["I_o"].values < sheet["I_B"].values
    return np.where(below, REVERSED if variant.synchronous or page.reversible else DISCONTINUOUS, CONTINUOUS)


def _enter(sheet: Sheet, line: Line, spec: Spec, page: Page, chosen: dict[str, float]) -> None:
    value = sheet.derive(line)
    if not line.component:
        return
    if line.symbol in chosen:
        named = spec.data(line.symbol).get("part") if line.symbol not in spec.chosen else None
        sheet.choose(line.symbol, chosen[line.symbol], str(named or "chosen"))
    elif not (np.isfinite(value.worst) and value.worst > 0.0):
        reason = (
            beyond_bounds(sheet, page)
            or beyond_peak(sheet)
            or out_of_range(sheet, spec)
            or beyond_control(sheet, spec)
            or too_much_esr(sheet)
            or f"{line.symbol}: no value fulfils what is asked ({written_out(sheet, line)})"
        )
        raise InputError(reason)
