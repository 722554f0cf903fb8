"""One case that a sized converter has to stand: input, load, loads of the other outputs, and what its parts are off."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

import numpy as np

from jump_lane.design.derive import Design
from jump_lane.judge.loads import combinations, loaded, set_to, voltages
from jump_lane.judge.soft import is_soft, soft_load
from jump_lane.spec import Spec

Values = Mapping[str, float]

INPUTS, LOADS = 9, 5
"""Inputs and loads between the corners at which a solution is looked over: a ripple may be largest there."""


@dataclass(frozen=True)
class Case:
    """An operating point, and by how much values are off.

    Attributes
    ----------
    v_in, i_o
        Input voltage [V], and load of the regulated output [A].
    others
        Loads of the other outputs [A].
    off
        What is off (``L`` for all inductances, ``C`` for all capacitances, ``f_s``, ``V_F``), by which part of it.
    """

    v_in: float
    i_o: float
    others: tuple[float, ...] = ()
    off: tuple[tuple[str, float], ...] = ()


FAINT = 0.05
"""Where power flows both ways, loads below this part of the full one are left to bursts: no control holds nothing."""


def corners(design: Design) -> list[Case]:
    """Return the cases that the file names, every value as it should be."""
    usual = design.spec.output[0].voltage
    settings = [v / usual - 1.0 for v in voltages(design.spec)] if usual else [0.0]
    points = itertools.product(settings, combinations(design.spec), design.inputs, design.loads)
    return [Case(v, i, others, (("V_o", off),) if off else ()) for off, others, v, i in points]


def between(design: Design) -> list[Case]:
    """Return cases that lie between the corners."""
    full = tuple(o.current.max for o in design.spec.output[1:])
    inputs = np.linspace(min(design.inputs), max(design.inputs), INPUTS).tolist()
    loads = np.linspace(min(design.loads), max(design.loads), LOADS).tolist()
    if min(loads) < 0.0 < max(loads):
        loads = [i for i in loads if abs(i) > FAINT * max(loads)]
    graded = is_soft(design) and not design.page.soft
    if graded and min(loads) < soft_load(design) < max(loads):
        loads.append(soft_load(design))
    return [Case(v, i, full) for v, i in itertools.product(dict.fromkeys(inputs), dict.fromkeys(loads))]


def extremes(design: Design) -> list[Case]:
    """Return every corner with all values at every combination of the ends of their tolerances."""
    t = design.spec.tolerance
    sizes = {"L": t.inductance, "C": t.capacitance, "f_s": t.frequency, "V_F": t.forward_voltage}
    groups = {name: size for name, size in sizes.items() if size > 0.0}
    if all(design.sheet[f"V_F{r.tag}"].worst == 0.0 for r in design.page.roles if r.kind == "rectifier"):
        groups.pop("V_F", None)
    out = []
    for signs in itertools.product((-1.0, 1.0), repeat=len(groups)):
        off = tuple((name, sign * size) for sign, (name, size) in zip(signs, groups.items(), strict=True))
        out += [Case(c.v_in, c.i_o, c.others, off + c.off) for c in corners(design)]
    return out


def kind_of(design: Design, symbol: str) -> str:
    """Return what a component value is: ``L``, ``C`` or ``n``."""
    return {"H": "L", "F": "C"}.get(design.sheet[symbol].unit, "n")


def _shifted(design: Design, spec: Spec, off: Mapping[str, float]) -> Spec:
    """Return what is asked with frequency and forward voltages off."""
    drops = {
        role.name: {"forward_voltage": design.sheet[f"V_F{role.tag}"].worst * (1.0 + off["V_F"])}
        for role in design.page.roles
        if role.kind == "rectifier" and "V_F" in off
    }
    usual = spec.output[0].voltage
    if usual and "V_o" in off:
        spec = set_to(spec, usual * (1.0 + off["V_o"]))
    frequency = spec.switching.frequency * (1.0 + off.get("f_s", 0.0))
    switching = spec.switching.model_copy(update={"frequency": frequency})
    return spec.with_figures(drops).model_copy(update={"switching": switching})


@dataclass(frozen=True)
class Spot:
    """A case, the design in which it lies and where, and the same design with all outputs at full load."""

    case: Case
    design: Design
    whole: Design
    at: tuple[int, int]


def spots(design: Design, values: Values, cases: list[Case]) -> Iterator[Spot]:
    """Yield where the cases lie with these component values; what is not among them follows its formula at the corners."""
    every = design.sized(values, design.inputs, design.loads).components()
    for (others, off), group in itertools.groupby(cases, key=lambda c: (c.others, c.off)):
        points = list(group)
        inputs = tuple(sorted({c.v_in for c in points}))
        loads = tuple(sorted({c.i_o for c in points}))
        amounts = dict(off)
        full = _shifted(design, design.spec, amounts) if off else design.spec
        real = {s: v * (1.0 + amounts.get(kind_of(design, s), 0.0)) for s, v in every.items()}
        whole = design.sized(real, inputs, loads, full)
        found = design.sized(real, inputs, loads, loaded(full, others)) if others else whole
        for case in points:
            yield Spot(case, found, whole, (inputs.index(case.v_in), loads.index(case.i_o)))
