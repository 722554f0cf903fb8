"""What a choice of parts found: what was tried, why parts fell out, the best combinations."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from jump_lane.catalogue.kinds import Part
from jump_lane.quantities import show
from jump_lane.report.losses import percent
from jump_lane.report.table import Table, View
from jump_lane.study.pick import Combination, Proven, Work, score

SHOWN = 3
"""Gaps that are named for each combination; the data has them all."""

BROKEN = 5
"""Combinations that are shown where none keeps everything."""


def pick_view(work: Work, done: Sequence[Combination], proven: Sequence[Proven], complete: bool) -> View:
    """Show the best combinations; the exit status is 1 if none keeps everything at all corners."""
    holds = any(not p.broken for p in proven)
    failed = [c for c in done if c.failure]
    notes = [
        f"{work.tried} combinations of {sum(c.tried for c in work.candidates)} parts, {work.valid} of them within "
        "all ratings as derived",
        f"{len(done)} simulated at nominal input and full load, {len(failed)} without a result; {len(proven)} at all "
        "corners with temperatures settled",
    ]
    if len(done) < work.valid:
        notes.append("of each component the most promising parts were combined; --most simulates more")
    if failed:
        notes.append(f"without a result, such as: {failed[0].failure}")
    if not complete:
        notes.append("interrupted: what was finished is kept")
    for rank, one in enumerate(proven, start=1):
        notes += [f"rank {rank}, not known: {text}" for text in one.combination.gaps[:SHOWN]]
    if not holds:
        why = f"; the best of them: {proven[0].broken[0]}" if proven else ""
        notes.append(f"none of the {len(proven)} best combinations keeps everything{why}")
    tables = (_tried(work), _best(work, proven if holds else proven[:BROKEN]))
    return View("pick", _data(work, done, proven), tables, tuple(notes), 0 if holds else 1)


def _tried(work: Work) -> Table:
    rows = tuple(
        (
            c.role.name,
            str(c.tried),
            str(len(c.parts)),
            ", ".join(f"{n} {reason}" for reason, n in c.fallen.items()),
        )
        for c in work.candidates
    )
    return Table("Parts tried", ("component", "parts>", "within ratings>", "why the others fell out"), rows)


def _best(work: Work, proven: Sequence[Proven]) -> Table:
    rows = []
    for rank, one in enumerate(proven, start=1):
        c = one.combination
        verdict = one.broken[0] if one.broken else "holds"
        if c.gaps and not one.broken:
            verdict += f", but {len(c.gaps)} figures are not known"
        more = f" (and {len(one.broken) - 1} more)" if len(one.broken) > 1 else ""
        rows.append(
            (
                str(rank),
                *(p.name if n == 1 else f"{n} × {p.name}" for p, n in zip(c.parts, c.counts, strict=True)),
                show(c.loss, "W"),
                percent(efficiency_of(work, c)),
                show(one.hottest, "°C"),
                "–" if c.cost != c.cost else f"{c.cost:.2f}",
                show(score(work.weights, c)),
                verdict + more,
            )
        )
    heads = (
        "rank>",
        *(c.role.name for c in work.candidates),
        "loss>",
        "efficiency>",
        "hottest>",
        "cost>",
        "score>",
    )
    marks = tuple("bad" if p.broken else "good" if k == 0 else "" for k, p in enumerate(proven))
    goals = " + ".join(
        f"{weight:g} × {name}" if weight != 1.0 else name for name, weight in work.weights.items()
    )
    title = f"Best combinations by {goals}; loss at nominal input and full load, hottest at any corner"
    return Table(title, (*heads, "at all corners"), tuple(rows), marks)


def efficiency_of(work: Work, combination: Combination) -> float:
    """Return the efficiency of a combination at nominal input and full load."""
    at = work.design.at().sheet
    output = at["P_o"].worst
    return output / (output + combination.loss)


def _data(work: Work, done: Sequence[Combination], proven: Sequence[Proven]) -> dict[str, Any]:
    return {
        "tried": work.tried,
        "within_ratings": work.valid,
        "simulated": len(done),
        "weights": work.weights,
        "components": {
            c.role.name: {"parts": c.tried, "within_ratings": len(c.parts), "fallen": c.fallen}
            for c in work.candidates
        },
        "best": [
            {
                "parts": _names(work, p.combination.parts),
                "pieces": {
                    c.role.name: n for c, n in zip(work.candidates, p.combination.counts, strict=True)
                },
                "loss": p.combination.loss,
                "efficiency": efficiency_of(work, p.combination),
                "hottest": p.hottest,
                "cost": p.combination.cost,
                "score": score(work.weights, p.combination),
                "not_kept": list(p.broken),
                "gaps": list(p.combination.gaps),
            }
            for p in proven
        ],
    }


def _names(work: Work, parts: tuple[Part, ...]) -> dict[str, str]:
    return {c.role.name: p.name for c, p in zip(work.candidates, parts, strict=True)}
