"""Tables of a file changed in one place: a key set, what excludes it taken away."""

from __future__ import annotations

from copy import deepcopy
from typing import Any

from jump_lane.errors import InputError

EXCLUSIVE = (("current", "power", "resistance"), ("voltage", "ac"))
"""Keys of one table of which only one says what is asked: one that is set takes the place of the others."""


def range_of(text: str) -> Any:
    """Return ``9V..36V`` as a range, ``9V..24V..36V`` as one with what is usual, anything else as it is.

    Raises
    ------
    InputError
        If there are more ends than that.
    """
    ends = [end.strip() for end in text.split("..")]
    if len(ends) == 1 or not all(ends):
        return text
    if len(ends) > 3:
        raise InputError(f"{text}: expected LOWEST..HIGHEST or LOWEST..USUAL..HIGHEST")
    bounds = ("min", "max") if len(ends) == 2 else ("min", "nominal", "max")
    return dict(zip(bounds, ends, strict=True))


def with_value(tables: dict[str, Any], path: tuple[str, ...], value: Any) -> dict[str, Any]:
    """Return tables with one key set, what excludes it taken away."""
    found = deepcopy(tables)
    if path[0] == "parts" and len(path) == 2:
        found.get("chosen", {}).pop(path[1], None)
    at: Any = found
    for k, part in enumerate(path[:-1]):
        inner = at.get(part)
        if isinstance(inner, str | int | float):  # one value stands for the whole table
            bounds = path[k + 1] in ("min", "nominal", "max")
            inner = at[part] = {"min": inner, "max": inner} if bounds else {"part": inner}
        elif inner is None:
            inner = at[part] = {}
        if isinstance(inner, list):
            following = path[k + 1] if k + 1 < len(path) else ""
            inner = inner[_place(inner, following, path)]
        at = inner
        if isinstance(tables.get(part), list) and path[k + 1].isdecimal():
            return _finish(found, at, path[k + 2 :], value)
    return _finish(found, at, path[-1:], value)


def _place(entries: list[Any], following: str, path: tuple[str, ...]) -> int:
    """Return which entry of a list is meant: the first one, or that of a number."""
    number = int(following) if following.isdecimal() else 1
    if not 1 <= number <= len(entries):
        raise InputError(f"{'.'.join(path)}: there are {len(entries)} of them; expected 1 to {len(entries)}")
    return number - 1


def _finish(found: dict[str, Any], at: Any, rest: tuple[str, ...], value: Any) -> dict[str, Any]:
    for part in rest[:-1]:
        inner = at.get(part)
        at[part] = {"min": inner, "max": inner} if isinstance(inner, str | int | float) else dict(inner or {})
        at = at[part]
    last = rest[-1]
    for group in EXCLUSIVE:
        for other in group if last in group else ():
            if other != last and isinstance(at.get(other), str | dict | int | float) and at is not found:
                del at[other]
    known = at.get(last)
    at[last] = {**known, "part": value} if isinstance(known, dict) and _names_part(found, at) else value
    return found


def _names_part(tables: dict[str, Any], at: Any) -> bool:
    """Tell whether a table is that of the parts."""
    return at is tables.get("parts")
