"""A converter as its file, or tables alike, ask for it."""

from __future__ import annotations

import os
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property, wraps
from pathlib import Path
from typing import TYPE_CHECKING, Any, Concatenate, ParamSpec, TypeVar

from jump_lane.design.derive import Design, derive
from jump_lane.errors import InputError, JumpLaneError
from jump_lane.quantities import CURRENT, POWER, RESISTANCE, VOLTAGE, Dimension, parse
from jump_lane.spec import Spec, parse_spec, tables_of
from jump_lane.spec.keys import key as find_key
from jump_lane.study.tables import range_of
from jump_lane.study.whatif import Change, changed, changed_circuit
from jump_lane.validation import read_toml, toml_of

if TYPE_CHECKING:
    from jump_lane.circuit.file import CircuitFile

Quantity = str | float
"""A value as an engineer types it (``"33 µH"``), or a number in the SI unit."""

Source = str | os.PathLike[str] | Mapping[str, Any]
"""Path of a converter file, its text, or its tables."""

Settings = Mapping[str, Quantity] | Sequence[str]
"""Keys and values that replace those of the file, as a mapping or as ``KEY=VALUE`` texts."""


@dataclass(frozen=True)
class Converter:
    """A converter file, with what was set against it.

    Attributes
    ----------
    name
        What messages call it: usually the path of its file, with what was set.
    tables
        The tables of the file as TOML has them, settings put in; where they set a component, all others keep the values that
        they have without that.
    free
        The same, but components that nothing sets follow from what is asked: what sizes and choices start from.
    original
        The same without settings.
    catalogues
        Further lists of parts.
    changes
        What was set, with the values before and after.
    """

    name: str
    tables: dict[str, Any]
    free: dict[str, Any]
    original: dict[str, Any]
    catalogues: tuple[str, ...] = ()
    changes: tuple[Change, ...] = ()

    @cached_property
    def spec(self) -> Spec:
        """What is asked, validated; wound components that the file settles are what they are wound to be.

        Raises
        ------
        InputError
            If the tables do not say what a converter file has to say.
        """
        return self._wound(parse_spec(self.tables, self.name))

    @cached_property
    def asked(self) -> Spec:
        """What is asked, with only those components chosen that the file or the settings choose."""
        return self._wound(parse_spec(self.free, self.name))

    @cached_property
    def unwound(self) -> Spec:
        """What is asked, every wound component as it is wanted, not as it is wound."""
        return parse_spec(self.tables, self.name).with_catalogues(self.catalogues)

    def _wound(self, spec: Spec) -> Spec:
        """Put settled windings into a specification, but for components whose value was set."""
        spec = spec.with_catalogues(self.catalogues)
        if not any(table.settled for table in spec.wound.values()):
            return spec
        from jump_lane.magnetics.feed import with_wound

        values = {c.key.removeprefix("chosen.") for c in self.changes if c.key.startswith("chosen.")}
        try:
            return with_wound(spec, values)
        except InputError as error:
            raise InputError(f"{self.name}: {error}") from None

    @cached_property
    def design(self) -> Design:
        """Every value derived over the corners of input and load.

        Raises
        ------
        InputError
            If no value fulfils what is asked.
        """
        return self._derived(self.spec)

    @cached_property
    def before(self) -> Design | None:
        """The design without what was set; None where nothing was set or there is none."""
        if not self.changes:
            return None
        try:
            return derive(self._wound(parse_spec(self.original, self.name)))
        except JumpLaneError:
            return None

    def _derived(self, spec: Spec) -> Design:
        try:
            return derive(spec)
        except InputError as error:
            raise InputError(f"{self.name}: {error}") from None

    def set(self, settings: Settings) -> Converter:
        """Return the same converter with some keys set.

        Parameters
        ----------
        settings
            Key of the file or name of a component to value, such as ``{"L": "/10", "output.current": "3 A"}``.

        Raises
        ------
        InputError
            If there is no such key, or it cannot take the value.
        """
        found = changed(self.free, _texts(settings), False, self.name)
        changes = (*self.changes, *found.changes)
        return Converter(
            _called(self.name, settings), found.held, found.free, self.original, self.catalogues, changes
        )

    def at(self, input_voltage: Quantity | None = None, load: Quantity | None = None) -> Design:
        """Return the design at one operating point (by default nominal input, full load).

        Parameters
        ----------
        input_voltage, load
            Input voltage [V] and current of the first output [A].
        """
        return self.design.at(
            quantity(input_voltage, VOLTAGE, "input voltage"), quantity(load, CURRENT, "load")
        )


@dataclass(frozen=True)
class CircuitCase:
    """A circuit file, with what was set against it."""

    name: str
    tables: dict[str, Any]
    changes: tuple[Change, ...] = ()

    @cached_property
    def loaded(self) -> CircuitFile:
        """The circuit, validated."""
        from jump_lane.circuit.file import parse_circuit

        return parse_circuit(self.tables, self.name)


