"""The parameters of an operating point for other programs: voltages, control, instants of every gate, parts."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from jump_lane.design.derive import Design
from jump_lane.errors import InputError
from jump_lane.quantities import PHASE
from jump_lane.report.table import to_csv
from jump_lane.switching.record import Recording

KINDS = (".json", ".toml", ".csv")
"""Endings of the file."""


def settings(design: Design, control: float, recording: Recording) -> dict[str, Any]:
    """Return what sets an operating point, in SI units: instants in seconds from the start of the period."""
    point, page = design.point(0, 0), design.page
    found: dict[str, Any] = {
        "title": design.spec.title,
        "topology": page.name,
        "input_voltage": point["V_in"],
        "output_voltage": recording.measures("load.v").average,
        "load_current": recording.measures("load.i").average,
        "period": recording.period,
        "frequency": 1.0 / recording.period,
        "control": {"symbol": page.control.symbol, "value": control, "unit": page.control.unit},
    }
    angles = {s: point[s] for s in (page.angled.symbols if page.angled else ())}
    if angles:
        found["angles"] = {
            s: _angle(v, recording.period) for s, v in {**angles, page.control.symbol: control}.items()
        }
    elif page.control.dimension is PHASE:
        found["angles"] = {page.control.symbol: _angle(control, recording.period)}
    found["gates"] = {name: [list(span) for span in spans] for name, spans in gates(recording).items()}
    found["components"] = {
        s: {"value": v, "unit": design.sheet[s].unit} for s, v in design.components().items()
    }
    figures = {
        role.name: {d.key: design.sheet[d.symbol].worst for d in role.data if design.sheet[d.symbol].worst}
        for role in page.roles
    }
    found["parts"] = {name: known for name, known in figures.items() if known}
    return found


def _angle(part: float, period: float) -> dict[str, float]:
    return {"part": part, "degrees": 360.0 * part, "seconds": part * period}


def gates(recording: Recording) -> dict[str, list[tuple[float, float]]]:
    """Return the on-intervals of every switch [s]; one that goes on over the end of the period ends in the next."""
    out: dict[str, list[tuple[float, float]]] = {}
    for switch in recording.engine.switches:
        at = recording.index(f"{switch}.gate")
        ons = [e.time for e in recording.edges if e.before[at] < 0.5 < e.after[at]]
        offs = [e.time for e in recording.edges if e.after[at] < 0.5 < e.before[at]]
        spans = [(on, min((off - on) % recording.period for off in offs)) for on in ons] if offs else []
        out[switch] = [(on, on + length) for on, length in spans]
    return out


def as_text(path: Path, found: dict[str, Any]) -> str:
    """Return settings as the content of a file, by its ending.

    Raises
    ------
    InputError
        On another ending.
    """
    kind = path.suffix.lower()
    if kind == ".json":
        return json.dumps(found, indent=2, ensure_ascii=False) + "\n"
    if kind == ".toml":
        import tomlkit

        return tomlkit.dumps(found)
    if kind == ".csv":
        return to_csv(("name", "value"), [(name, str(value)) for name, value in _flat(found, "")])
    raise InputError(f"--settings {path}: expected a name that ends in {', '.join(KINDS)}")


def _flat(value: Any, path: str) -> Iterator[tuple[str, Any]]:
    if isinstance(value, dict):
        for name, inner in value.items():
            yield from _flat(inner, f"{path}.{name}" if path else name)
    elif isinstance(value, list):
        for k, inner in enumerate(value, start=1):
            yield from _flat(inner, f"{path}.{k}")
    else:
        yield path, value
