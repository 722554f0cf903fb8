"""The winding sheet: everything that a workshop needs to wind a component and to test it.

Sheet, drawing and numbers come from one list of layers.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass, replace
from typing import Any

from jump_lane.catalogue.kinds import REFERENCE_TEMPERATURE
from jump_lane.magnetics.asked import Asked
from jump_lane.magnetics.copper import still_resistances
from jump_lane.magnetics.design import Wound
from jump_lane.magnetics.proof import Proven
from jump_lane.quantities import show

TEST_FACTOR, TEST_BASE = 2.0, 1000.0
"""Customary test voltage between windings: so many times the working voltage, and 1 kV more; doubled for reinforced insulation.  The
safety standard of the product decides."""

LEAKAGE_LIMIT = 1.3
"""Leakage that a wound piece may have, over that computed."""


@dataclass(frozen=True)
class Step:
    """One step of winding: a layer, some turns of foil one over the other, or an insulation."""

    number: int
    winding: str
    turns: int
    wire: str
    parallel: int
    start: str
    end: str
    direction: str
    note: str


@dataclass(frozen=True)
class Sheet:
    """A winding sheet; lengths [m], inductances [H], voltages [V]."""

    component: str
    core: str
    material: str
    bobbin: str
    gap: str
    steps: tuple[Step, ...]
    dots: dict[str, str]
    inductance: float
    tolerance: float
    leakage_limit: dict[str, float]
    resistance: dict[str, float]
    test_voltage: float
    measure: tuple[str, ...]

    def data(self) -> dict[str, Any]:
        """Return it as plain data."""
        return asdict(self)


def pins(wound: Wound) -> dict[int, tuple[str, str]]:
    """Return start and end pin of each winding: the first winding on one side of the bobbin, all others on the other side."""
    count = 10 if wound.bobbin is None else wound.bobbin.pins
    half = max(count // 2, 2)
    out = {0: ("1", "2")}
    for k in range(1, len(wound.windings)):
        first = half + 2 * k - 1
        out[k] = (
            (str(first), str(first + 1))
            if first + 1 <= count
            else (f"free end {2 * k - 1}", f"free end {2 * k}")
        )
    return out


def sheet_of(asked: Asked, found: Proven) -> Sheet:
    """Return the winding sheet of a design, resistances those to direct current at 25 °C."""
    wound, table = found.wound, asked.table
    insulation = 0.0
    if len(wound.windings) > 1:
        insulation = TEST_FACTOR * asked.voltage + TEST_BASE
        insulation *= 2.0 if table.insulation == "reinforced" else 1.0
    limits = {k: LEAKAGE_LIMIT * v for k, v in found.leakage.items()}
    bobbin = "none: wrapped with tape" if wound.bobbin is None else wound.bobbin.part
    ends = pins(wound)
    cold = still_resistances(wound, found.layers, REFERENCE_TEMPERATURE)
    resistance = {w.name: float(r) for w, r in zip(wound.windings, cold, strict=True)}
    dots = {w.name: ends[k][0] for k, w in enumerate(wound.windings)}
    return Sheet(
        asked.coil.name, wound.core.part, wound.material.part, bobbin, gap_words(wound), tuple(_steps(found)), dots, found.inductance,
        table.inductance_tolerance, limits, resistance, insulation, tuple(_measures(asked, found, limits, insulation)),
    )  # fmt: skip


def gap_words(wound: Wound) -> str:
    """Return where the gaps are, in words."""
    gap = wound.gap
    if gap.length <= 0.0:
        return "none" if not wound.material.powder else "none: distributed in the powder"
    if gap.place == "spacer":
        return f"spacer of {show(gap.length, 'm')} between the halves"
    if gap.number == 1:
        return f"{show(gap.length, 'm')} ground into the wound leg"
    return (
        f"{gap.number} gaps of {show(gap.length / gap.number, 'm')} in the wound leg, evenly along the window"
    )


def _steps(found: Proven) -> list[Step]:
    wound, ends = found.wound, pins(found.wound)
    out: list[Step] = []
    total = [0] * len(wound.windings)
    portion = 0
    for layer in found.layers:
        winding = wound.windings[layer.winding]
        if layer.portion != portion:
            beside = wound.order[layer.portion].chamber != wound.order[portion].chamber
            portion = layer.portion
            words = "next chamber" if beside else f"insulation, {show(wound.tape, 'm')}"
            out.append(Step(len(out) + 1, "", 0, "", 0, "", "", "", words))
        begins = total[layer.winding] == 0
        total[layer.winding] += layer.turns
        finished = total[layer.winding] == winding.turns
        start = f"pin {ends[layer.winding][0]}, dot" if begins else "goes on"
        end = f"pin {ends[layer.winding][1]}" if finished else "goes on"
        margin = f"{show(wound.margin, 'm')} free at both ends" if wound.margin else ""
        last = out[-1] if out else None
        if winding.wire.form == "foil" and last is not None and last.winding == winding.name:
            out[-1] = replace(last, turns=last.turns + layer.turns, end=end)
            continue
        out.append(
            Step(len(out) + 1, winding.name, layer.turns, wire_words(wound, layer.winding), winding.parallel, start, end,
                 "clockwise", margin)
        )  # fmt: skip
    return out


def wire_words(wound: Wound, k: int) -> str:
    """Return the wire of a winding with its insulation, in words."""
    winding = wound.windings[k]
    if winding.wire.flat:
        return winding.wire.part
    return f"{winding.wire.part}, {'triple-insulated' if winding.grade == 0 else f'grade {winding.grade}'}"


def _measures(asked: Asked, found: Proven, limits: dict[str, float], voltage: float) -> list[str]:
    tolerance = 100.0 * asked.table.inductance_tolerance
    first = asked.coil.windings[0]
    path = "" if asked.coil.path == 1.0 else ", all windings of the magnetised path in series"
    out = [
        f"inductance of {first}{path}: {show(found.inductance, 'H')} ± {tolerance:.3g} %, at 25 °C, no direct current"
    ]
    out += [f"leakage of {first} with {k} short-circuited: at most {show(v, 'H')}" for k, v in limits.items()]
    out += [
        f"turns ratio {first} : {w.name} = {found.wound.turns[0]} : {w.turns}"
        for w in found.wound.windings[1:]
    ]
    if voltage:
        out.append(
            f"insulation between {first} and all others: {show(voltage, 'V')} for 60 s, rms (customary; the product's safety standard decides)"
        )
    return out
