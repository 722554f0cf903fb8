"""What if: keys of a converter file set to other values without editing it, absolutely or against what they are."""

from __future__ import annotations

import re
from collections.abc import Sequence
from copy import deepcopy
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from pydantic import BaseModel

from jump_lane.design.derive import Design, derive
from jump_lane.errors import InputError, JumpLaneError, nearest
from jump_lane.quantities import RATIO, dimension_with, exact, parse, show
from jump_lane.quantities.fields import Limit
from jump_lane.spec import Spec, parse_spec
from jump_lane.spec.keys import key as find_key
from jump_lane.spec.keys import keys
from jump_lane.study.tables import numbered, range_of, with_value
from jump_lane.topologies import page as find_page
from jump_lane.topologies.page import Page

RELATIVE = re.compile(r"\s*(?P<sign>[*/×+-])\s*(?P<amount>[^%]+?)\s*(?P<percent>%)?\s*")
"""``*2``, ``/10``, ``+20 %``, ``-5 %``: against what the key is."""

IDEAL: dict[str, dict[str, Any]] = {
    "margin": {
        "inductance": 0.0,
        "capacitance": 0.0,
        "voltage": 0.0,
        "current": 0.0,
        "spike": 0.0,
        "esr_share": 0.0,
    },
    "switching": {"dead_time": 0.0},
}
"""What the tables of an ideal converter say: no margins, no dead time; what parts bring along is left out besides."""

REAL = ("parts", "driver", "controller", "thermal", "efficiency")
"""Tables that only real parts need."""


KEPT = "stays as it is", "stay as they are"
"""What is said of one component, or several, held while others are set."""


@dataclass(frozen=True)
class Change:
    """One key that was set: its full name, what it was before (empty: nothing) and what it is now."""

    key: str
    before: str
    after: str

    def text(self) -> str:
        """Return the change in words."""
        if self.before:
            return f"{self.key}: {self.before} → {self.after}"
        return f"{self.key} {self.after}" if self.after in KEPT else f"{self.key} = {self.after}"


@dataclass(frozen=True)
class Outcome:
    """What comes of some settings.

    Attributes
    ----------
    free
        The tables with the keys set: components that nothing sets follow from them.
    held
        The same, but where a component is set all others keep the values that they have without that.
    changes
        What was set.
    """

    free: dict[str, Any]
    held: dict[str, Any]
    changes: tuple[Change, ...]


def changed(tables: dict[str, Any], settings: Sequence[str], ideal: bool, where: str) -> Outcome:
    """Return the tables of a converter file with keys set: first those of the file, then components.

    Parameters
    ----------
    settings
        ``KEY=VALUE`` each: a dotted key of the file, or a component (``L``, ``S1``) for its value or part.  A value that
        starts with ``*``, ``/``, or is a percentage with a sign, is relative to what holds without it.
    ideal
        Whether margins, dead time and the figures of parts are left out first.
    where
        What to call the file in messages.

    Raises
    ------
    InputError
        If there is no such key, or it cannot take the value.
    """
    found = _idealised(tables) if ideal else tables
    changes = [Change("--ideal", "", "no margins, no drops, no dead time")] if ideal else []
    waiting = []
    for text in sorted(settings, key=lambda t: not t.strip().startswith("topology")):
        name, value = _assigned(text, "output.current=3A, L=/2 or frequency=+10%")
        try:
            case = _Case(found, found, where)
            path = full_key(case.page, name, value)
            if _is_component(case.page, path):
                waiting.append((text, path, value))
                continue
            found, change = case.set(path, value)
        except InputError as error:
            raise InputError(f"--set {text}: {error}") from None
        changes.append(change)
    plain = found
    for text, path, value in waiting:
        try:
            found, change = _Case(found, plain, where).set(path, value)
        except InputError as error:
            raise InputError(f"--set {text}: {error}") from None
        changes.append(change)
    held, kept = _with_others_held(found, plain, where) if waiting else (found, [])
    if kept:
        changes.append(Change(", ".join(kept), "", KEPT[len(kept) > 1]))
    return Outcome(found, held, tuple(changes))


def _assigned(text: str, example: str) -> tuple[str, str]:
    """Return key and value of a setting."""
    name, _, value = (part.strip() for part in text.partition("="))
    if not (name and value):
        raise InputError(f"--set {text}: expected KEY=VALUE, such as {example}")
    return name, value


