"""Why a converter cannot be derived: what was read, what stands against it, and what would mend it."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from jump_lane.equations.sheet import CONTINUOUS, Line, Sheet
from jump_lane.errors import InputError
from jump_lane.quantities import show
from jump_lane.spec import Spec
from jump_lane.topologies import page as find_page

if TYPE_CHECKING:
    from jump_lane.topologies.page import Page


ROUNDING = 1e-9
"""Part of a value that is nothing beside it."""


def require_mode(spec: Spec) -> None:
    """Refuse a conduction mode that the rectifier cannot have."""
    if spec.switching.mode == "discontinuous" and spec.switching.rectifier == "synchronous":
        raise InputError(
            "switching.mode: discontinuous, but synchronous rectifiers let the current reverse instead of stopping it; "
            "expected either, continuous or boundary, or switching.rectifier = 'diode'"
        )


def require_load(spec: Spec, page: Page) -> None:
    """Refuse a smallest load of nothing where the circuit cannot hold it, or where it says nothing of an inductance."""
    least = spec.output[0].current.min
    if least < 0.0 and not page.returns:
        raise InputError(
            f"output.current: read {show(least, 'A')} at least, but no power flows back through the {page.name}; expected 0 A or "
            "more, or a topology with a bridge on both sides"
        )
    if least > 0.0 or page.returns:
        return
    if spec.switching.rectifier != "synchronous":
        raise InputError(
            "output.current: no load at least, but nothing discharges the output through a diode, so that every pulse "
            "raises it; expected a smallest load above 0 A, or switching.rectifier = 'synchronous'"
        )
    if page.ripples and spec.switching.current_ripple is None and spec.switching.mode == CONTINUOUS:
        raise InputError(
            "switching.current_ripple: expected, as the load goes down to nothing, where continuous conduction has no boundary"
        )


def beyond_peak(sheet: Sheet) -> str:
    """Return why losses keep the output out of reach at some corner, or nothing if they do not."""
    if "M_pk" not in sheet or "D_c" not in sheet:
        return ""
    lost = np.isnan(np.broadcast_to(sheet["D_c"].values, sheet.shape))
    if not lost.any():
        return ""
    i, j = (int(k) for k in np.argwhere(lost)[0])
    return (
        f"{show(sheet['V_o'].corner(i, j), 'V')} cannot be reached from {show(sheet['V_in'].corner(i, j), 'V')} at "
        f"{show(sheet['I_o'].corner(i, j), 'A')}: with these resistances the conversion ratio does not exceed "
        f"{show(sheet['M_pk'].corner(i, j))}, and {show(sheet['M'].corner(i, j))} is asked"
    )


def out_of_range(sheet: Sheet, spec: Spec) -> str:
    """Return where the duty ratio in continuous conduction lies outside its range, or nothing if it does not."""
    if "D_c" not in sheet:
        return ""
    page, duty = find_page(spec.topology), np.broadcast_to(sheet["D_c"].values, sheet.shape)
    bad = np.argwhere(~((duty >= 0.0) & (duty <= max(page.control.highest, 1.0))))
    if not len(bad):
        return ""
    i, j = (int(k) for k in bad[0])
    return (
        f"{page.name}: {show(sheet['V_o'].corner(i, j), 'V')} cannot be reached from "
        f"{show(sheet['V_in'].corner(i, j), 'V')}: this topology reaches {page.conversion}"
    )


def beyond_control(sheet: Sheet, spec: Spec) -> str:
    """Return at which corner no value of a control of its own holds the output, or nothing if one does everywhere."""
    page = find_page(spec.topology)
    if page.naming is None or not page.control.sure or page.control.symbol not in sheet:
        return ""
    lost = np.argwhere(np.isnan(np.broadcast_to(sheet[page.control.symbol].values, sheet.shape)))
    if not len(lost):
        return ""
    i, j = (int(k) for k in lost[0])
    return (
        f"{page.name}: {show(sheet['P_o'].corner(i, j), 'W')} cannot be passed on at {show(sheet['V_in'].corner(i, j), 'V')}: no "
        f"{page.control.words} does; this topology reaches {page.conversion}, a smaller L passes more on"
    )


def too_much_esr(sheet: Sheet) -> str:
    """Return whether the ESR of the output capacitor alone makes more than the ripple asked, and what mends that."""
    for symbol, capacitor, asked in (
        ("dV_Q", "C_o", "dV_ask"),
        *((f"dV_Q{k}", f"C_o{k}", f"dV_ask{k}") for k in range(2, 9)),
    ):
        if symbol in sheet and (sheet[symbol].values <= 0.0).any():
            tag = capacitor.replace("_", "")
            esr, ripple = sheet[f"R_{tag}"].worst, sheet[asked].worst
            made = ripple - float(np.nanmin(sheet[symbol].values))
            return (
                f"{capacitor}: its ESR of {show(esr, 'Ω')} alone makes {show(made, 'V')} where {show(ripple, 'V')} are asked; "
                f"expected less than {show(esr * ripple / made, 'Ω')}, or more ripple"
            )
    return ""


def written_out(sheet: Sheet, line: Line) -> str:
    """Return the formula of a line with the values it was made of, the least favourable ones."""
    parts = []
    for name in line.formula(CONTINUOUS).names:
        value = sheet[name]
        extreme = value.values.flat[np.argmin(value.values)] if np.any(value.values <= 0.0) else value.worst
        parts.append(f"{name} = {show(float(extreme), value.unit)}")
    return f"{line.text}: " + ", ".join(parts) if isinstance(line.text, str) else ", ".join(parts)


def beyond_bounds(sheet: Sheet, page: Page) -> str:
    """Return which condition of its circuit a design breaks at some corner, or nothing if it keeps all."""
    for bound in page.bounds:
        if bound.symbol not in sheet or bound.limit not in sheet:
            continue
        value, limit = sheet[bound.symbol], sheet[bound.limit]
        broken = np.broadcast_to(value.values > limit.values * (1.0 + ROUNDING), sheet.shape)
        if broken.any():
            i, j = (int(k) for k in np.argwhere(broken)[0])
            at = ", ".join(show(sheet[s].corner(i, j), unit) for s, unit in (("V_in", "V"), ("I_o", "A")))
            most = limit.corner(i, j) if limit.corner(i, j) > ROUNDING * value.corner(i, j) else 0.0
            return (
                f"{page.name}: {value.meaning} would be {show(value.corner(i, j), value.unit)} at {at}, at most "
                f"{show(most, limit.unit)} is possible: {bound.otherwise}"
            )
    return ""
