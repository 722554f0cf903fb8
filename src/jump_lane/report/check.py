"""A check on one screen: verdicts first, with the smallest remedy; every quantity, or one explained, on request."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from jump_lane.design.caveats import caveats
from jump_lane.design.named import half_open
from jump_lane.equations.formula import pretty
from jump_lane.errors import InputError, nearest
from jump_lane.quantities import show, show_change, show_percent
from jump_lane.report.derivation import heading
from jump_lane.report.stress import stress_table
from jump_lane.report.table import Table, View
from jump_lane.report.verdicts import check_data
from jump_lane.study.check import Check, Corner, Finding


def check_view(
    check: Check, every: bool = False, explain: Sequence[str] = (), before: Check | None = None
) -> View:
    """Show verdicts of everything asked, how far derivation and simulation agree, all corners, stresses.

    Parameters
    ----------
    every
        Whether all quantities are shown at every corner.
    explain
        Symbols of which is shown why they are what they are, instead.
    before
        The same without what was set.
    """
    notes = [agreement(check)]
    if any(not f.agrees for c in check.corners for f in c.findings):
        notes.extend(caveats(check.design))
    notes += [f"not judged: {text}" for text in check.refused]
    notes += list(_uneven(check))
    spec, roles = check.design.spec, check.design.page.roles
    notes += filter(
        None, (half_open(spec, r.name, r.kind) for r in roles if r.kind in ("switch", "rectifier"))
    )
    if explain:
        tables = [t for symbol in explain for t in _explained(check, symbol)]
    else:
        tables = [_asked_table(check, before), _grid(check)]
        if check.stresses:
            hottest = {n: max(c.temperatures[n] for c in check.corners if n in c.temperatures)
                       for n in dict.fromkeys(n for c in check.corners for n in c.temperatures)}  # fmt: skip
            tables.append(stress_table(check.design, check.stresses, check.ratings, hottest))
        if every:
            tables += [_finding_table(c) for c in check.corners if not c.failure]
        else:
            notes.append(
                "every quantity at every corner: --all   why one is what it is: --explain SYMBOL   at tolerances: --tolerance"
            )
    return View("check", check_data(check), tuple(tables), tuple(notes), check.exit_status, _heading(check))


UNEVEN = 0.02
"""Rectifiers made alike whose average currents are further apart than this part of the larger one share unevenly."""


def _uneven(check: Check) -> Iterator[str]:
    """Yield which rectifiers made alike share the current unevenly, and where most."""
    for role in check.design.page.roles:
        if role.kind != "rectifier" or len(role.elements) < 2:
            continue
        apart = []
        for corner in check.corners:
            own = {s.component: s.average for s in corner.stresses if s.component in role.elements[:2]}
            if len(own) == 2 and max(own.values()) > 0.0:
                apart.append((1.0 - min(own.values()) / max(own.values()), corner, own))
        worst = max(apart, key=lambda a: a[0], default=None)
        if worst is not None and worst[0] > UNEVEN:
            part, corner, own = worst
            shares = " and ".join(f"{show(i, 'A')} through {name}" for name, i in own.items())
            yield (
                f"uneven halves: {shares} on average at {show(corner.v_in, 'V')}, {corner.loads}, "
                f"{show_percent(part)} apart"
            )


def _heading(check: Check) -> str:
    settled = ", temperatures settled" if any(c.temperatures for c in check.corners) else ""
    return f"{heading(check.design)}\n{_corners(len(check.corners))} simulated with the output held{settled}\n{summary(check)}"


def summary(check: Check) -> str:
    """Return the verdict in one line: that all holds, or what does not, by how much at most."""
    broken = [c for c in check.corners if not c.holds]
    if not broken and not check.overloads:
        return "MET: all that is asked holds"
    if not broken:
        return "NOT MET: " + _words(check.overloads)
    failed = sum(bool(c.failure) for c in check.corners)
    found = list(_troubles(check))
    if failed:
        found.append(f"no result at {failed}: {next(c.failure for c in check.corners if c.failure)}")
    return f"NOT MET at {len(broken)} of {_corners(len(check.corners))}: " + "; ".join(found)


def _corners(count: int) -> str:
    return "1 corner" if count == 1 else f"{count} corners"


def _words(overloads: Sequence[str]) -> str:
    more = f" and {len(overloads) - 1} more ratings" if len(overloads) > 1 else ""
    return f"parts are not rated for it: {overloads[0]}{more}"


def _troubles(check: Check) -> Iterator[str]:
    """Yield everything that is not met, by how much at most."""
    for finding, _, _ in check.worst():
        if not finding.holds:
            yield f"{pretty(finding.symbol)} {finding.advice.partition(':')[0]}"
    for advice in sorted({c.mode_advice for c in check.corners if not c.mode_holds})[:1]:
        yield f"conduction mode ({advice})"
    yield from sorted({c.runaway for c in check.corners if c.runaway})[:1]
    broken = [r for r in check.ratings if not r.holds]
    for rating in broken[:3]:
        over = (
            f"{rating.needed - rating.limit:.1f} K"
            if rating.unit == "°C"
            else show_percent(rating.needed / rating.limit - 1.0)
        )
        yield f"{rating.what} of {rating.component} over by {over}"
    if len(broken) > 3:
        yield f"{len(broken) - 3} more ratings"


def agreement(check: Check) -> str:
    """Return in one line how far what is derived is what is simulated."""
    worst: dict[str, Finding] = {}
    for finding in (f for c in check.corners for f in c.findings if f.compared):
        known = worst.get(finding.symbol)
        if known is None or _strain(finding) > _strain(known):
            worst[finding.symbol] = finding
    if not worst:
        return ""
    within = sum(f.agrees for f in worst.values())
    most = max(worst.values(), key=_strain)
    apart = [
        f"{pretty(f.symbol)} {show_change(f.deviation)} (stated {show_percent(f.tolerance)})"
        for f in worst.values()
        if not f.agrees
    ]
    text = f"Derived = simulated: {within} of {len(worst)} within their stated accuracy"
    if not apart:
        return f"{text}; widest {pretty(most.symbol)} {100.0 * most.deviation:+.2g} % of {show_percent(most.tolerance)}"
    return f"{text}; further off: {', '.join(apart[:6])}" + (
        f" and {len(apart) - 6} more" if len(apart) > 6 else ""
    )


def _strain(finding: Finding) -> float:
    return abs(finding.deviation) / finding.tolerance


def _asked_table(check: Check, before: Check | None) -> Table:
    known = {f.symbol: f for f, _, _ in before.worst()} if before is not None else {}
    rows, marks = [], []
    for finding, corner, _ in check.worst():
        if finding.asked is None:
            continue
        earlier = (
            (show(known[finding.symbol].simulated, finding.unit) if finding.symbol in known else "",)
            if known
            else ()
        )
        rows.append(
            (
                pretty(finding.symbol),
                f"{'=' if finding.target else '≤'} {show(finding.asked, finding.unit)}",
                *earlier,
                show(finding.simulated, finding.unit),
                show(finding.derived, finding.unit) if finding.derived == finding.derived else "–",
                f"{show(corner.v_in, 'V')}, {corner.loads}",
                _verdict(finding) + _frequency(check, finding),
            )
        )
        marks.append("good" if finding.holds else "bad")
    for row, mark in (*_mode_rows(check, bool(known)), *_rating_rows(check, bool(known))):
        rows.append(row)
        marks.append(mark)
    earlier_head = ("before>",) if known else ()
    columns = (
        "Asked",
        "limit>",
        *earlier_head,
        "worst>",
        "derived>",
        "at",
        "verdict, and the smallest remedy",
    )
    return Table("", columns, tuple(rows), tuple(marks))


def _verdict(finding: Finding) -> str:
    if finding.holds:
        return f"holds, {finding.advice}" if finding.advice else "holds"
    return finding.advice


def _frequency(check: Check, finding: Finding) -> str:
    found = check.frequencies.get(finding.symbol)
    return "" if found is None or finding.holds else f", or f_s to {show(found, 'Hz')}"


def _mode_rows(check: Check, wide: bool) -> Iterator[tuple[tuple[str, ...], str]]:
    wanted = check.mode_asked
    if not wanted:
        return
    wrong = [c for c in check.corners if not c.mode_holds]
    worst = wrong[0] if wrong else None
    at = "" if worst is None else f"{show(worst.v_in, 'V')}, {worst.loads}"
    seen = worst.mode_simulated if worst is not None else ""
    yield (
        (
            "conduction",
            wanted,
            *(("",) if wide else ()),
            seen,
            "",
            at,
            worst.mode_advice if worst is not None else "holds",
        ),
        "bad" if wrong else "good",
    )


def _rating_rows(check: Check, wide: bool) -> Iterator[tuple[tuple[str, ...], str]]:
    """Yield the ratings that are not kept, and how many there are."""
    broken = [r for r in check.ratings if not r.holds]
    gap = ("",) if wide else ()
    for r in broken:
        margin = f"{r.margin:g} K" if r.unit == "°C" else show_percent(r.margin)
        over = f"{r.needed - r.limit:.1f} K" if r.unit == "°C" else show_percent(r.needed / r.limit - 1.0)
        needed = f"over by {over} with its margin of {margin}: take a part for {show(r.needed, r.unit)}"
        yield (
            (
                f"{r.component} {r.what}",
                f"≤ {show(r.limit, r.unit)}",
                *gap,
                show(r.load, r.unit),
                "",
                "",
                needed,
            ),
            "bad",
        )
    if check.ratings:
        count = len(check.ratings)
        held = count - len(broken)
        yield (
            (
                "ratings",
                f"{count} known",
                *gap,
                f"{held} hold",
                "",
                "",
                "holds" if not broken else f"{len(broken)} do not",
            ),
            "bad" if broken else "good",
        )


def _grid(check: Check) -> Table:
    """Return control, mode and verdict at every corner: loads down, inputs across."""
    inputs = list(dict.fromkeys(c.v_in for c in check.corners))
    rows: dict[str, dict[float, str]] = {}
    for corner in check.corners:
        rows.setdefault(corner.loads, {})[corner.v_in] = _cell(check, corner)
    control = check.design.page.control.symbol
    body = tuple((load, *(cells.get(v, "") for v in inputs)) for load, cells in rows.items())
    return Table("", (f"Corners ({control})", *(show(v, "V") for v in inputs)), body)


def _cell(check: Check, corner: Corner) -> str:
    if corner.failure:
        return "no result"
    parts = [] if corner.mode_holds else ["mode"]
    parts += [f"{pretty(f.symbol)} {_over(f)}" for f in corner.findings if not f.holds]
    parts += [f"{r.component} {r.what}" for r in corner.ratings if not r.holds]
    if corner.runaway:
        parts.append("runaway")
    more = f" +{len(parts) - 2} more" if len(parts) > 2 else ""
    verdict = ", ".join(parts[:2]) + more if parts else "holds"
    return f"{show(corner.control[1], check.design.page.control.unit)} {corner.mode_simulated}, {verdict}"


def _over(finding: Finding) -> str:
    return show_change(finding.simulated / finding.asked - 1.0) if finding.asked else "over"


def _finding_table(corner: Corner) -> Table:
    rows = tuple(_finding_row(f) for f in corner.findings)
    columns = ("symbol", "meaning", "asked>", "derived>", "simulated>", "deviation>", "verdict")
    title = f"{show(corner.v_in, 'V')}, {corner.loads}: {corner.mode_simulated}"
    return Table(title, columns, rows, tuple(_mark(f) for f in corner.findings))


def _mark(finding: Finding) -> str:
    if not finding.holds:
        return "bad"
    return "good" if finding.asked is not None else ""


def _finding_row(f: Finding) -> tuple[str, ...]:
    asked = "" if f.asked is None else f"{'=' if f.target else '≤'} {show(f.asked, f.unit)}"
    if not f.holds:
        verdict = f.advice
    elif not f.agrees:
        verdict = f"differs by more than {show_percent(f.tolerance)}"
    else:
        verdict = _verdict(f) if f.asked is not None else "agrees"
    deviation = f"{100.0 * f.deviation:+.3f} %" if f.compared else ""
    return (
        pretty(f.symbol),
        f.meaning,
        asked,
        show(f.derived, f.unit),
        show(f.simulated, f.unit),
        deviation,
        verdict,
    )


def _explained(check: Check, symbol: str) -> Iterator[Table]:
    """Yield why a quantity is what it is: its derivation, and what every corner shows.

    Raises
    ------
    InputError
        If the check knows no such quantity.
    """
    sheet = check.design.sheet
    names = {n: f.symbol for c in check.corners for f in c.findings for n in (f.symbol, pretty(f.symbol))}
    names |= {n: v.symbol for v in sheet if v.line is not None for n in (v.symbol, pretty(v.symbol))}
    if symbol not in names:
        raise InputError(f"--explain {symbol}: no such quantity; {nearest(symbol, names)}")
    name = names[symbol]
    if name in sheet:
        yield _reasons(check, name)
    rows, marks = [], []
    for corner in check.corners:
        for f in (f for f in corner.findings if f.symbol == name):
            at = (show(corner.v_in, "V"), corner.loads, corner.mode_simulated)
            rows.append((*at, *_finding_row(f)[2:]))
            marks.append(_mark(f))
    columns = ("input>", "load>", "mode", "asked>", "derived>", "simulated>", "deviation>", "verdict")
    if rows:
        yield Table(f"{pretty(name)} at every corner", columns, tuple(rows), tuple(marks))


def _reasons(check: Check, name: str) -> Table:
    """Return the last steps of a derivation: the quantity, and what stands in its formula."""
    sheet = check.design.sheet
    value = sheet[name]
    inner = [] if value.line is None else [n for n in value.line.names if n in sheet]
    rows = []
    for v in (value, *(sheet[n] for n in dict.fromkeys(inner))):
        text, numbers = sheet.written(v)
        formula = f"{text}\n= {numbers}" if text else ""
        source = v.line.source if v.line is not None else f"given: {v.key or v.origin}"
        rows.append((pretty(v.symbol), v.meaning, show(v.worst, v.unit), formula, source))
    columns = ("symbol", "meaning", "value>", "formula, and the numbers of its worst corner", "source")
    return Table(f"{pretty(name)}: where it comes from", columns, tuple(rows))
