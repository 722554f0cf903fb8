"""Loads of several outputs: every combination of the smallest and largest, which the file asks to be kept as well."""

from __future__ import annotations

import itertools

from jump_lane.spec import Output, Spec

ALL = 3
"""Outputs that follow, up to which every combination of their loads is looked at."""


def combinations(spec: Spec) -> list[tuple[float, ...]]:
    """Return combinations of smallest and largest load currents of all outputs but the first [A].

    All of them with few outputs; with more than three that follow, all at either end, and each one alone at the other.
    """
    ends = [sorted({o.current.min, o.current.max}) for o in spec.output[1:]]
    if len(ends) <= ALL:
        return list(itertools.product(*ends))
    low, high = tuple(e[0] for e in ends), tuple(e[-1] for e in ends)
    alone = [
        (*base[:k], other[k], *base[k + 1 :])
        for base, other in ((low, high), (high, low))
        for k in range(len(ends))
    ]
    return list(dict.fromkeys([low, high, *alone]))


def voltages(spec: Spec) -> list[float]:
    """Return the voltages that the first output may be set to [V], the usual one first; none where it has no voltage."""
    output = spec.output[0]
    if output.voltage is None or output.voltage_range is None:
        return [] if output.voltage is None else [output.voltage]
    return list(dict.fromkeys((output.voltage, output.voltage_range.min, output.voltage_range.max)))


def set_to(spec: Spec, voltage: float) -> Spec:
    """Return what is asked with the first output set to another voltage [V], at the same load currents."""
    first = spec.output[0].model_copy(update={"voltage": voltage})
    return spec.model_copy(update={"output": [first, *spec.output[1:]]})


def loaded(spec: Spec, others: tuple[float, ...]) -> Spec:
    """Return what is asked with fixed loads of all outputs but the first [A]."""
    outputs: list[Output] = [spec.output[0]]
    for output, current in zip(spec.output[1:], others, strict=True):
        fixed = output.current.model_copy(update={"min": current, "max": current, "nominal": None})
        outputs.append(output.model_copy(update={"current": fixed}))
    return spec.model_copy(update={"output": outputs})
