"""A wound component in the converter again: what a check says with it."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import TYPE_CHECKING

from jump_lane.errors import InputError, NoResultError
from jump_lane.library.converter import Converter

if TYPE_CHECKING:
    from jump_lane.magnetics.asked import Asked
    from jump_lane.magnetics.proof import Proven
    from jump_lane.study.check import Check

WARMER = 5.0
"""By how much a component has to become hotter in the converter than by the currents it was chosen by to be told [K]."""


def with_winding(converter: Converter, asked: Asked, found: Proven) -> Converter:
    """Return a converter with a wound component in it."""
    import tomlkit

    from jump_lane.magnetics.written import with_design
    from jump_lane.validation import toml_of

    tables = toml_of(with_design(tomlkit.dumps(converter.free), asked, found), converter.name)
    return replace(converter, tables=tables, free=tables, original=tables, changes=())


def put_back(converter: Converter, asked: Asked, found: Proven) -> Check | str:
    """Return the check of a converter with a wound component in it; why there is none."""
    from jump_lane.library.designs import check

    try:
        return check(with_winding(converter, asked, found)).check
    except (InputError, NoResultError) as error:
        return str(error)


def holds(known: Check | str) -> bool:
    """Tell whether a check has nothing against it."""
    return not isinstance(known, str) and known.exit_status == 0


def judgement(found: Check | str, design: Proven, component: str) -> str:
    """Return what the check of a converter with a wound component says, in words; or why there is none."""
    from jump_lane.report.check import summary

    if isinstance(found, str):
        return f"no result: {found}"
    reached = max((c.temperatures.get(component, -math.inf) for c in found.corners), default=-math.inf)
    if reached < design.temperature + WARMER:
        return summary(found)
    return (
        f"{summary(found)}; {component} reaches {reached:.0f} °C there: its own leakage makes other currents than those "
        f"that it was chosen by, with which it reaches {design.temperature:.0f} °C"
    )
