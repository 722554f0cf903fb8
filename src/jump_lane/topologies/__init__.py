"""The topologies, one page each, and their registry.

Adding a topology means adding its module here; nothing else needs an edit.
"""

from __future__ import annotations

from importlib import import_module

from jump_lane.errors import InputError, nearest
from jump_lane.topologies.page import Page

NAMES = (
    "buck",
    "boost",
    "buck-boost",
    "four-switch",
    "four-switch-regions",
    "sepic",
    "cuk",
    "zeta",
    "quadratic-boost",
    "interleaved-buck",
    "interleaved-boost",
    "flyback",
    "multi-output-flyback",
    "two-switch-flyback",
    "active-clamp-flyback",
    "forward",
    "two-switch-forward",
    "active-clamp-forward",
    "push-pull",
    "half-bridge",
    "full-bridge",
    "phase-shifted-full-bridge",
    "current-fed-full-bridge",
    "isolated-sepic",
    "isolated-cuk",
    "tapped-buck",
    "half-bridge-llc",
    "full-bridge-llc",
    "half-bridge-series-resonant",
    "full-bridge-series-resonant",
    "dual-active-bridge",
)
"""Modules of this package that hold a page, by the name that a converter file uses."""


def page(name: str) -> Page:
    """Return the page of a topology.

    Raises
    ------
    InputError
        If there is no such topology.
    """
    if name not in NAMES:
        raise InputError(f"topology: read {name!r}; {nearest(name, NAMES)}")
    found: Page = import_module(f"jump_lane.topologies.{name.replace('-', '_')}").PAGE
    return found


def pages() -> list[Page]:
    """Return all pages."""
    return [page(name) for name in NAMES]