def _is_component(page: Page, path: tuple[str, ...]) -> bool:
    """Tell whether a key sets the value of a component, by itself or with its part."""
    return path[0] == "chosen" or (path[0] == "parts" and len(path) == 2 and path[1] in page.units)


def _with_others_held(
    found: dict[str, Any], plain: dict[str, Any], where: str
) -> tuple[dict[str, Any], list[str]]:
    """Return tables in which components that nothing sets are chosen as they are derived without the settings."""
    case = _Case(plain, plain, where)
    try:
        sheet = case.design.sheet
    except JumpLaneError:
        return found, []
    told = {
        *found.get("chosen", {}),
        *(n for n, p in found.get("parts", {}).items() if p != plain.get("parts", {}).get(n)),
    }
    turns = "turns_ratio" in found.get("transformer", {})
    others = [
        v
        for v in sheet
        if v.origin == "derived" and v.line is not None and v.line.component and v.symbol not in told
    ]
    kept = [v for v in others if not (turns and v.unit == "")]
    chosen = {v.symbol: exact(v.worst, v.unit) for v in kept}
    return {**found, "chosen": {**found.get("chosen", {}), **chosen}}, list(chosen)


def changed_circuit(
    tables: dict[str, Any], settings: Sequence[str]
) -> tuple[dict[str, Any], tuple[Change, ...]]:
    """Return the tables of a circuit file with keys (``element.L1.inductance``, ``frequency``) set, and what was changed.

    Raises
    ------
    InputError
        If a setting is none; what the circuit cannot take shows when it is read.
    """
    changes = []
    for text in settings:
        name, value = _assigned(text, "element.L1.inductance=22u")
        path = tuple(name.split("."))
        before: Any = tables
        for part in path:
            before = before.get(part, "") if isinstance(before, dict) else ""
        tables = with_value(tables, path, value)
        changes.append(Change(name, str(before or ""), value))
    return tables, tuple(changes)


def full_key(page: Page, name: str, value: str) -> tuple[str, ...]:
    """Return the parts of the full key that a name stands for, given what it is to be set to.

    Raises
    ------
    InputError
        If there is no such key or component.
    """
    units, roles = page.units, [role.name for role in page.roles]
    if name in units and (name not in roles or _is_value(value, units[name])):
        return ("chosen", name)
    if name in roles:
        return ("parts", name)
    parts = tuple(name.split("."))
    if parts[0] in ("chosen", "parts") and len(parts) > 1:
        known = units if parts[0] == "chosen" else roles
        if parts[1] not in known:
            raise InputError(
                f"{parts[1]}: no such component of the {page.name}; {nearest(parts[1], set(known))}"
            )
        return parts
    if len(parts) == 1 and name not in keys():
        return _alone(name, {*units, *roles})
    find_key(name)
    return parts


def _alone(name: str, components: set[str]) -> tuple[str, ...]:
    """Return the key whose last part is a name: that of how it is switched, or the only one."""
    if f"switching.{name}" in keys():
        return ("switching", name)
    ends = [p for p in keys() if p.rpartition(".")[2] == name and "DEVICE" not in p and "NAME" not in p]
    if len(ends) == 1:
        return tuple(ends[0].split("."))
    if ends:
        raise InputError(f"{name}: stands in several tables; expected one of {', '.join(ends)}")
    raise InputError(f"no such key or component; {nearest(name, {*keys(), *components})}")


def _idealised(tables: dict[str, Any]) -> dict[str, Any]:
    found = {name: deepcopy(table) for name, table in tables.items() if name not in REAL}
    for name, values in IDEAL.items():
        known = found.get(name, {})
        found[name] = {**known, **values} if isinstance(known, dict) else known
    return found


