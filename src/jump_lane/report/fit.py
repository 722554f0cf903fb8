"""What a fit proposes, its alternatives, and what that does to ripple, peak and mode."""

from __future__ import annotations

from typing import Any

from jump_lane.equations.formula import pretty
from jump_lane.quantities import show, show_percent
from jump_lane.report.table import Table, View
from jump_lane.study.check import Check
from jump_lane.study.fit import Candidate, Choice, Fit


def fit_view(fit: Fit, check: Check) -> View:
    """Show the candidates of each component, before and after, and the verdicts of the simulated result."""
    tables = [_choice_table(fit), _before_after(fit)]
    broken = sorted(
        {f"{pretty(f.symbol)} {f.advice}" for c in check.corners for f in c.findings if not f.holds}
        | {f"mode: {c.mode_advice}" for c in check.corners if not c.mode_holds}
        | {c.failure for c in check.corners if c.failure}
    )
    rated = [f"{c.symbol}: {b}" for c in fit.choices for b in c.best.broken]
    notes = [f"not kept: {text}" for text in (*rated, *broken)]
    if not notes:
        notes = ["simulated with the proposed values: all that is asked holds"]
    status = check.exit_status or (1 if rated else 0)
    return View("fit", _data(fit, notes, status), tuple(tables), tuple(notes), status)


def _choice_table(fit: Fit) -> Table:
    """Return the candidates of every component, best first."""
    rows, marks = [], []
    for choice in fit.choices:
        for k, candidate in enumerate(choice.candidates):
            rows.append(_row(k, candidate, choice))
            marks.append("bad" if candidate.broken else "good" if k == 0 else "")
    columns = (
        "",
        "derived>",
        "made of",
        "value>",
        "of derived>",
        "resistance>",
        "ripple",
        "margins",
        "verdict",
    )
    return Table("Made of what exists, best first", columns, tuple(rows), tuple(marks))


def _row(k: int, c: Candidate, choice: Choice) -> tuple[str, ...]:
    units = {"I": "A", "V": "V"}
    ripples = ", ".join(f"{pretty(s)} {show(v, units[s[1]])}" for s, v in c.peak_to_peak)
    margins = ", ".join(f"{what} {show_percent(m)}" for what, m in c.margins)
    sign = "≥" if choice.is_minimum else "≤"
    return (
        choice.symbol if k == 0 else "",
        f"{sign} {show(choice.required, choice.unit)}" if k == 0 else "",
        c.name,
        show(c.value, choice.unit),
        show_percent(c.value / choice.required),
        "" if c.resistance is None else show(c.resistance, "Ω"),
        ripples,
        margins,
        "; ".join(c.broken) or "holds",
    )


def _before_after(fit: Fit) -> Table:
    """Compare derived values at their worst corners with ideal and with proposed components."""
    symbols = [a.symbol for a in fit.after.asks]
    symbols += [s for s in fit.after.proofs if s.endswith("pk")]
    rows = []
    for symbol in dict.fromkeys(symbols):
        before, after = fit.before.sheet[symbol], fit.after.sheet[symbol]
        change = after.worst / before.worst - 1.0 if before.worst else 0.0
        rows.append(
            (
                pretty(symbol),
                after.meaning,
                show(before.worst, before.unit),
                show(after.worst, after.unit),
                f"{100 * change:+.1f} %",
            )
        )
    if fit.after.page.naming is None:
        rows.append(
            ("mode", "corners in continuous conduction", _continuous(fit.before), _continuous(fit.after), "")
        )
    columns = ("symbol", "meaning", "before>", "after>", "change>")
    return Table("Derived with ideal values, and with the values proposed", columns, tuple(rows))


def _continuous(design: Any) -> str:
    modes = design.conductions
    return f"{sum(m == 'continuous' for m in modes)} of {len(modes)}"


def _data(fit: Fit, notes: list[str], status: int) -> dict[str, Any]:
    return {
        "holds": status == 0,
        "notes": notes,
        "choices": [
            {
                "symbol": c.symbol,
                "unit": c.unit,
                "derived": c.required,
                "candidates": [
                    {
                        "name": k.name,
                        "value": k.value,
                        "pieces": k.pieces,
                        "resistance": k.resistance,
                        "margins": dict(k.margins),
                        "ripple": dict(k.peak_to_peak),
                        "broken": list(k.broken),
                    }
                    for k in c.candidates
                ],
            }
            for c in fit.choices
        ],
    }
