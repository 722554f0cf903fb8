"""A check as numbers, as columns, and as a list of everything that is judged."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Any

from jump_lane.equations.formula import pretty
from jump_lane.quantities import show
from jump_lane.report.export import Columns
from jump_lane.report.stress import stress_data
from jump_lane.study.check import Check


def check_columns(check: Check) -> Columns:
    """Return a row for each quantity at each corner, in SI units."""
    rows = [(c, f) for c in check.corners for f in c.findings]
    return {
        "input.voltage [V]": [c.v_in for c, _ in rows],
        "loads": [c.loads for c, _ in rows],
        "mode": [c.mode_simulated for c, _ in rows],
        "symbol": [f.symbol for _, f in rows],
        "unit": [f.unit for _, f in rows],
        "asked": [math.nan if f.asked is None else f.asked for _, f in rows],
        "derived": [f.derived for _, f in rows],
        "simulated": [f.simulated for _, f in rows],
        "deviation [1]": [f.deviation for _, f in rows],
        "holds": [f.holds for _, f in rows],
        "advice": [f.advice for _, f in rows],
    }


def verdicts(check: Check) -> Iterator[tuple[str, str, bool]]:
    """Yield everything that is judged: its name, what is wrong (empty: it holds), and whether that is no result at all."""
    failures = sorted({c.failure for c in check.corners if c.failure})
    yield f"a result at all {len(check.corners)} corners", "; ".join(failures), True
    for finding, corner, _ in check.worst():
        if finding.asked is not None:
            name = f"{pretty(finding.symbol)} {'=' if finding.target else '≤'} {show(finding.asked, finding.unit)}"
            at = f"{show(finding.simulated, finding.unit)} at {show(corner.v_in, 'V')}, {corner.loads}"
            yield name, "" if finding.holds else f"{at}: {finding.advice}", False
    if check.mode_asked:
        wrong = sorted({c.mode_advice for c in check.corners if not c.mode_holds})
        yield f"{check.mode_asked} conduction", "; ".join(wrong), False
    for rating in check.ratings:
        yield f"{rating.component} {rating.what}", "" if rating.holds else rating.text(), False
    for runaway in sorted({c.runaway for c in check.corners if c.runaway}):
        yield "a stable temperature", runaway, False


def check_data(check: Check) -> dict[str, Any]:
    """Return a check as numbers."""
    margin = check.design.spec.margin
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
            stress_data(s)
            | {"voltage_needed": s.voltage_needed(margin), "current_needed": s.current_needed(margin)}
            for s in check.stresses
        ],
        "corners": [
            {
                "V_in": c.v_in,
                "I_o": c.i_o,
                "other_loads": list(c.others),
                "output_voltage": c.v_o,
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