@dataclass(frozen=True)
class _Case:
    """The tables of a file on the way from one setting to the next; ``plain``: without components set."""

    tables: dict[str, Any]
    plain: dict[str, Any]
    where: str

    @cached_property
    def page(self) -> Page:
        """The topology."""
        return find_page(str(self.tables.get("topology", "")))

    @cached_property
    def spec(self) -> Spec:
        """What is asked."""
        return parse_spec(self.tables, self.where)

    @cached_property
    def design(self) -> Design:
        """What is derived before any component is set."""
        return derive(parse_spec(self.plain, self.where))

    def set(self, path: tuple[str, ...], value: str) -> tuple[dict[str, Any], Change]:
        """Return the tables with one key set."""
        relative = RELATIVE.fullmatch(value)
        if relative is not None and (relative["sign"] in "*/×" or relative["percent"]):
            factor = _factor(relative)
            new: Any = self._scaled(path, factor)
        else:
            new = value if path[0] in ("parts", "chosen") else range_of(value)
        before = self._shown(path)
        tables = with_value(self.tables, path, new)
        return tables, Change(".".join(path), before, _Case(tables, tables, self.where)._shown(path, value))

    def _scaled(self, path: tuple[str, ...], factor: float) -> Any:
        """Return what stands at a key, times a factor."""
        known, unit = self._known(path), self._unit(path)
        if isinstance(known, float):
            return exact(known * factor, unit)
        if isinstance(known, int) and not isinstance(known, bool):
            return known * factor
        if isinstance(known, Limit):
            return (
                exact(100.0 * known.value * factor, "%")
                if known.relative
                else exact(known.value * factor, unit)
            )
        if isinstance(known, BaseModel):
            numbers = {k: v for k, v in known.model_dump().items() if v is not None}
            if numbers and all(isinstance(v, float) for v in numbers.values()):
                return {k: exact(v * factor, unit) for k, v in numbers.items()}
        if known is None:
            raise InputError("nothing holds there yet that could be scaled; expected an absolute value")
        raise InputError(f"{known} cannot be scaled; expected an absolute value")

    def _known(self, path: tuple[str, ...]) -> Any:
        """Return what holds at a key: of the file, by default, or derived."""
        if path[0] == "chosen":
            given = self.tables.get("chosen", {}).get(path[1])
            known = self.design.components()[path[1]] if given is None else None
            return parse(given, dimension_with(self.page.units[path[1]])) if known is None else known
        if path[0] == "parts":
            return self._figure(path)
        at: Any = self.spec
        for part in numbered(path):
            if isinstance(part, int):
                at = at[part] if part < len(at) else None
            else:
                at = at.get(part) if isinstance(at, dict) else getattr(at, part, None)
        return at

    def _figure(self, path: tuple[str, ...]) -> Any:
        """Return a figure of a part as it is used, or the name of the part."""
        if len(path) == 2:
            return self.spec.data(path[1]).get("part")
        role = next(r for r in self.page.roles if r.name == path[1])
        datum = next((d for d in role.data if d.key == path[2]), None)
        if datum is not None and datum.symbol in self.design.sheet:
            return self.design.sheet[datum.symbol].worst
        return self.spec.data(path[1]).get(path[2])

    def _shown(self, path: tuple[str, ...], typed: str = "") -> str:
        """Return what holds at a key as text; empty where nothing does."""
        try:
            known = self._known(path)
        except (JumpLaneError, KeyError):
            return typed
        return _text(known, self._unit(path)) or typed

    def _unit(self, path: tuple[str, ...]) -> str:
        if path[0] == "chosen":
            return self.page.units[path[1]]
        if path[0] == "parts":
            role = next(r for r in self.page.roles if r.name == path[1])
            return next((d.unit for d in role.data if d.key == path[-1]), "")
        return find_key(".".join(path)).unit


def _text(known: Any, unit: str) -> str:
    if known is None or isinstance(known, str):
        return known or ""
    if isinstance(known, Limit):
        return f"{100.0 * known.value:.4g} %" if known.relative else show(known.value, unit)
    if isinstance(known, BaseModel):
        numbers = [v for v in known.model_dump().values() if isinstance(v, float)]
        return " … ".join(dict.fromkeys(show(v, unit) for v in sorted(numbers)))
    if isinstance(known, float):
        return show(known, unit)
    if isinstance(known, tuple | list):
        return ", ".join(dict.fromkeys(str(v) for v in known))
    return str(known)


def _factor(relative: re.Match[str]) -> float:
    amount = parse(relative["amount"], RATIO)
    if relative["percent"]:
        amount = 1.0 + (-amount if relative["sign"] == "-" else amount) / 100.0
        if relative["sign"] in "*/×":
            raise InputError("expected a factor such as *2, or a percentage with a sign such as +20%")
        return amount
    if amount <= 0.0:
        raise InputError("expected a factor above 0")
    return 1.0 / amount if relative["sign"] == "/" else amount


def _is_value(text: str, unit: str) -> bool:
    """Tell whether a text is a value of a component rather than the name of a part."""
    if RELATIVE.fullmatch(text):
        return True
    try:
        parse(text, dimension_with(unit))
    except InputError:
        return text[:1].isdecimal()
    return True
