"""The best designs of a search, computed once more on their own and judged by every limit."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

import numpy as np

from jump_lane.catalogue.kinds import SATURATED
from jump_lane.errors import NoResultError
from jump_lane.judge.verdict import ROUNDING, Verdict, at_most
from jump_lane.magnetics.asked import Asked
from jump_lane.magnetics.creepage import KILOHERTZ, SOURCE
from jump_lane.magnetics.gapping import SOFT
from jump_lane.magnetics.layers import layers_of
from jump_lane.magnetics.proof import Proven, leakage_of, prove
from jump_lane.magnetics.search import Candidate, Search, worth
from jump_lane.quantities import show

LOOKED_AT, OF_ONE_CORE = 120, 2
"""Designs of the search that are computed once more; how many of one core a list shows at most."""

ROUGH = 12
"""Terms of the field that tell roughly how much leakage there is."""


@dataclass(frozen=True)
class Choice:
    """What a search found.

    Attributes
    ----------
    designs
        The best first.
    points
        Loss [W], volume [m³] and core of every design of the search, for a figure.
    complete
        Whether it was not interrupted.
    """

    asked: Asked
    designs: tuple[Proven, ...]
    looked: int
    valid: int
    fallen: Counter[str]
    points: tuple[tuple[float, float, str], ...]
    complete: bool


def judged(asked: Asked, found: Proven) -> Iterator[Verdict]:
    """Yield the verdict on everything asked of a wound component."""
    table, coil, wound = asked.table, asked.coil, found.wound
    limit = found.limit * (1.0 - table.flux_margin)
    margin = asked.design.spec.margin.current if coil.stores else 0.0
    words = f"flux density, with {100.0 * margin:.3g} % more current" if margin else "flux density"
    yield at_most(words, found.density, limit, "T")
    if coil.inductance > 0.0:
        yield from _inductance(asked, found)
    yield at_most("temperature rise", found.rise, table.temperature_rise, "K")
    hottest = min(
        p for p in (wound.material.max_temperature, wound.bobbin.max_temperature if wound.bobbin else 155.0)
    )
    yield at_most("hottest spot", found.temperature, hottest, "°C")
    yield at_most("build", found.build, wound.depth * table.fill, "m")
    for k, name in enumerate(coil.windings):
        most_layers = asked.winding(k).most_layers
        if most_layers is not None:
            count = sum(layer.winding == k for layer in found.layers)
            yield Verdict(f"layers of {name}", f"≤ {most_layers}", str(count), count <= most_layers)
    for what, value, most, unit in (
        ("height", wound.core.height, table.height, "m"),
        ("footprint", found.footprint, table.footprint, "m²"),
    ):
        if most is not None:
            yield at_most(what, value, most, unit)
    yield from _leakage(asked, found)
    if len(coil.windings) > 1 and table.insulation != "functional":
        words = "triple-insulated wire" if asked.triple else f"margins of {show(wound.margin, 'm')}"
        yield Verdict(f"{table.insulation} insulation at {show(asked.voltage, 'V')}", SOURCE, words, True)


def _inductance(asked: Asked, found: Proven) -> Iterator[Verdict]:
    """Yield verdicts on the inductance: of powder what is left of it, of a gapped core its value, of a transformer the least."""
    table, coil = asked.table, asked.coil
    low, high = (coil.inductance * (1.0 + s * table.inductance_tolerance) for s in (-1.0, 1.0))
    least = f"≥ {show(low, 'H')}"
    if found.wound.material.powder:
        left = _left(found, asked)
        yield Verdict("inductance left at the peak", least, show(left, "H"), left >= low * (1.0 - ROUNDING))
        yield at_most(
            "inductance at no current", found.inductance, high if asked.exact else SOFT * coil.inductance, "H"
        )
    elif coil.stores:
        within = low <= found.inductance <= high
        yield Verdict(
            "inductance", f"{show(low, 'H')} to {show(high, 'H')}", show(found.inductance, "H"), within
        )
        current, up_to = asked.largest / coil.inductance, found.curve.saturation_current
        words = f"≥ {100.0 * SATURATED:.0f} % left at {show(current, 'A')}"
        yield Verdict("saturation", words, f"up to {show(up_to, 'A')}", up_to >= current * (1.0 - ROUNDING))
    else:
        apparent = min(found.inductance, asked.largest / found.curve.current_at(asked.largest))
        held = apparent >= low * (1.0 - ROUNDING)
        words = "magnetising inductance, cold or at the peak"
        yield Verdict(words, least, show(apparent, "H"), held, warning=not held)


def _left(found: Proven, asked: Asked) -> float:
    """Return the incremental inductance that is left at the largest current [H]."""
    current = asked.largest / asked.coil.inductance
    return float(np.interp(current, found.curve.current, found.curve.incremental))


def _leakage(asked: Asked, found: Proven) -> Iterator[Verdict]:
    for limit, sign, words in ((asked.table.most_leakage, 1.0, "≤"), (asked.table.least_leakage, -1.0, "≥")):
        if limit is None or not found.leakage:
            continue
        value = (max if sign > 0.0 else min)(found.leakage.values())
        holds = sign * value <= sign * limit * (1.0 + sign * ROUNDING)
        yield Verdict(
            "leakage, seen at the first winding", f"{words} {show(limit, 'H')}", show(value, "H"), holds
        )


def notes_on(asked: Asked) -> list[str]:
    """Return what the models leave out here."""
    out = [f"nothing is known of {failed}" for failed in asked.failed]
    frequency = 1.0 / asked.burden.courses[0].period
    if asked.table.insulation != "functional" and frequency > KILOHERTZ:
        out.append(
            f"above {show(KILOHERTZ, 'Hz')} IEC 60664-4 asks for more distance than the table used here"
        )
    return out


def choose(
    asked: Asked, weights: dict[str, float], count: int, watch: Callable[[int, int], None] | None = None
) -> Choice:
    """Return the best designs of a component.

    Raises
    ------
    NoResultError
        If none holds every limit, with why.
    """
    search = Search(asked, weights)
    found = search.run(watch)
    if not found:
        raise NoResultError(_why(search))
    proven: list[tuple[bool, float, Proven]] = []
    for candidate in _varied(asked, found):
        one = _with_leakage(asked, prove(asked, candidate.wound))
        missed = next((v.what for v in judged(asked, one) if not v.holds and not v.warning), "")
        if missed:
            search.tally.fallen[f"{missed}, computed once more"] += 1
            search.tally.valid -= 1
            continue
        exact = replace(candidate, copper_loss=one.copper, core_loss=one.core)
        proven.append((candidate.short, worth(exact, weights), one))
    if not proven:
        raise NoResultError(_why(search))
    best = [one for *_, one in sorted(proven, key=lambda p: p[:2])]
    points = tuple((c.loss, c.core.block, c.core.part) for c in found)
    designs = _few(best, count)
    return Choice(
        asked, designs, search.tally.looked, search.tally.valid, search.tally.fallen, points, search.complete
    )


def _varied(asked: Asked, found: list[Candidate]) -> list[Candidate]:
    """Return the most promising designs, not all of one core."""
    seen: Counter[str] = Counter()
    out = []
    for candidate in found:
        name = candidate.core.part
        if seen[name] < 4 * OF_ONE_CORE and _leaks_as_asked(asked, candidate):
            out.append(candidate)
            seen[name] += 1
        if len(out) == LOOKED_AT:
            break
    return out


def _leaks_as_asked(asked: Asked, candidate: Candidate) -> bool:
    """Tell roughly whether a design has the leakage asked for; thicker insulation may raise it by half."""
    table = asked.table
    if (table.least_leakage is None and table.most_leakage is None) or len(asked.coil.windings) < 2:
        return True
    layers, build = layers_of(candidate.wound)
    if not math.isfinite(build):
        return False
    found = leakage_of(candidate.wound, layers, ROUGH).values()
    least, most = table.least_leakage or 0.0, table.most_leakage or math.inf
    return max(found) <= 1.05 * most and min(found) >= least / 1.5


def _few(best: list[Proven], count: int) -> tuple[Proven, ...]:
    """Return the first of a list, no more than some of each core unless there is only one."""
    alone = len({p.wound.core.part for p in best}) == 1
    seen: Counter[str] = Counter()
    out: list[Proven] = []
    for one in best:
        if alone or seen[one.wound.core.part] < OF_ONE_CORE:
            out.append(one)
            seen[one.wound.core.part] += 1
    return tuple(out[:count])


def _with_leakage(asked: Asked, found: Proven) -> Proven:
    """Return a design with thicker insulation between its portions where more leakage is wanted and there is room for it."""
    wanted = asked.table.least_leakage
    if wanted is None or not found.leakage or min(found.leakage.values()) >= wanted:
        return found
    wound = found.wound
    between = len(wound.order) - wound.chambers
    if between == 0:
        return found
    room = wound.depth * asked.table.fill - found.build
    for part in (0.25, 0.5, 0.75, 1.0):
        thicker = replace(wound, tape=wound.tape + part * room / between)
        other = prove(asked, thicker)
        if min(other.leakage.values()) >= wanted:
            break
    return other


def _why(search: Search) -> str:
    """Say why nothing was found: how many fell out for which reason, and how near the best one came."""
    counted = ", ".join(f"{reason}: {n}" for reason, n in search.tally.fallen.most_common())
    part, loss, allowed = search.nearest
    near = ""
    if part > 0.0:
        near = (
            f"\nthe coolest one loses {show(loss, 'W')} where the temperature rise allows {show(allowed, 'W')}; "
            f"at {100.0 * part:.0f} % of the load it would hold"
        )
    return f"none of {search.tally.looked} combinations holds every limit ({counted}){near}"
