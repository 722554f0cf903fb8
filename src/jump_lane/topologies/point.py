"""An operating point, and the elements of a circuit with the values they have there."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from itertools import pairwise

from jump_lane.catalogue.curve import Curve
from jump_lane.catalogue.mutual import Pairs
from jump_lane.circuit.elements import (
    BodyDiode,
    Capacitor,
    CurrentSource,
    Diode,
    Element,
    Inductor,
    Mutual,
    Resistor,
    Switch,
    VoltageSource,
    Winding,
    coupled_pair,
)
from jump_lane.circuit.gates import Gates, Interval, complement

SHARING = 1e-5
"""Resistance that makes ideal phases share their current, relative to that of the load."""


@dataclass(frozen=True)
class Point:
    """One operating point: every symbol's value there, how the rectifier is made, and what the load of each output is.

    ``secondary`` is what rectifies behind the transformer, where there is a choice.
    """

    values: Mapping[str, float]
    synchronous: bool
    kinds: tuple[str, ...] = ("resistance",)
    secondary: str = ""
    owners: Mapping[str, str] = field(default_factory=dict)
    """Element to the component whose figures it has."""
    curves: Mapping[str, Curve] = field(default_factory=dict)
    """Component to the part of its inductance left over current [A]."""
    mutuals: Pairs = field(default_factory=dict)
    """Numbers of two secondaries to the mutual inductance of their leakage [H]."""
    bodies: bool = False
    """Whether switches have body diodes."""
    slope: float = -1.0
    """Conductance of a load of constant power for small changes, over I_o/V_o."""

    def __getitem__(self, symbol: str) -> float:
        return self.values[symbol]

    def source(self, a: str = "in", b: str = "gnd") -> VoltageSource:
        """Return the input source, turned so that its current is the one it delivers."""
        return VoltageSource("source", b, a, -self["V_in"])

    def switch(self, name: str, a: str, b: str, shares: bool = False) -> Switch:
        """Return a controlled switch that blocks positive voltage from a to b; with body diode if synchronous.

        See `rectifier` for ``shares``; a switch on a lower voltage gets as much less.
        """
        x = self._data_of(name)
        least = min(1.0, (self["V_in"] / self["V_o"]) ** 2) * self._least() if shares else 0.0
        body = BodyDiode(self[f"V_B{x}"], max(self[f"R_B{x}"], least)) if self.bodies else None
        return Switch(name, a, b, max(self[f"R_{x}"], least), body, self[f"V_T{x}"])

    def rectifier(self, name: str, anode: str, cathode: str, shares: bool = False) -> Element:
        """Return a diode, or the switch that stands in for it.

        Only resistance makes devices in parallel paths share a current (``shares``); ideal ones get 1e-5 of
        V_o/I_o, which nothing else shows.
        """
        x = self._data_of(name)
        least = self._least() if shares else 0.0
        resistance = max(self[f"R_{x}"], least)
        if not self.synchronous:
            return Diode(name, anode, cathode, self[f"V_F{x}"], resistance)
        body = BodyDiode(self[f"V_B{x}"], max(self[f"R_B{x}"], least), forward=True)
        return Switch(name, anode, cathode, resistance, body)

    def _data_of(self, name: str) -> str:
        return self.owners[name]

    def _least(self) -> float:
        return SHARING * self["V_o"] / max(abs(self["I_o"]), 1e-3)

    def rectify(self, **intervals: tuple[Interval, ...]) -> Gates:
        """Return the gates of synchronous rectifiers: on while their ``intervals`` are off, less the dead time."""
        if not self.synchronous:
            return {}
        dead = self["t_d"] * self["f_s"]
        return {name: complement(spans, dead) for name, spans in intervals.items()}

    def inductor(self, name: str, a: str, b: str) -> Inductor:
        """Return an inductor with its winding resistance, and saturating as its part does."""
        return self._coil(name, a, b, name, self[f"R_{name.replace('_', '')}"])

    def _coil(self, name: str, a: str, b: str, role: str, resistance: float) -> Inductor:
        if role not in self.curves:
            return Inductor(name, a, b, self[role], resistance)
        first, knots = saturating(self[role], self.curves[role])
        return Inductor(name, a, b, first, resistance, knots)

    def saturated(self, element: Element) -> Element:
        """Return an element as it is; a magnetising inductance saturating as the part of its transformer does."""
        if not isinstance(element, Inductor) or element.saturation or element.name not in self.curves:
            return element
        first, knots = saturating(element.inductance, self.curves[element.name])
        return replace(element, inductance=first, saturation=knots)

    def shared_leakage(self) -> tuple[Mutual, ...]:
        """Return what the leakage inductances L_s1, L_s2 … of the secondaries share."""
        return tuple(Mutual(f"M_s{j}{k}", f"L_s{j}", f"L_s{k}", value) for (j, k), value in self.mutuals.items())

    def phase_inductor(self, name: str, a: str, b: str, role: str) -> Inductor:
        """Return the inductor of one of several phases.

        Only resistance makes phases share the current; ideal ones get 1e-5 of V_o/I_o, which nothing else shows.
        """
        return self._coil(name, a, b, role, max(self[f"R_{role}"], self._least()))

    def capacitor(self, name: str, a: str, b: str) -> Capacitor:
        """Return a capacitor with its equivalent series resistance."""
        return Capacitor(name, a, b, self[name], self[f"R_{name.replace('_', '')}"])

    def coupled(self, core: str, first: tuple[str, str, str], second: tuple[str, str, str]) -> tuple[Element, ...]:
        """Return two inductors (name, a, b), on one core where a coupling factor is given."""
        k = self[f"k_{core}"]
        if k == 0.0:
            return (self.inductor(*first), self.inductor(*second))
        one, two = (Winding(name, a, b, 1.0, self[f"R_{name}"]) for name, a, b in (first, second))
        return (coupled_pair(core, one, two, (self[first[0]], self[second[0]]), k),)

    def load(self, a: str = "out", b: str = "gnd", number: int = 1) -> tuple[Element, ...]:
        """Return the load of an output as it behaves about the operating point; its voltage is that of ``load``.

        What an output that follows takes is said at the voltage wanted; it stands at the voltage V_e that its turns give.
        A constant power P takes i = P/v, here by its tangent at that voltage V: a negative resistance −V²/P beside a
        current source of 2·P/V.  ``slope`` is the conductance over I/V, −1 of that tangent.
        """
        suffix = "" if number == 1 else str(number)
        name, kind = f"load{suffix}", self.kinds[number - 1]
        voltage, current = self[f"V_o{suffix}"], self[f"I_o{suffix}"]
        if kind == "stiff":
            return (VoltageSource(name, a, b, voltage),)
        if kind == "leds":
            resistance = 1.0 / self["g_o"]
            return (Diode(name, a, b, voltage - resistance * current, resistance),)
        if kind == "current" or current <= 0.0:
            return (CurrentSource(name, a, b, current),)
        if kind == "power":
            there = voltage if number == 1 else self[f"V_e{number}"]
            taken = voltage * current / there
            return (CurrentSource(name, a, b, (1.0 - self.slope) * taken), Resistor(f"{name}.slope", a, b, there / (self.slope * taken)))
        return (Resistor(name, a, b, voltage / current),)


def saturating(inductance: float, curve: Curve) -> tuple[float, tuple[tuple[float, float], ...]]:
    """Return the inductance at first, and from which current on which inductance holds.

    Parameters
    ----------
    inductance
        What 100 % of the curve stands for [H].
    curve
        Part of the (incremental) inductance left over current [A]; between two points the mean of both is taken,
        so that the flux is right at every point.
    """
    x, y = curve.starting(curve.y[0]).x, curve.starting(curve.y[0]).y
    means = [(a + b) / 2.0 for a, b in pairwise(y)] + [y[-1]]
    knots, last = [], means[0]
    for current, share in zip(x[1:], means[1:], strict=True):
        if share < last:
            knots.append((current, inductance * share))
            last = share
    return inductance * means[0], tuple(knots)
