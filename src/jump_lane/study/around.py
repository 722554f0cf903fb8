"""What the simulated converter asks of what stands around it: currents by harmonics, impedances, loops with a filter in front."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from jump_lane.circuit.circuit import Circuit
from jump_lane.circuit.elements import Capacitor, Element, Inductor, Resistor, VoltageSource
from jump_lane.control.loops import AnyLoop, close
from jump_lane.control.stage import SOURCE, Stage
from jump_lane.design.derive import Design
from jump_lane.errors import InputError, NoResultError
from jump_lane.operating.point import solve
from jump_lane.quantities import show
from jump_lane.supply.filter import Built, peaks
from jump_lane.supply.net import Complex, Draw, Real
from jump_lane.switching.record import Recording
from jump_lane.switching.response import Responses
from jump_lane.switching.steady import SteadyState, steady_state
from jump_lane.switching.waveforms import fourier

HARMONICS, SAMPLES = 400, 10_000
"""Harmonics of the switching frequency that are taken, and samples in a period, straight between which they are found."""


@dataclass(frozen=True)
class Scene:
    """A simulated corner."""

    at: tuple[int, int]
    v_in: float
    i_o: float
    recording: Recording

    @property
    def words(self) -> str:
        """The corner in words."""
        return f"{show(self.v_in, 'V')}, {show(self.i_o, 'A')}"

    def amplitudes(self, *signals: str) -> Complex:
        """Return complex peak amplitudes of harmonics 1… of a sum of signals, (h,)."""
        period, total = self.recording.period, np.zeros(HARMONICS, dtype=complex)
        for name in signals:
            samples = self.recording.samples_between(name, 0.0, period, SAMPLES)
            total += fourier(samples, period, HARMONICS)[1:]
        return total

    def draw(self, *signals: str) -> Draw:
        """Return a sum of currents as a filter sees it."""
        direct = sum(self.recording.measures(n).average for n in signals)
        amplitudes, rest = self.amplitudes(*signals), 0.0
        if len(signals) == 1:
            seen = self.recording.measures(signals[0]).ac_rms
            rest = math.sqrt(max(seen**2 - 0.5 * float(np.sum(np.abs(amplitudes) ** 2)), 0.0))
        return Draw(self.words, 1.0 / self.recording.period, amplitudes, direct, rest)


def scenes(design: Design) -> list[Scene]:
    """Return every corner that has a result.

    Raises
    ------
    NoResultError
        If none has one.
    """
    rows, columns = design.shape
    found, last = [], "no corner has a load"
    for i in range(rows):
        for j in range(columns):
            if design.point(i, j)["I_o"] == 0.0:
                continue
            try:
                _, recording = solve(design, i, j)
            except NoResultError as error:
                last = str(error)
                continue
            point = design.point(i, j)
            found.append(Scene((i, j), point["V_in"], point["I_o"], recording))
    if not found:
        raise NoResultError(f"no corner has a result: {last}")
    return found


def through(scene: Scene, capacitor: str) -> str:
    """Return the signal that is the current of a capacitor; that of C_i is the alternating part of the source's.

    Raises
    ------
    InputError
        If there is no such capacitor.
    """
    if capacitor == "C_i":
        return f"{SOURCE}.i"
    name = f"{capacitor}.i"
    if name not in scene.recording.names:
        known = [n[:-2] for n in scene.recording.names if n.startswith("C") and n.endswith(".i")]
        raise InputError(f"bank.{capacitor}: no such capacitor; expected one of {', '.join(['C_i', *known])}")
    return name


def in_front(circuit: Circuit, found: Built) -> Circuit:
    """Return a circuit with a filter between its source and itself; what matters only far above its frequency is left out."""
    source = next(e for e in circuit.elements if e.name == SOURCE)
    assert isinstance(source, VoltageSource)
    hot, cold = source.b, source.a
    nodes = {"far": "line", "near": hot}

    def node(name: str) -> str:
        return nodes.get(name, f"line {name}")

    added: list[Element] = []
    for branch in found.branches(None):
        if branch.name == "far side" or (branch.a == "far" and branch.b == "0"):
            continue
        a, b = node(branch.a), cold if branch.b == "0" else node(branch.b)
        name = f"filter {branch.name}"
        if branch.capacitance > 0.0:
            added.append(Capacitor(name, a, b, branch.capacitance, branch.resistance))
        elif branch.inductance > 0.0:
            added.append(Inductor(name, a, b, branch.inductance, branch.resistance))
        else:
            added.append(Resistor(name, a, b, branch.resistance))
    moved = replace(source, b="line")
    return replace(circuit, elements=(*(moved if e is source else e for e in circuit.elements), *added))


@dataclass(frozen=True)
class Filtered(Stage):
    """A power stage behind a filter."""

    front: Built | None = None

    @cached_property
    def circuit(self) -> Circuit:
        """The circuit with the filter in front."""
        plain = Stage(self.design, self.i, self.j).circuit
        return plain if self.front is None else in_front(plain, self.front)

    @cached_property
    def open(self) -> SteadyState:
        """The steady state with the control at which the output is held without the filter.

        Raises
        ------
        NoResultError
            If there is none.
        """
        plain = Stage(self.design, self.i, self.j).open
        guess = dict(plain.states)
        for element in self.circuit.elements:
            if element.name.startswith("filter") and isinstance(element, Capacitor):
                guess[element.name] = self.v_in
        circuit = replace(self.circuit, control=plain.control)
        return steady_state(circuit, None, guess, watched=self.watched, inputs=self.inputs)


@dataclass(frozen=True)
class Compared:
    """Impedances of filter and converter at a corner.

    Attributes
    ----------
    frequencies, converter
        Where [Hz], and the converter's input impedance there [Ω], (f,).
    margin, at
        Least distance of the filter's output impedance below it [dB], and where [Hz].
    largest
        Magnitude of the largest multiplier with the filter in place; None without a result, and why.
    """

    words: str
    frequencies: Real
    converter: Complex
    margin: float
    at: float
    largest: float | None
    why: str = ""

    @property
    def stable(self) -> bool:
        """Whether every small deviation dies out with the filter in place."""
        return self.largest is not None and self.largest < 1.0


POINTS, BELOW = 120, 0.49
"""Frequencies at which impedances are compared, and up to which part of the switching frequency."""


def compare(
    found: Built, design: Design, loop: AnyLoop | None, corners: Sequence[tuple[int, int]]
) -> list[Compared]:
    """Return impedances and stability with a filter in front, at corners."""
    out, sharp = [], peaks(found)
    for i, j in corners:
        stage = Stage(design, i, j)
        try:
            plain = stage.responses if loop is None else close(loop, stage).responses
            f = np.geomspace(2e-4, BELOW, POINTS) / stage.circuit.period
            f = np.unique(np.append(f, sharp[sharp < BELOW / stage.circuit.period]))
            converter = -1.0 / plain.analyser(SOURCE, ("input",), f)["input"]
        except NoResultError as error:
            out.append(
                Compared(stage.words, np.zeros(0), np.zeros(0, complex), math.nan, math.nan, None, str(error))
            )
            continue
        distance = 20.0 * np.log10(np.abs(converter) / np.abs(found.impedance(f)))
        k = int(np.argmin(distance))
        largest, why = _largest(found, stage, loop)
        out.append(Compared(stage.words, f, converter, float(distance[k]), float(f[k]), largest, why))
    return out


def _largest(found: Built, stage: Stage, loop: AnyLoop | None) -> tuple[float | None, str]:
    behind = Filtered(stage.design, stage.i, stage.j, found)
    try:
        if loop is None:
            return float(np.abs(Responses(behind.open).multipliers).max(initial=0.0)), ""
        return float(np.abs(close(loop, behind).multipliers).max(initial=0.0)), ""
    except NoResultError as error:
        return None, str(error)
