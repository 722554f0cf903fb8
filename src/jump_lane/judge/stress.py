"""What every component bears in the simulated circuit, and which rating that needs."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from jump_lane.design.asked import bias_of
from jump_lane.design.components import Component
from jump_lane.design.derive import Design
from jump_lane.spec import Margin
from jump_lane.switching.waveforms import NOISE

if TYPE_CHECKING:
    from jump_lane.switching.record import Recording

VALVES = ("switch", "rectifier")


@dataclass(frozen=True)
class Stress:
    """What one component bears, largest over whatever was looked at.

    Attributes
    ----------
    average, rms, peak
        Of its current [A], magnitudes; of a capacitor the rms value without the average.
    blocked
        Largest voltage across it while open, or across a capacitor [V]; 0 for windings.
    spike
        Factor for the spike of leakage that no simulated clamp limits.
    """

    component: str
    kind: str
    average: float
    rms: float
    peak: float
    blocked: float
    spike: float = 1.0

    def voltage_needed(self, margin: Margin) -> float:
        """Return the voltage rating that it needs [V]."""
        return self.blocked * self.spike * (1.0 + margin.voltage)

    def current_needed(self, margin: Margin) -> float:
        """Return the peak current rating that it needs [A]."""
        return self.peak * (1.0 + margin.current)


DISCHARGED = 40.0
"""On-resistance times output capacitance, in which the two capacitances of a node have discharged at turn-on: twice 20 of them."""


def settled_peak(recording: Recording, signal: str, over: float) -> float:
    """Return the peak of a switch's current [A] without the discharge of capacitances beside it at turn-on.

    That is limited by its channel alone, and over after a time [s]: the peak is taken before each edge that comes later than
    that, and once it is over.
    """
    at, edges = recording.index(signal), recording.edges
    before = [
        abs(float(edge.before[at]))
        for k, edge in enumerate(edges)
        if (edge.time - edges[k - 1].time) % recording.period > over
    ]
    return max(*before, *(abs(recording.value_at(signal, edge.time + over)) for edge in edges))


def discharge_time(design: Design, recording: Recording) -> float:
    """Return in which time output capacitances that the circuit contains have discharged at turn-on [s]; 0 without any."""
    times = [0.0]
    for role in design.page.roles:
        if role.kind == "switch" and f"C_{role.elements[0]}.v" in recording.names:
            times.append(
                DISCHARGED * design.sheet[f"R_{role.tag}"].worst * design.sheet[f"C_{role.tag}"].worst
            )
    return max(times)


def settled_swing(design: Design, recording: Recording, signal: str) -> float:
    """Return the peak-to-peak value of a signal without what the discharge of capacitances at turn-on leaves on it."""
    over = discharge_time(design, recording)
    if over == 0.0:
        return recording.measures(signal).peak_to_peak
    wave = recording.waveforms((signal,))
    gates = [recording.index(n) for n in recording.names if n.endswith(".gate")]
    kept = np.ones(len(wave.time), dtype=bool)
    for edge in recording.edges:
        if (edge.after[gates] > edge.before[gates]).any():
            since = (wave.time - edge.time) % recording.period
            kept &= (since > over) & (since < recording.period - 1e-6 * over)
    return float(np.ptp(wave.signals[signal][kept]))


def stresses_of(design: Design, recording: Recording, every: Sequence[Component]) -> Iterator[Stress]:
    """Yield the stress of every component as simulated."""
    for component in every:
        names = [component.name] if component.elements else ["source"]
        if component.kind == "transformer":
            names = [e.name for e in component.elements if f"{e.name}.i" in recording.names]
        for name in names:
            if f"{name}.i" in recording.names:
                yield _stress(design, recording, component, name)


def _stress(design: Design, recording: Recording, component: Component, name: str) -> Stress:
    current = recording.measures(f"{name}.i")
    voltage = recording.measures(f"{name}.v")
    still = component.kind == "capacitor" or (component.kind == "auxiliary" and name.startswith("C"))
    is_open = component.kind in VALVES or name in recording.valves
    blocked = voltage.peak if still or is_open else 0.0
    peak, tag = current.peak, component.role.replace("_", "")
    average = abs(current.average) if abs(current.average) > NOISE * peak else 0.0
    if component.kind in VALVES and f"C_{name}.i" in recording.names:
        peak = settled_peak(
            recording,
            f"{name}.i",
            DISCHARGED * design.sheet[f"R_{tag}"].worst * design.sheet[f"C_{tag}"].worst,
        )
    return Stress(
        component.name if component.kind != "transformer" else f"{component.name}: {name}",
        "capacitor" if still else component.kind,
        average if not still else 0.0,
        current.ac_rms if still else current.rms,
        peak,
        blocked,
        design.spike(tag) if component.kind in VALVES else 1.0,
    )


MEASURES = {"average": "average", "rms": "rms", "ac_rms": "rms", "maximum": "peak", "peak": "peak"}
"""What a measure of a current says of the stress of what carries it."""


def derived_stresses(design: Design) -> tuple[Stress, ...]:
    """Return what every component and winding bears as derived, largest over all corners; NaN for what is not derived."""
    found = []
    for role in design.page.roles:
        if role.kind == "capacitor" and role.name not in design.sheet:
            continue
        spike = design.spike(role.tag) if role.kind in VALVES else 1.0
        found.append(
            _with_derived(design, Stress(role.name, role.kind, np.nan, np.nan, np.nan, np.nan, spike))
        )
    found += [Stress(name, "winding", **values) for name, values in _windings(design).items()]
    return tuple(s for s in found if np.isfinite([s.average, s.rms, s.peak, s.blocked]).any())


def _windings(design: Design) -> dict[str, dict[str, float]]:
    """Return average, rms and peak current of everything that is no component of its own but has such a proof."""
    found: dict[str, dict[str, float]] = {}
    for symbol, proof in design.proofs.items():
        element, _, which = proof.signal.rpartition(".")
        field = MEASURES.get(proof.measure)
        if which != "i" or field is None or element in ("load", "source") or element in design.page.owners:
            continue
        values = found.setdefault(element, dict.fromkeys(("average", "rms", "peak", "blocked"), np.nan))
        values[field] = np.fmax(values[field], _largest(design, symbol))
    return found


def _largest(design: Design, symbol: str) -> float:
    """Return the largest magnitude of a symbol over all corners; NaN where nothing is derived for it."""
    return float(np.nanmax(np.abs(design.sheet[symbol].values))) if symbol in design.sheet else float("nan")


def worst_of(design: Design, corners: Sequence[Sequence[Stress]]) -> tuple[Stress, ...]:
    """Return the largest stress of each component over all corners, as simulated or as derived."""
    found: dict[str, Stress] = {}
    for stress in (s for corner in corners for s in corner):
        known = found.get(stress.component, stress)
        found[stress.component] = replace(
            known,
            average=max(known.average, stress.average),
            rms=max(known.rms, stress.rms),
            peak=max(known.peak, stress.peak),
            blocked=max(known.blocked, stress.blocked),
        )
    return tuple(_with_derived(design, s) for s in found.values())


def _with_derived(design: Design, stress: Stress) -> Stress:
    """Return a stress, or what is derived for the component where that is more."""
    tag = stress.component.replace("_", "")

    def largest(symbol: str, known: float) -> float:
        return float(np.fmax(known, _largest(design, symbol)))

    rms = largest(f"I_{tag}rms", stress.rms)
    if stress.kind == "capacitor":
        voltage = bias_of(stress.component, design.sheet) or np.nan
        return replace(stress, rms=rms, blocked=float(np.fmax(stress.blocked, voltage)))
    if stress.kind == "auxiliary":
        return replace(stress, rms=rms)
    known = replace(
        stress, average=largest(f"I_{tag}", stress.average), rms=rms, peak=largest(f"I_{tag}pk", stress.peak)
    )
    return replace(known, blocked=largest(f"V_{tag}", stress.blocked)) if stress.kind in VALVES else known
