"""Losses of one operating point: by part and mechanism, temperatures, ratings, balance; as tables and figure."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from jump_lane.circuit.control import Control
from jump_lane.design.components import Component
from jump_lane.design.derive import Design
from jump_lane.dissipation.budget import Budget
from jump_lane.dissipation.core import BIAS, CORE
from jump_lane.dissipation.ledger import Loss
from jump_lane.quantities import show, show_percent
from jump_lane.report.export import Columns
from jump_lane.report.figures import COLOURS, INK, dress, prefixed, sheet
from jump_lane.report.gaps import gaps_note
from jump_lane.report.table import Table, View
from jump_lane.spec import Spec

NEGLIGIBLE = 5e-7
"""Part of the output power below which an entry is not shown."""

HATCHES = ("////", "....", "xxxx", "----")
"""Marks of added losses, which also tell those of the same colour apart."""


def losses_view(design: Design, budget: Budget) -> View:
    """Show where the power goes; the exit status is 1 where a rating is not kept."""
    groups = grouped(budget)
    broken = budget.broken
    tables = [
        _mechanisms(budget, groups),
        _parts(budget, groups),
        _balance(budget, design.control),
    ]
    if budget.gaps:
        tables.append(_gaps(budget))
    notes = [
        "simulated losses are dissipated in the simulated circuit; added ones are computed from its waveforms and "
        "taken from the input as well, without changing them"
    ]
    if any(loss.mechanism == CORE for loss in budget.losses):
        notes.append(BIAS)
    if assumed(design.spec):
        notes.append("Assumed: " + ", ".join(assumed(design.spec)))
    notes += [f"not kept: {text}" for text in broken]
    return View("losses", _data(budget), tuple(tables), tuple(notes), 1 if broken else 0)


def assumed(spec: Spec) -> list[str]:
    """Return what surrounds the power stage and is not said in the file, in words."""
    driver, thermal = spec.driver, spec.thermal
    every = (
        (driver, "voltage", f"gates driven with {show(driver.voltage, 'V')}"),
        (driver, "on_resistance", f"through {show(driver.on_resistance, 'Ω')}"),
        (driver, "off_resistance", f"discharged through {show(driver.off_resistance, 'Ω')}"),
        (thermal, "ambient", f"ambient temperature {show(thermal.ambient, '°C')}"),
    )
    return [text for table, key, text in every if key not in table.model_fields_set]


def grouped(budget: Budget) -> dict[str, list[str]]:
    """Return the components that lose anything, those made alike under one heading."""
    found: dict[str, list[str]] = {}
    every = {c.name: c for c in budget.components}
    for name in dict.fromkeys(loss.component for loss in budget.losses):
        component = every.get(name)
        head = component.role or name if component is not None else name
        found.setdefault(head, []).append(name)
    return {head: names for head, names in found.items() if _sum(budget, names) != 0.0}


def _heading(head: str, names: list[str]) -> str:
    return head if len(names) == 1 else f"{head} ({len(names)} alike)"


def _sum(budget: Budget, names: list[str], mechanism: tuple[str, bool] | None = None) -> float:
    return sum(
        loss.power
        for loss in budget.losses
        if loss.component in names and mechanism in (None, (loss.mechanism, loss.simulated))
    )


def _mechanisms(budget: Budget, groups: dict[str, list[str]]) -> Table:
    whole = budget.simulated + budget.added
    every = list(dict.fromkeys((loss.mechanism, loss.simulated) for loss in budget.losses))
    rows = []
    for mechanism in every:
        powers = [_sum(budget, names, mechanism) for names in groups.values()]
        if max(map(abs, powers), default=0.0) < NEGLIGIBLE * abs(budget.p_out):
            continue
        cells = tuple(show(p, "W") if p else "" for p in powers)
        total = sum(powers)
        origin = "simulated" if mechanism[1] else "added"
        rows.append((mechanism[0], *cells, show(total, "W"), show_percent(total / whole), origin))
    sums = [_sum(budget, names) for names in groups.values()]
    rows.append(("all", *(show(p, "W") for p in sums), show(whole, "W"), "100 %", ""))
    heads = tuple(f"{_heading(h, n)}>" for h, n in groups.items())
    title = f"Losses at {show(budget.v_in, 'V')}, {show(budget.i_o, 'A')}"
    marks = ("",) * (len(rows) - 1) + ("title",)
    return Table(title, ("mechanism", *heads, "sum>", "share>", "origin"), tuple(rows), marks)


def _parts(budget: Budget, groups: dict[str, list[str]]) -> Table:
    every = {c.name: c for c in budget.components}
    rows, marks = [], []
    for head, names in groups.items():
        component = every.get(names[0])
        if component is None or component.kind == "auxiliary":
            continue
        hottest = max(
            (budget.temperatures[n] for n in names if n in budget.temperatures), default=float("nan")
        )
        own = [r for r in budget.ratings if r.component in names]
        tightest = min(own, key=lambda r: r.limit / r.needed, default=None)
        spare = "" if tightest is None else f"{tightest.what}: {show(tightest.limit, tightest.unit)}, "
        spare += "" if tightest is None else f"{show(tightest.needed, tightest.unit)} needed"
        verdict = "not known" if not own else "holds" if all(r.holds for r in own) else "broken"
        rows.append(
            (
                _heading(head, names),
                _part_name(component),
                show(_sum(budget, names) / len(names), "W"),
                show(hottest, "°C"),
                spare,
                verdict,
            )
        )
        marks.append({"holds": "good", "broken": "bad"}.get(verdict, ""))
    heads = ("component", "part", "loss each>", "temperature>", "tightest rating, margin included", "ratings")
    return Table("Parts", heads, tuple(rows), tuple(marks))


def _part_name(component: Component) -> str:
    if component.part is None:
        return "–"
    count = f"{component.pieces} × " if component.pieces > 1 else ""
    return count + component.part.name


def _balance(budget: Budget, control: Control) -> Table:
    rows = (
        ("input, simulated", show(budget.p_in, "W")),
        ("output, simulated", show(budget.p_out, "W")),
        ("losses, simulated", show(budget.simulated, "W")),
        ("left unexplained, part of the input", f"{budget.residual:.1e}"),
        ("losses, added", show(budget.added, "W")),
        ("efficiency", percent(budget.efficiency)),
        ("efficiency of the simulated circuit alone", percent(budget.passed_on())),
        (control.words, show(budget.control, control.unit)),
        ("heat that every kelvin brings back (100 % is runaway)", f"{100.0 * budget.feedback:.2g} %"),
    )
    return Table("Balance", ("power", "value>"), rows)


def _gaps(budget: Budget) -> Table:
    """List the figures that are not known, those of parts made alike once."""
    roles = {c.name: c.role or c.name for c in budget.components}
    found: dict[tuple[str, str, str], str] = {}
    for gap in budget.gaps:
        found.setdefault((roles.get(gap.component, gap.component), gap.figure, gap.effect), gap.cost)
    rows = tuple((*key, cost) for key, cost in found.items())
    heads = ("component", "figure", "what it does to the result", "what it is worth")
    return Table("Not known", heads, rows)


def percent(ratio: float) -> str:
    """Write an efficiency with two decimals of a percent."""
    return "–" if ratio != ratio else f"{100.0 * ratio:.2f} %"


def _data(budget: Budget) -> dict[str, Any]:
    every = {c.name: c for c in budget.components}
    return {
        "input_voltage": budget.v_in,
        "load": budget.i_o,
        "control": budget.control,
        "input_power": budget.p_in,
        "output_power": budget.p_out,
        "simulated": budget.simulated,
        "added": budget.added,
        "residual": budget.residual,
        "thermal_feedback": budget.feedback,
        "efficiency": budget.efficiency,
        "losses": [_loss_data(loss) for loss in budget.losses],
        "parts": {n: None if c.part is None else c.part.name for n, c in every.items()},
        "temperatures": budget.temperatures,
        "ratings": [
            {
                "component": r.component,
                "rating": r.what,
                "unit": r.unit,
                "load": r.load,
                "needed": r.needed,
                "limit": r.limit,
                "holds": r.holds,
            }
            for r in budget.ratings
        ],
        "not_known": [
            {"component": g.component, "figure": g.figure, "effect": g.effect, "cost": g.cost}
            for g in budget.gaps
        ],
    }


def _loss_data(loss: Loss) -> dict[str, Any]:
    return {
        "component": loss.component,
        "mechanism": loss.mechanism,
        "power": loss.power,
        "simulated": loss.simulated,
    }


def losses_columns(budget: Budget) -> Columns:
    """Return the losses as columns for export."""
    return {
        "component": [loss.component for loss in budget.losses],
        "mechanism": [loss.mechanism for loss in budget.losses],
        "power [W]": [loss.power for loss in budget.losses],
        "simulated": [str(loss.simulated).lower() for loss in budget.losses],
    }


def losses_figure(design: Design, budget: Budget) -> Any:
    """Draw the losses as stacked bars, one for each part, one colour for each mechanism."""
    groups = grouped(budget)
    title = design.title
    figure = sheet(
        f"{title}: {percent(budget.efficiency)} at {show(budget.v_in, 'V')}, {show(budget.i_o, 'A')}"
    )
    axes = figure.add_axes((0.085, 0.11, 0.62, 0.8))
    mechanisms = list(dict.fromkeys((loss.mechanism, loss.simulated) for loss in budget.losses))
    table = np.array([[_sum(budget, names, m) for names in groups.values()] for m in mechanisms])
    scale, unit = prefixed([table.sum(axis=0)], "W")
    bottom = np.zeros(len(groups))
    shown = {True: 0, False: 0}
    for mechanism, powers in zip(mechanisms, np.maximum(table, 0.0) * scale, strict=True):
        if powers.max() < 2e-3 * table.sum(axis=0).max() * scale:
            continue
        k = shown[mechanism[1]]
        colour, hatch = COLOURS[k % len(COLOURS)], "" if mechanism[1] else HATCHES[k // len(COLOURS)]
        label = mechanism[0] if mechanism[1] else f"{mechanism[0]} (added)"
        axes.bar(
            range(len(groups)),
            powers,
            0.62,
            bottom,
            label=label,
            color=colour,
            hatch=hatch,
            edgecolor="white",
        )
        bottom, shown[mechanism[1]] = bottom + powers, k + 1
    for k, names in enumerate(groups.values()):
        temperatures = [budget.temperatures[n] for n in names if n in budget.temperatures]
        text = show(_sum(budget, names), "W") + (f"\n{max(temperatures):.0f} °C" if temperatures else "")
        axes.annotate(
            text, (k, bottom[k]), (0, 3), textcoords="offset points", ha="center", fontsize=8, color=INK
        )
    dress(axes)
    axes.set_axisbelow(True)
    axes.grid(False, axis="x")
    axes.set_xticks(range(len(groups)), [_heading(h, n) for h, n in groups.items()])
    axes.set_ylim(0.0, 1.12 * float(bottom.max()))
    axes.set_ylabel(f"loss [{unit}]", color=INK)
    figure.legend(
        *axes.get_legend_handles_labels(),
        loc="upper left",
        bbox_to_anchor=(0.715, 0.915),
        fontsize=8,
        frameon=False,
    )
    return figure


Corners = Sequence[tuple[tuple[float, float], Budget | str]]
"""Input voltage [V] and load [A] of each corner, and its losses or why there are none."""


def corners_view(corners: Corners) -> View:
    """Show loss, efficiency and hottest part at every corner."""
    rows, marks = [], []
    for (v_in, load), found in corners:
        at = (show(v_in, "V"), show(load, "A"))
        if isinstance(found, str):
            rows.append((*at, "–", "–", "–", "", found))
            marks.append("bad")
            continue
        hottest = found.hottest_part
        rows.append(
            (*at, show(found.p_out, "W"), show(found.loss, "W"), percent(found.efficiency),
             f"{hottest} {show(found.hottest, '°C')}" if hottest else "–", _kept(found))
        )  # fmt: skip
        marks.append("bad" if found.broken else "")
    columns = ("input>", "load>", "output>", "loss>", "efficiency>", "hottest", "ratings")
    known = [b for _, b in corners if not isinstance(b, str)]
    notes = gaps_note(g for b in known for g in b.gaps)
    status = 3 if len(known) < len(corners) else 1 if any(b.broken for b in known) else 0
    data = {"corners": [_corner_data(at, found) for at, found in corners]}
    table = Table("Losses at every corner, temperatures settled", columns, tuple(rows), tuple(marks))
    return View("corners", data, (table,), tuple(notes), status)


def _kept(found: Budget) -> str:
    """Return the first rating that is not kept, or how many are."""
    if found.broken:
        return found.broken[0]
    return f"{len(found.ratings)} hold" if found.ratings else "none given"


def _corner_data(at: tuple[float, float], found: Budget | str) -> dict[str, Any]:
    entry: dict[str, Any] = {"input_voltage": at[0], "load": at[1]}
    if isinstance(found, str):
        return entry | {"reason": found}
    return entry | {"loss": found.loss, "efficiency": found.efficiency, "temperatures": found.temperatures,
                    "not_kept": list(found.broken)}  # fmt: skip


def corners_columns(corners: Corners) -> Columns:
    """Return a row for each corner."""
    none = float("nan")
    every = [
        (at, b if not isinstance(b, str) else None, b if isinstance(b, str) else "") for at, b in corners
    ]
    return {
        "input.voltage [V]": [at[0] for at, _, _ in every],
        "output.current [A]": [at[1] for at, _, _ in every],
        "loss [W]": [none if b is None else b.loss for _, b, _ in every],
        "efficiency [1]": [none if b is None else b.efficiency for _, b, _ in every],
        "hottest [°C]": [none if b is None else b.hottest for _, b, _ in every],
        "not kept": ["" if b is None else "; ".join(b.broken) for _, b, _ in every],
        "reason": [why for _, _, why in every],
    }
