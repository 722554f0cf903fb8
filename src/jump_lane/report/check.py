"""Tables of a check: asked, derived, simulated, verdict."""

from __future__ import annotations

from typing import Any

from jump_lane.equations.formula import pretty
from jump_lane.quantities import show, show_percent
from jump_lane.report.table import Table, View
from jump_lane.study.check import Check, Corner, Finding


def check_view(check: Check, every: bool) -> View:
    """Show asked, derived and simulated values with a verdict each."""
    tables = [_corner_table(check)]
    if every:
        tables += [_finding_table(c) for c in check.corners if not c.failure]
    else:
        tables.append(_worst_table(check))
    broken = sum(not c.holds for c in check.corners)
    apart = sum(not f.agrees for c in check.corners for f in c.findings)
    if check.stresses:
        tables.append(_stress_table(check))
    outcome = f"at {broken} something is not met" if broken else "all that is asked holds"
    outcome += ", but parts are not rated for it" if check.overloads and not broken else ""
    settled = ", temperatures settled" if any(c.temperatures for c in check.corners) else ""
    notes = [f"{len(check.corners)} corners simulated with the output held{settled}: {outcome}"]
    if apart:
        notes.append(f"{apart} values lie further from their derivation than their tolerance")
        notes.extend(check.design.caveats())
    notes += [f"not kept: {text}" for text in check.overloads]
    notes += [f"not judged: {text}" for text in check.refused]
    return View("check", _check_data(check), tuple(tables), tuple(notes), check.exit_status)


def _corner_table(check: Check) -> Table:
    rows, marks = [], []
    for c in check.corners:
        head = (show(c.v_in, "V"), c.loads, c.mode_derived)
        if c.failure:
            rows.append((*head, "no result", "", "", "", c.failure))
        else:
            worst = max(c.findings, key=lambda f: abs(f.deviation))
            rows.append(
                (
                    *head,
                    c.mode_simulated,
                    show(c.control[0]),
                    show(c.control[1]),
                    f"{pretty(worst.symbol)} {100 * worst.deviation:+.2f} %",
                    "; ".join(_complaints(c)) or "holds",
                )
            )
        marks.append("good" if c.holds else "bad")
    d = pretty(check.design.page.control.symbol)
    columns = (
        "input>", "load>", "mode derived", "simulated", f"{d} derived>", f"{d} simulated>",
        "largest deviation>", "verdict",
    )  # fmt: skip
    return Table("Corners", columns, tuple(rows), tuple(marks))


def _complaints(corner: Corner) -> list[str]:
    out = [] if corner.mode_holds else [f"mode: {corner.mode_advice}"]
    out += [f"{pretty(f.symbol)} {f.advice}" for f in corner.findings if not f.holds]
    out += [f"{r.component}: {r.what}" for r in corner.ratings if not r.holds]
    return [*out, corner.runaway] if corner.runaway else out


def _stress_table(check: Check) -> Table:
    """Return what every component bears, and which ratings that needs with margins and spikes."""
    margin = check.design.spec.margin
    known = {r.component for r in check.ratings}
    broken = {r.component for r in check.ratings if not r.holds}
    rows, marks = [], []
    for s in check.stresses:
        name = s.component.split(":")[0]
        valve = s.kind in ("switch", "rectifier") or (s.kind == "auxiliary" and s.blocked > 0.0)
        voltage = show(s.voltage_needed(margin), "V") if s.blocked > 0.0 else ""
        peak = show(s.current_needed(margin), "A") if valve or s.kind == "inductor" else ""
        hot = max((c.temperatures[name] for c in check.corners if name in c.temperatures), default=None)
        rows.append(
            (
                s.component,
                show(s.average, "A") if s.kind != "capacitor" else "",
                show(s.rms, "A"),
                show(s.peak, "A") if s.kind != "capacitor" else "",
                show(s.blocked, "V") if s.blocked > 0.0 else "",
                voltage + (" with spike" if s.spike > 1.0 else ""),
                peak,
                "" if hot is None else show(hot, "°C"),
                "not rated for it" if name in broken else "holds" if name in known else "no rating given",
            )
        )
        marks.append("bad" if name in broken else "")
    columns = (
        "component", "average>", "rms>", "peak>", "blocks>", "voltage rating needed>", "peak rating needed>",
        "temperature>", "part",
    )  # fmt: skip
    title = "Stress: the larger of derived and simulated over all corners; ratings with margins"
    return Table(title, columns, tuple(rows), tuple(marks))


