"""Random variants of circuits, and the laws that any periodic waveform of them has to obey, checked on samples.

Nothing here uses what the recorder measures: only signals at instants.
"""

from __future__ import annotations

import random
from dataclasses import replace

import numpy as np

from jump_lane.circuit.circuit import REFERENCE, Circuit, terminals
from jump_lane.circuit.elements import (
    Capacitor,
    CurrentSource,
    Diode,
    IdealTransformer,
    Inductor,
    Resistor,
    Switch,
    VoltageSource,
)
from jump_lane.circuit.gates import Gates, Instant
from jump_lane.switching.record import Recording

POINTS = 50
LAW = 1e-6
"""Largest violation, of the largest voltage or current."""


def varied(circuit: Circuit, rng: random.Random) -> Circuit:
    """The same circuit with other values, another period, and gates cut a little short where diodes take over then."""
    elements = []
    for e in circuit.elements:
        factor = rng.uniform(0.6, 1.6)
        if isinstance(e, Inductor):
            e = replace(e, inductance=e.inductance * factor)
        elif isinstance(e, Capacitor):
            e = replace(e, capacitance=e.capacitance * factor)
        elif isinstance(e, Resistor):
            e = replace(
                e, resistance=e.resistance * (factor if rng.random() < 0.8 else rng.uniform(1.0, 20.0))
            )
        elif isinstance(e, VoltageSource):
            e = replace(e, voltage=e.voltage * factor)
        elif isinstance(e, Diode):
            e = replace(e, v_f=e.v_f * factor, r_d=e.r_d * factor)
        elif isinstance(e, Switch):
            e = replace(e, r_on=e.r_on * factor)
        elements.append(e)
    freewheels = any(isinstance(e, Diode) for e in circuit.elements)
    inset = rng.uniform(0.0, 0.01) if freewheels else 0.0

    def gates(control: Instant) -> Gates:
        return {
            name: tuple((a, b - min(inset, 0.4 * (b.fraction - a.fraction))) for a, b in spans)
            for name, spans in circuit.pattern(control.fraction).items()
        }

    return replace(
        circuit, elements=tuple(elements), period=circuit.period * rng.uniform(0.6, 1.6), gates=gates
    )


def with_parasitics(circuit: Circuit, rng: random.Random) -> Circuit:
    """The same circuit with capacitances across its devices, some of them damped by a resistor in series."""
    added: list[Capacitor | Resistor] = []
    for e in circuit.elements:
        if not isinstance(e, Switch | Diode) or rng.random() < 0.3:
            continue
        farads = 10.0 ** rng.uniform(-11.0, -9.0)
        if rng.random() < 0.4:
            added.append(Resistor(f"{e.name}_rs", e.a, f"{e.name}_x", 10.0 ** rng.uniform(0.0, 2.0)))
            added.append(Capacitor(f"{e.name}_cs", f"{e.name}_x", e.b, 3.0 * farads))
        else:
            added.append(Capacitor(f"{e.name}_cj", e.a, e.b, farads))
    damped = [
        replace(e, r_on=max(e.r_on, 1e-3))
        if isinstance(e, Switch)
        else replace(e, r_d=max(e.r_d, 1e-3))
        if isinstance(e, Diode)
        else e
        for e in circuit.elements
    ]
    return replace(circuit, elements=(*damped, *added))


