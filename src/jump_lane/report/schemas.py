"""Schemas that are published: of the files that are read, and of the JSON that every command prints."""

from __future__ import annotations

from typing import Any

from jump_lane import spec
from jump_lane.catalogue import load as catalogue
from jump_lane.circuit import file as circuit
from jump_lane.errors import InputError, nearest
from jump_lane.report import models
from jump_lane.topologies import NAMES, page
from jump_lane.validation import tidied


def schema(which: str) -> dict[str, Any]:
    """Return a JSON Schema: ``converter``, ``circuit``, ``catalogue``, or that of a command's JSON.

    Raises
    ------
    InputError
        If there is no such schema.
    """
    if which == "converter":
        return converter()
    if which == "circuit":
        return circuit.schema()
    if which == "catalogue":
        return catalogue.schema()
    if which not in models.OUTPUTS:
        raise InputError(f"schema --output {which}: no such output; {nearest(which, models.OUTPUTS)}")
    return tidied(models.OUTPUTS[which].model_json_schema(), f"output-{which}", nulls=True)


def converter() -> dict[str, Any]:
    """Return the schema of the converter file, with the names of topologies and components that there are."""
    found = spec.schema()
    found["properties"]["topology"]["enum"] = list(NAMES)
    pages = [page(name) for name in NAMES]
    values = sorted({line.symbol for p in pages for line in p.lines() if line.component})
    roles = sorted({role.name for p in pages for role in p.roles})
    found["properties"]["chosen"]["propertyNames"] = {"enum": values}
    found["properties"]["parts"]["propertyNames"] = {"enum": roles}
    return found
