"""The parts that a converter file names or describes: from its own catalogues, the shipped samples, or its table."""

from __future__ import annotations

from collections import ChainMap
from collections.abc import Mapping
from functools import lru_cache
from pathlib import Path
from typing import Any

from jump_lane.catalogue.kinds import (
    KINDS,
    ROLES,
    Capacitor,
    Diode,
    Igbt,
    Inductor,
    Mosfet,
    Part,
    Transformer,
    copper,
)
from jump_lane.catalogue.load import Entry, changed, load, read_part, sample_parts
from jump_lane.errors import InputError, nearest
from jump_lane.quantities import article, show, show_percent
from jump_lane.spec import Spec

USUAL = {
    "switch": "mosfet",
    "rectifier": "diode",
    "inductor": "inductor",
    "capacitor": "capacitor",
    "transformer": "transformer",
}
"""Kind of part in each role where the file does not say; a synchronous rectifier is a mosfet."""

_FORMS = (
    (("wire_diameter",), ("conductor_thickness",)),
    (("output_capacitance", "charge_capacitance"), ("output_capacitance_curve",)),
    (("ac_resistance",), ("layers", "wire_diameter", "conductor_thickness")),
    (("core_loss",), ("core_k", "core_pieces")),
    (("core_k", "core_alpha", "core_beta"), ("core_pieces",)),
    (("ac_resistance",), ("strands",)),
)

ALTERNATIVES: dict[str, tuple[str, ...]] = {}
"""Figures that say the same in another form: one that the file gives takes the place of the others of its part."""

for _one, _other in _FORMS:
    for _key in _one:
        ALTERNATIVES[_key] = (*ALTERNATIVES.get(_key, ()), *_other)
    for _key in _other:
        ALTERNATIVES[_key] = (*ALTERNATIVES.get(_key, ()), *_one)

KEYS = ("part", "count", "kind")
"""What the table of a part may say besides figures."""


def known_parts(spec: Spec) -> Mapping[str, Part]:
    """Return every part by name; one of the file's own catalogues goes before a sample called the same.

    Raises
    ------
    InputError
        If a catalogue cannot be read or is not valid.
    """
    return _by_name(tuple((name, changed(Path(name))) for name in spec.catalogue.files))


@lru_cache(maxsize=8)
def _by_name(files: tuple[tuple[str, int], ...]) -> Mapping[str, Part]:
    own: dict[str, Part] = {}
    for name, _ in files:
        own |= {part.name: part for part in load(Path(name))}
    return ChainMap(own, sample_parts())  # type: ignore[arg-type]  # nothing is ever set in it


def usual_kind(role: str, synchronous: bool) -> str:
    """Return the kind of part that a role has where nothing is said."""
    return "mosfet" if role == "rectifier" and synchronous else USUAL[role]


def part_of(spec: Spec, component: str, role: str, value: float = 1.0) -> Part | None:
    """Return the part of a component as its gate is driven; None where the file says nothing of it.  See `_described`.

    Raises
    ------
    InputError
        As that does, and if the driver does not reach the threshold of the gate.
    """
    part = _described(spec, component, role, value)
    if not isinstance(part, Mosfet):
        return part
    gate, threshold = spec.driver.voltage, part.threshold_voltage
    if threshold is not None and gate <= threshold:
        raise InputError(
            f"driver.voltage: {show(gate, 'V')} is not above the threshold of {component}, {show(threshold, 'V')}: it never turns on; "
            "expected a higher one"
        )
    if part.drive_curve is None or part.resistance is None:
        return part
    return part.model_copy(update={"resistance": part.resistance * part.opened(gate)})


HALF_OPEN = 1.2
"""A switch whose on-resistance is this many times that at the gate voltage of its data sheet is half open."""


def half_open(spec: Spec, component: str, role: str) -> str:
    """Say that a gate opens a switch only half; nothing if it opens it, or that is not known."""
    part = _described(spec, component, role, 1.0)
    opened = part.opened(spec.driver.voltage) if isinstance(part, Mosfet) else 1.0
    if opened < HALF_OPEN:
        return ""
    return (
        f"{component} is half open: {show(spec.driver.voltage, 'V')} at its gate make {show_percent(opened)} of the resistance that its "
        "data sheet gives; a higher driver.voltage mends that"
    )


def _described(spec: Spec, component: str, role: str, value: float) -> Part | None:
    """Return what is known of the part of a component, or None where the file says nothing of it.

    Parameters
    ----------
    role
        What the component is: switch, rectifier, inductor, capacitor or transformer.
    value
        Its inductance [H] or capacitance [F], where only a table describes it.

    Raises
    ------
    InputError
        If there is no such part, it cannot stand there, or a figure is not valid.
    """
    given = spec.data(component)
    if role not in USUAL or not given:
        return None
    where, synchronous = f"parts.{component}", spec.switching.rectifier == "synchronous"
    entry: dict[str, Any] = {"kind": usual_kind(role, synchronous), "part": "as described"}
    if role in ("inductor", "capacitor"):
        entry["value"] = value
    if "part" in given:
        base = _named(spec, str(given["part"]), where)
        if not set(given) - {"part", "count"}:
            _require_fitting(base, role, synchronous, where)
            return base
        entry = {"kind": base.kind} | {key: getattr(base, key) for key in base.model_fields_set}
    for key in given:
        for other in ALTERNATIVES.get(key, ()):
            if other in given:
                raise InputError(f"{where}: {key} and {other} exclude each other; expected one of them")
            entry.pop(other, None)
    fields = KINDS[str(given.get("kind", entry["kind"]))].model_fields if _known(given) else {}
    entry |= {k: v for k, v in given.items() if k in fields or k == "kind"}
    part = _read(entry, where)
    if not isinstance(part, Part):
        raise InputError(f"{where}: {part.name} is {article(part.kind)}, which cannot be {article(role)}")
    _require_fitting(part, role, synchronous, where)
    return part