def load_circuit(path: str | os.PathLike[str], settings: Settings = ()) -> CircuitCase | None:
    """Return a circuit file with keys set; None if the file is none.

    Raises
    ------
    InputError
        If a key or value is wrong.
    """
    from jump_lane.circuit.file import is_circuit

    tables = read_toml(Path(path))
    if not is_circuit(tables):
        return None
    name = os.fspath(path)
    tables, changes = changed_circuit(tables, _texts(settings))
    found = CircuitCase(_called(name, settings), tables, changes)
    _ = found.loaded
    return found


def quantity(value: Quantity | None, dimension: Dimension, name: str) -> float | None:
    """Read a quantity, naming what it is for in any complaint."""
    if value is None:
        return None
    try:
        return parse(value, dimension)
    except InputError as error:
        raise InputError(f"{name}: {error}") from None


def load(
    source: Source,
    *,
    set: Settings = (),
    ideal: bool = False,
    catalogues: Sequence[str | os.PathLike[str]] = (),
) -> Converter:
    """Return the converter that a file, or tables like those of a file, ask for.

    Parameters
    ----------
    source
        Path of a converter file, its text (more than one line), or its tables as a mapping.
    set
        Keys of the file, or names of components, and values to use instead, such as ``{"L": "/10"}``: absolute, or
        relative to what holds without (``"*2"``, ``"/2"``, ``"+10 %"``).
    ideal
        Whether margins, dead time and everything that parts bring along are left out, as in a textbook.
    catalogues
        Lists of parts besides those of the file.

    Returns
    -------
    Converter
        Nothing is derived or simulated yet.

    Raises
    ------
    InputError
        If the file cannot be read, or a key or value is wrong.
    """
    name, original = _read(source)
    parse_spec(original, name)
    case = changed(original, _texts(set), ideal, name)
    lists = tuple(os.fspath(c) for c in catalogues)
    found = Converter(_called(name, set), case.held, case.free, original, lists, case.changes)
    _ = found.spec
    return found


def _called(name: str, settings: Settings) -> str:
    """Return what messages call a file against which something was set."""
    return " ".join((name, *(f"--set {text}" for text in _texts(settings))))


def _read(source: Source) -> tuple[str, dict[str, Any]]:
    """Return what messages call a converter, and its tables."""
    if isinstance(source, Mapping):
        return "tables", dict(source)
    if isinstance(source, str) and "\n" in source:
        return "text", toml_of(source, "text")
    return os.fspath(source), tables_of(Path(source))


P = ParamSpec("P")
R = TypeVar("R")


def converter_of(given: Converter | Source) -> Converter:
    """Return a converter as it is, or load what it can be loaded from.

    Raises
    ------
    InputError
        If it is neither, or cannot be loaded.
    """
    if isinstance(given, Converter):
        return given
    if isinstance(given, str | os.PathLike | Mapping):
        return load(given)
    raise InputError(
        f"read {type(given).__name__}; expected a converter: load(…), or the path, text or tables of a file"
    )


def takes_converter(
    function: Callable[Concatenate[Converter, P], R],
) -> Callable[Concatenate[Converter | Source, P], R]:
    """Let a function take what a converter is loaded from as well."""

    @wraps(function)
    def taking(converter: Converter | Source, /, *args: P.args, **kwargs: P.kwargs) -> R:
        return function(converter_of(converter), *args, **kwargs)

    return taking


def new(topology: str, values: Mapping[str, Quantity] | None = None) -> str:
    """Return the text of a converter file: the example of a topology, with keys replaced.

    Parameters
    ----------
    topology
        A name from `list_topologies`.
    values
        Dotted keys and values, such as ``{"output.voltage": "5 V", "input.voltage": "9 V..36 V"}``; where any are given,
        parts, chosen values, title and story of the example are left out.

    Raises
    ------
    InputError
        If there is no such topology, key, or the result is no valid converter file.
    """
    from jump_lane.study.template import fill

    given: dict[str, Any] = {}
    for name, value in (values or {}).items():
        find_key(name)
        given[name] = range_of(str(value)) if isinstance(value, str) else value
    return fill(topology, given)


def load_key(text: str) -> str:
    """Return the key of the file that a load is given by, by its unit: as current, power or resistance."""
    ends = [end.strip() for end in text.split("..")]
    if not _all_are(ends, CURRENT):
        for dimension, key in ((POWER, "output.power"), (RESISTANCE, "output.resistance")):
            if _all_are(ends, dimension):
                return key
    return "output.current"


def _all_are(texts: Sequence[str], dimension: Dimension) -> bool:
    try:
        for text in texts:
            parse(text, dimension)
    except InputError:
        return False
    return True


def taken_over(topology: str, values: Mapping[str, Quantity]) -> dict[str, str]:
    """Return what `new` takes from the example of a topology as it is: dotted key to value."""
    from jump_lane.study.template import kept

    return kept(topology, list(values))


def demonstration() -> str:
    """Return the text of the converter file that is shown around."""
    from jump_lane.study.template import DEMONSTRATION, example

    return example(DEMONSTRATION)


def further_example(name: str) -> str:
    """Return the text of a further example file, by its name."""
    from importlib.resources import files

    return files("jump_lane").joinpath("examples", name).read_text(encoding="utf-8")


def _texts(settings: Settings) -> list[str]:
    if isinstance(settings, Mapping):
        return [f"{key}={value}" for key, value in settings.items()]
    return [str(text) for text in settings]
