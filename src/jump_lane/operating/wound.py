"""What the simulation asks of a wound component: its windings, their currents and its flux at every corner."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from jump_lane.circuit.elements import CoupledInductors, Element, IdealTransformer, Inductor
from jump_lane.design.derive import Design
from jump_lane.errors import InputError, NoResultError, nearest
from jump_lane.operating.point import solve_point
from jump_lane.switching.record import Recording

Array = NDArray[np.float64]

BIASED = 0.5
"""Least part of the largest flux that stays all the time where a core is biased."""

FINE = 200
"""Samples of a period beside those at every event."""


@dataclass(frozen=True)
class Course:
    """What a component carries at one corner.

    Attributes
    ----------
    time
        Over one period [s], (t,).
    currents
        Into the dotted end of every winding [A], (w, t).
    linkage
        Flux linkage of the magnetised path [V·s], (t,).
    """

    words: str
    period: float
    time: Array
    currents: Array
    linkage: Array

    @cached_property
    def largest(self) -> float:
        """Largest flux linkage of either sign [V·s]."""
        return float(np.abs(self.linkage).max())

    @property
    def biased(self) -> bool:
        """Whether the flux never comes near zero: a current that the circuit imposes magnetises the core all the time."""
        size = np.sign(self.linkage[0]) * self.linkage
        return bool(size.min() > BIASED * size.max())


@dataclass(frozen=True)
class Coil:
    """A wound component as the circuit sees it.

    Attributes
    ----------
    name
        Of the component.
    windings
        Names of its windings, the first one magnetised.
    ratios
        Turns of each over those of the first.
    path
        Turns that the flux linkage is of, over those of the first winding.
    inductance
        Of that path [H]; zero where the circuit has none.
    stores
        Whether it stores the energy that it passes on, so that its inductance is to be met; else it is the least one.
    tank
        Whether it resonates, so that its inductance is to stay what it is.
    """

    name: str
    windings: tuple[str, ...]
    ratios: tuple[float, ...]
    path: float
    inductance: float
    stores: bool
    tank: bool = False

    def turns_of(self, first: int) -> int:
        """Return the turns of the magnetised path for so many of the first winding; whole ones."""
        return max(round(first * self.path), 1)


def coil_names(design: Design) -> tuple[str, ...]:
    """Return the names of everything that is wound in a design: inductors, transformers, pairs on one core."""
    return tuple(dict.fromkeys(name for name, *_ in _found(design, design.page.circuit(design.point(0, 0)))))


def element_of(design: Design, name: str) -> str:
    """Return the element of the circuit that is a wound component, the first of several alike.

    Raises
    ------
    InputError
        If there is none of that name.
    """
    for found, element in _found(design, design.page.circuit(design.point(0, 0))):
        if found == name:
            return element.name
    known = coil_names(design)
    raise InputError(f"no wound component {name!r} in the {design.page.name}; {nearest(name, known)}")


def _found(design: Design, elements: tuple[Element, ...]) -> Iterator[tuple[str, Element]]:
    roles = {e: role for role in design.page.roles for e in role.elements}
    for element in elements:
        if isinstance(element, CoupledInductors | IdealTransformer):
            yield element.name, element
        elif isinstance(element, Inductor):
            role = roles.get(element.name)
            if role is not None and role.kind == "inductor":
                yield role.name, element


def coil_of(design: Design, name: str) -> Coil:
    """Return a wound component of a design.

    Raises
    ------
    InputError
        If there is none of that name.
    """
    elements = design.page.circuit(design.point(0, 0))
    wanted = element_of(design, name)
    return _coil(design, name, next(e for e in elements if e.name == wanted), elements)


def _coil(design: Design, name: str, element: Element, elements: tuple[Element, ...]) -> Coil:
    if isinstance(element, Inductor):
        tank = any(r.name == name and r.tank for r in design.page.roles)
        return Coil(name, (name,), (1.0,), 1.0, element.inductance, True, tank)
    if isinstance(element, CoupledInductors):
        names, own = tuple(w.name for w in element.windings), [m[k] for k, m in enumerate(element.inductance)]
        return Coil(name, names, tuple(float(np.sqrt(v / own[0])) for v in own), 1.0, own[0], True)
    assert isinstance(element, IdealTransformer)
    names = tuple(w.name for w in element.windings)
    ratios = tuple(w.turns / element.windings[0].turns for w in element.windings)
    magnetising, members = magnetised(element, elements)
    path = sum(ratios[k] for k in members)
    inductance = 0.0 if magnetising is None else magnetising.inductance
    return Coil(name, names, ratios, path, inductance, not _only_least(design))


RIPPLE = "r_m"
"""Symbol of the ripple asked of a magnetising current that stores nothing: an inductance that follows from it is the least one."""


def _only_least(design: Design) -> bool:
    """Tell whether a magnetising inductance follows from such a ripple."""
    symbol = design.page.magnetising
    values = design.sheet.leading_to([symbol]) if symbol in design.sheet else ()
    lines = (value.line for value in values if value.line is not None)
    return any(RIPPLE in formula.names for line in lines for formula in line.formulas)


def magnetised(
    transformer: IdealTransformer, elements: tuple[Element, ...]
) -> tuple[Inductor | None, tuple[int, ...]]:
    """Return the magnetising inductor of a transformer, and the windings in series that it lies beside."""
    nodes = [(w.a, w.b) for w in transformer.windings]
    for element in elements:
        if not isinstance(element, Inductor):
            continue
        ends = (element.a, element.b)
        if ends in nodes:
            return element, (nodes.index(ends),)
        for j, first in enumerate(nodes):
            for k, last in enumerate(nodes):
                if j != k and first[0] == ends[0] and first[1] == last[0] and last[1] == ends[1]:
                    return element, (j, k)
    return None, (0,)


def flux_linkage(coil: Inductor, current: Array) -> Array:
    """Return the flux linkage [V·s] at some currents [A], (m,), by the piecewise-linear curve of the inductor."""
    flux = coil.inductance * np.abs(current)
    inductance = coil.inductance
    for start, following in coil.saturation:
        flux = flux + (following - inductance) * np.maximum(np.abs(current) - start, 0.0)
        inductance = following
    return np.asarray(np.sign(current) * flux)


def course_of(recording: Recording, name: str, elements: tuple[Element, ...], words: str) -> Course:
    """Return what a component carries, by the name of its element (of one of several alike).

    Real windings carry what ideal ones do, and in the magnetised path the magnetising current besides.
    """
    element = next(e for e in elements if e.name == name)
    coil: Element = element
    members: tuple[int, ...] = (0,)
    signals: tuple[str, ...] = (f"{name}.i",)
    if isinstance(element, CoupledInductors):
        signals = tuple(f"{w.name}.i" for w in element.windings)
    elif isinstance(element, IdealTransformer):
        found, members = magnetised(element, elements)
        more = f"{element.windings[0].name}.v" if found is None else f"{found.name}.i"
        coil, signals = found or element, (*(f"{w.name}.i" for w in element.windings), more)
    wave = recording.waveforms(signals, FINE)
    time, values = wave.time, np.array([wave.signals[s] for s in signals])
    if coil is not element:
        currents = values[:-1].copy()
        currents[list(members)] += values[-1]
        assert isinstance(coil, Inductor)
        return Course(words, recording.period, time, currents, flux_linkage(coil, values[-1]))
    if isinstance(element, IdealTransformer):
        return Course(words, recording.period, time, values[:-1], _integrated(time, values[-1]))
    if isinstance(element, CoupledInductors):
        return Course(
            words, recording.period, time, values, np.asarray(np.array(element.inductance[0]) @ values)
        )
    assert isinstance(element, Inductor)
    return Course(words, recording.period, time, values, flux_linkage(element, values[0]))


def _integrated(time: Array, voltage: Array) -> Array:
    """Return the flux linkage of a winding by its voltage, its extremes alike."""
    steps = np.diff(time) * 0.5 * (voltage[1:] + voltage[:-1])
    linkage = np.concatenate([[0.0], np.cumsum(steps)])
    return np.asarray(linkage - 0.5 * (linkage.max() + linkage.min()))


def courses(design: Design, name: str) -> tuple[tuple[Course, ...], tuple[str, ...]]:
    """Return what a component carries at every corner that has a result, several elements made alike each on its own; and the
    corners without one, with the reason."""
    found, failed = [], []
    for i, j in np.ndindex(design.shape):
        words = design.corner_name((i, j))
        point = design.point(i, j)
        try:
            state, recording = solve_point(design.page, point)
        except NoResultError as error:
            failed.append(f"{words}: {error}")
            continue
        elements = state.engine.circuit.elements
        for n, element in _found(design, elements):
            if n == name:
                found.append(course_of(recording, element.name, elements, words))
    return tuple(found), tuple(failed)
