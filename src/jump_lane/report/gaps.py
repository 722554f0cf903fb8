"""Figures that are not known at some of many points, in one sentence."""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from jump_lane.dissipation.ledger import Gap


def named(gaps: Iterable[Gap]) -> dict[str, list[str]]:
    """Return the figures that are missing, each once, by component."""
    found: dict[str, dict[str, None]] = {}
    for gap in gaps:
        found.setdefault(gap.component, {})[gap.figure] = None
    return {component: list(figures) for component, figures in found.items()}


def gaps_note(gaps: Iterable[Gap]) -> list[str]:
    """Return the sentence that names them, none if everything is known."""
    found = named(gaps)
    if not found:
        return []
    listed = "; ".join(f"{component}: {' · '.join(figures)}" for component, figures in found.items())
    return [
        "losses, temperatures or ratings are incomplete, as figures are not known (`jumplane losses` says what each is worth): "
        f"{listed}"
    ]
