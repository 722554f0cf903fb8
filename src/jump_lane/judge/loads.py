"""Loads of several outputs: every combination of the smallest and largest, which the file asks to be kept as well."""

from __future__ import annotations

import itertools

from jump_lane.spec import Output, Spec


def combinations(spec: Spec) -> list[tuple[float, ...]]:
    """Return every combination of smallest and largest load currents of all outputs but the first [A]."""
    ends = [sorted({o.current.min, o.current.max}) for o in spec.output[1:]]
    return list(itertools.product(*ends))


def loaded(spec: Spec, others: tuple[float, ...]) -> Spec:
    """Return what is asked with fixed loads of all outputs but the first [A]."""
    outputs: list[Output] = [spec.output[0]]
    for output, current in zip(spec.output[1:], others, strict=True):
        fixed = output.current.model_copy(update={"min": current, "max": current, "nominal": None})
        outputs.append(output.model_copy(update={"current": fixed}))
    return spec.model_copy(update={"output": outputs})
