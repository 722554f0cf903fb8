"""A loop with every part off by its tolerance, at the corners where it is worst as it should be.

Which way the parts of a network are off does most harm follows from how phase margin, gain margin and crossover move when each is
off alone; inductances and capacitances of the power stage are tried at every combination of their ends.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterator, Mapping
from dataclasses import replace

from jump_lane.control.analogue import Analogue
from jump_lane.control.design import LoopDesign
from jump_lane.control.loops import AnyLoop, Proof, close, prove
from jump_lane.control.margins import Margins, margins
from jump_lane.control.stage import Stage
from jump_lane.errors import NoResultError
from jump_lane.quantities import show_percent

HARM: dict[str, Callable[[Margins], float]] = {
    "phase margin": lambda m: -m.phase,
    "gain margin": lambda m: -m.gain,
    "crossover": lambda m: m.crossover,
}
"""What may be moved for the worse, and how bad it is."""


def at_tolerances(found: LoopDesign) -> LoopDesign:
    """Return a loop with the worst proofs of parts off by their tolerances, and those without result, besides those it has."""
    every = list(_proofs(found))
    failed = [p for p in every if p.failure]
    return replace(found, proofs=(*found.proofs, *failed, *_least(every)), variants=len(every))


def _proofs(found: LoopDesign) -> Iterator[Proof]:
    for proof in _worst(found):
        for loop, words in _networks(found.loop, proof.stage):
            for stage, off in _stages(found, proof.stage):
                said = ", ".join(filter(None, (words, off)))
                if said:
                    yield prove(loop, stage, said)


def _worst(found: LoopDesign) -> list[Proof]:
    """Return the worst corners with every part as it should be."""
    return _least([p for p in found.proofs if p.words == p.stage.words])


def _least(proofs: list[Proof]) -> list[Proof]:
    """Return those of some proofs with the least phase margin, the least gain margin and the largest multiplier."""
    known = [p for p in proofs if not p.failure]
    if not known:
        return []
    chosen = [
        min(known, key=lambda p: p.margins.phase),
        min(known, key=lambda p: p.margins.gain),
        max(known, key=lambda p: p.largest),
    ]
    return list({p.words: p for p in chosen}.values())


def _networks(loop: AnyLoop, stage: Stage) -> Iterator[tuple[AnyLoop, str]]:
    """Yield the loop as it is, and with its network off in the ways that harm it most."""
    yield loop, ""
    if not isinstance(loop, Analogue):
        return
    off = {s: t for s, t in _tolerances(loop).items() if t > 0.0}
    if not off:
        return
    try:
        plain = _margins(loop, stage)
        moved = {
            s: _margins(loop.with_values({s: loop.values[s] * (1.0 + t)}), stage) for s, t in off.items()
        }
    except NoResultError:
        return
    seen = set()
    for what, harm in HARM.items():
        signs = tuple(1.0 if harm(moved[s]) >= harm(plain) else -1.0 for s in off)
        if signs not in seen:
            seen.add(signs)
            values = {s: loop.values[s] * (1.0 + sign * off[s]) for s, sign in zip(off, signs, strict=True)}
            yield loop.with_values(values), f"network at its worst for the {what}"


def _tolerances(loop: Analogue) -> Mapping[str, float]:
    asked = loop.loop
    by_kind = {"R": asked.resistor_tolerance, "C": asked.capacitor_tolerance}
    network = {s: by_kind[s[0]] for s in loop.network.values}
    return {"R_1": asked.divider_tolerance, "R_b": asked.divider_tolerance, **network}


def _margins(loop: Analogue, stage: Stage) -> Margins:
    closed = close(loop, stage)
    return margins(closed.gain, closed.sampling)


def _stages(found: LoopDesign, stage: Stage) -> Iterator[tuple[Stage, str]]:
    """Yield the power stage as it is, and with its inductances and capacitances at the ends of their tolerances."""
    yield stage, ""
    design, t = found.design, found.design.spec.tolerance
    off = {unit: size for unit, size in (("H", t.inductance), ("F", t.capacitance)) if size > 0.0}
    names = {"H": "L", "F": "C"}
    values = design.components()
    for signs in itertools.product((-1.0, 1.0), repeat=len(off)) if off else ():
        amounts = {unit: sign * size for (unit, size), sign in zip(off.items(), signs, strict=True)}
        real = {s: v * (1.0 + amounts.get(design.sheet[s].unit, 0.0)) for s, v in values.items()}
        moved = design.sized(real, (stage.v_in,), (stage.i_o,))
        words = ", ".join(
            f"{names[u]} {'+' if a > 0.0 else '−'}{show_percent(abs(a))}" for u, a in amounts.items()
        )
        yield Stage(moved), words
