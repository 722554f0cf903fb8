"""Soft switching: whether switches turn on without voltage, read off the swing of their nodes in the dead time.

A series inductance charges the output capacitances of a leg: with its energy L·i²/2 it takes the node to the other rail,
or it does not, or the dead time ends too soon (Sabaté, Vlatković, Ridley, Lee, Cho 1990).
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from jump_lane.design.derive import Design
from jump_lane.judge.limit import Limit, Mend, Scene

if TYPE_CHECKING:
    from jump_lane.switching.record import Edge

COIL = "L_r"
"""The inductance that the energy comes from."""

LEFT = 0.02
"""Part of the voltage at which a node counts as having arrived."""

SMALL, LARGE = 1e-3, 1e3
"""By how much a smaller or larger inductance is looked for."""

HALVINGS = 60
"""Steps of the bisection for it."""


@dataclass(frozen=True)
class Swing:
    """What a switch sees in the dead time before it turns on.

    Attributes
    ----------
    time
        From the opening of the other switch to the turning on of this one [s].
    start, least, left
        Its voltage as the other switch opens, the least one seen in between, and that as it turns on [V].
    driving, landing
        Current of the coil as the swing starts, and where the voltage is least first [A], positive in the direction of the
        start.
    waited, last
        From there to the turning on [s], and the current then [A].
    """

    time: float
    start: float
    least: float
    left: float
    driving: float
    landing: float
    waited: float
    last: float

    @property
    def soft(self) -> bool:
        """Whether the voltage is gone as the switch turns on."""
        return self.left <= LEFT * self.start

    def sustained(self, inductance: float) -> bool:
        """Whether another inductance in series sustains the current once the voltage is gone: of that leg the coil tells nothing."""
        alone = self.start * self.waited / inductance
        return self.soft and self.landing - self.last < 0.5 * alone

    def charged(self, inductance: float) -> float:
        """Return the capacitance that the coil charges [F]: what it gave, over the square of the swing."""
        covered = self.start if self.least <= LEFT * self.start else self.start - self.least
        given = inductance * (self.driving**2 - self.landing**2)
        return given / covered**2 if covered > 0.0 and given > 0.0 else math.inf

    def strain(self, inductance: float, capacitance: float) -> float:
        """Return how far the swing is from being soft with another inductance: at most 1 where it is.

        The node swings by i·√(L/C)·sin(t/√(L·C)); what current is left then holds it, until the voltage across the coil has
        brought it to nothing: L·i/V later the node swings back.
        """
        crest = self.driving * math.sqrt(inductance / capacitance)
        rate = math.sqrt(inductance * capacitance)
        if crest <= self.start:
            return self.start / crest if crest > 0.0 else LARGE
        arrival = math.asin(self.start / crest) * rate
        rest = math.sqrt(self.driving**2 - self.start**2 * capacitance / inductance)
        return max(arrival / self.time, self.time / (arrival + inductance * rest / self.start))

    def ratio(self, inductance: float) -> float:
        """Return the same with the inductance that there is; never at odds with what the switch saw."""
        if self.sustained(inductance):
            return 0.0
        capacitance = self.charged(inductance)
        found = self.strain(inductance, capacitance) if math.isfinite(capacitance) else LARGE
        return min(found, 1.0) if self.soft else max(found, 1.0 + self.left / self.start)

    def factor(self, inductance: float, allowed: float) -> float:
        """Return by what the inductance has to be multiplied so that the swing is just soft; infinite if no one is enough."""
        if self.sustained(inductance):
            return SMALL
        capacitance = self.charged(inductance)
        if not math.isfinite(capacitance) or self.strain(LARGE * inductance, capacitance) > allowed:
            return math.inf
        low, high = SMALL, LARGE
        for _ in range(HALVINGS):
            middle = math.sqrt(low * high)
            low, high = (
                (low, middle) if self.strain(middle * inductance, capacitance) <= allowed else (middle, high)
            )
        return high


def swings(scene: Scene) -> Iterator[Swing]:
    """Yield the swing of every switch that has an output capacitance of its own, before each time it turns on."""
    recording = scene.recording
    edges, coil = recording.edges, recording.index(f"{COIL}.i")
    for name in sorted(n.removesuffix(".gate") for n in recording.names if n.endswith(".gate")):
        if f"C_{name}.v" not in recording.names:
            continue
        gate, voltage = recording.index(f"{name}.gate"), recording.index(f"{name}.v")
        for k, edge in enumerate(edges):
            if not edge.before[gate] < 0.5 < edge.after[gate]:
                continue
            start = _start(scene, k)
            driving = float(start.before[coil])
            way = math.copysign(1.0, driving)
            high = abs(float(start.before[voltage]))
            passed = [*_between(scene, start.time, k)] or [edge]
            seen = [abs(float(e.before[voltage])) for e in passed]
            least = next((n for n, v in enumerate(seen) if v <= LEFT * high), int(np.argmin(seen)))
            time = (edge.time - start.time) % recording.period
            landing, last = (way * float(e.before[coil]) for e in (passed[least], edge))
            waited = (edge.time - passed[least].time) % recording.period
            yield Swing(time, high, seen[least], seen[-1], abs(driving), landing, waited, last)


def _start(scene: Scene, k: int) -> Edge:
    """Return the last edge before edge `k` at which a gate goes off."""
    recording = scene.recording
    edges = recording.edges
    gates = [recording.index(n) for n in recording.names if n.endswith(".gate")]
    for back in range(1, len(edges) + 1):
        edge = edges[k - back]
        if any(edge.after[g] < 0.5 < edge.before[g] for g in gates):
            return edge
    return edges[k]


def _between(scene: Scene, start: float, k: int) -> Iterator[Edge]:
    """Yield the edges after an instant up to edge `k`, in order, around the period."""
    edges = scene.recording.edges
    found: list[Edge] = []
    for back in range(len(edges)):
        edge = edges[k - back]
        if edge.time == start:
            break
        found.append(edge)
    return reversed(found)


def is_soft(design: Design) -> bool:
    """Tell whether there is a coil that charges output capacitances which the circuit contains."""
    if COIL not in design.components():
        return False
    names = {e.name for e in design.circuit(0, 0).elements}
    return any(n.startswith("C_S") for n in names)


def soft_load(design: Design) -> float:
    """Return the load down to which switches are to turn on softly [A]."""
    return design.sheet["k_z"].worst * design.sheet["I_max"].worst


def left_limits(design: Design) -> Iterator[Limit]:
    """Yield that every switch turns on without voltage, where the circuit is made for that at any load."""
    if not is_soft(design):
        return

    def measure(scene: Scene) -> float:
        seen = scene.recording
        swung = [n.removesuffix(".gate") for n in seen.names if n.endswith(".gate")]
        own = [n for n in swung if f"C_{n}.v" in seen.names]
        return max((seen.turn_on_voltage(n) / seen.measures(f"{n}.v").maximum for n in own), default=0.0)

    yield Limit(
        symbol="v_z",
        meaning="voltage left as a switch turns on, part of the input",
        unit="",
        measure=measure,
        asked=LEFT,
        highest=LEFT,
        key="switching.dead_time",
        otherwise="a smaller L_m charges the output capacitances faster, a longer switching.dead_time leaves more time; one "
        "that is too long lets the node swing back",
    )


def soft_limits(design: Design, j: int) -> Iterator[Limit]:
    """Yield what soft switching asks at a load: that every node swings over within the dead time."""
    if not is_soft(design) or design.loads[j] < soft_load(design) * (1.0 - 1e-9):
        return
    inductance = design.sheet[COIL].worst
    least = design.sheet["L_kT"].worst / inductance

    def measure(scene: Scene) -> float:
        return max((s.ratio(inductance) for s in swings(scene)), default=0.0)

    def factor(scene: Scene, allowed: float) -> float:
        return max((s.factor(inductance, allowed) for s in swings(scene)), default=least or 1.0)

    yield Limit(
        symbol="r_z",
        meaning="swing that turning on without voltage needs, over what L_r gives within the dead time",
        unit="",
        measure=measure,
        asked=1.0,
        highest=1.0,
        key="transformer.soft_load",
        otherwise="raise switching.dead_time, or soft_load",
        mend=Mend((COIL,), lambda scene, allowed: max(factor(scene, allowed), least)),
    )