def _worst_table(check: Check) -> Table:
    rows, marks = [], []
    for finding, corner, deviation in check.worst():
        at = f"{show(corner.v_in, 'V')}, {corner.loads}"
        rows.append(_finding_row(finding, deviation, at))
        marks.append(_mark(finding))
    columns = ("symbol", "meaning", "asked>", "derived>", "simulated>", "at>", "deviation>", "verdict")
    title = "Worst corner of each quantity; the deviation is the largest over all corners"
    return Table(title, columns, tuple(rows), tuple(marks))


def _finding_table(corner: Corner) -> Table:
    rows = tuple(_finding_row(f, f.deviation, "") for f in corner.findings)
    columns = ("symbol", "meaning", "asked>", "derived>", "simulated>", "", "deviation>", "verdict")
    title = f"{show(corner.v_in, 'V')}, {corner.loads}: {corner.mode_simulated}"
    return Table(title, columns, rows, tuple(_mark(f) for f in corner.findings))


def _mark(finding: Finding) -> str:
    if not finding.holds:
        return "bad"
    return "good" if finding.asked is not None else ""


def _finding_row(f: Finding, deviation: float, at: str) -> tuple[str, ...]:
    asked = "" if f.asked is None else f"{'=' if f.target else '≤'} {show(f.asked, f.unit)}"
    if not f.holds:
        verdict = f.advice
    elif abs(deviation) > f.tolerance:
        verdict = f"differs by more than {show_percent(f.tolerance)}"
    elif f.asked is not None:
        verdict = f"holds, {f.advice}" if f.advice else "holds"
    else:
        verdict = "agrees"
    return (
        pretty(f.symbol),
        f.meaning,
        asked,
        show(f.derived, f.unit),
        show(f.simulated, f.unit),
        at,
        f"{100 * deviation:+.3f} %" if f.compared else "",
        verdict,
    )


def _check_data(check: Check) -> dict[str, Any]:
    return {
        "title": check.design.spec.title,
        "topology": check.design.page.name,
        "holds": check.exit_status == 0,
        "overloads": list(check.overloads),
        "not_judged": list(check.refused),
        "ratings": [
            {
                "component": r.component,
                "what": r.what,
                "load": r.load,
                "needed": r.needed,
                "limit": r.limit,
                "unit": r.unit,
                "holds": r.holds,
            }
            for r in check.ratings
        ],
        "stresses": [
            {
                "component": s.component,
                "kind": s.kind,
                "average": s.average,
                "rms": s.rms,
                "peak": s.peak,
                "blocked": s.blocked,
                "voltage_needed": s.voltage_needed(check.design.spec.margin),
                "current_needed": s.current_needed(check.design.spec.margin),
            }
            for s in check.stresses
        ],
        "corners": [
            {
                "V_in": c.v_in,
                "I_o": c.i_o,
                "other_loads": list(c.others),
                "mode": {"derived": c.mode_derived, "simulated": c.mode_simulated, "holds": c.mode_holds},
                "failure": c.failure or None,
                "runaway": c.runaway or None,
                "temperatures": dict(c.temperatures),
                "control": {"derived": c.control[0], "simulated": c.control[1]},
                "holds": c.holds,
                "findings": [
                    {
                        "symbol": f.symbol,
                        "unit": f.unit,
                        "asked": f.asked,
                        "derived": f.derived,
                        "simulated": f.simulated,
                        "deviation": f.deviation,
                        "agrees": f.agrees,
                        "holds": f.holds,
                        "advice": f.advice,
                    }
                    for f in c.findings
                ],
            }
            for c in check.corners
        ],
    }