class Laws:
    """Samples of every stretch of a recording, and what they violate."""

    def __init__(self, recording: Recording) -> None:
        self.recording = recording
        self.circuit = recording.engine.circuit
        self.index = {n: i for i, n in enumerate(recording.names)}
        self.samples = [self._sampled(k) for k in range(len(recording.trace.ticks))]
        whole = np.vstack(self.samples)
        self.volts = max(np.abs(whole[:, i]).max() for n, i in self.index.items() if n.endswith(".v"))
        self.amps = max(np.abs(whole[:, i]).max() for n, i in self.index.items() if n.endswith(".i"))

    def _sampled(self, k: int) -> np.ndarray:
        """Signals at evenly spaced instants of a stretch, its ends among them, (points, signals)."""
        trace, engine = self.recording.trace, self.recording.engine
        c, span = int(trace.configurations[k]), int(trace.durations[k])
        ticks = np.unique(np.round(np.linspace(0, max(span - 1, 0), POINTS)).astype(np.int64))
        states = self.recording._states(c, self.recording._origins[k], ticks)
        return states @ engine.signals(c).T

    def of(self, k: int, name: str) -> np.ndarray:
        return self.samples[k][:, self.index[name]]

    def violations(self) -> list[str]:
        out: list[str] = []
        for k in range(len(self.samples)):
            out += [
                f"stretch {k}: {what}" for what in (*self._kirchhoff(k), *self._elements(k), *self._diodes(k))
            ]
        return out

    def _kirchhoff(self, k: int) -> list[str]:
        sums: dict[str, np.ndarray] = {}
        for e in self.circuit.elements:
            for name, a, b in terminals(e):
                current = self.of(k, f"{name}.i")
                sums[a] = sums.get(a, 0.0) + current
                sums[b] = sums.get(b, 0.0) - current
        return [
            f"current at {n}: {np.abs(s).max():.2e} A"
            for n, s in sums.items()
            if n != REFERENCE and np.abs(s).max() > LAW * self.amps
        ]

    def _elements(self, k: int) -> list[str]:
        out = []
        for e in self.circuit.elements:
            if isinstance(e, Resistor):
                gap = self.of(k, f"{e.name}.v") - e.resistance * self.of(k, f"{e.name}.i")
            elif isinstance(e, VoltageSource):
                gap = self.of(k, f"{e.name}.v") - e.voltage
            elif isinstance(e, CurrentSource):
                gap = (self.of(k, f"{e.name}.i") - e.current) * self.volts / self.amps
            elif isinstance(e, IdealTransformer):
                first = e.windings[0]
                gap = sum(w.turns * self.of(k, f"{w.name}.i") for w in e.windings) * self.volts / self.amps
                gap = gap / sum(w.turns for w in e.windings)
                for w in e.windings[1:]:
                    ratio = w.turns / first.turns
                    off = self.of(k, f"{w.name}.v") - ratio * self.of(k, f"{first.name}.v")
                    gap = np.maximum(np.abs(gap), np.abs(off))
            else:
                continue
            if np.abs(gap).max() > LAW * self.volts:
                out.append(f"law of {e.name}: {np.abs(gap).max():.2e} V")
        return out

    def _diodes(self, k: int) -> list[str]:
        out = []
        for e in self.circuit.elements:
            if not isinstance(e, Diode):
                continue
            v, i = self.of(k, f"{e.name}.v"), self.of(k, f"{e.name}.i")
            if i.min() < -LAW * self.amps:
                out.append(f"{e.name} carries {i.min():.2e} A")
            if v.max() - e.v_f > LAW * self.volts and np.abs(v - e.v_f - e.r_d * i).max() > LAW * self.volts:
                out.append(f"{e.name} is open with {v.max():.4g} V, {e.v_f:.4g} V forward")
        return out

    def lower_peaks(self) -> list[str]:
        """Signals whose samples lie beyond the extremes that the recorder gives."""
        whole = np.vstack(self.samples)
        out = []
        for name, i in self.index.items():
            if not name.endswith((".v", ".i")):
                continue
            found = self.recording.measures(name)
            scale = LAW * max(
                np.abs(whole[:, i]).max(), 1e-6 * (self.volts if name.endswith("v") else self.amps)
            )
            if whole[:, i].max() > found.maximum + scale or whole[:, i].min() < found.minimum - scale:
                out.append(f"{name}: {whole[:, i].min():.6g} … {whole[:, i].max():.6g}, said {found}")
        return out
