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


def of_file(which: str) -> dict[str, Any]:
    """Return the JSON Schema of a file that is read: ``converter``, ``circuit`` or ``catalogue``.

    Raises
    ------
    InputError
        If there is no such file.
    """
    known = {"converter": converter, "circuit": circuit.schema, "catalogue": catalogue.schema}
    if which not in known:
        raise InputError(f"schema {which}: no such file; {nearest(which, known)}")
    return known[which]()


def of_output(which: str) -> dict[str, Any]:
    """Return the JSON Schema of what a command prints, by what its ``format`` names.

    Raises
    ------
    InputError
        If there is no such output.
    """
    if which not in models.OUTPUTS:
        raise InputError(f"schema --output {which}: no such output; {nearest(which, models.OUTPUTS)}")
    return tidied(models.OUTPUTS[which].model_json_schema(), f"output-{which}", nulls=True)


def converter() -> dict[str, Any]:
    """Return the schema of the converter file, with the names of topologies and components that there are."""
    found = spec.schema()
    found["properties"]["topology"]["enum"] = list(NAMES)
    pages = [page(name) for name in NAMES]
    values = sorted({line.symbol for p in pages for line in p.lines if line.component})
    roles = sorted({role.name for p in pages for role in p.roles})
    found["properties"]["chosen"]["propertyNames"] = {"enum": values}
    found["properties"]["parts"]["propertyNames"] = {"enum": roles}
    return found
