"""Wound components as tables: the list of a search, one design in detail, the winding sheet."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from jump_lane.judge.verdict import Verdict
from jump_lane.magnetics.asked import Asked
from jump_lane.magnetics.choice import Choice, judged, notes_on
from jump_lane.magnetics.design import Winding
from jump_lane.magnetics.proof import Proven
from jump_lane.magnetics.section import shares
from jump_lane.magnetics.sheet import Sheet, gap_words, wire_words
from jump_lane.magnetics.written import order_of
from jump_lane.quantities import show
from jump_lane.report.export import Columns
from jump_lane.report.table import Table, View


def list_view(
    choice: Choice, judgements: tuple[str, ...], held: int, name: str, ratios: Mapping[str, float]
) -> View:
    """Show the best designs, and for how many others which limit stood against them.

    Parameters
    ----------
    judgements, held
        What the check of the converter says with each; with how many, the first ones, it holds.
    ratios
        Turns ratios by symbol, where they were lowered for what the winding drops.
    """
    asked = choice.asked
    rows = tuple(_row(k, p) for k, p in enumerate(choice.designs, start=1))
    marks = tuple("faint" if any(not v.holds for v in judged(asked, p)) else "" for p in choice.designs)
    alone = len(asked.coil.windings) == 1
    heads = (
        "", "core", "material<", "turns>", "gap>", "wire<", "loss>", "core>" if alone else "leakage>", "rise>", "B>", "fill>", "L>",
    )  # fmt: skip
    fallen = Table(
        "Fell out",
        ("because of", "combinations>"),
        tuple((k, str(n)) for k, n in choice.fallen.most_common() if n),
    )
    designs = Table(f"{asked.coil.name}: the best designs", heads, rows, marks)
    notes = [
        f"{choice.looked} combinations, {choice.valid} hold; all limits at {len(asked.burden.courses)} corners"
    ]
    notes += notes_on(asked)
    notes += [_together(judgements, held)]
    notes += [_lowered(ratios)] if ratios else []
    notes += ["faint: less than the least magnetising inductance"] if any(marks) else []
    notes += [
        f"jumplane wind {name} {asked.coil.name} --show 1 shows one in detail; --write puts it into the file"
    ]
    notes += [] if choice.complete else ["interrupted: cores that were not reached are missing"]
    data = {
        "component": asked.coil.name,
        "looked": choice.looked,
        "valid": choice.valid,
        "fallen": dict(choice.fallen),
        "held": held,
        "turns_ratios": dict(ratios),
        "designs": [
            {"converter": j, **design_data(asked, p)} for p, j in zip(choice.designs, judgements, strict=True)
        ],
    }
    return View("wind", data, (designs, fallen), tuple(notes))


def _together(judgements: tuple[str, ...], held: int) -> str:
    """Say with which of the designs the converter holds, and what is against the first one if with none."""
    if held == 0:
        return f"the converter with the first: {judgements[0]}"
    which = "the first" if held == 1 else "each of them" if held == len(judgements) else f"the first {held}"
    return f"the converter holds with {which}"


def _lowered(ratios: Mapping[str, float]) -> str:
    chosen = ", ".join(f"{symbol} = {value:g}" for symbol, value in ratios.items())
    return (
        f"{chosen}: lowered, as with leakage and resistance of any winding found before the duty ratio exceeded "
        "switching.duty_limit; --write puts that under [chosen] too"
    )


def _row(number: int, p: Proven) -> tuple[str, ...]:
    """Return a line of the list: beside the loss that of the core, or where there are several windings the leakage."""
    wound = p.wound
    beside = show(max(p.leakage.values()), "H") if p.leakage else show(float(p.core[p.worst]), "W")
    turns, wires = ("\n".join(each) for each in (map(str, wound.turns), map(_wire_of, wound.windings)))
    return (
        str(number), wound.core.part, wound.material.part.removeprefix("sample-"), turns,
        f"{1e6 * wound.gap.length:.0f} µm" if wound.gap.length else "–", wires, show(p.loss, "W"), beside,
        f"{p.rise:.0f} K", f"{1e3 * p.density:.0f} mT", f"{100.0 * p.fill:.0f} %", show(p.inductance, "H"),
    )  # fmt: skip


def _wires(p: Proven) -> str:
    return ", ".join(_wire_of(w) for w in p.wound.windings)


def _wire_of(winding: Winding) -> str:
    return f"{winding.parallel}× {winding.wire.part}" if winding.parallel > 1 else winding.wire.part


def design_data(asked: Asked, p: Proven) -> dict[str, Any]:
    """Return a design as plain data, SI."""
    wound = p.wound
    return {
        "core": wound.core.part,
        "material": wound.material.part,
        "bobbin": None if wound.bobbin is None else wound.bobbin.part,
        "gap": wound.gap.length,
        "gaps": wound.gap.number,
        "gap_place": wound.gap.place,
        "order": order_of(asked, p),
        "windings": [
            {"name": w.name, "turns": w.turns, "wire": w.wire.part, "parallel": w.parallel, "grade": w.grade}
            for w in wound.windings
        ],
        "layers": len(p.layers),
        "inductance": p.inductance,
        "leakage": dict(p.leakage),
        "capacitance": dict(p.capacitance),
        "flux_density": p.density,
        "saturation": p.limit,
        "copper_loss": p.copper.tolist(),
        "core_loss": p.core.tolist(),
        "rise": p.rise,
        "hot_spot": p.temperature,
        "build": p.build,
        "fill": p.fill,
        "volume": p.volume,
        "height": wound.core.height,
        "footprint": p.footprint,
        "mass": p.mass,
        "cost": p.cost,
        "verdicts": [
            {"what": v.what, "asked": v.asked, "found": v.found, "holds": v.holds, "warning": v.warning}
            for v in judged(asked, p)
        ],
    }


def list_columns(choice: Choice) -> Columns:
    """Return a row for each design."""
    found = [(p, design_data(choice.asked, p)) for p in choice.designs]
    out: Columns = {
        "core": [p.wound.core.part for p, _ in found],
        "material": [p.wound.material.part for p, _ in found],
        "turns": [":".join(map(str, p.wound.turns)) for p, _ in found],
        "wires": [_wires(p) for p, _ in found],
        "layers": [len(p.layers) for p, _ in found],
    }
    for key, unit in (
        ("gap", "m"), ("inductance", "H"), ("flux_density", "T"), ("rise", "K"), ("hot_spot", "°C"), ("fill", "1"), ("volume", "m³"),
        ("height", "m"), ("footprint", "m²"), ("mass", "kg"), ("cost", "1"),
    ):  # fmt: skip
        out[f"{key.replace('_', ' ')} [{unit}]"] = [d[key] for _, d in found]
    out["loss [W]"] = [p.loss for p, _ in found]
    out["core loss [W]"] = [float(p.core[p.worst]) for p, _ in found]
    return out


def design_view(asked: Asked, p: Proven, sheet: Sheet, inside: str) -> View:
    """Show one design in detail; the exit status is 1 if it breaks a limit."""
    verdicts = list(judged(asked, p))
    holds = all(v.holds or v.warning for v in verdicts)
    tables = (_made(p, sheet), _values(p), _losses(asked, p), _verdicts(verdicts), _steps(sheet))
    notes = [
        f"the converter with it: {inside}",
        *_about(p),
        *notes_on(asked),
        *(f"test: {m}" for m in sheet.measure),
    ]
    data = {
        "component": asked.coil.name,
        "holds": holds,
        "converter": inside,
        **design_data(asked, p),
        "sheet": sheet.data(),
    }
    return View(
        "wound",
        data,
        tables,
        tuple(notes),
        0 if holds else 1,
        heading=f"{asked.coil.name}: {p.wound.core.part}, {p.wound.material.part}",
    )


PER_VOLUME = 100e3
"""Loss density by which it is told what core losses that are not known may be [W/m³]."""


def _about(p: Proven) -> list[str]:
    wound = p.wound
    notes = []
    if wound.material.core_pieces is None:
        cost = show(PER_VOLUME * wound.core.volume, "W")
        words = f"{show(1e-3 * PER_VOLUME, 'W')} a litre"
        notes.append(f"core losses are left out: the material has no core_pieces; {words} would be {cost}")
    elif wound.material.bias_loss is None:
        notes.append(
            "core losses do not include the effect of a direct flux beneath the ripple: the material does not say"
        )
    if wound.gap.length > 0.0 and any(w.wire.form == "foil" for w in wound.windings):
        notes.append("foil beside a gap: the field across it costs more than is shown")
    if wound.core.ring:
        notes.append("a ring: the field is taken as that of its inner circumference unrolled")
    part = shares(p)
    notes.append("window: " + ", ".join(f"{100.0 * v:.0f} % {k}" for k, v in part.items()))
    return notes


def _made(p: Proven, sheet: Sheet) -> Table:
    wound = p.wound
    rows = [
        (w.name, str(w.turns), wire_words(wound, k), str(w.parallel), str(sum(a.winding == k for a in p.layers)),
         show(sheet.resistance[w.name], "Ω"), f"dot at pin {sheet.dots[w.name]}")
        for k, w in enumerate(wound.windings)
    ]  # fmt: skip
    title = f"{sheet.bobbin}; gap: {gap_words(wound)}"
    return Table(
        title, ("winding", "turns>", "wire", "parallel>", "layers>", "resistance at 25 °C>", ""), tuple(rows)
    )


def _values(p: Proven) -> Table:
    rows = [
        (
            "inductance",
            show(p.inductance, "H"),
            "N²/(l_e/(μ0·μ_r·A_e) + R_gap)",
            "IEC 60205; Mühlethaler/Kolar/Ecklebe 2011",
        ),
        ("flux density", f"{1e3 * p.density:.1f} mT", "λ_pk/(N·A_min)", "Faraday's law"),
        ("saturates at", f"{1e3 * p.limit:.1f} mT", "J_s when hot", "material"),
    ]
    if p.leakage:
        rows += [
            (f"leakage, {k} short-circuited", show(v, "H"), "2·W'/I²·MLT", "Roth 1928")
            for k, v in p.leakage.items()
        ]
    rows += [
        (
            f"capacitance {'to the others' if k == 'between' else f'across {k}'}",
            show(v, "F"),
            "ε·b·MLT/d, ±30 %",
            "Snelling 1969",
        )
        for k, v in p.capacitance.items()
        if v > 0.0
    ]
    rows += [
        ("temperature rise", f"{p.rise:.1f} K", "P = A·(h·ΔT + ε·σ·(T⁴ − T_a⁴)), ±25 %", "McAdams 1954"),
        ("hottest spot", f"{p.temperature:.1f} °C", "+ P_cu·build/(2·k·A)", "heat conduction"),
        (
            "build",
            f"{show(p.build, 'm')} of {show(p.wound.depth, 'm')}",
            "Σ layers·d_o + tape",
            "largest diameters",
        ),
        ("mass", f"{1e3 * p.mass:.1f} g, {1e3 * p.copper_mass:.1f} g of it copper", "", ""),
    ]
    return Table("Values", ("what", "value>", "formula", "source"), tuple(rows))


def _losses(asked: Asked, p: Proven) -> Table:
    rms = asked.burden.rms
    rows = tuple(
        (c.words, ", ".join(show(float(i), "A") for i in rms[k]), show(float(p.copper[k]), "W"), show(float(p.core[k]), "W"),
         show(float(p.copper[k] + p.core[k]), "W"))
        for k, c in enumerate(asked.burden.courses)
    )  # fmt: skip
    return Table("Losses", ("corner", "rms of each winding>", "winding>", "core>", "together>"), rows)


def _verdicts(verdicts: list[Verdict]) -> Table:
    words = {True: "holds", False: "NOT MET"}
    rows = tuple(
        (v.what, v.asked, v.found, "less than asked" if not v.holds and v.warning else words[v.holds])
        for v in verdicts
    )
    return Table(
        "Asked", ("what", "asked", "found>", ""), rows, tuple("good" if v.holds else "bad" for v in verdicts)
    )


def _steps(sheet: Sheet) -> Table:
    rows = tuple(
        (str(s.number), s.winding or "–", str(s.turns) if s.turns else "–", s.wire + (f", {s.parallel} side by side" if s.parallel > 1 else ""),
         s.start, s.end, s.note)
        for s in sheet.steps
    )  # fmt: skip
    return Table(
        "Wind from the leg outwards, clockwise",
        ("step>", "winding", "turns>", "wire", "start", "end", ""),
        rows,
    )


def sheet_text(sheet: Sheet) -> str:
    """Return a winding sheet as text."""
    out = [
        f"Winding sheet: {sheet.component}", "",
        f"core       {sheet.core}", f"material   {sheet.material}", f"bobbin     {sheet.bobbin}", f"gap        {sheet.gap}", "",
        "step  winding   turns  wire                                start        end       ",
    ]  # fmt: skip
    for s in sheet.steps:
        wire = f"{s.wire}, {s.parallel} side by side" if s.parallel > 1 else s.wire
        note = f"  {s.note}" if s.note else ""
        line = f"{s.number:>4}  {s.winding or '–':<9} {s.turns or '–':>5}  {wire:<34}  {s.start:<11}  {s.end:<9}{note}"
        out.append(line.rstrip())
    out += [
        "",
        "every layer clockwise, seen from the pins; dots: "
        + ", ".join(f"{k} at pin {v}" for k, v in sheet.dots.items()),
        "",
    ]
    out += ["measure"]
    out += [f"  {m}" for m in sheet.measure]
    out += [f"  resistance of {k}: {show(v, 'Ω')} at 25 °C" for k, v in sheet.resistance.items()]
    return "\n".join(out) + "\n"