def _read(entry: dict[str, Any], where: str) -> Entry:
    """Return the part of an entry; the same few are asked for at every operating point, and read once."""
    try:
        return _once(tuple((k, type(v), _frozen(v)) for k, v in entry.items()), where)
    except (TypeError, InputError):  # a figure without a hash, or a wrong one, to be told as it stands
        return read_part(entry, where)


def _frozen(value: Any) -> Any:
    return tuple(map(_frozen, value)) if isinstance(value, list) else value


@lru_cache(maxsize=1024)
def _once(entry: tuple[tuple[str, type, Any], ...], where: str) -> Entry:
    return read_part({k: v for k, _, v in entry}, where)


def _known(given: dict[str, Any]) -> bool:
    return "kind" not in given or given["kind"] in KINDS


def _named(spec: Spec, name: str, where: str) -> Part:
    known = known_parts(spec)
    if name not in known:
        raise InputError(f"{where}: no part {name!r}; {nearest(name, known)}")
    return known[name]


def _require_fitting(part: Part, role: str, synchronous: bool, where: str) -> None:
    if not isinstance(part, ROLES[role]):
        raise InputError(f"{where}: {part.name} is {article(part.kind)}, which cannot be {article(role)}")
    if role == "rectifier" and synchronous != isinstance(part, Mosfet):
        kind = "a switch" if synchronous else "a diode"
        raise InputError(
            f"{where}: {part.name} is {article(part.kind)}, but switching.rectifier asks for {kind}"
        )


def keys_of(spec: Spec, component: str, role: str) -> set[str]:
    """Return the keys that the table of a component may have, those of its kind of part.

    Several pieces together are told apart only where one value stands for them: capacitors and inductors.
    """
    if role not in USUAL:
        return set()
    part = part_of(spec, component, role)
    kind = part.kind if part is not None else usual_kind(role, spec.switching.rectifier == "synchronous")
    several = KEYS if role in ("inductor", "capacitor") else tuple(k for k in KEYS if k != "count")
    return {*several, *KINDS[kind].model_fields}


def count(spec: Spec, component: str) -> int:
    """Return of how many pieces a component consists: capacitors in parallel, inductors in series.

    Raises
    ------
    InputError
        If that is not a whole number above 0.
    """
    given = spec.data(component).get("count", 1)
    try:
        number = float(given)
    except ValueError:
        number = 0.0
    if number < 1.0 or number != int(number):
        raise InputError(f"parts.{component}.count: read {given!r}, expected a whole number above 0")
    return int(number)


def figures(part: Part, temperature: float, frequency: float, pieces: int = 1) -> dict[str, float]:
    """Return what a part brings into the circuit, by the keys of the file; what is not known is left out.

    Parameters
    ----------
    temperature
        Of junction, winding or capacitor [°C].
    frequency
        At which an equivalent series resistance is taken [Hz].
    """
    found: dict[str, float | None]
    if isinstance(part, Mosfet):
        found = {
            "resistance": part.resistance_at(temperature),
            "body_voltage": part.body_voltage,
            "body_resistance": part.body_resistance,
            "output_capacitance": part.effective_capacitance,
        }
    elif isinstance(part, Igbt):
        found = {
            "resistance": part.resistance_at(temperature),
            "on_voltage": part.on_voltage_at(temperature),
            "body_voltage": part.body_voltage,
            "body_resistance": part.body_resistance,
        }
    elif isinstance(part, Diode):
        found = {
            "resistance": part.resistance_at(temperature),
            "forward_voltage": part.forward_at(temperature),
        }
    elif isinstance(part, Capacitor):
        resistance = part.resistance_of(frequency, temperature)
        found = {"resistance": None if resistance is None else resistance / pieces}
    else:
        found = _winding_figures(part, copper(temperature), pieces)
    return {key: value for key, value in found.items() if value is not None}


def _winding_figures(part: Inductor | Transformer, rise: float, pieces: int) -> dict[str, float | None]:
    if isinstance(part, Inductor):
        return {"resistance": None if part.resistance is None else part.resistance * pieces * rise}
    primary, secondary = part.primary_resistance, part.secondary_resistance
    return {
        "leakage": part.leakage,
        "primary_resistance": None if primary is None else primary * rise,
        "secondary_resistance": None if secondary is None else secondary * rise,
    }


def value_of(part: Part, pieces: int, voltage: float) -> float | None:
    """Return the inductance [H], or the capacitance [F] left at a DC voltage [V], of some pieces together."""
    if isinstance(part, Inductor):
        return part.value * pieces
    if isinstance(part, Capacitor):
        return part.value * pieces * part.left_at(voltage)
    return None
