"""The table of topologies."""

from __future__ import annotations

from jump_lane.report.table import Table, View
from jump_lane.topologies.page import Page


def topologies_view(pages: list[Page]) -> View:
    """List the topologies."""
    rows = tuple((p.name, p.title, p.conversion, _isolation(p), p.good_for) for p in pages)
    data = {
        "topologies": [
            {
                "name": p.name,
                "title": p.title,
                "conversion": p.conversion,
                "isolated": p.isolated,
                "secondaries": list(p.secondaries),
                "good_for": p.good_for,
            }
            for p in pages
        ]
    }
    columns = ("topology<", "what it is", "conversion range", "isolated", "good for")
    return View("topologies", data, (Table("Topologies", columns, rows),))


def _isolation(page: Page) -> str:
    """Return whether a topology isolates, and what may rectify then."""
    return "yes: " + ", ".join(page.secondaries) if page.secondaries else "yes" if page.isolated else "no"
