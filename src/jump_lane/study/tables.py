"""Tables of a file changed in one place: a key set, what excludes it taken away."""

from __future__ import annotations

from copy import deepcopy
from typing import Any

from jump_lane.errors import InputError

EXCLUSIVE = {"output": (("current", "power", "resistance"),), "input": (("voltage", "ac"),)}
"""Keys of a table of which only one says what is asked: one that is set takes the place of the others."""


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


LISTS = ("output", "event")
"""Tables of which there may be several."""


def numbered(path: tuple[str, ...]) -> tuple[str | int, ...]:
    """Return a path with the place of a table in its list: of ``output.2.voltage`` the second, of ``output.voltage`` the first."""
    found: list[str | int] = []
    for k, part in enumerate(path):
        before = path[k - 1] if k else ""
        if before in LISTS and k == 1:
            found.append(int(part) - 1 if part.isdecimal() else 0)
            if part.isdecimal():
                continue
        found.append(part)
    return tuple(found)


def with_value(tables: dict[str, Any], path: tuple[str, ...], value: Any) -> dict[str, Any]:
    """Return tables with one key set, what excludes it taken away.

    Raises
    ------
    InputError
        If a list has no such place.
    """
    found = deepcopy(tables)
    if path[0] == "parts" and len(path) == 2:
        found.get("chosen", {}).pop(path[1], None)
    at: Any = found
    steps = numbered(path)
    for k, part in enumerate(steps[:-1]):
        if isinstance(part, int):
            if not 0 <= part < len(at):
                raise InputError(f"{'.'.join(path)}: there are {len(at)} of them; expected 1 to {len(at)}")
            at = at[part]
            continue
        inner = at.get(part)
        if isinstance(inner, str | int | float):  # one value stands for the whole table
            bounds = steps[k + 1] in ("min", "nominal", "max")
            inner = at[part] = {"min": inner, "max": inner} if bounds else {"part": inner}
        elif inner is None:
            inner = at[part] = [{}] if isinstance(steps[k + 1], int) else {}
        at = inner
    _set(found, at, path, value)
    return found


def _set(tables: dict[str, Any], at: dict[str, Any], path: tuple[str, ...], value: Any) -> None:
    """Set a key of a table; what says the same in another way goes, and the rest of what is said of a part stays."""
    last = path[-1]
    for group in EXCLUSIVE.get(path[0], ()):
        for other in group if last in group else ():
            if other != last:
                at.pop(other, None)
    known = at.get(last)
    named = isinstance(known, dict) and at is tables.get("parts")
    at[last] = {**known, "part": value} if named and known is not None else value
